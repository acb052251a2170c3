"""`updraft show`: open a data file."""

from __future__ import annotations

import fnmatch
import json
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from updraft.cli.options import FILE, as_json
from updraft.core.problems import Problem, did_you_mean

if TYPE_CHECKING:
    from updraft.core.formats import Detected

MOST_COLUMNS = 40  # shown on the terminal unless columns are named


@click.command()
@FILE
@click.option("--rows", type=click.IntRange(0, 10_000), default=10, show_default=True, help="Rows to show.")
@click.option(
    "--columns",
    "wanted",
    multiple=True,
    metavar="NAME",
    help="Only columns of this name; * stands for anything. May be given several times.",
)
@as_json()
def show(file: Path, rows: int, wanted: tuple[str, ...], as_json: bool) -> None:
    """Open a data file with what is detected and show its first rows."""
    from updraft.cli import loading, saying
    from updraft.core.engine import Engine, Files
    from updraft.core.formats import detect
    from updraft.core.values import kind_of
    from updraft.core.values.text import shown

    files = Files(file.parent, {"file": file.resolve()})
    try:
        engine = Engine()
        table = engine.look(engine.plan(loading.flow_reading(file), files), "file", files)
        chosen = _chosen(list(table.schema()), wanted)
    except Problem as problem:
        saying.fail(problem, as_json, 2 if problem.code == "no_file" else 1)
    columns = [{"name": name, "kind": kind_of(table.schema()[name]).value} for name in chosen]
    first = table.lazy().select(chosen).head(rows).collect()
    options = _options(detect(file))
    if as_json:
        saying.say_json(
            {
                "rows": table.height,
                "columns": columns,
                "first": first.to_dicts(),
                "detected": options,
                "evidence": {name: said for name, said in table.evidence.items() if name in set(chosen)},
                "warnings": list(table.warnings),
            }
        )
        return
    texts = first.select(shown(s).alias(s.name) for s in first)
    heads = [(c["name"], c["kind"]) for c in columns]
    left = saying.say_blocks(heads, texts.rows(), most=MOST_COLUMNS if not wanted else len(heads))
    saying.say(f"{table.height:,} rows × {len(table.schema()):,} columns")
    if left:
        saying.say(
            f"{left:,} columns are not shown; name those to see with --columns, such as --columns '*date*'."
        )
    for name, option in options.items():
        value = (
            ""
            if option["value"] in (None, "", (), [])
            else f" {json.dumps(option['value'], ensure_ascii=False)}"
        )
        saying.say(f"{saying.dim(name)}{value} {saying.dim('(' + option['reason'] + ')')}")
    for warning in table.warnings:
        saying.say(warning)


def _chosen(names: list[str], wanted: tuple[str, ...]) -> list[str]:
    """Names that any pattern fits, in the order of the table; all where there is no pattern.

    Raises:
        Problem: a pattern fits none.
    """
    for pattern in wanted:
        if pattern not in names and not fnmatch.filter(names, pattern):
            raise Problem(
                f"Column “{pattern}”",
                "the table has none of this name.",
                f"{did_you_mean(pattern, names)}Write * for what you leave open.",
                code="missing_column",
            )
    return [
        name for name in names if not wanted or any(name == p or fnmatch.fnmatchcase(name, p) for p in wanted)
    ]


def _options(found: Detected) -> dict[str, dict[str, Any]]:
    """What a file is read with and why: option → its `value` and the `reason`."""
    values = {"format": found.format, "member": found.options.member, **vars(found.options)}
    return {name: {"value": values.get(name), "reason": reason} for name, reason in found.reasons.items()}
