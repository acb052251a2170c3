"""Answers that take their time: worked out by few workers, flows in turn, while no request waits for long.

A request that has to wait gets 202 and what it waits for; the page asks again, and takes the answer when it
is there. So a few large tables hold up neither the threads of the server nor each other's owners.
"""

from __future__ import annotations

import hashlib
import os
import threading
import time
from collections import OrderedDict, deque
from collections.abc import Callable
from concurrent.futures import Future
from dataclasses import dataclass, field
from functools import wraps
from typing import Any, TypeVar

from flask import Response, copy_current_request_context, current_app, jsonify, make_response, request

from updraft.core import Problem
from updraft.core.engine.room import Room

WORKERS = max(2, (os.cpu_count() or 2) // 2)  # Polars uses all cores for each
PATIENCE = 0.35  # seconds after which a page is told to ask again
AGAIN = 0.3  # seconds after which it asks
LEFT = 20.0  # seconds after which an answer that nobody asked for again is left, or forgotten
SLOW = 3.0  # seconds; an answer that takes longer may wait for a service, and others get a worker more
MOST_WORKERS = 32
MOST_WAITING = 2000

View = TypeVar("View", bound=Callable[..., Any])


@dataclass(eq=False)
class _Answer:
    owner: str
    key: str
    make: Callable[[], Response]
    asked: float
    future: Future[Response] = field(default_factory=Future)


class Patient:
    """The answers that are being worked out, one of each owner at a time."""

    def __init__(self, room: Room, workers: int = WORKERS) -> None:
        self.room = room
        self._known: dict[str, _Answer] = {}
        self._waiting: OrderedDict[str, deque[_Answer]] = OrderedDict()  # by owner, the next one in front
        self._busy: dict[str, float] = {}  # owners, and since when
        self._workers = 0
        self._change = threading.Condition()
        for _ in range(workers):
            self._add_worker()

    def _add_worker(self) -> None:
        self._workers += 1
        threading.Thread(target=self._work, name=f"answers-{self._workers}", daemon=True).start()

    def answer(
        self, owner: str, key: str, make: Callable[[], Response], *, wait: float | None
    ) -> Response | int:
        """What `make` gives, worked out once for all who ask with this key meanwhile.

        Args:
            owner: answers of one owner are worked out one after another, owners in turn.
            wait: seconds after which to give how many owners are before this one; None waits to the end.
        Raises:
            Problem: too many wait already, or `make` raised it.
        """
        with self._change:
            found = self._known.get(key)
            if found is None:
                if len(self._known) >= MOST_WAITING:
                    raise Problem(
                        "Updraft", "too many people wait for tables.", "Try again in a minute.", code="busy"
                    )
                found = self._known[key] = _Answer(owner, key, make, time.monotonic())
                self._waiting.setdefault(owner, deque()).append(found)
                self._change.notify()
            found.asked = time.monotonic()
            held = sum(found.asked - since > SLOW for since in self._busy.values())
            if self._waiting and held >= self._workers and self._workers < MOST_WORKERS:
                self._add_worker()
        try:
            answer = found.future.result(wait)
        except TimeoutError:
            with self._change:
                return list(self._waiting).index(owner) if owner in self._waiting else 0
        except BaseException:
            self._forget(found)
            raise
        self._forget(found)
        return answer

    def _forget(self, answer: _Answer) -> None:
        with self._change:
            if self._known.get(answer.key) is answer:
                del self._known[answer.key]

    def _work(self) -> None:
        while True:
            answer = self._next()
            try:
                with self.room.entered():
                    answer.future.set_result(answer.make())
            except BaseException as error:  # whoever asked is told
                answer.future.set_exception(error)
            with self._change:
                del self._busy[answer.owner]
                self._change.notify_all()

    def _next(self) -> _Answer:
        with self._change:
            while True:
                self._leave()
                for owner, queue in list(self._waiting.items()):
                    if owner in self._busy:
                        continue
                    answer = queue.popleft()
                    del self._waiting[owner]
                    if queue:
                        self._waiting[owner] = queue  # behind the others now
                    self._busy[owner] = time.monotonic()
                    return answer
                self._change.wait(5)

    def _leave(self) -> None:
        """Leave what nobody asks for any more: the page is closed, or shows something else."""
        late = time.monotonic() - LEFT
        for answer in [a for a in self._known.values() if a.asked < late]:
            queue = self._waiting.get(answer.owner, deque())
            if answer in queue:
                queue.remove(answer)
                answer.future.cancel()
                if not queue:
                    del self._waiting[answer.owner]
            elif not answer.future.done():
                continue
            del self._known[answer.key]


def patient(view: View) -> View:
    """A view whose answer may take its time. Whoever accepts JSON alone is told to ask again; others wait."""

    @wraps(view)
    def answer(*args: Any, **kwargs: Any) -> Any:
        flow = str(kwargs.get("flow_id", ""))
        revision = current_app.extensions["studio"].flows.head(flow) if flow else 0
        asked = f"{request.method} {request.full_path} {revision} ".encode() + request.get_data()
        key = hashlib.blake2b(asked, digest_size=16).hexdigest()

        @copy_current_request_context
        def make() -> Response:
            return make_response(view(*args, **kwargs))

        # Who asks again has waited already, and must not keep a thread from those who come anew.
        wait = 0.01 if request.headers.get("X-Asked-Before") else PATIENCE
        asking = request.headers.get("Accept") == "application/json"
        rooms: Patient = current_app.extensions["patient"]
        found = rooms.answer(flow, key, make, wait=wait if asking else None)
        if isinstance(found, Response):
            return found
        others = f" {found} other{'s' if found > 1 else ''} first." if found else ""
        told = jsonify(waiting=f"Waiting for its turn:{others}" if others else "Still computing")
        told.headers["Retry-After"] = str(AGAIN)
        return told, 202

    return answer  # type: ignore[return-value]
