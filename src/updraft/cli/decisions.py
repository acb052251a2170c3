"""`updraft decisions`: the answers that people gave for a step, as CSV."""

from __future__ import annotations

from pathlib import Path

import click


@click.command()
@click.argument("flow", type=click.Path(path_type=Path))
@click.option("--step", "step_id", required=True, help="The step that they are for.")
@click.option(
    "--take", type=click.Path(path_type=Path, dir_okay=False), help="Put the answers of a CSV file in."
)
@click.option("--open", "asked", is_flag=True, help="List the open questions instead.")
def decisions(flow: Path, step_id: str, take: Path | None, asked: bool) -> None:
    """Print the answers given for a step as CSV, or put answers into the flow file."""
    from updraft.cli import loading, saying
    from updraft.core.flow.decisions import Decisions
    from updraft.core.flow.document import dump
    from updraft.core.flow.edits import Decide
    from updraft.core.problems import Problem
    from updraft.core.steps import SHAPES

    try:
        found = loading.load(flow)
        if not found.has(step_id):
            known = ", ".join(step.id for step in found.steps) or "none"
            raise Problem(
                f"--step {step_id}", "the flow has no such step.", f"Its steps are: {known}.", code="bad_call"
            )
        if asked:
            click.echo(loading.open_questions(flow, found, step_id), nl=False)
            return
        if take is None:
            click.echo(found.decided(step_id).to_csv(), nl=False)
            return
        if not take.is_file():
            raise Problem(str(take), "this file is not here.", "Check the path.", code="no_file")
        edit = Decide(id=step_id, rows=Decisions.from_csv(take.read_text(encoding="utf-8-sig")))
        text = dump(edit.apply(found, SHAPES))
        beside = flow.with_name(f".{flow.name}.new")
        beside.write_text(text, encoding="utf-8")
        beside.replace(flow)
        saying.say(f"{edit.sentence(found)}.")
    except Problem as problem:
        saying.fail(problem, False, 2)
