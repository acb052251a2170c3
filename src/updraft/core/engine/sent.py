"""The context of a step whose parts are worked on elsewhere."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Mapping
from dataclasses import dataclass, replace
from datetime import date
from pathlib import Path
from typing import Any, NoReturn, TypeVar

import polars as pl

from updraft.core.connect import Outside
from updraft.core.engine.door import Door
from updraft.core.engine.parameters import Parameters
from updraft.core.formats.options import ReadOptions
from updraft.core.steps import Context, Tables, Wanted

T = TypeVar("T")


@dataclass(frozen=True)
class Sent:
    """What a step knows besides its tables. It can be sent from machine to machine; nothing outside can be
    reached from it, which no kind that is spread asks for.

    Args:
        known: what was learnt from all rows, by what it is.
    """

    decisions: Mapping[str, str]
    wanted: Wanted
    known: Mapping[tuple[Hashable, ...], Any]
    parameters: Parameters | None
    token: str = ""
    ahead: None = None
    groups: None = None
    presummed: None = None

    def learnt(self, by: tuple[Hashable, ...], make: Callable[[], T]) -> T:
        found: T = self.known[by] if by in self.known else make()
        return found

    def parameter(self, name: str) -> Any:
        assert self.parameters is not None
        return self.parameters.of(name)

    def _nowhere(self) -> NoReturn:
        raise AssertionError("a step that is spread over a cluster reaches nothing outside")

    @property
    def outside(self) -> Outside:
        self._nowhere()

    def file(self, path: str) -> Path:
        self._nowhere()

    def files(self, path: str) -> list[Path]:
        self._nowhere()

    def seen(self, paths: list[Path], options: ReadOptions) -> list[Path]:
        self._nowhere()

    def inside(
        self, tables: Tables, parameters: Mapping[str, str] | None = None, turn: str = ""
    ) -> pl.LazyFrame:
        self._nowhere()


def sent(context: Context) -> Context:
    """A step's context with what it has learnt so far."""
    if not isinstance(context, Door):
        return context
    parameters = context.planned.parameters if context.planned else None
    return Sent(
        dict(context.decisions),
        context.wanted,
        context.known(),
        replace(parameters, clock=date.today) if parameters else None,
    )
