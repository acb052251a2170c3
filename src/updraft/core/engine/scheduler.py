"""Computes tables: each once, those that a person waits for first, flows in turn, bounded, and cancellable.

Work comes in jobs, one a step. A job that goes outside waits for others' machines, so such jobs have workers
of their own and hold up no job that computes. What somebody looks at now (`now`) is computed at once in the
caller's thread; workers begin nothing while that lasts.
"""

from __future__ import annotations

import threading
from collections import Counter, OrderedDict, deque
from collections.abc import Callable, Iterable
from concurrent.futures import Future
from contextlib import suppress
from dataclasses import dataclass, field
from typing import Any, TypeVar

T = TypeVar("T")
PATIENCE = 2.0  # seconds that background work waits for what a person looks at, at most


@dataclass(frozen=True)
class Job:
    """Work with a name.

    Args:
        key: names it for those that come after it.
        after: keys of jobs of the same owner that must be done before; where one of them failed, this is
            left.
        outside: it waits for something outside this machine.
    """

    key: str
    work: Callable[[], Any]
    after: frozenset[str] = frozenset()
    outside: bool = False


@dataclass
class _Queue:
    """What one owner wants: jobs that wait, keys under way, and what failed."""

    waiting: deque[Job]
    busy: set[str] = field(default_factory=set)
    computing: bool = False
    failed: dict[str, BaseException] = field(default_factory=dict)
    done: threading.Event = field(default_factory=threading.Event)

    def next(self, outside: bool) -> Job | None:
        """The first job of a lane that waits for nothing. An owner computes one at a time, so that a large
        table leaves workers to the others.
        """
        if not outside and self.computing:
            return None
        open_keys = {job.key for job in self.waiting} | self.busy
        return next((j for j in self.waiting if j.outside == outside and not j.after & open_keys), None)

    def take(self, outside: bool) -> Job | None:
        """The same, taken out."""
        job = self.next(outside)
        if job is not None:
            self.waiting.remove(job)
            self.busy.add(job.key)
            self.computing = self.computing or not outside
        return job

    def finish(self, job: Job, error: BaseException | None) -> None:
        self.busy.discard(job.key)
        if not job.outside:
            self.computing = False
        if error is not None:
            self.failed[job.key] = error
            lost = {job.key}
            kept: deque[Job] = deque()
            for other in self.waiting:  # in order, so that what follows from what is left is left, too
                if other.after & lost:
                    lost.add(other.key)
                else:
                    kept.append(other)
            self.waiting = kept
        if not self.waiting and not self.busy:
            self.done.set()


class Scheduler:
    """See the module.

    Args:
        workers: jobs computed at the same time; Polars uses all cores for each.
        outside: jobs that may wait for something outside at the same time.
    """

    def __init__(self, workers: int = 4, outside: int = 8) -> None:
        self._bounds = {False: workers, True: outside}
        self._threads: dict[bool, int] = {False: 0, True: 0}
        self._owners: OrderedDict[str, _Queue] = OrderedDict()
        self._under_way: dict[str, Future[Any]] = {}
        self._looking = 0
        self._change = threading.Condition()

    def now(self, key: str, work: Callable[[], T]) -> T:
        """Do it in this thread, at once; where it is under way already, wait for that result instead."""
        with self._change:
            self._looking += 1
        try:
            return self.once(key, work)
        finally:
            with self._change:
                self._looking -= 1
                self._change.notify_all()

    def once(self, key: str, work: Callable[[], T]) -> T:
        """Do it in this thread, unless another thread is at it: then share what comes of that.

        Args:
            key: equal keys mean equal results.
        """
        while True:
            with self._change:
                known: Future[T] | None = self._under_way.get(key)
                mine: Future[T] = known or self._under_way.setdefault(key, Future())
            if known is None:
                return self._mine(key, mine, work)
            with suppress(Exception):  # what failed for another may work here: its files may be gone, say
                return known.result()

    def _mine(self, key: str, mine: Future[T], work: Callable[[], T]) -> T:
        try:
            found = work()
        except BaseException as error:
            mine.set_exception(error)
            raise
        else:
            mine.set_result(found)
            return found
        finally:
            with self._change:
                del self._under_way[key]

    def submit(self, owner: str, jobs: Iterable[Job]) -> threading.Event:
        """Do these in the background, in place of what this owner wanted before; the event is set at the end.

        Jobs come after those they wait for.
        """
        queue = _Queue(deque(jobs))
        with self._change:
            before = self._owners.pop(owner, None)
            if before is not None:
                before.waiting.clear()
                if not before.busy:
                    before.done.set()
            if not queue.waiting:
                queue.done.set()
                return queue.done
            self._owners[owner] = queue
            for outside, many in Counter(job.outside for job in queue.waiting).items():
                for _ in range(min(many, self._bounds[outside] - self._threads[outside])):
                    self._threads[outside] += 1
                    threading.Thread(target=self._serve, args=(outside,), daemon=True, name="tables").start()
            self._change.notify_all()
        return queue.done

    def cancel(self, owner: str) -> None:
        """Leave what this owner still waits for; what is under way comes to its end."""
        self.submit(owner, [])

    def pending(self, owner: str) -> bool:
        """Whether something of this owner waits or is under way."""
        with self._change:
            queue = self._owners.get(owner)
            return queue is not None and not queue.done.is_set()

    def _serve(self, outside: bool) -> None:
        while True:
            with self._change:
                if self._looking and not outside:
                    self._change.wait_for(lambda: not self._looking, PATIENCE)
                found = self._next(outside)
                if found is None:
                    if not self._change.wait_for(lambda: self._ready(outside), 30):
                        self._threads[outside] -= 1
                        return
                    continue
            queue, job = found
            error: BaseException | None = None
            try:
                job.work()
            except BaseException as failed:  # its owner is told; the worker goes on
                error = failed
            with self._change:
                queue.finish(job, error)
                self._change.notify_all()

    def _next(self, outside: bool) -> tuple[_Queue, Job] | None:
        """The next job of a lane, the owners in turn."""
        for owner, queue in list(self._owners.items()):
            job = queue.take(outside)
            if job is not None:
                self._owners.move_to_end(owner)
                return queue, job
            if queue.done.is_set():
                del self._owners[owner]
        return None

    def _ready(self, outside: bool) -> bool:
        return any(queue.next(outside) is not None for queue in self._owners.values())
