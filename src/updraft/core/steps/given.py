"""What a step is given to work with, and what it gives."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Any, Protocol, TypeVar

import polars as pl

from updraft.core.connect import Outside
from updraft.core.steps.counts import Count
from updraft.core.steps.presummed import Groups
from updraft.core.steps.tables import Tables
from updraft.core.values.coded import Change, changed_by_value

if TYPE_CHECKING:
    from updraft.core.figures import ColumnProfile
    from updraft.core.formats.options import ReadOptions
    from updraft.core.steps.conditions import Most, Only


@dataclass(frozen=True)
class Result:
    """What a step makes.

    Args:
        table: the main output.
        sides: side outputs by name.
        counts: numbers to compute with it.
        touched: columns whose cells may have changed while the rows stayed the same, row for row;
            None when rows come or go.
        brought: columns that come from another table.
        warnings: sentences known without computing.
        evidence: why columns have their kinds, for those that were decided.
        changes: says that the table is the main one with these columns changed value by value, empty cells
            staying empty; see `Result.by_value`.
        figures: profiles of columns, which hold more than the table of them.
        whole: rows of a source, where it left out those that the next step does not keep.
        presummed: the table of a source is of groups; see `Context.groups`.
    """

    table: pl.LazyFrame
    sides: dict[str, pl.LazyFrame] = field(default_factory=dict)
    counts: tuple[Count, ...] = ()
    touched: tuple[str, ...] | None = None
    brought: tuple[str, ...] = ()
    warnings: tuple[str, ...] = ()
    evidence: dict[str, str] = field(default_factory=dict)
    changes: Mapping[str, Change] = field(default_factory=dict)
    figures: tuple[ColumnProfile, ...] = ()
    whole: int | None = None
    presummed: bool = False

    @classmethod
    def by_value(cls, table: pl.LazyFrame, changes: Mapping[str, Change], *counts: Count) -> Result:
        """The main table with columns changed value by value.

        Args:
            changes: column → what turns its values, as an elementwise expression, into others; empty cells
                stay empty.
        """
        return cls(changed_by_value(table, changes), {}, counts, tuple(changes), changes=changes)


Wanted = frozenset[str] | None


T = TypeVar("T")


def also(wanted: Wanted, names: Iterable[str]) -> Wanted:
    """These columns too; None stays all of them."""
    return None if wanted is None else wanted | frozenset(names)


class Context(Protocol):
    """A step's only door to the world."""

    @property
    def outside(self) -> Outside:
        """Connections, and the manners of using them."""

    @property
    def token(self) -> str:
        """Names what a remote source brought last: kept answers belong to it; a new one asks anew."""

    @property
    def wanted(self) -> Wanted:
        """The columns that later steps need, None for all. A source may leave others out to save work."""

    @property
    def ahead(self) -> Only | Most | None:
        """The rows that the only step after it keeps, in a run. A source may leave others out to save work,
        and says then how many there are (`Result.whole`).
        """

    @property
    def groups(self) -> Groups | None:
        """What the only step after it asks of groups of its rows, in a run. A source may bring the groups
        instead, and says so (`Result.presummed`).
        """

    @property
    def presummed(self) -> Groups | None:
        """Says that the main table is of groups, counted and added up by its source, as `presums` asked."""

    @property
    def decisions(self) -> Mapping[str, str]:
        """The answers given for this step, by key. For kinds that need decisions."""

    def learnt(self, by: tuple[Hashable, ...], make: Callable[[], T]) -> T:
        """What `make` learns from the tables that come in: kept for as long as they stay, whatever is
        answered or set besides; of parts of a table, what it learnt from all of it (see `Spread.learns`).

        Args:
            by: what it is, and all settings that it follows from.
        """

    def parameter(self, name: str) -> Any:
        """A parameter's value as its kind. A kind that asks names it in `depends_on`."""

    def inside(
        self, tables: Tables, parameters: Mapping[str, str] | None = None, turn: str = ""
    ) -> pl.LazyFrame:
        """The result of the flow that the step holds, for the tables that came in; may be asked many times.

        Args:
            parameters: values over those that the step gives always.
            turn: names one time of many, and tells tables that differ apart.
        """

    def file(self, path: str) -> Path:
        """The file a setting names; Problem when it is not there or lies outside what the flow may read."""

    def files(self, path: str) -> list[Path]:
        """The same for a path that may hold * and ?: all files it fits, by name; Problem when there is
        none.
        """

    def seen(self, paths: list[Path], options: ReadOptions) -> list[Path]:
        """What is read of some files, for a kind that says `seen_in_part`: they themselves, or smaller ones
        in their place where somebody only looks.
        """


class Parts(Protocol):
    """A table in parts: at least one, in the order of its rows."""

    @property
    def height(self) -> int: ...

    def __iter__(self) -> Iterator[pl.DataFrame]: ...

    def lazy(self) -> pl.LazyFrame: ...


# Keeps frames by columns in the scratch folder of a run, as queries of its parts.
Spool = Callable[[Iterator[pl.DataFrame]], Sequence[pl.LazyFrame]]


@dataclass(frozen=True)
class Brought:
    """A source's table part by part, at least one; `warnings` and `evidence` as in Result.

    Args:
        parts: queries of files, which can be sent from machine to machine, as `made` can.
        made: what becomes of one.
    """

    parts: Sequence[pl.LazyFrame]
    made: Callable[[pl.LazyFrame], pl.DataFrame]
    warnings: tuple[str, ...] = ()
    evidence: dict[str, str] = field(default_factory=dict)


class Grounds(Protocol):
    """What a plan can tell of the world, for one step: equal answers mean equal tables."""

    def content(self, path: str) -> str:
        """Digest of the file or files that a setting names."""

    @property
    def brought(self) -> str:
        """Names what was brought last from outside."""

    def connection(self, name: str) -> str:
        """All that is known of a connection but what it answers."""

    def parameter(self, name: str) -> str:
        """A parameter's value; Problem when the flow has none of the name."""
