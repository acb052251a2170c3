"""`updraft example`: work out from a few results what is done to columns."""

from __future__ import annotations

from pathlib import Path

import click

from updraft.cli.options import FILE, as_json


@click.command()
@FILE
@click.option(
    "--column", "columns", multiple=True, required=True, metavar="NAME", help="What the results are made of."
)
@click.option(
    "--give", "given", multiple=True, required=True, metavar="ROW:VALUE", help="The result of a row, from 0."
)
@as_json()
def example(file: Path, columns: tuple[str, ...], given: tuple[str, ...], as_json: bool) -> None:
    """Say what is done to columns so that rows give these results, the best guess first."""
    from updraft.cli import loading, saying
    from updraft.core.engine import Engine, Files
    from updraft.core.problems import Problem, missing_column
    from updraft.core.synthesis import from_examples

    files = Files(file.parent, {"file": file.resolve()})
    try:
        engine = Engine()
        table = engine.look(engine.plan(loading.flow_reading(file), files), "file", files).lazy()
        for name in columns:
            if name not in (known := table.collect_schema().names()):
                raise missing_column(name, known)
        examples = {}
        for text in given:
            row, sign, value = text.partition(":")
            if not sign or not row.strip().isdigit():
                raise Problem(
                    f"--give {text}",
                    "it is no row with its result.",
                    "Write ROW:VALUE, such as 0:GR-023.",
                    code="bad_call",
                )
            examples[int(row)] = value
        answer = from_examples(table.select(list(dict.fromkeys(columns))).collect(), examples)
    except Problem as problem:
        saying.fail(problem, as_json, 2 if problem.code in ("no_file", "bad_call") else 1)
    if as_json:
        readings = [
            {"sentence": r.sentence, "formula": r.formula, "values": r.values} for r in answer.readings
        ]
        saying.say_json({"readings": readings, "question": answer.question})
        return
    for reading in answer.readings:
        saying.say(f"{saying.strong(reading.sentence)}  {saying.dim(reading.formula)}")
        saying.say("  " + " · ".join("empty" if value is None else value for value in reading.values[:6]))
    if not answer.readings:
        saying.say("Nothing that is known here gives these results. Give another row, or write a formula.")
    elif answer.question is not None:
        saying.say(f"Row {answer.question} would tell them apart: --give {answer.question}:…")
