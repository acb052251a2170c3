"""Rows of one table that stand for one thing, as groups."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import polars as pl

from updraft.core.linking.fields import Field
from updraft.core.linking.links import link


def groups_of_one_thing(table: pl.DataFrame, fields: Sequence[Field], *, least: float) -> pl.DataFrame:
    """Groups of rows that are alike by at least so much, in percent.

    Every row of a group is alike to one of them, its middle, so that no chain of small steps leads from one
    thing to another: the row that is most alike to most others takes those that no other has taken (star
    clustering: Aslam, Pelekhov and Rus 1999).

    Args:
        table: holds the fields' columns, `left` of each, as text.

    Returns:
        columns `group` (place of its first row), `row` (place) and `score` (percent: how alike it is to the
        middle of its group, 100 for the middle itself), by group and row; only groups of several rows.
    """
    own = [field._replace(right=field.left) for field in fields]
    pairs = link(table, table, own, least=least, take="all", one_table=True)
    schema = {"group": pl.UInt32, "row": pl.UInt32, "score": pl.Float64}
    if not pairs.height:
        return pl.DataFrame(schema=schema)
    both = pl.concat(
        [
            pairs.select(row="left", other="right", score="score"),
            pairs.select(row="right", other="left", score="score"),
        ]
    )
    found = _stars(both, table.height)
    firsts = found.group_by("middle").agg(pl.col("row").min().alias("group"))
    grouped = found.join(firsts, on="middle").select(
        pl.col(name).cast(dtype) for name, dtype in schema.items()
    )
    return grouped.sort("group", "row")


def _stars(pairs: pl.DataFrame, rows: int) -> pl.DataFrame:
    """Columns `middle`, `row` and `score`; a middle is in its own group."""
    near = pairs.group_by("row").agg("other", "score", pl.col("score").sum().alias("sum"))
    near = near.sort("sum", "row", descending=[True, False])
    taken = np.zeros(rows, dtype=bool)
    found: list[tuple[int, int, float]] = []
    for row, others, scores in near.select("row", "other", "score").iter_rows():
        if taken[row]:
            continue
        free = [(other, score) for other, score in zip(others, scores, strict=True) if not taken[other]]
        if not free:
            continue
        taken[row] = True
        taken[[other for other, _ in free]] = True
        found.append((row, row, 100.0))
        found += [(row, other, score) for other, score in free]
    return pl.DataFrame(
        found, schema={"middle": pl.UInt32, "row": pl.UInt32, "score": pl.Float64}, orient="row"
    )
