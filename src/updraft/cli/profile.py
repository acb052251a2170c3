"""`updraft profile`: figures of every column."""

from __future__ import annotations

from pathlib import Path

import click

from updraft.cli.options import FILE, STEP, as_json


@click.command()
@FILE
@STEP
@as_json("Print a JSON list.")
def profile(file: Path, step_id: str, as_json: bool) -> None:
    """Figures of every column of a data file, or of a table of a flow."""
    from updraft.cli import loading, saying
    from updraft.core.figures import profile as profile_of
    from updraft.core.figures import profile_table

    table, *_ = loading.table_of(file, step_id, as_json)
    found = profile_of(table)
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
    saying.say(f"{table.height:,} rows × {table.width} columns")
