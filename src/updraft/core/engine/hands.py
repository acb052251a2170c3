"""Who does the work on parts of tables: this process, one part after another, or a cluster."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from typing import Protocol, TypeVar

import polars as pl
import polars.selectors as cs

from updraft.core.engine.pieces import Keep, Pieces, exchanged, in_memory, numbered
from updraft.core.steps import Context

T = TypeVar("T")
R = TypeVar("R")


class Bucket(Protocol):
    """The number of the bucket of each row of a frame, below `many`. It can be sent elsewhere."""

    def __call__(self, frame: pl.DataFrame, many: int) -> pl.Series: ...


@dataclass(frozen=True)
class Dealt:
    """A table whose rows are dealt out to buckets.

    Args:
        number: the column that gets the place of each row in the whole table; "" for none.
    """

    table: Iterable[pl.DataFrame]
    bucket: Bucket
    number: str = ""


class Hands(Protocol):
    """Does work on parts. What it is given and what it gives can be sent from machine to machine.

    Attributes:
        keep: keeps what tasks make.
    """

    @property
    def keep(self) -> Keep: ...

    def close(self) -> None:
        """Let go what it holds."""

    def context(self, context: Context) -> Context:
        """What a task gets in place of a step's context."""

    def each(self, work: Callable[[T], R], items: Iterable[T]) -> Iterator[R]:
        """Work on each item; what comes of them, in their order."""

    def dealt(
        self, tables: Sequence[Dealt], many: int, rows: int, work: Callable[[int, Sequence[pl.DataFrame]], R]
    ) -> Iterator[R]:
        """Deal the rows of tables out to buckets, and work on each bucket that has rows, and on the first.

        Args:
            rows: of a part, about.
            work: gets the number of a bucket and its rows of each table, in their order.
        """


@dataclass(frozen=True)
class Here:
    """This process, one part after another.

    Args:
        spill: keeps one of many small frames, which may hold on to large ones.
    """

    spill: Keep
    keep: Keep = in_memory

    def close(self) -> None:
        """Nothing is held."""

    def context(self, context: Context) -> Context:
        return context

    def each(self, work: Callable[[T], R], items: Iterable[T]) -> Iterator[R]:
        return map(work, items)

    def dealt(
        self, tables: Sequence[Dealt], many: int, rows: int, work: Callable[[int, Sequence[pl.DataFrame]], R]
    ) -> Iterator[R]:
        dealt = [self._dealt(one, many, rows) for one in tables]
        for number in range(many):
            frames = [buckets[number].lazy().collect() for buckets in dealt]
            if not number or any(frame.height for frame in frames):
                yield work(number, frames)
            del frames
            for buckets in dealt:
                buckets[number].discard()

    def _dealt(self, one: Dealt, many: int, rows: int) -> list[Pieces]:
        frames = _numbered(one.table, one.number)
        return exchanged(frames, lambda frame: one.bucket(frame, many), many, self.spill, rows)


@dataclass(frozen=True)
class ByKeys:
    """Rows that are equal in these come together.

    Args:
        apart: rows with an empty key belong to no other row.
    """

    keys: tuple[pl.Expr, ...]
    apart: bool = False

    def __call__(self, frame: pl.DataFrame, many: int) -> pl.Series:
        named = [key.alias(f"\0{n}") for n, key in enumerate(self.keys)]
        here = frame.select(named).with_columns((cs.float() + 0.0).fill_nan(float("nan")))  # −0 is 0
        # Rows that belong to no other one are dealt out in turn, and fill no bucket by themselves.
        turn = pl.int_range(pl.len(), dtype=pl.UInt64)
        none = pl.any_horizontal(pl.all().is_null()) if self.apart else pl.lit(False)
        hashed = pl.when(none).then(turn).otherwise(pl.struct(pl.all()).hash(seed=0))
        return here.select(hashed % many).to_series()


@dataclass(frozen=True)
class ByRange:
    """Rows come together with those that stand near in an order.

    Args:
        edges: values that part the ranges, rising, none twice; one less than there are buckets.
    """

    along: pl.Expr
    edges: pl.Series
    down: bool
    empty_first: bool

    def __call__(self, frame: pl.DataFrame, many: int) -> pl.Series:
        value = frame.select(self.along.alias("v")).to_series()
        place = self.edges.search_sorted(value.fill_null(self.edges.first()), "right").cast(pl.Int64)
        place = many - 1 - place if self.down else place
        empty = 0 if self.empty_first else many - 1
        chosen = pl.when(pl.col("v").is_null()).then(empty).otherwise("p")
        return pl.DataFrame({"p": place, "v": value}).select(chosen).to_series()


@dataclass(frozen=True)
class ByPlace:
    """Rows come together with those that stand near in a numbered table; the first column that says where
    counts.
    """

    columns: tuple[str, ...]
    starts: tuple[int, ...]
    rows: int

    def __call__(self, frame: pl.DataFrame, many: int) -> pl.Series:
        place = pl.coalesce(
            (pl.col(name) // self.rows) + start for name, start in zip(self.columns, self.starts, strict=True)
        )
        return frame.select(place).to_series()


def _numbered(table: Iterable[pl.DataFrame], name: str) -> Iterator[pl.DataFrame]:
    """The frames of a table, each row with its place in the whole of it."""
    before = 0
    for frame in table:
        yield numbered(frame, before, name)
        before += frame.height
