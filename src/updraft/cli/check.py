"""`updraft check`: say what is wrong with a flow file."""

from __future__ import annotations

import sys
from pathlib import Path

import click

from updraft.cli.options import FILES, as_json


@click.command()
@click.argument("flow", type=click.Path(path_type=Path))
@FILES
@as_json()
def check(flow: Path, further: tuple[Path, ...], as_json: bool) -> None:
    """Say what is wrong with a flow file, without computing anything."""
    from updraft.cli import loading, saying
    from updraft.core.engine import plan
    from updraft.core.problems import Problem

    try:
        planned = plan(loading.load(flow), loading.files_beside(flow, further=further, by_content=True))
    except Problem as problem:
        saying.fail(problem, as_json, 2)
    wrong = [step.problem for step in planned.steps.values() if step.problem]
    if as_json:
        saying.say_json({"ok": not wrong, "problems": [p.as_dict() for p in wrong]})
    else:
        for problem in wrong:
            saying.say_problem(problem)
        many = "1 step" if len(planned.steps) == 1 else f"{len(planned.steps)} steps"
        saying.say(f"{many}, {f'{len(wrong)} to mend' if wrong else 'all fine'}")
    sys.exit(2 if wrong else 0)
