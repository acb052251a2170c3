"""By which fields rows of two tables are likely the same: chosen from the tables themselves."""

from __future__ import annotations

import polars as pl

from updraft.core.linking import Chosen, choose
from updraft.core.linking.columns import columns_that_meet
from updraft.core.problems import Problem
from updraft.core.values.text import as_text

_ROWS = 5_000  # of each table that are looked at


def proposed_fields(table: pl.LazyFrame, other: pl.LazyFrame) -> Chosen:
    """Fields with measures and weights, and the least likeness, as `choose` learns them from some rows.

    Raises:
        Problem: no column of one shares a name or values with one of the other.
    """
    left, right = _texts(table), _texts(other)
    pairs = columns_that_meet(left, right)
    if not pairs:
        raise Problem(
            "The tables",
            "no column of one shares a name or values with one of the other.",
            "Choose which columns to compare.",
            field="fields",
        )
    return choose(left, right, pairs)


def _texts(table: pl.LazyFrame) -> pl.DataFrame:
    schema = table.collect_schema()
    flat = [name for name, dtype in schema.items() if not dtype.is_nested()]
    rows = table.select(as_text(name, schema[name]).alias(name) for name in flat).collect()
    return rows if rows.height <= _ROWS else rows.sample(_ROWS, seed=0)
