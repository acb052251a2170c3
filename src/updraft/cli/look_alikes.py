"""`updraft look-alikes`: values of a column that are likely one thing, written in several ways."""

from __future__ import annotations

from pathlib import Path

import click

from updraft.cli.options import FILE, as_json


@click.command("look-alikes")
@FILE
@click.option("--column", required=True, metavar="NAME", help="The column to look at.")
@click.option(
    "--strictness",
    type=click.FloatRange(0.5, 1.0),
    default=0.83,
    show_default=True,
    help="How much of their letters close values share, from 0.5 to 1.",
)
@click.option("--sound", is_flag=True, help="Look for values that sound the same, too.")
@as_json()
def look_alikes(file: Path, column: str, strictness: float, sound: bool, as_json: bool) -> None:
    """List families of spellings: alike by letters, words, a slip or closeness; by sound where asked."""
    import polars as pl

    from updraft.cli import loading, saying
    from updraft.core.engine import Engine, Files
    from updraft.core.problems import Problem, missing_column
    from updraft.core.similarity.families import Ways, families
    from updraft.core.steps.texts import text_of

    files = Files(file.parent, {"file": file.resolve()})
    try:
        engine = Engine()
        table = engine.look(engine.plan(loading.flow_reading(file), files), "file", files).lazy()
        if column not in (schema := table.collect_schema()):
            raise missing_column(column, schema.names())
        texts = table.select(text_of(column, schema, field="column").alias("value")).drop_nulls()
        counted = texts.group_by("value", maintain_order=True).agg(pl.len().alias("n")).collect()
        found = families(counted, Ways(True, True, True, sound, strictness))
    except Problem as problem:
        saying.fail(problem, as_json, 2 if problem.code in ("no_file", "bad_call") else 1)
    if as_json:
        saying.say_json(
            [{"name": f.name, "spellings": f.spellings, "why": f.why, "sure": f.sure} for f in found]
        )
        return
    for family in found:
        saying.say(f"{saying.strong(family.name)}  {saying.dim(family.why)}")
        saying.say("  " + " · ".join(f"{value} ({rows:,})" for value, rows in family.spellings.items()))
    if not found:
        saying.say(f"No two values of {column} look like one thing at this strictness.")
