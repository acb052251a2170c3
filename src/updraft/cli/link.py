"""`updraft link`: rows of two tables that stand for one thing."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import click

from updraft.cli.options import as_json

if TYPE_CHECKING:
    import polars as pl

    from updraft.core.linking import Field


@click.command()
@click.argument("left", type=click.Path(path_type=Path))
@click.argument("right", type=click.Path(path_type=Path))
@click.option(
    "--key",
    required=True,
    metavar="COLUMN",
    help="What names a row in both tables; COLUMN=OTHER where it is called so in the right one.",
)
@click.option(
    "--field",
    "asked",
    multiple=True,
    metavar="NAME[:MEASURE[:WEIGHT]]",
    help="A column to compare, or NAME=OTHER; without any, fields, measures and weights are chosen.",
)
@click.option(
    "--at-least",
    "least",
    type=click.FloatRange(0, 100),
    metavar="S",
    help="Percent from which on two rows are one; chosen by default.",
)
@click.option(
    "--take",
    type=click.Choice(["once", "first", "best", "all"]),
    default="once",
    show_default=True,
    help="once: each row of both tables in one pair at most; or for each row of the left table the first "
    "of the best, all of the best, or all.",
)
@as_json("Print a JSON list of pairs.")
def link(
    left: Path, right: Path, key: str, asked: tuple[str, ...], least: float | None, take: str, as_json: bool
) -> None:
    """Find the rows of two tables that stand for one thing, though they are written differently."""
    from updraft.cli import loading, saying
    from updraft.core.linking import link_by
    from updraft.core.problems import Problem

    mine, its = (loading.table_of(path, "", as_json)[0] for path in (left, right))
    try:
        names = key.partition("=")[0], key.partition("=")[2] or key
        keys = [_text(table, [name])[name] for table, name in zip((mine, its), names, strict=True)]
        fields = [_field(text) for text in asked]
        one = _text(mine, [f.left for f in fields] or [n for n in mine.columns if n != names[0]])
        other = _text(its, [f.right for f in fields] or [n for n in its.columns if n != names[1]])
        chosen, found = link_by(one, other, fields, least=least, take=take)  # type: ignore[arg-type]
    except Problem as problem:
        saying.fail(problem, as_json, 2)
    by = ", ".join(f"{_named(f)} ({f.measure}, {f.weight:g})" for f in chosen.fields)
    click.echo(f"By {by}; at least {chosen.least:g} %", err=True)
    pairs = zip(keys[0].gather(found["left"]), keys[1].gather(found["right"]), found["score"], strict=True)
    if as_json:
        saying.say_json([{"left": a, "right": b, "score": score} for a, b, score in pairs])
        return
    saying.say_table([(names[0], left.name), (names[1], right.name), ("score", "%")], _rows(pairs))
    saying.say(f"{found.height:,} pairs of {mine.height:,} and {its.height:,} rows")


def _rows(pairs: zip[tuple[str, str, float]]) -> list[list[str]]:
    return [[a, b, f"{score:g}"] for a, b, score in pairs]


def _named(field: Field) -> str:
    return field.left if field.left == field.right else f"{field.left} = {field.right}"


def _field(text: str) -> Field:
    """NAME[=OTHER][:MEASURE[:WEIGHT]] as a field."""
    from updraft.core.linking import MEASURES, Field
    from updraft.core.problems import Problem

    names, measure, weight, *more = [*text.split(":"), "", ""][: max(3, text.count(":") + 1)]
    if measure and measure not in MEASURES:
        raise Problem(
            f"--field {text}",
            f"there is no measure “{measure}”.",
            f"Measures are: {', '.join(MEASURES)}.",
            code="bad_call",
        )
    try:
        counts = float(weight or 1)
    except ValueError:
        counts = -1.0
    if more or not 0 < counts < float("inf"):
        raise Problem(
            f"--field {text}",
            f"“{':'.join([weight, *more])}” is no weight.",
            "Give a number above 0, as in surname:spelling:2.",
            code="bad_call",
        )
    one, _, other = names.partition("=")
    return Field(one, other or one, measure or "spelling", counts)  # type: ignore[arg-type]


def _text(table: pl.DataFrame, names: list[str]) -> pl.DataFrame:
    """Columns as text; those that hold lists or records are left out where others were not asked for."""
    from updraft.core.steps.texts import text_of

    return table.select(
        text_of(name, table.schema, field="field").alias(name)
        for name in names
        if name not in table.columns or not table.schema[name].is_nested()
    )
