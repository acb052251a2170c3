"""Run a whole flow: every step once, in order, then deliver all outputs, or none when something stops it.

Steps are computed one after another rather than as one fused query: so each one's rows, facts and time are
its own, a failure names its step, and a run can be cancelled in between. Tables are let go once nothing needs
them any more.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Literal

import polars as pl

from updraft.core.deliver import Delivered, Delivery, Effect, Journal, Outlet, commit_all, digest
from updraft.core.deliver.committing import in_order
from updraft.core.engine.files import Door, Files
from updraft.core.engine.planning import Plan, PlannedStep, arriving
from updraft.core.engine.table import Fact, Table, compute
from updraft.core.flow.model import Ref, label
from updraft.core.problems import Problem
from updraft.core.steps import Wanted


class Stopped(Exception):  # noqa: N818
    """The run was cancelled."""


@dataclass(frozen=True)
class StepReport:
    """What one step did. `seconds` is wall time, `rows_in` None for a source."""

    id: str
    kind: str
    name: str
    rows_in: int | None
    rows_out: int
    seconds: float
    facts: tuple[Fact, ...] = ()
    warnings: tuple[str, ...] = ()
    sides: dict[str, int] = field(default_factory=dict)

    def as_dict(self) -> dict[str, Any]:
        return {**vars(self), "facts": [vars(fact) for fact in self.facts], "warnings": list(self.warnings)}


@dataclass
class Report:
    """A run's result; `error` is set when status is failed, or partly: then a column was gone, and what does
    not need it was delivered all the same. `effects` says what was prepared; with `dry` nothing of it was
    delivered."""

    status: Literal["ok", "partly", "failed", "cancelled"] = "ok"
    steps: list[StepReport] = field(default_factory=list)
    outputs: list[Delivered] = field(default_factory=list)
    effects: list[Effect] = field(default_factory=list)
    error: Problem | None = None
    seconds: float = 0.0
    dry: bool = False

    def as_dict(self) -> dict[str, Any]:
        return {
            "status": self.status,
            "seconds": round(self.seconds, 4),
            "steps": [step.as_dict() for step in self.steps],
            "outputs": [output.as_dict() for output in self.outputs],
            "dry": self.dry,
            "effects": [effect.as_dict() for effect in self.effects],
            "error": self.error.as_dict() if self.error else None,
        }


Progress = Callable[
    [str, StepReport | None], None
]  # step id; None when it starts, its report when it is done


def run(
    planned: Plan,
    files: Files,
    out: Path,
    *,
    progress: Progress | None = None,
    series: str = "",
    cancelled: Callable[[], bool] = lambda: False,
    journal: Journal | None = None,
    dry: bool = False,
) -> Report:
    """Run all steps, then deliver all outputs.

    Outputs are prepared whole and handed over only when all of them are. Nothing is raised for what goes
    wrong in the
    flow: the report says it.

    Args:
        out: the folder for files.
        series: names this run together with the runs it repeats; see `deliver.commit_all`.
        journal: remembers what was delivered.
        dry: prepare only; the report says what would be delivered.
    """
    started = time.perf_counter()
    report = Report(dry=dry)
    work = _Work(planned, files, out, journal is not None, report, progress or (lambda *_: None), cancelled)
    try:
        _stop_at_problems(planned)
        try:
            work.compute_all(needed_columns(planned))
        except Problem as problem:
            if problem.code not in ("missing_column", "no_columns"):
                raise
            # Sources left out columns that nothing needs; with all of them the message can name the nearest.
            work.begin_again()
            work.compute_all({}, carry_on=True)
        report.effects = [delivery.effect for delivery in in_order(work.prepared)]
        if not dry:
            for delivered in commit_all(work.prepared, series, journal):
                report.outputs.append(delivered)
        if report.error is not None:
            report.status = "partly" if report.effects else "failed"
    except Stopped:
        report.status = "cancelled"
    except Problem as problem:
        report.status, report.error = "failed", problem
    finally:
        work.discard()
    report.seconds = time.perf_counter() - started
    return report


def _stop_at_problems(planned: Plan) -> None:
    for step in planned.steps.values():
        if step.problem is not None and step.step.enabled:
            raise step.problem
    if not planned.steps:
        raise Problem("The flow", "it has no step yet.", "Begin with a file.", code="empty_flow")


class _Work:
    """The computing of one run.

    Args:
        digests: whether deliveries need to be told apart by their content.
    """

    def __init__(
        self,
        planned: Plan,
        files: Files,
        out: Path,
        digests: bool,
        report: Report,
        progress: Progress,
        cancelled: Callable[[], bool],
    ) -> None:
        self.planned, self.files, self.out, self.digests, self.report = planned, files, out, digests, report
        self.progress, self.cancelled = progress, cancelled
        self.prepared: list[Delivery] = []

    def begin_again(self) -> None:
        self.report.steps.clear()
        self.discard()

    def discard(self) -> None:
        """Let go what was prepared."""
        for delivery in self.prepared:
            delivery.discard()
        self.prepared.clear()

    def compute_all(self, wanted: dict[str, Wanted], *, carry_on: bool = False) -> None:
        """Compute every step. With `carry_on` a column that is gone stops only the steps that follow from
        there; the first such problem goes into the report."""
        lost: set[str] = set()
        needed = _uses(self.planned)
        tables: dict[Ref, pl.DataFrame] = {}
        for step_id, step in self.planned.steps.items():
            if step.passes_on is not None or not step.fingerprint:
                continue
            if self.cancelled():
                raise Stopped
            if any(ref.step in lost for ref in step.refs):
                lost.add(step_id)
                continue
            self.progress(step_id, None)
            try:
                table, seconds = self._computed(step, tables, wanted.get(step_id))
            except Problem as found:
                problem = found if found.step else found.at(step_id)
                if not carry_on or problem.code != "missing_column":
                    raise problem from None
                self.report.error = self.report.error or problem
                lost.add(step_id)
                continue
            for source in step.refs:
                needed[source] -= 1
                if not needed[source]:
                    tables.pop(source, None)
            for output, frame in table.frames.items():
                if needed.get(Ref(step_id, output)) and isinstance(frame, pl.DataFrame):
                    tables[Ref(step_id, output)] = frame
            done = StepReport(
                step_id,
                step.step.kind,
                label(step.step),
                table.rows_in,
                table.height,
                round(seconds, 6),
                table.facts,
                table.warnings,
                {k: v for k, v in table.rows.items() if k},
            )
            self.report.steps.append(done)
            self.progress(step_id, done)

    def _computed(
        self, step: PlannedStep, tables: dict[Ref, pl.DataFrame], wanted: Wanted
    ) -> tuple[Table, float]:
        """A step's table and the seconds it took, what it delivers prepared."""
        assert step.kind is not None and step.settings is not None
        inputs = arriving(self.planned, step, lambda ref: tables[ref].lazy())
        table = compute(step.kind, step.settings, inputs, Door(self.files, step.step.id, wanted))
        if "effects" not in step.kind.needs:
            return table, table.seconds
        started = time.perf_counter()
        frame = table.frames[""]
        assert isinstance(frame, pl.DataFrame)
        outlet = Outlet(step.step.id, self.out, self.files.outside, digest(frame) if self.digests else "")
        self.prepared.append(step.kind.prepare(frame, step.settings, outlet))
        return table, table.seconds + time.perf_counter() - started


def needed_columns(planned: Plan) -> dict[str, Wanted]:
    """For every step the columns of its main output that any later step needs; None means all.

    A backward pass over the steps (liveness analysis): each kind says what it reads for what is wanted of it.
    """
    wanted: dict[str, Wanted] = {}
    sides = {ref.step for step in planned.steps.values() for ref in step.refs if ref.output}
    taken = {ref.step for step in planned.steps.values() if step.passes_on is None for ref in step.refs}
    for step_id, step in reversed(planned.steps.items()):
        if step_id not in taken or step_id in sides:
            wanted[step_id] = None  # its whole table is a result, or a side output with all columns is taken
        if step.kind is None or step.settings is None or step.passes_on is not None:
            continue
        for port, refs in step.inputs.items():
            reads = step.kind.reads(step.settings, wanted[step_id], port)
            for ref in refs:
                before = wanted.get(ref.step, frozenset())
                wanted[ref.step] = None if reads is None or before is None else before | reads
    return wanted


def _uses(planned: Plan) -> dict[Ref, int]:
    """How many inputs take each table."""
    uses: dict[Ref, int] = {}
    for step in planned.steps.values():
        if step.passes_on is None and step.fingerprint:
            for ref in step.refs:
                uses[ref] = uses.get(ref, 0) + 1
    return uses
