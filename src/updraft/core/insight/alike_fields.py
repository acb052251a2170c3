"""By which fields rows of two tables are likely the same, and how alike they are: of the tables alone."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import polars as pl

from updraft.core.linking import Chosen, Field, choose, link
from updraft.core.linking.columns import columns_that_meet
from updraft.core.problems import Problem
from updraft.core.steps.choice import need_columns
from updraft.core.values.text import as_text

_ROWS = 5_000  # of each table that are looked at
_SCORED = 2_000  # of them whose best match is told


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


class Scores(NamedTuple):
    """How alike the best match of each row is.

    Attributes:
        rows: rows looked at, of so many in `all`.
        counts: rows by their best score, in steps of a percent: from 0 to below 1, …, 100.
        none: rows that are like no other at all.
    """

    rows: int
    all: int
    counts: list[int]
    none: int


def best_scores(table: pl.LazyFrame, other: pl.LazyFrame | None, fields: Sequence[Field]) -> Scores:
    """The best scores of some rows by some fields; without another table among the rows of their own.

    Raises:
        Problem: no field is chosen, or a column is not there.
    """
    if not fields:
        raise Problem("The fields", "none is chosen yet.", "Choose one.", field="fields", code="unfinished")
    one_table = other is None
    whole = table.select(pl.len()).collect().item()
    left, right = _texts(table), _texts(table if other is None else other, None)
    need_columns([field.left for field in fields], left.schema, field="fields")
    need_columns([field.right for field in fields], right.schema, field="fields")
    if one_table:
        pairs = link(left, left, fields, least=0.1, take="all", one_table=True)
        both = pl.concat(
            [pairs.select("left", "score"), pairs.select("right", "score").rename({"right": "left"})]
        )
        best = both.group_by("left").agg(pl.col("score").max())["score"]
    else:
        left = left.head(_SCORED)
        best = link(left, right, fields, least=0.1, take="first")["score"]
    steps = best.floor().clip(0, 100).cast(pl.Int64)
    counts = [int((steps == step).sum()) for step in range(101)]
    return Scores(left.height, int(whole), counts, left.height - best.len())


def _texts(table: pl.LazyFrame, most: int | None = _ROWS) -> pl.DataFrame:
    schema = table.collect_schema()
    flat = [name for name, dtype in schema.items() if not dtype.is_nested()]
    rows = table.select(as_text(name, schema[name]).alias(name) for name in flat).collect()
    return rows if most is None or rows.height <= most else rows.sample(most, seed=0)
