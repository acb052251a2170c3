"""A table whose repeating columns are kept as codes between the steps of a run."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from concurrent.futures import ThreadPoolExecutor
from itertools import permutations

import polars as pl

from updraft.core.steps.tables import TIMES
from updraft.core.values.coded import Change, Codes, applied, codes_of
from updraft.core.values.text import shown

_LARGE = 1e15  # below, both kinds of numbers are written with their digits


class Coded:
    """A table in memory some of whose columns are kept as codes: steps that change values one by one then
    touch only the lists, and rows are written out when a step asks for the table.

    Args:
        frame: the table; in place of a coded column it holds its places.
        codes: values and times of the coded columns.
    """

    def __init__(self, frame: pl.DataFrame, codes: Mapping[str, Codes] | None = None) -> None:
        self._frame, self._codes = frame, dict(codes or {})

    @property
    def height(self) -> int:
        return self._frame.height

    def lazy(self) -> pl.LazyFrame:
        """The table; a column that the query does not need is never written out."""
        return self._frame.lazy().with_columns(
            pl.lit(codes.values).gather(pl.col(name)).alias(name) for name, codes in self._codes.items()
        )

    def only(self, columns: Iterable[str] | None) -> Coded:
        """With these of its columns alone; None for all. One is kept in any case, since it holds the rows."""
        if columns is None:
            return self
        kept = [name for name in self._frame.columns if name in columns] or self._frame.columns[:1]
        return Coded(self._frame.select(kept), {k: v for k, v in self._codes.items() if k in kept})

    def frame(self) -> pl.DataFrame:
        return self.lazy().collect() if self._codes else self._frame

    def values(self, column: str) -> pl.LazyFrame:
        """The column's values, each at least once, with how many rows `TIMES` each stands for."""
        self._encode([column])
        codes = self._codes.get(column)
        if codes is None:
            return self._frame.lazy().select(column, pl.lit(1, pl.UInt32).alias(TIMES))
        empty = self.height - int(codes.times.sum())
        listed = pl.LazyFrame({column: codes.values, TIMES: codes.times})
        if not empty:
            return listed
        none = pl.LazyFrame({column: [None], TIMES: [empty]}, schema=listed.collect_schema())
        return pl.concat([listed, none])

    def changed(self, changes: Mapping[str, Change]) -> tuple[Coded, dict[str, int]]:
        """The table with columns changed value by value, and how many cells differ in each."""
        self._encode(changes)
        frame, codes, counts = self._frame, dict(self._codes), dict[str, int]()
        plain = [name for name in changes if name not in codes]
        for name in changes:
            if name in codes:
                fresh = applied(codes[name].values, changes[name])
                counts[name] = int(codes[name].times.filter(differs(codes[name].values, fresh)).sum())
                codes[name] = codes[name]._replace(values=fresh)
        if plain:
            # As a query: what stands twice in an expression is then worked out once.
            made = frame.lazy().with_columns(changes[name](pl.col(name)).alias(name) for name in plain)
            frame = made.collect()
            with ThreadPoolExecutor() as pool:  # Polars works outside the interpreter's lock
                numbers = pool.map(lambda name: int(differs(self._frame[name], frame[name]).sum()), plain)
                counts |= zip(plain, numbers, strict=True)
        return Coded(frame, codes), {name: counts[name] for name in changes}

    def _encode(self, columns: Iterable[str]) -> None:
        fresh = [name for name in columns if name not in self._codes]
        with ThreadPoolExecutor() as pool:
            found = list(pool.map(codes_of, self._frame.select(fresh).get_columns()))
        codes = {name: one for name, one in zip(fresh, found, strict=True) if one is not None}
        self._frame = self._frame.with_columns(one.places for one in codes.values())
        # The places stand in the frame from now on.
        self._codes |= {name: one._replace(places=one.places.clear()) for name, one in codes.items()}


def differs(before: pl.Series, after: pl.Series) -> pl.Series:
    """Row by row, whether a reader would see another value: across kinds, texts are compared."""
    if before.dtype == after.dtype:
        return before.ne_missing(after)
    if not any(a.is_integer() and b == pl.Float64 for a, b in permutations((before.dtype, after.dtype))):
        return shown(before).ne_missing(shown(after))
    # Whole numbers and others that are equal have the same digits, but for 0, which may be -0, and for large
    # ones: only what is left is written out.
    number, other = before.cast(pl.Float64), after.cast(pl.Float64)
    size = number.abs()
    left = ~((number == other) & (size >= 1) & (size < _LARGE)).fill_null(False)
    differing = shown(before.filter(left)).ne_missing(shown(after.filter(left)))
    return left.scatter(left.arg_true(), differing)
