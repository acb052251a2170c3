"""Compute every step of a plan once, in order. Tables are let go once nothing needs them any more.

Steps are computed one after another rather than as one fused query: so each one's rows, facts and time are
its own, a failure names its step, and a run can be cancelled in between. Sources outside are asked at the
start, all at the same time, since others' machines do that work.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable, Mapping
from concurrent.futures import Future
from dataclasses import dataclass, field, replace
from functools import partial
from pathlib import Path
from typing import ClassVar

import polars as pl

from updraft.core.deliver import Delivery, Outlet, digest
from updraft.core.engine.coded import Coded
from updraft.core.engine.door import Door, needed_inside
from updraft.core.engine.files import Files
from updraft.core.engine.liveness import Asked, groups_asked, rows_kept, uses
from updraft.core.engine.planning import Plan, PlannedStep, arriving
from updraft.core.engine.report import Progress, Report, StepReport, Stopped, Turn
from updraft.core.engine.scheduler import Job, Scheduler
from updraft.core.engine.summing import Made
from updraft.core.engine.table import Table, compute
from updraft.core.flow.model import Ref
from updraft.core.problems import Problem
from updraft.core.steps import Tables, Wanted
from updraft.core.steps.presummed import Groups, rows_of

_POLL = 0.2  # seconds between looks at whether a run that waits was cancelled


@dataclass
class Work:
    """The computing of one plan.

    Args:
        out: the folder for files that are delivered; None for a flow within a step, which delivers nothing.
        digests: whether deliveries need to be told apart by their content.
        report: gets what each step did, and the first problem that did not end the work.
    """

    groups: ClassVar[bool] = True  # whether sources may bring groups in place of rows

    planned: Plan
    files: Files
    report: Report
    out: Path | None = None
    digests: bool = False
    progress: Progress = lambda step, report: None
    cancelled: Callable[[], bool] = lambda: False
    prepared: list[Delivery] = field(default_factory=list)
    asked: dict[str, Future[Table]] = field(default_factory=dict)

    _whole: dict[str, int] = field(default_factory=dict)  # rows that sources had, where they left some out
    _groups_asked: dict[str, Asked] = field(default_factory=dict)  # of sources, by what comes after them
    _presummed: dict[str, Groups] = field(default_factory=dict)  # of steps whose tables are groups instead
    _passed: dict[str, str] = field(default_factory=dict)  # steps that a source did already, and that source

    def begin_again(self) -> None:
        self.report.steps.clear()
        self.asked.clear()
        self._whole.clear()
        self._presummed.clear()
        self._passed.clear()
        self.discard()

    def discard(self) -> None:
        """Let go what was prepared."""
        for delivery in self.prepared:
            delivery.discard()
        self.prepared.clear()

    def compute_all(self, wanted: Mapping[str, Wanted], *, carry_on: bool = False) -> None:
        """Compute every step, and prepare what is delivered.

        Args:
            wanted: columns that later steps need, by step; see `needed_columns`.
            carry_on: a column that is gone stops only the steps that follow from there.
        """
        self._compute(set(self.planned.steps), wanted, carry_on, None)

    def table(self, result: Ref, only: set[str]) -> pl.DataFrame:
        """One table, computed with the steps that it follows from."""
        return self._compute(only, {}, False, result)[result].frame()

    def _compute(
        self, only: set[str], wanted: Mapping[str, Wanted], carry_on: bool, result: Ref | None
    ) -> dict[Ref, Coded]:
        needed = uses(self.planned, only)
        tables: dict[Ref, Coded] = {}
        if result is not None:
            needed[result] += 1
        for step_id, table in self.planned.fed.items():
            tables[Ref(step_id)] = Coded(table.collect())
        self._ask_outside(only, wanted)
        self._in_order(only, carry_on, lambda step: self._one(step, tables, wanted.get(step.step.id), needed))
        return tables

    def _in_order(self, only: set[str], carry_on: bool, do: Callable[[PlannedStep], None]) -> None:
        """Do something for each step, in their order; those that follow from one that is lost are left."""
        lost: set[str] = set()
        for step_id, step in self.planned.steps.items():
            if step_id not in only or step_id in self.planned.fed or step.passes_on or not step.fingerprint:
                continue
            if self.cancelled():
                raise Stopped
            if any(ref.step in lost for ref in step.refs):
                lost.add(step_id)
                continue
            try:
                do(step)
            except Problem as found:
                problem = found if found.step else found.at(step_id)
                if not carry_on or problem.code != "missing_column":
                    raise problem from None
                self.report.error = self.report.error or problem
                lost.add(step_id)

    def _one(
        self, step: PlannedStep, tables: dict[Ref, Coded], wanted: Wanted, needed: dict[Ref, int]
    ) -> None:
        """Compute a step, keep what is needed of it, let go what was needed only for it, and report."""
        step_id = step.step.id
        turns: list[Turn] = []
        assert step.kind is not None and step.settings is not None
        if step_id not in self.asked:
            self.progress(step_id, None)
        inputs = arriving(self.planned, step, lambda ref: tables[ref])
        presummed = self._presummed.get(step.main.step) if step.main else None
        door = Door(self.files, step_id, self.planned, wanted, self._within(step, turns), presummed=presummed)
        asked = self.asked.pop(step_id, None)
        main = tables[step.main] if step.main else None
        if asked:
            table = self._answer(asked)
        elif presummed and step_id in self._passed:
            table = self._as_it_came(step_id, presummed, main)
        else:
            table = compute(step.kind, step.settings, inputs, door, coded=main)
        seconds = table.seconds + self._prepare(step, table)
        for source in step.refs:
            needed[source] -= 1
            if not needed[source]:
                tables.pop(source, None)
        for output, frame in table.frames.items():
            if needed.get(Ref(step_id, output)):
                kept = frame if isinstance(frame, Coded) else Coded(_collected(frame))
                tables[Ref(step_id, output)] = kept if output or table.presummed else kept.only(wanted)
        self._report(step, table, seconds, tuple(turns))

    def _report(
        self, step: PlannedStep, table: Table | Made, seconds: float, turns: tuple[Turn, ...]
    ) -> None:
        """Tell what a step did; a source's rows are all that it had."""
        done = StepReport.of(step, table, seconds, turns)
        if isinstance(table, Table) and table.whole is not None:
            done = replace(done, rows_out=table.whole)
        if step.main and step.main.step in self._whole:
            done = done.with_rows_left(self._whole[step.main.step], step)
        if isinstance(table, Table) and table.whole is not None:
            self._remember(step.step.id, table, table.whole)
        self.report.steps.append(done)
        self.progress(step.step.id, done)

    def _remember(self, step_id: str, table: Table, whole: int) -> None:
        """What later steps must know of a table that is not all of its rows."""
        self._whole[step_id] = whole
        if table.presummed and (asked := self._groups_asked.get(step_id)):
            self._presummed[step_id] = asked.groups
            if asked.between:
                self._passed[asked.between] = step_id
        elif table.presummed:
            self._presummed[step_id] = self._presummed[self._passed[step_id]]

    def _as_it_came(self, step_id: str, groups: Groups, main: Coded | None) -> Table:
        """The table of a step whose rows its source has left out already: groups of those that it keeps."""
        assert main is not None
        frame = main.frame()
        kept = rows_of(frame, groups)
        return Table(
            "", {"": frame}, {"": kept}, self._whole[self._passed[step_id]], whole=kept, presummed=True
        )

    def _ask_outside(self, only: set[str], wanted: Mapping[str, Wanted]) -> None:
        """Let the sources outside bring their tables from now on, at the same time."""
        jobs: list[Job] = []
        ahead = rows_kept(self.planned, only)
        self._groups_asked = groups = groups_asked(self.planned, only) if self.groups else {}
        for step_id, step in self.planned.steps.items():
            if step_id not in only or step.inputs or not step.fingerprint or step.passes_on:
                continue
            if step.kind is None or step.settings is None or "outside" not in step.kind.needs:
                continue
            asked_of = groups.get(step_id)
            door = Door(
                self.files,
                step_id,
                self.planned,
                wanted.get(step_id),
                ahead=ahead.get(step_id),
                groups=asked_of.groups if asked_of else None,
            )
            answer: Future[Table] = Future()
            self.asked[step_id] = answer
            work = partial(_into, answer, partial(compute, step.kind, step.settings, Tables({}, ""), door))
            jobs.append(Job(step_id, work, outside=True))
            self.progress(step_id, None)
        Scheduler(workers=0).submit("run", jobs)

    def _answer(self, asked: Future[Table]) -> Table:
        """What a source outside brought; Stopped when the run is cancelled meanwhile."""
        while True:
            try:
                return asked.result(_POLL)
            except TimeoutError:
                if asked.done():  # it was the source's own
                    raise
                if self.cancelled():
                    raise Stopped from None

    def _prepare(self, step: PlannedStep, table: Table) -> float:
        """Prepare what a step delivers; the seconds that took."""
        if step.kind is None or "effects" not in step.kind.needs or self.out is None:
            return 0.0
        started, frame = time.perf_counter(), table.frames[""]
        frame = frame.frame() if isinstance(frame, Coded) else _collected(frame)
        outlet = self._outlet(step, self.out, [frame])
        for delivery in step.kind.prepare(frame, step.settings, outlet):
            self.prepared.append(delivery)  # one by one: when one fails, those before it are let go
        return time.perf_counter() - started

    def _outlet(self, step: PlannedStep, out: Path, table: Iterable[pl.DataFrame]) -> Outlet:
        content = digest(table) if self.digests else ""
        return Outlet(step.step.id, out, self.files.outside, content, self.files.file)

    def _within(
        self, step: PlannedStep, turns: list[Turn]
    ) -> Callable[[Tables, Mapping[str, str], str], pl.LazyFrame]:
        """Computes the flow that a step holds, and notes what its steps did."""

        def within(tables: Tables, parameters: Mapping[str, str], turn: str) -> pl.LazyFrame:
            inner, report = step.inner, Report()
            assert inner is not None
            turns.append(Turn(turn or inner.name, report.steps))
            work = Work(inner.turn(tables, parameters, turn), inner.files, report, cancelled=self.cancelled)
            try:
                return work.table(inner.output, needed_inside(step)).lazy()
            except Problem as problem:
                raise inner.problem(problem, step.step.id) from None

        return within


def _collected(frame: pl.DataFrame | pl.LazyFrame) -> pl.DataFrame:
    return frame.collect() if isinstance(frame, pl.LazyFrame) else frame


def _into(answer: Future[Table], work: Callable[[], Table]) -> None:
    try:
        answer.set_result(work())
    except BaseException as error:
        answer.set_exception(error)
