"""Compute the steps of a plan on a cluster: as by parts, with every part worked on there.

A step that is spread by rows, and whose table one other step takes, is done in the same task as that one.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property, partial
from typing import Protocol

import polars as pl

from updraft.core.engine.coded import Coded
from updraft.core.engine.door import Door
from updraft.core.engine.hands import Hands
from updraft.core.engine.parted import Arrived, Part, Task, parts_of
from updraft.core.engine.pieces import Keep, Piece, Pieces, Stream, in_memory
from updraft.core.engine.planning import Plan, PlannedStep
from updraft.core.engine.spread_work import SpreadWork
from updraft.core.engine.spreading import Way, task_of
from updraft.core.engine.summing import Made, Partial, Sum
from updraft.core.flow.model import label
from updraft.core.problems import Problem
from updraft.core.steps import StepKind, Wanted
from updraft.core.steps.given import Brought


class Cluster(Protocol):
    """A place where parts are worked on."""

    @property
    def place(self) -> str:
        """Its address."""

    def hands(self, keep: Keep, cancelled: Callable[[], bool]) -> Hands:
        """The hands of one run, which keep parts with `keep` and stop when it is cancelled."""


@dataclass
class ClusterWork(SpreadWork):
    """The computing of one plan on a cluster."""

    cluster: Cluster | None = None
    _hands: Hands | None = None

    def compute_all(self, wanted: Mapping[str, Wanted], *, carry_on: bool = False) -> None:
        try:
            super().compute_all(wanted, carry_on=carry_on)
        finally:
            if self._hands is not None:
                self._hands.close()
                self._hands = None

    @property
    def _way(self) -> Way:
        keep = self._keep.written
        if self._hands is None:
            assert self.cluster is not None
            self._hands = self.cluster.hands(keep, self.cancelled)
        return Way(keep, self._hands, self.cut.rows, self.cut.buckets, self.cut.room)

    def _hand_on(
        self, step: PlannedStep, arrived: Mapping[str, Sequence[Arrived]], door: Door, wanted: Wanted
    ) -> Stream:
        assert step.kind is not None and step.settings is not None and step.kind.main_port is not None
        mains = arrived[step.kind.main_port.name]
        before = mains[0].table if len(mains) == 1 else None
        link = Link(
            step.step.id,
            task_of(step.kind, step.settings, arrived, door, self._way, wanted),
            partial(self._streamed, step),
        )
        if isinstance(before, Chain):
            return Chain(before.parts, (*before.links, link), self._way.hands)
        settled = [self._settled(one) for one in mains]
        return Chain(list(parts_of(settled)), (link,), self._way.hands)

    def _flowing(
        self, step: PlannedStep, brought: Brought, made: Made, done: Callable[[int], None], *, kept: bool
    ) -> Pieces | Stream:
        started, found = time.perf_counter(), list[Piece]()
        way = self._way
        for piece in way.hands.each(partial(_read, brought.made, way.hands.keep), brought.parts):
            found.append(piece)
        made.seconds += time.perf_counter() - started
        done(sum(piece.height for piece in found))
        return Pieces(found)

    def _ready(self, arrived: dict[str, list[Arrived]]) -> dict[str, list[Arrived]]:
        return {port: [self._settled(one) for one in some] for port, some in arrived.items()}


def _read(made: Callable[[pl.LazyFrame], pl.DataFrame], keep: Keep, part: pl.LazyFrame) -> Piece:
    return keep(made(part))


def gathered_first(planned: Plan) -> Iterator[str]:
    """What is to be known before a run on a cluster: steps that it cannot help with, and what to do."""
    for step in planned.steps.values():
        if step.kind is None or not step.inputs or step.passes_on or "effects" in step.kind.needs:
            continue
        if type(step.kind).spread is StepKind.spread:
            yield (
                f"“{label(step.step)}” ({step.kind.title}) works on all of its rows at once, on this "
                "machine: where they are many, let a step before it make them fewer."
            )


@dataclass(frozen=True)
class Link:
    """A step of a chain; `done` is called with what it made."""

    step: str
    task: Task
    done: Callable[[Made], None]


class Chain(Stream):
    """A table that some steps make of parts, each step of what the one before it made, once it is asked
    for.
    """

    def __init__(self, parts: list[Part], links: tuple[Link, ...], hands: Hands) -> None:
        self.parts, self.links, self._hands = parts, links, hands

    @cached_property
    def schema(self) -> pl.Schema:  # type: ignore[override]
        none = Coded(pl.DataFrame(schema=self.parts[0].rows.lazy().collect_schema()))
        *_, (_, last) = self._linked.each(Part(0, none, first=True), kept=False)
        return last.lazy().collect_schema()

    @property
    def _linked(self) -> _Linked:
        return _Linked(tuple((link.step, link.task) for link in self.links))

    def coded(self) -> Iterator[Coded]:
        raise AssertionError("what a cluster makes is kept first")

    def pieces(self, keep: Keep, rows: int) -> Pieces:
        sums = [Sum(keep, rows, link.task.wanted) for link in self.links]
        started = time.perf_counter()
        for partials in self._hands.each(self._linked, self.parts):
            for total, one in zip(sums, partials, strict=True):
                total.take(one)
        for link, total in zip(self.links, sums, strict=True):
            try:
                made = total.made()
            except Problem as problem:
                raise problem.at(link.step) from None
            # Done in the same tasks, each step took its share of the time.
            made.seconds = (time.perf_counter() - started) / len(sums)
            link.done(made)
        return made.outputs[""]

    def finish(self) -> None:
        self.pieces(in_memory, 1)


@dataclass(frozen=True)
class _Linked:
    """The work of steps one after another on a part. It can be sent from machine to machine."""

    tasks: tuple[tuple[str, Task], ...]

    def __call__(self, part: Part) -> list[Partial]:
        return [made for made, _ in self.each(part, kept=True)]

    def each(self, part: Part, *, kept: bool) -> Iterator[tuple[Partial, Coded]]:
        """What each step makes, and hands on; what the last one makes is kept."""
        for step, task in self.tasks:
            last = task is self.tasks[-1][1]
            try:
                made, coded = task.handed_on(part, kept=kept and last)
            except Problem as problem:
                raise (problem if problem.step else problem.at(step)) from None
            yield made, coded
            part = Part(0, coded, part.first)
