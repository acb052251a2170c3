"""Values of a column with how often each stands, without holding all of them at once."""

from __future__ import annotations

from collections.abc import Iterator

import polars as pl

TOGETHER = 2_000_000  # rows that are counted at once
_DISTINCT = 1_000_000  # different values that are held at once; more where a column
_PASSES = 40  # would be gone through more often than this
_SAMPLED = 50_000  # rows that tell where ranges of values end
_BATCH = 250_000  # rows


def counted(table: pl.LazyFrame, name: str, rows: int, *, at_once: bool) -> Iterator[pl.DataFrame]:
    """Frames of `value` (never empty) and `n`, how many rows have it, none twice, in any order; all values of
    a frame come before those of the next one.

    A column of few different values comes as one frame. Of many, a sample says how they part into ranges,
    and each range is counted by itself: the column is gone through once for each. Which ranges these are
    follows from the column alone.

    Args:
        table: in memory, or files that can be gone through again; the column's values have an order.
        rows: that it has.
        at_once: count all of them at once.
    """
    column = table.select(pl.col(name).alias("value"))
    if at_once:
        yield _counted(column.collect())
        return
    most = max(_DISTINCT, 2 * rows // _PASSES)
    few = _together(column, most)
    if few is not None:
        yield few
        return
    edges = _edges(column, rows, most)
    for number in range(edges.len() + 1):
        found = _together(column.filter(_within(edges, number)), rows)
        assert found is not None
        yield found


def _together(column: pl.LazyFrame, most: int) -> pl.DataFrame | None:
    """The values with their counts; None where there are more than so many."""
    known = [_counted(column.head(0).collect())]
    for batch in _batches(column):
        known.append(_counted(batch))
        if sum(frame.height for frame in known[1:]) > max(known[0].height, _DISTINCT):
            known = [_added(known)]
            if known[0].height > most:
                return None
    found = _added(known)
    return found if found.height <= most else None


def _batches(column: pl.LazyFrame, *, in_order: bool = False) -> Iterator[pl.DataFrame]:
    yield from column.collect_batches(chunk_size=_BATCH, maintain_order=in_order)


def _counted(values: pl.DataFrame) -> pl.DataFrame:
    return values.drop_nulls().group_by("value").agg(pl.len().cast(pl.Int64).alias("n"))


def _added(frames: list[pl.DataFrame]) -> pl.DataFrame:
    return pl.concat(frames).group_by("value").agg(pl.col("n").sum())


def _edges(column: pl.LazyFrame, rows: int, most: int) -> pl.Series:
    """Values that part the column into ranges of about half of so many rows; rising, none twice."""
    step, came, sample = max(rows // _SAMPLED, 1), 0, list[pl.DataFrame]()
    for batch in _batches(column, in_order=True):
        sample.append(batch.gather_every(step, -came % step))
        came += batch.height
    values = pl.concat(sample)["value"].drop_nulls().sort()
    ranges = max(2 * rows // most, 2)
    return values.gather_every(max(values.len() // ranges, 1)).slice(1).unique().sort()


def _within(edges: pl.Series, number: int) -> pl.Expr:
    """The rows of one range: from the edge before it on, up to the next one; what is no number comes last."""
    value, rule = pl.col("value"), pl.col("value").is_not_null()
    if number:
        rule &= value >= pl.lit(edges[number - 1], dtype=edges.dtype)
    if number < edges.len():
        rule &= value < pl.lit(edges[number], dtype=edges.dtype)
    return rule
