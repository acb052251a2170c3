"""Look at the table after any step: one query from the nearest tables already known."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator, Mapping
from functools import partial

import polars as pl

from updraft.core.engine.cache import TableCache
from updraft.core.engine.door import Door
from updraft.core.engine.files import Files
from updraft.core.engine.memory import Memory
from updraft.core.engine.planner import plan
from updraft.core.engine.planning import Plan, PlannedStep, arriving
from updraft.core.engine.scheduler import Job, Scheduler
from updraft.core.engine.table import Table, compute
from updraft.core.flow.model import Flow, Ref
from updraft.core.problems import Problem
from updraft.core.steps import Tables


class Engine:
    """Computes flows and remembers tables.

    Args:
        cache: where tables are kept; by default in memory only.
    """

    def __init__(self, cache: TableCache | None = None) -> None:
        self.cache = cache or TableCache(None)
        self.memory = Memory()  # what follows from tables and is no table
        self.scheduler = Scheduler()

    def plan(self, flow: Flow, files: Files, parameters: Mapping[str, str | list[str]] | None = None) -> Plan:
        """See `plan.plan`."""
        return plan(flow, files, parameters)

    def known(self, planned: Plan, step_id: str) -> Table | None:
        """The step's table if it is there already; for a switched-off step, the one it hands on."""
        fingerprint = planned.fingerprint(planned.resolve(Ref(step_id)))
        return self.cache.get(fingerprint) if fingerprint else None

    def look(
        self, planned: Plan, step_id: str, files: Files, *, draft: bool = False, urgent: bool = True
    ) -> Table:
        """The table after a step, computed where needed.

        Args:
            draft: the plan holds settings that are only tried; what is computed for them is let go first.
            urgent: somebody waits for it, so work in the background stands back.

        Steps before it that are not known are not materialised: they become part of the same lazy query, so
        that only the columns and rows that matter are computed. Each is applied once, however many ways lead
        to it.

        Raises:
            Problem: the step, or one that it depends on, cannot be computed; `step` says which.
        """
        ref = planned.resolve(Ref(step_id))
        step = planned.steps[ref.step]
        self._raise_problem(planned, ref.step)
        table = self.cache.get(step.fingerprint)
        if table is not None:
            if not draft:
                self.cache.settle(step.fingerprint)
            return table
        do = self.scheduler.now if urgent else self.scheduler.once
        return do(step.fingerprint, lambda: self._computed(planned, step, files, draft))

    def _computed(self, planned: Plan, step: PlannedStep, files: Files, draft: bool) -> Table:
        table = self.cache.get(step.fingerprint)
        if table is not None:
            return table
        assert step.kind is not None and step.settings is not None
        try:
            inputs = self._inputs(planned, step, files, {})
            door = self._door(planned, step, files)
            table = compute(step.kind, step.settings, inputs, door, step.fingerprint)
        except Problem as problem:
            raise (problem if problem.step else problem.at(step.step.id)) from None
        self.cache.put(table, draft=draft)
        return table

    def jobs(self, planned: Plan, wanted: Collection[str], look: Callable[[str], object]) -> Iterator[Job]:
        """Jobs that compute the tables of some steps, each after those it takes from.

        Args:
            wanted: ids of steps, none of them switched off or with a problem.
            look: computes the table of a step.
        """
        for step_id, step in planned.steps.items():
            if step_id not in wanted:
                continue
            assert step.kind is not None
            before = frozenset(ref.step for ref in step.refs if ref.step in wanted)
            yield Job(step_id, partial(look, step_id), before, "outside" in step.kind.needs)

    def _lazy(self, planned: Plan, ref: Ref, files: Files, met: dict[Ref, pl.LazyFrame]) -> pl.LazyFrame:
        """The table at an output, described from the nearest known ones; `met` holds those described
        before.
        """
        ref = planned.resolve(ref)
        if ref.step in planned.fed:
            return planned.fed[ref.step]
        if ref in met:
            return met[ref]
        step = planned.steps[ref.step]
        known = self.cache.get(step.fingerprint)
        if known is not None:
            met[ref] = known.lazy(ref.output)
            return met[ref]
        assert step.kind is not None and step.settings is not None
        if not step.inputs or step.kind.needs & {"outside", "whole"}:
            return self.look(planned, ref.step, files).lazy(ref.output)  # what costs is done once, then kept
        inputs = self._inputs(planned, step, files, met)
        try:
            result = step.kind.work(inputs, step.settings, self._door(planned, step, files))
            if any(count.level == "stop" for count in result.counts):
                return self.look(planned, ref.step, files).lazy(ref.output)  # its checks must be made
            if result.changes and planned.takers(Ref(ref.step)) > 1:
                # What changes values begins a query of its own, which must not stand in one that is shared.
                return self.look(planned, ref.step, files).lazy(ref.output)
        except Problem as problem:
            raise (problem if problem.step else problem.at(step.step.id)) from None
        for output, table in {"": result.table, **result.sides}.items():
            here = Ref(ref.step, output)
            # Kept within the query where several steps take it: or the query's plan would hold it that many
            # times.
            met[here] = table.cache() if planned.takers(here) > 1 else table
        return met[ref]

    def _inputs(self, planned: Plan, step: PlannedStep, files: Files, met: dict[Ref, pl.LazyFrame]) -> Tables:
        """What comes into a step, described; computed where the kind looks at values."""
        whole = step.kind is not None and "whole" in step.kind.needs

        def table(ref: Ref) -> pl.LazyFrame:
            if whole and ref.step not in planned.fed:
                return self.look(planned, ref.step, files).lazy(ref.output)
            return self._lazy(planned, ref, files, met)

        return arriving(planned, step, table)

    def _door(self, planned: Plan, step: PlannedStep, files: Files) -> Door:
        inner = step.inner

        def within(tables: Tables, parameters: Mapping[str, str], turn: str) -> pl.LazyFrame:
            assert inner is not None
            try:
                return self._lazy(inner.turn(tables, parameters, turn), inner.output, inner.files, {})
            except Problem as problem:
                raise inner.problem(problem, step.step.id) from None

        return Door(files, step.step.id, planned, within=within, memory=self.memory, share=step.share)

    def _raise_problem(self, planned: Plan, step_id: str) -> None:
        step = planned.steps[step_id]
        if step.problem is not None:
            raise step.problem
        if step.waits_for:
            below = planned.steps[step.waits_for].problem
            raise below or Problem("This step", "a step before it has a problem.", "", step=step.waits_for)
