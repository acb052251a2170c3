"""What the pages share: the engine, the stores, and the work of keeping every stop of an open flow
computed.
"""

from __future__ import annotations

import threading
from collections import Counter
from collections.abc import Callable
from datetime import date
from functools import partial
from pathlib import Path
from typing import Any

from cachetools import LRUCache
from flask import current_app

from updraft.core import Engine, Files, Flow, Problem, Table, TableCache
from updraft.core.connect import Outside
from updraft.core.engine import Door, Plan, PlannedStep
from updraft.core.engine.room import Room, machine_memory
from updraft.core.engine.samples import Samples
from updraft.store import ConnectionStore, FlowStore, Folders, RunStore, SavedFlows


def studio() -> Studio:
    """The app's one Studio."""
    found: Studio = current_app.extensions["studio"]
    return found


def remembered(key: tuple[Any, ...], make: Callable[[], Any]) -> Any:
    """What the engine's memory keeps under a key, made where it is not."""
    return studio().engine.memory.get(key, make)


class Studio:
    def __init__(
        self,
        folders: Folders,
        execute: Callable[[str], Any],
        allow: frozenset[str] = frozenset(),
        memory: int = 0,
    ) -> None:
        self.folders, self.execute, self.allow = folders, execute, allow
        self.flows, self.runs, self.connections = FlowStore(folders), RunStore(), ConnectionStore(folders)
        self.coming: dict[str, str] = {}  # flow → what a source outside has brought so far, in words
        self._stop: set[str] = set()  # flows whose sources are to stop
        self._looking: Counter[str] = Counter()  # flows that are being looked at just now
        limit = memory or machine_memory() // 2
        cache = TableCache(folders.cache, memory_bytes=min(limit // 4, 1 << 30), waiting_bytes=limit // 4)
        self.engine = Engine(cache)
        self.room = Room(limit, self._spare)
        self._samples = Samples(folders.samples, limit)
        self._files: dict[str, Files] = {}
        self._failed: LRUCache[str, Problem] = LRUCache(2000)  # by fingerprint: what came up
        self._wanted: dict[str, tuple[str, ...]] = {}  # flow → fingerprints being filled in
        self._lock = threading.Lock()

    def _spare(self) -> None:
        self.engine.cache.shrink()
        self.engine.memory.clear()

    def files(self, flow_id: str) -> Files:
        """The files a flow may read, and what it may reach; one object per flow, since it remembers
        digests.
        """
        outside = Outside(
            self.connections.all(),
            self.folders.answers(flow_id),
            self.allow,
            partial(self.coming.__setitem__, flow_id),
            lambda: flow_id in self._stop,
        )
        with self._lock:
            if flow_id not in self._files:
                library = SavedFlows(self.flows, self.files)
                self._files[flow_id] = Files(
                    self.folders.files(flow_id),
                    tokens=self.folders.tokens(flow_id),
                    today=date.today,
                    library=library,
                    samples=self._samples,
                )
            self._files[flow_id].outside = outside
            return self._files[flow_id]

    def stop(self, flow_id: str) -> None:
        """End what is being brought from outside for a flow, at its next chunk."""
        with self._lock:
            if self._looking[flow_id]:
                self._stop.add(flow_id)

    def fetch_again(self, flow_id: str, step_id: str) -> None:
        """Let a remote source bring its table anew at the next look."""
        self.files(flow_id).token(step_id, renew=True)
        with self._lock:
            self._failed.clear()  # what could not be reached may be there now

    def readable(self, flow_id: str, planned: PlannedStep) -> list[Path]:
        """The files that a step which reads files would read now."""
        assert planned.kind is not None
        return planned.kind.readable(planned.settings, Door(self.files(flow_id), planned.step.id))

    def plan(self, flow_id: str, flow: Flow) -> Plan:
        return self.engine.plan(flow, self.files(flow_id))

    def look(
        self, flow_id: str, planned: Plan, step_id: str, *, draft: bool = False, urgent: bool = True
    ) -> Table:
        """See Engine.look; a problem met while computing is remembered for the step's fingerprint."""
        with self._lock:
            self._looking[flow_id] += 1
        try:
            with self.room.entered():
                return self.engine.look(planned, step_id, self.files(flow_id), draft=draft, urgent=urgent)
        except Problem as problem:
            step = planned.steps.get(problem.step or step_id)
            if step is not None and step.fingerprint:
                with self._lock:
                    self._failed[step.fingerprint] = problem
            raise
        finally:
            with self._lock:
                self._looking[flow_id] -= 1
                if not self._looking[flow_id]:
                    self._stop.discard(flow_id)
                    self.coming.pop(flow_id, None)

    def failure(self, fingerprint: str) -> Problem | None:
        """What came up when this table was computed; None when it was not tried or went well."""
        with self._lock:  # a look at it moves it to the front
            return self._failed.get(fingerprint)

    def fill_in(self, flow_id: str, planned: Plan) -> bool:
        """Compute in the background whatever is not known yet; True while something is under way.

        A newer state of the same flow takes over from an older one at the next step.
        """
        missing = tuple(
            step.fingerprint
            for step_id, step in planned.steps.items()
            if step.fingerprint
            and step.passes_on is None
            and step.fingerprint not in self._failed
            and self.failed_below(planned, step_id) is None
            and self.engine.known(planned, step_id) is None
        )
        with self._lock:
            if not missing:
                self._wanted.pop(flow_id, None)
                return False
            if self._wanted.get(flow_id) == missing and self.engine.scheduler.pending(flow_id):
                return True
            self._wanted[flow_id] = missing
        look = partial(self.look, flow_id, planned, urgent=False)
        steps = {step_id for step_id, step in planned.steps.items() if step.fingerprint in missing}
        wanted = {step_id for step_id in steps if planned.steps[step_id].passes_on is None}
        self.engine.scheduler.submit(flow_id, self.engine.jobs(planned, wanted, look))
        return True

    def failed_below(self, planned: Plan, step_id: str) -> str | None:
        """The id of the nearest step below this one that failed while computing."""
        waiting, seen = [ref.step for ref in planned.steps[step_id].refs], set()
        while waiting:
            below = waiting.pop()
            if below in seen or below not in planned.steps:
                continue
            seen.add(below)
            if planned.steps[below].fingerprint in self._failed:
                return below
            waiting += [ref.step for ref in planned.steps[below].refs]
        return None
