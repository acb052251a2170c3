"""`updraft profile`: figures of every column."""

from __future__ import annotations

import tempfile
from pathlib import Path

import click

from updraft.cli.options import FILE, STEP, as_json


@click.command()
@FILE
@STEP
@as_json("Print a JSON list.")
def profile(file: Path, step_id: str, as_json: bool) -> None:
    """Figures of every column of a data file, or of a table of a flow, however large it is."""
    from updraft.cli import loading, saying
    from updraft.core.engine import plan
    from updraft.core.engine import run as run_flow
    from updraft.core.engine.cutting import cut_for, memory_of_runs
    from updraft.core.figures import profile_table
    from updraft.core.flow.model import Ref
    from updraft.core.flow.order import up_to
    from updraft.core.problems import Problem
    from updraft.core.steps.summaries.profile_columns import ProfileColumns

    flow, files, step_id = loading.step_of(file, step_id, as_json)
    try:
        planned = plan(up_to(flow, Ref(step_id), ProfileColumns.kind, "Profile"), files)
        cut = cut_for(planned, files, memory_of_runs())
    except Problem as problem:
        saying.fail(problem, as_json, 2 if problem.code in ("no_file", "bad_call") else 1)
    with tempfile.TemporaryDirectory() as out:
        report = run_flow(planned, files, Path(out), dry=True, cut=cut)
    if report.error:
        saying.fail(report.error, as_json, 1)
    found = report.steps[-1].figures
    if as_json:
        saying.say_json([column.as_dict() for column in found])
        return
    heads = ("Column", "Type", "Empty", "Odd", "Distinct", "Smallest", "Largest", "Mean", "Most frequent")
    rows = []
    for row in profile_table(found).iter_rows(named=True):
        mean = "" if row["Mean"] is None else f"{row['Mean']:,.6g}"
        most = "" if row["Most frequent"] is None else f"{row['Most frequent']} ({row['Times']:,})"
        rows.append(
            [
                row["Column"],
                row["Type"],
                f"{row['Empty']:,}",
                f"{row['Odd']:,}",
                f"{row['Distinct']:,}",
                row["Smallest"] or "",
                row["Largest"] or "",
                mean,
                most,
            ]
        )
    saying.say_table([(head, "") for head in heads], rows)
    saying.say(f"{found[0].rows if found else 0:,} rows × {len(found)} columns")
