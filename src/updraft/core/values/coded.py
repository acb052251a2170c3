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
    """A text column's codes (dictionary encoding); None for another kind, and where values hardly repeat.

    A Categorical in a namespace of its own does the work, so that places count from 0.
    """
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


def by_value(column: pl.Series, change: Change) -> pl.Series:
    """A text column with an elementwise expression applied to it that leaves empty cells empty.

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
        pl.col(name).map_batches(partial(by_value, change=change), return_dtype=schema[name])
        if schema[name] == pl.String
        else change(pl.col(name)).alias(name)
        for name, change in changes.items()
    )


def applied(values: pl.Series, change: Change) -> pl.Series:
    # Lazily, so that parts which stand in the expression more than once are computed once.
    return (
        values.to_frame().lazy().select(change(pl.col(values.name)).alias(values.name)).collect().to_series()
    )
