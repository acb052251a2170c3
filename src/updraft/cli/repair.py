"""`updraft repair`: repair a data file."""

from __future__ import annotations

from pathlib import Path

import click

from updraft.cli.options import FILE, as_json


@click.command()
@FILE
@click.option(
    "--all",
    "all_",
    is_flag=True,
    required=True,
    help="Take the repair of every finding that needs no choice.",
)
@click.option(
    "--out",
    type=click.Path(path_type=Path),
    required=True,
    metavar="FILE",
    help="The repaired table: .csv, .xlsx, .parquet, .arrow or .json.",
)
@as_json()
def repair(file: Path, all_: bool, out: Path, as_json: bool) -> None:
    """Repair a data file: take the repair of every finding that cannot harm, and say what was done."""
    from updraft.cli import loading, saying
    from updraft.core.formats.write import write
    from updraft.core.insight import repair_all
    from updraft.core.problems import Problem

    table, others, _ = loading.table_of(file, "", as_json)
    mended, done, left, _ = repair_all(table, others)
    try:
        write(mended, out)
    except Problem as problem:
        saying.fail(problem, as_json, 2)
    if as_json:
        saying.say_json(
            {
                "status": "ok",
                "out": str(out),
                "rows": mended.height,
                "done": [
                    {
                        "code": d.finding.code,
                        "columns": list(d.finding.columns),
                        "sentence": d.finding.sentence,
                        "repair": d.repair.sentence,
                        "effect": d.effect,
                        "steps": list(d.repair.steps),
                    }
                    for d in done
                ],
                "left": [finding.as_dict() for finding in left],
            }
        )
        return
    for taken in done:
        saying.say(f"{saying.strong(taken.finding.sentence)}\n  → {taken.repair.sentence}: {taken.effect}")
    for finding in left:
        saying.say(saying.dim(f"Left: {finding.sentence}"))
    saying.say(
        f"Wrote {saying.strong(str(out))} ({mended.height:,} rows); {len(done)} repaired, {len(left)} left"
    )
