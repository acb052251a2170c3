"""A step's door to the world: what `apply` gets as its context."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Mapping
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any, TypeVar

import polars as pl

from updraft.core.connect import Outside
from updraft.core.engine.files import Files
from updraft.core.engine.memory import Memory
from updraft.core.engine.planning import Plan, PlannedStep
from updraft.core.formats.options import ReadOptions
from updraft.core.problems import Problem
from updraft.core.steps import Context, Tables, Wanted
from updraft.core.steps.conditions import Most, Only
from updraft.core.steps.presummed import Groups

T = TypeVar("T")
Inside = Callable[[Tables, Mapping[str, str], str], pl.LazyFrame]


@dataclass(frozen=True)
class Door:
    """The context of one step.

    Args:
        planned: the plan it stands in; None for a step outside a flow, which has no decisions and no
            parameters.
        wanted: columns that later steps need; None for all.
        within: computes the flow that the step holds.
        ahead: rows that the only step after it keeps.
        groups: what the only step after it asks of groups of its rows.
        presummed: that its main table is of groups.
        share: see PlannedStep.
        memory: keeps what was learnt from tables; None where nothing is computed twice.
    """

    source: Files
    step: str
    planned: Plan | None = None
    wanted: Wanted = None
    within: Inside | None = None
    memory: Memory | None = None
    ahead: Only | Most | None = None
    groups: Groups | None = None
    presummed: Groups | None = None
    share: float = 1.0

    def file(self, path: str) -> Path:
        return self.source.file(path)

    def files(self, path: str) -> list[Path]:
        return self.source.files(path)

    def seen(self, paths: list[Path], options: ReadOptions) -> list[Path]:
        samples, share = self.source.samples, self.share
        return paths if samples is None or share >= 1 else [samples.of(one, share, options) for one in paths]

    @property
    def outside(self) -> Outside:
        return self.source.outside

    @property
    def token(self) -> str:
        return self.source.token(self.step)

    @property
    def decisions(self) -> Mapping[str, str]:
        return self.planned.flow.decided(self.step).answers if self.planned else {}

    def learnt(self, by: tuple[Hashable, ...], make: Callable[[], T]) -> T:
        if self.memory is None:
            return make()
        refs = self.planned.steps[self.step].refs if self.planned else []
        tables = tuple((self.planned.fingerprint(ref), ref.output) for ref in refs if self.planned)
        found: T = self.memory.get((tables, *by), make)
        return found

    def known(self) -> dict[tuple[Hashable, ...], Any]:
        """What was learnt from the tables that come in, by what it is."""
        return {key[1:]: found for key, found in self.memory.kept().items()} if self.memory else {}

    def parameter(self, name: str) -> Any:
        if self.planned is None:
            raise Problem(
                f"Parameter “{name}”",
                "there is no flow around this step.",
                "Use a value.",
                code="no_parameter",
            )
        return self.planned.parameters.of(name)

    def inside(
        self, tables: Tables, parameters: Mapping[str, str] | None = None, turn: str = ""
    ) -> pl.LazyFrame:
        assert self.within is not None, "a kind that says `part` is given a door with what is within"
        return self.within(tables, parameters or {}, turn)


def needed_inside(step: PlannedStep) -> set[str]:
    """Ids of the steps that the result of the flow a step holds follows from, in no order."""
    assert step.inner is not None
    planned, found = step.inner.plan, set()
    waiting = [planned.resolve(step.inner.output).step]
    while waiting:
        here = waiting.pop()
        if here not in found:
            found.add(here)
            waiting += [planned.resolve(ref).step for ref in planned.steps[here].refs]
    return found


def of_groups(context: Context, groups: Groups) -> Context:
    """The context of a step whose main table is of groups of its rows."""
    assert isinstance(context, Door), "a step is worked on as a whole where its flow is"
    return replace(context, presummed=groups)
