"""Which rows are worth comparing: those that share what few rows have."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import polars as pl

from updraft.core.linking.fields import Field

_LOOKED_AT = (
    250  # rows of the other table that a row is brought together with, about, before the best are taken
)
_COMPARED = 10  # of them so many are compared
_AT_ONCE = 10_000  # rows
_PIECE = 3  # signs


class Marks(NamedTuple):
    """What rows of both tables are brought together by: columns `row` and `mark`, each mark of a row once."""

    left: pl.DataFrame
    right: pl.DataFrame


def candidates(
    left: pl.DataFrame,
    right: pl.DataFrame,
    fields: Sequence[Field],
    *,
    one_table: bool = False,
    marks: Marks | None = None,
) -> pl.DataFrame:
    """Pairs of rows that may stand for one thing.

    Each row has marks: the whole value of a field, the words of all its fields, and each three signs in a row
    of a field. By its rarest marks a row meets others, and those with which it shares the most weight
    (logarithm of how few have a mark) are compared. What this misses shares with a row less than ten other
    rows do.

    Args:
        left, right: what is compared of each field, as its columns (`0`, `1`, …), null where empty.
        one_table: both are the same table; each pair once, and no row with itself.
        marks: of both, where they are known already.

    Returns:
        columns `left` and `right`: places of rows, sorted.
    """
    numbers = range(len(fields))
    mine, its = marks or (marks_of(left, numbers), marks_of(right, numbers))
    often = its.group_by("mark").agg(often=pl.len())
    most = max(2.0, float(right.height))
    mine = mine.join(often, on="mark").with_columns(weight=pl.lit(most).log() - pl.col("often").log() + 0.1)
    found = []
    for start in range(0, left.height, _AT_ONCE):
        here = mine.filter(pl.col("row").is_between(start, start + _AT_ONCE - 1))
        found.append(_best(here, its, one_table=one_table))
    schema = {"left": pl.UInt32, "right": pl.UInt32}
    pairs = pl.concat([pl.DataFrame(schema=schema), *found])
    if one_table:
        pairs = pairs.select(
            left=pl.min_horizontal("left", "right"), right=pl.max_horizontal("left", "right")
        )
    return pairs.unique().sort("left", "right")


def _best(here: pl.DataFrame, its: pl.DataFrame, *, one_table: bool) -> pl.DataFrame:
    """Of some rows' marks: the rows that share the most of them."""
    rare = here.sort("row", "often", "mark").filter(
        (pl.col("often").cum_sum().over("row") <= _LOOKED_AT) | (pl.col("often") == 1)
    )
    met = rare.select("row", "mark", "weight").join(its.rename({"row": "right"}), on="mark")
    if one_table:
        met = met.filter(pl.col("row") != pl.col("right"))
    shared = met.group_by("row", "right").agg(pl.col("weight").sum())
    ranked = shared.sort("row", "weight", "right", descending=[False, True, False])
    return ranked.filter(pl.int_range(pl.len()).over("row") < _COMPARED).select(left="row", right="right")


def marks_of_some(marks: pl.DataFrame, rows: Sequence[int]) -> pl.DataFrame:
    """The marks of some rows, numbered as these are."""
    places = pl.DataFrame({"row": rows}, schema={"row": pl.UInt32}).with_row_index("at")
    return marks.join(places, on="row").select(row="at", mark="mark")


def marks_of(table: pl.DataFrame, fields: Sequence[int]) -> pl.DataFrame:
    """Columns `row` and `mark`, each mark of a row once; of columns `0`, `1`, … as `candidates` has them."""
    numbered = table.with_row_index("row")
    found = []
    for field in fields:
        there = numbered.select("row", value=pl.col(str(field))).drop_nulls()
        found.append(there.select("row", mark=pl.col("value").hash(seed=2 * field + 2)))
        words = there.select("row", word=pl.col("value").str.split(" ")).explode("word")
        found.append(words.select("row", mark=pl.col("word").hash(seed=1)))
        # Whole texts of one piece are marks already.
        pieces = there.select("row", value=pl.lit(" ") + pl.col("value").str.slice(0, 60) + " ").with_columns(
            at=pl.int_ranges(0, pl.col("value").str.len_chars() - _PIECE + 1)
        )
        pieces = pieces.explode("at").drop_nulls()
        piece = pl.col("value").str.slice(pl.col("at"), _PIECE)
        found.append(pieces.select("row", mark=piece.hash(seed=2 * field + 3)))
    return pl.concat(found).unique()
