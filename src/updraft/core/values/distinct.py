"""Work on the distinct values of text columns instead of on every row, where that is less work."""

from __future__ import annotations

from collections.abc import Callable

import polars as pl

_SAMPLE = 4000


def by_value(table: pl.LazyFrame, columns: list[str], change: Callable[[pl.Expr], pl.Expr]) -> pl.LazyFrame:
    """The table with an elementwise text expression applied to some of its text columns.

    Where a column's values repeat, its rows are turned into positions in the list of distinct values (a
    Categorical in a namespace of its own, so that positions count from 0), the list is changed, and gathered
    by the positions. A column whose first values hardly repeat is changed row by row.

    Each column is an expression of its own, so that Polars works on them side by side. What it calls must not
    wait for other threads: the caller may be one of Polars' own, and once all of them wait for its pool they
    wait forever.
    """
    if not columns:
        return table

    def act(values: pl.Series) -> pl.Series:
        if values.len() < _SAMPLE or values.head(_SAMPLE).n_unique() > _SAMPLE // 4:
            return _applied(values, change)
        coded = values.cast(pl.Categorical(pl.Categories.random()))
        places, distinct = coded.to_physical(), coded.unique().drop_nulls()
        distinct = distinct.gather(distinct.to_physical().arg_sort()).cast(pl.String)
        return _applied(distinct, change).gather(places).alias(values.name)

    return table.with_columns(pl.col(name).map_batches(act, return_dtype=pl.String()) for name in columns)


def _applied(values: pl.Series, change: Callable[[pl.Expr], pl.Expr]) -> pl.Series:
    # Lazily, so that parts which stand in the expression more than once are computed once.
    return values.to_frame().lazy().select(change(pl.col(values.name))).collect().to_series()
