"""`updraft findings`: say what looks wrong."""

from __future__ import annotations

from pathlib import Path

import click

from updraft.cli.options import FILE, STEP, as_json


@click.command()
@FILE
@STEP
@as_json("Print a JSON list, with the repairs as steps.")
def findings(file: Path, step_id: str, as_json: bool) -> None:
    """Say what looks wrong in a data file, or in a table of a flow, and how to repair it."""
    from updraft.cli import loading, saying
    from updraft.core.insight import find

    table, others, away = loading.table_of(file, step_id, as_json)
    found = [finding for finding in find(table, others) if finding.key not in away]
    if as_json:
        saying.say_json([finding.as_dict() for finding in found])
        return
    for finding in found:
        saying.say(saying.strong(finding.sentence))
        if finding.examples:
            saying.say(f"  {saying.dim(' · '.join(finding.examples))}")
        for repair in finding.repairs:
            saying.say(f"  → {repair.sentence}")
    many = f"{len(found)} {'finding' if len(found) == 1 else 'findings'}"
    saying.say(many if found else "Nothing looks wrong.")
