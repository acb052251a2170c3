"""`updraft compare`: what differs between two tables that should agree."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import click

from updraft.cli.options import as_json

_SHOWN = 50  # differences on the terminal


@click.command()
@click.argument("left", type=click.Path(path_type=Path))
@click.argument("right", type=click.Path(path_type=Path))
@click.option(
    "--key",
    "keys",
    required=True,
    multiple=True,
    metavar="COLUMN",
    help="What names a row in both tables; COLUMN=OTHER where it is called so in the right one. As often as "
    "a key has columns.",
)
@click.option("--column", "columns", multiple=True, metavar="NAME", help="Compare only these columns.")
@click.option(
    "--within",
    multiple=True,
    metavar="[NAME:]AMOUNT[%|d]",
    help="What numbers, or a column, may differ by: 0.5, grams:5%, sent:2d (days).",
)
@click.option("--ignore-case", is_flag=True, help="Of texts.")
@click.option("--ignore-blanks", is_flag=True, help="At the ends of texts.")
@click.option("--digits", is_flag=True, help="Compare digits of keys as numbers: 00776 meets 776.")
@as_json()
def compare(
    left: Path,
    right: Path,
    keys: tuple[str, ...],
    columns: tuple[str, ...],
    within: tuple[str, ...],
    ignore_case: bool,
    ignore_blanks: bool,
    digits: bool,
    as_json: bool,
) -> None:
    """Say which rows and cells differ between two tables. Ends with 3 where any does."""
    from updraft.cli import loading, saying
    from updraft.core.engine.table import compute
    from updraft.core.problems import Problem
    from updraft.core.steps import Tables, kinds

    mine, its = (loading.table_of(path, "", as_json)[0] for path in (left, right))
    kind = kinds()["compare_tables"]
    try:
        pairs = [key.partition("=") for key in keys]
        settings = kind.Settings.model_validate(
            {
                "keys": [{"column": one, "reference": other or one} for one, _, other in pairs],
                "columns": columns,
                "order": "largest",
                "as_numbers": digits,
                "ignore_case": ignore_case,
                "ignore_blanks": ignore_blanks,
                **_allowed(within, ignore_case, ignore_blanks),
            }
        )
        done = compute(kind, settings, Tables.of(mine.lazy(), reference=its.lazy()), None)
        cells, by_column = done.lazy().collect(), done.frames["by_column"]
    except Problem as problem:
        saying.fail(problem, as_json, 2)
    counts = {name: done.frames[name].height for name in ("same", "different", "only_here", "only_there")}
    warnings = [fact.text for fact in done.facts if fact.level == "warning"]
    if as_json:
        told: dict[str, Any] = {**counts, "warnings": warnings, "by_column": by_column.to_dicts()}
        saying.say_json({**told, "differences": cells.to_dicts()})
    else:
        shown = cells.head(_SHOWN)
        if shown.height:
            rows = [[None if cell is None else f"{cell}" for cell in row] for row in shown.iter_rows()]
            saying.say_table([(name, "") for name in shown.columns], rows)
        if cells.height > _SHOWN:
            saying.say(f"and {cells.height - _SHOWN:,} more; --json gives all")
        saying.say(
            f"{saying.rows(counts['same'])} the same, {counts['different']:,} different, "
            f"{counts['only_here']:,} only in {left.name}, {counts['only_there']:,} only in {right.name}"
        )
        for warning in warnings:
            saying.say(warning)
    raise SystemExit(3 if cells.height else 0)


def _allowed(within: tuple[str, ...], ignore_case: bool, ignore_blanks: bool) -> dict[str, Any]:
    """Settings of what may differ, from NAME:AMOUNT and AMOUNT."""
    from updraft.core.problems import Problem

    found: dict[str, Any] = {"allowed": []}
    for text in within:
        name, _, amount = text.rpartition(":")
        unit = {"%": "percent", "d": "days"}.get(amount[-1:], "units")
        number = amount if unit == "units" else amount[:-1]
        try:
            value = float(number)
        except ValueError:
            value = -1.0
        if not 0 <= value < float("inf") or (unit != "units" and not name):
            raise Problem(
                f"--within {text}",
                f"“{amount}” is no amount"
                + (" for all numbers; percent and days go with a column." if not name else "."),
                "Write it as 0.5, NAME:5% or NAME:2d.",
                code="bad_call",
            )
        if name:
            own = {"ignore_case": ignore_case, "ignore_blanks": ignore_blanks}
            found["allowed"].append({"column": name, "within": value, "unit": unit, **own})
        else:
            found["tolerance"] = value
    return found
