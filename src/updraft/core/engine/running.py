"""Run a whole flow: every step once, in order, then deliver all outputs, or none when something stops it."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable
from pathlib import Path

from updraft.core.deliver import Journal, commit_all
from updraft.core.deliver.committing import in_order
from updraft.core.engine.cluster_work import Cluster, ClusterWork
from updraft.core.engine.cutting import Cut
from updraft.core.engine.files import Files
from updraft.core.engine.liveness import needed_columns
from updraft.core.engine.planning import Plan
from updraft.core.engine.report import Progress, Report, StepReport, Stopped
from updraft.core.engine.spread_work import SpreadWork
from updraft.core.engine.work import Work
from updraft.core.problems import Problem


def run(
    planned: Plan,
    files: Files,
    out: Path,
    *,
    progress: Progress | None = None,
    cancelled: Callable[[], bool] = lambda: False,
    series: str = "",
    journal: Journal | None = None,
    dry: bool = False,
    cut: Cut | None = None,
    cluster: Cluster | None = None,
) -> Report:
    """Run all steps, then deliver all outputs.

    Outputs are prepared whole and handed over only when all of them are. Nothing is raised for what goes
    wrong in the flow: the report says it.

    Args:
        out: the folder for files.
        series: names this run together with the runs it repeats; see `deliver.commit_all`.
        journal: remembers what was delivered.
        dry: prepare only; the report says what would be delivered.
        cut: how tables are cut; None computes with whole tables in memory.
        cluster: works on the parts, with a cut, in a folder that it sees.
    """
    started = time.perf_counter()
    report = Report(dry=dry)
    told, digests = progress or (lambda *_: None), journal is not None
    if cut is None:
        work = Work(planned, files, report, out, digests, told, cancelled)
    elif cluster is None:
        report.parts = cut.rows
        work = SpreadWork(planned, files, report, out, digests, told, cancelled, cut=cut)
    else:
        report.parts, report.on = cut.rows, cluster.place
        work = ClusterWork(planned, files, report, out, digests, told, cancelled, cut=cut, cluster=cluster)
    try:
        _stop_at_problems(planned)
        _compute(work)
        deliveries = in_order(work.prepared)
        report.effects = [delivery.effect for delivery in deliveries]
        report.held = list(_held(report.steps))
        if report.held:
            report.status = "held"
        elif not dry:
            for delivered in commit_all(deliveries, series, journal):
                report.outputs.append(delivered)
        if report.error is not None:
            report.status = "partly" if report.outputs or (dry and report.effects) else "failed"
    except Stopped:
        report.status = "cancelled"
    except Problem as problem:
        report.status, report.error = "failed", problem
    finally:
        work.discard()
    report.seconds = time.perf_counter() - started
    return report


def _compute(work: Work) -> None:
    try:
        work.compute_all(needed_columns(work.planned))
    except Problem as problem:
        if problem.code not in ("missing_column", "no_columns"):
            raise
        # Sources left out columns that nothing needs; with all of them the message can name the nearest.
        work.begin_again()
        work.compute_all({}, carry_on=True)


def _held(steps: Iterable[StepReport]) -> Iterable[str]:
    """What steps wait for, in sentences."""
    for step in steps:
        yield from (f"“{step.name}”: {fact.text}" for fact in step.facts if fact.level == "hold")
        for turn in step.turns:
            yield from _held(turn.steps)


def _stop_at_problems(planned: Plan) -> None:
    for problem in planned.problems().values():
        raise problem
    if not planned.steps:
        raise Problem("The flow", "it has no step yet.", "Begin with a file.", code="empty_flow")
