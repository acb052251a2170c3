"""Findings found in the background, so that nobody waits for them."""

from __future__ import annotations

import logging
import threading
import time
from collections import OrderedDict
from dataclasses import dataclass
from typing import TYPE_CHECKING

import polars as pl
from flask import current_app

from updraft.core import Problem
from updraft.core.engine.room import Room

if TYPE_CHECKING:
    from updraft.core.insight import Finding

_WORKERS = 2  # a large table does not hold up a small one
_KEPT = 40  # tables whose findings are remembered
_PATIENCE = 20.0  # seconds after which a table that nobody asked for again makes way for another one


def detecting() -> Detecting:
    """The app's one Detecting."""
    found: Detecting = current_app.extensions["detecting"]
    return found


@dataclass(eq=False)
class _Look:
    """A table that is to be looked at, and when it was asked for last."""

    flow: str
    mark: tuple[str, ...]
    key: str
    table: pl.LazyFrame
    others: dict[str, tuple[str, pl.LazyFrame]]
    asked: float
    begun: bool = False

    @property
    def left(self) -> bool:
        """Nobody waits for it any more: the page is closed, or shows something else."""
        return time.monotonic() - self.asked > _PATIENCE


class Detecting:
    """Looks at the tables that are asked for, one of each flow, the one asked for last first."""

    def __init__(self, room: Room) -> None:
        self._room = room
        self._found: OrderedDict[tuple[str, ...], list[Finding]] = OrderedDict()
        self._latest: dict[str, tuple[str, ...]] = {}  # table → what its findings were found with
        self._so_far: dict[tuple[str, ...], list[Finding]] = {}  # while they are being found
        self._failed: dict[tuple[str, ...], str] = {}
        self._wanted: dict[str, _Look] = {}  # by flow
        self._change = threading.Condition()
        self._closing = False
        self._workers = [
            threading.Thread(target=self._work, name=f"findings-{n}", daemon=True) for n in range(_WORKERS)
        ]
        for worker in self._workers:
            worker.start()

    def close(self) -> None:
        """Stop looking; the detectors at work come to their end."""
        with self._change:
            self._closing = True
            self._change.notify_all()
        for worker in self._workers:
            worker.join(5)

    def ask(
        self, flow_id: str, key: str, table: pl.LazyFrame, others: dict[str, tuple[str, pl.LazyFrame]]
    ) -> tuple[list[Finding], bool]:
        """The findings of a table, and whether these are all: while they are being found, those found so far.

        Args:
            key: the table's fingerprint and output.
            others: what it may meet: name → fingerprint and table.
        Raises:
            Problem: they cannot be worked out.
        """
        mark = (key, *(f"{name}={fingerprint}" for name, (fingerprint, _) in others.items()))
        with self._change:
            if mark in self._failed:
                raise Problem(
                    "The findings",
                    self._failed[mark],
                    "Go on without them, or look at another step.",
                    code="no_findings",
                )
            if mark in self._found:
                self._found.move_to_end(mark)
                self._latest[key] = mark
                return self._found[mark], True
            wanted = self._wanted.get(flow_id)
            if wanted and wanted.mark == mark:
                wanted.asked = time.monotonic()
            else:
                self._wanted[flow_id] = _Look(flow_id, mark, key, table, others, time.monotonic())
                self._change.notify()
            return self._so_far.get(mark, []), False

    def rows(self, key: str, finding: str) -> pl.Series | None:
        """The rows of a finding of a table; None when it is not known."""
        key = key if "." in key else f"{key}."
        with self._change:
            mark = self._latest.get(key, ())
            found = self._found.get(mark) or self._so_far.get(mark, [])
        return next((f.rows for f in found if f.key == finding), None)

    def _work(self) -> None:
        while (look := self._next()) is not None:
            if not look.left:
                self._find(look)
            with self._change:
                if self._wanted.get(look.flow) is look:
                    del self._wanted[look.flow]

    def _next(self) -> _Look | None:
        """Wait for a table to look at; None when it is time to end."""
        with self._change:
            while not self._closing:
                if waiting := self._waiting():
                    look = max(waiting, key=lambda one: one.asked)
                    look.begun = True
                    return look
                self._change.wait()
        return None

    def _waiting(self) -> list[_Look]:
        return [look for look in self._wanted.values() if not look.begun]

    def _find(self, look: _Look) -> None:
        from updraft.core.insight import find

        def stopped() -> bool:
            with self._change:
                return (
                    self._closing
                    or self._wanted.get(look.flow) is not look
                    or (look.left and bool(self._waiting()))
                )

        def told(some: list[Finding]) -> None:
            with self._change:
                self._so_far[look.mark] = some
                self._latest[look.key] = look.mark

        try:
            with self._room.entered():
                found = find(
                    look.table.collect(),
                    {name: other.collect() for name, (_, other) in look.others.items()},
                    stopped,
                    told,
                )
        except BaseException as error:  # a panic below Python is no Exception, and must not end the worker
            logging.getLogger("updraft").warning("Findings could not be worked out", exc_info=error)
            with self._change:
                self._so_far.pop(look.mark, None)
                self._failed[look.mark] = "they could not be worked out; that is a fault of Updraft's own."
            return
        unfinished = stopped()
        with self._change:
            self._so_far.pop(look.mark, None)
            if unfinished:
                if self._latest.get(look.key) == look.mark:
                    del self._latest[look.key]
                return
            self._found[look.mark] = found
            self._latest[look.key] = look.mark
            while len(self._found) > _KEPT:
                old, _ = self._found.popitem(last=False)
                self._latest.pop(old[0], None)
