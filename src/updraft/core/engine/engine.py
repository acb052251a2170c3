"""Look at the table after any step: one query from the nearest tables already known."""

from __future__ import annotations

import threading

import polars as pl

from updraft.core.engine.cache import TableCache
from updraft.core.engine.files import Door, Files
from updraft.core.engine.plan import Plan, plan
from updraft.core.engine.table import Table, compute
from updraft.core.flow.model import Flow, Ref
from updraft.core.problems import Problem


class Engine:
    """Computes flows and remembers tables.

    Args:
        cache: where tables are kept; by default in memory only.
    """

    def __init__(self, cache: TableCache | None = None) -> None:
        self.cache = cache or TableCache(None)
        self._busy: dict[str, threading.Lock] = {}
        self._guard = threading.Lock()

    def plan(self, flow: Flow, files: Files, parameters: dict[str, str] | None = None) -> Plan:
        """See `plan.plan`."""
        return plan(flow, files, parameters)

    def known(self, planned: Plan, step_id: str) -> Table | None:
        """The step's table if it is there already; for a switched-off step, the one it hands on."""
        fingerprint = planned.fingerprint(planned.resolve(Ref(step_id)))
        return self.cache.get(fingerprint) if fingerprint else None

    def look(self, planned: Plan, step_id: str, files: Files) -> Table:
        """The table after a step, computed where needed.

        Steps before it that are not known are not materialised: they become part of the same lazy query, so that
        only the columns and rows that matter are computed.

        Raises:
            Problem: the step, or one that it depends on, cannot be computed; `step` says which.
        """
        ref = planned.resolve(Ref(step_id))
        step = planned.steps[ref.step]
        self._raise_problem(planned, ref.step)
        table = self.cache.get(step.fingerprint)
        if table is not None:
            return table
        with self._lock(step.fingerprint):  # two windows that want the same table compute it once
            table = self.cache.get(step.fingerprint)
            if table is None:
                inputs = {port: self._lazy(planned, source, files) for port, source in step.inputs.items()}
                assert step.kind is not None and step.settings is not None
                try:
                    table = compute(step.kind, step.settings, inputs, Door(files, step.step.id), step.fingerprint)
                except Problem as problem:
                    raise (problem if problem.step else problem.at(step.step.id)) from None
                self.cache.put(table)
        return table

    def _lazy(self, planned: Plan, ref: Ref, files: Files) -> pl.LazyFrame:
        ref = planned.resolve(ref)
        step = planned.steps[ref.step]
        known = self.cache.get(step.fingerprint)
        if known is not None:
            return known.lazy(ref.output)
        assert step.kind is not None and step.settings is not None
        if not step.inputs:
            return self.look(planned, ref.step, files).lazy(ref.output)  # a file is read once, then kept
        inputs = {port: self._lazy(planned, source, files) for port, source in step.inputs.items()}
        try:
            result = step.kind.apply(inputs, step.settings, Door(files, step.step.id))
            if any(count.level == "stop" for count in result.counts):
                return self.look(planned, ref.step, files).lazy(ref.output)  # its checks must be made
            return result.sides[ref.output] if ref.output else result.table
        except Problem as problem:
            raise (problem if problem.step else problem.at(step.step.id)) from None

    def _raise_problem(self, planned: Plan, step_id: str) -> None:
        step = planned.steps[step_id]
        if step.problem is not None:
            raise step.problem
        if step.waits_for:
            below = planned.steps[step.waits_for].problem
            raise below or Problem("This step", "a step before it has a problem.", "", step=step.waits_for)

    def _lock(self, fingerprint: str) -> threading.Lock:
        with self._guard:
            if len(self._busy) > 1000:
                self._busy = {key: lock for key, lock in self._busy.items() if lock.locked()}
            return self._busy.setdefault(fingerprint, threading.Lock())
