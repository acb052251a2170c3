"""Columns worked on by their distinct values instead of row by row, where that is less work."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import partial
from typing import NamedTuple

import polars as pl

Change = Callable[[pl.Expr], pl.Expr]
_SAMPLE = 4000
_MOST = 1000  # distinct values among those


class Codes(NamedTuple):
    """A column as the list of its distinct values: for each row the place in the list, null where it is
    empty, and for each value of the list how many rows have it.
    """

    places: pl.Series
    values: pl.Series
    times: pl.Series


def codes_of(column: pl.Series) -> Codes | None:
    """A column's codes (dictionary encoding); None where values hardly repeat, and for kinds but text and
    dates.

    For text a Categorical in a namespace of its own does the work, so that places count from 0; of dates the
    list is every day from the first to the last.
    """
    if column.dtype == pl.Date and column.len() >= _SAMPLE:
        return _days(column)
    if column.dtype != pl.String or column.len() < _SAMPLE:
        return None
    if column.head(_SAMPLE).n_unique() > _MOST:
        return None
    import numpy as np

    places = column.cast(pl.Categorical(pl.Categories.random())).to_physical()
    filled, rows = places.drop_nulls().to_numpy(), places.is_not_null().arg_true().to_numpy()
    times = np.bincount(filled)
    first = np.zeros(len(times), np.int64)
    first[filled[::-1]] = rows[::-1]  # from the end, so that the first row of each value stays
    return Codes(places, column.gather(first), pl.Series(times, dtype=pl.UInt32))


def _days(column: pl.Series) -> Codes | None:
    numbers = column.to_physical()
    first, last = numbers.min(), numbers.max()
    if not isinstance(first, int) or not isinstance(last, int) or last - first > column.len() // 4:
        return None
    places = (numbers - first).cast(pl.UInt32)
    values = pl.Series(column.name, range(first, last + 1), dtype=pl.Int32).cast(pl.Date)
    found = places.drop_nulls().value_counts(name="times").rename({column.name: "place"})
    times = pl.DataFrame({"place": pl.Series(range(values.len()), dtype=pl.UInt32)})
    counted = times.join(found, on="place", how="left", maintain_order="left")["times"].fill_null(0)
    return Codes(places, values, counted)


def by_value(column: pl.Series, change: Change) -> pl.Series:
    """A column with an elementwise expression applied to it that leaves empty cells empty.

    What it calls must not wait for other threads: the caller may be one of Polars' own, and once all of
    them wait for its pool they wait forever.
    """
    codes = codes_of(column)
    if codes is None:
        return applied(column, change)
    return applied(codes.values, change).gather(codes.places).alias(column.name)


def changed_by_value(table: pl.LazyFrame, changes: Mapping[str, Change]) -> pl.LazyFrame:
    """The table with such an expression applied to each of some columns.

    Each column is an expression of its own, so that Polars works on them side by side.
    """
    schema = table.collect_schema()
    return table.with_columns(
        pl.col(name).map_batches(partial(by_value, change=change), return_dtype=_given(schema[name], change))
        if schema[name] in (pl.String, pl.Date)
        else change(pl.col(name)).alias(name)
        for name, change in changes.items()
    )


def _given(dtype: pl.DataType, change: Change) -> pl.DataType:
    return applied(pl.Series("x", [], dtype), change).dtype


def applied(values: pl.Series, change: Change) -> pl.Series:
    # Lazily, so that parts which stand in the expression more than once are computed once.
    return (
        values.to_frame().lazy().select(change(pl.col(values.name)).alias(values.name)).collect().to_series()
    )
