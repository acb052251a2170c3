"""`updraft run`: run a flow file."""

from __future__ import annotations

import sys
from pathlib import Path

import click

from updraft.cli.options import ALLOW, FILES, RUN_MEMORY, as_json


@click.command()
@click.argument("flow", type=click.Path(path_type=Path))
@click.option(
    "--input", "inputs", multiple=True, metavar="STEP=PATH", help="Let a source step read another file."
)
@click.option(
    "--set", "settings", multiple=True, metavar="NAME=VALUE", help="Give a parameter another value."
)
@click.option(
    "--out",
    type=click.Path(path_type=Path, file_okay=False),
    default=Path(),
    help="Folder for the outputs; the current one by default.",
)
@click.option(
    "--connections", type=click.Path(path_type=Path), help="JSON file with the connections the flow names."
)
@click.option(
    "--data",
    type=click.Path(path_type=Path, file_okay=False),
    envvar="UPDRAFT_DATA",
    help="Or the app's data folder, to use the connections saved there.",
)
@FILES
@ALLOW
@click.option("--dry", is_flag=True, help="Compute and check everything, and deliver nothing.")
@RUN_MEMORY
@click.option(
    "--parts",
    type=click.IntRange(1),
    metavar="ROWS",
    help="Compute by parts of about so many rows, however small the tables are.",
)
@click.option(
    "--on",
    metavar="PLACE",
    help="Compute on a Spark cluster, such as spark://host:7077; local[2] is two processes of this machine.",
)
@click.option(
    "--scratch",
    type=click.Path(path_type=Path, file_okay=False),
    help="Folder for parts in between; with --on, one that the cluster's machines see, too.",
)
@as_json()
def run(
    flow: Path,
    inputs: tuple[str, ...],
    settings: tuple[str, ...],
    out: Path,
    connections: Path | None,
    data: Path | None,
    further: tuple[Path, ...],
    allow: tuple[str, ...],
    dry: bool,
    memory: str | None,
    parts: int | None,
    on: str | None,
    scratch: Path | None,
    as_json: bool,
) -> None:
    """Run a flow file. Paths in it are relative to it.

    Ends with 0 when all is delivered, 1 when something went wrong, 2 when the call or the flow is wrong, 3
    when the run is held by open questions.
    """
    from updraft.cli import loading, saying
    from updraft.core.connect.outside import Outside
    from updraft.core.engine import plan, with_inputs
    from updraft.core.engine import run as run_flow
    from updraft.core.engine.cluster_work import gathered_first
    from updraft.core.engine.cutting import Cut, cut_for, memory_of_runs, size_of_text
    from updraft.core.engine.spark import cluster_at, cluster_of
    from updraft.core.problems import Problem

    try:
        found, given = with_inputs(loading.load(flow), loading.pairs(inputs, "--input", "STEP=PATH"))
        outside = Outside(loading.connections(connections, data), None, frozenset(allow))
        files = loading.files_beside(flow, given, outside, data, further=further)
        planned = plan(found, files, loading.pairs(settings, "--set", "NAME=VALUE"))
        for wrong in planned.problems().values():
            raise wrong
        limit = size_of_text(memory) if memory else memory_of_runs()
        cluster = cluster_at(on) if on else None
        if not on and (said := cluster_of(found, outside)):
            cluster, scratch = said[0], scratch or said[1]
        if parts:
            cut = Cut(scratch, parts, room=limit // 12)
        else:
            cut = cut_for(planned, files, limit, scratch, always=bool(cluster))
    except Problem as problem:
        saying.fail(problem, as_json, 2)
    if cluster and not as_json:
        for text in gathered_first(planned):
            saying.say(text)
    told = None if as_json else saying.say_step
    report = run_flow(planned, files, out, progress=told, dry=dry, cut=cut, cluster=cluster)
    if as_json:
        saying.say_json(report.as_dict())
    else:
        for output in report.outputs:
            saying.say(f"Wrote {saying.strong(str(output.path or output.to))} ({saying.rows(output.rows)})")
        for effect in report.effects if dry or report.held else []:
            instead = f", in place of {effect.replaces}" if effect.replaces else ""
            saying.say(f"Would write {saying.strong(effect.to)} ({saying.rows(effect.rows)}){instead}")
        for text in report.held:
            saying.say(f"Held: {text}. Nothing was delivered; answer it, then run again.")
        if report.error:
            saying.say_problem(report.error)
        how = f", by parts of about {report.parts:,} rows" if report.parts else ""
        how += f", on {report.on}" if report.on else ""
        status = "Done" if report.status == "ok" else report.status.capitalize()
        saying.say(f"{status} in {report.seconds:.2f} s{how}")
    sys.exit({"ok": 0, "held": 3}.get(report.status, 1))
