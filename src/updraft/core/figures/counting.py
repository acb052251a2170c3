"""Values of a column with how often each stands, without holding all of them at once."""

from __future__ import annotations

from collections.abc import Iterator

import polars as pl

TOGETHER = 2_000_000  # rows that are counted at once
_DISTINCT = 1_000_000  # different values that are held at once
_SAMPLED = 50_000  # rows that tell where ranges of values end
_BATCH = 250_000  # rows


def counted(table: pl.LazyFrame, name: str, rows: int) -> Iterator[pl.DataFrame]:
    """Frames of `value` (never empty) and `n`, how many rows have it, none twice, in any order; all values of
    a frame come before those of the next one.

    A column of few different values comes as one frame. Of many, a sample says how they part into ranges,
    and each range is counted by itself: the column is gone through once for each.

    Args:
        table: in memory, or files that can be gone through again; the column's values have an order.
        rows: that it has.
    """
    column = table.select(pl.col(name).alias("value"))
    if rows <= TOGETHER:
        yield _counted(column.collect())
        return
    few = _of_few(column)
    if few is not None:
        yield few
        return
    edges = _edges(column, rows)
    for number in range(edges.len() + 1):
        yield _together(column.filter(_within(edges, number)))


def _of_few(column: pl.LazyFrame) -> pl.DataFrame | None:
    """The values with their counts; None where there are many."""
    known = _counted(column.head(0).collect())
    for batch in _batches(column):
        known = _added([known, _counted(batch)])
        if known.height > _DISTINCT:
            return None
    return known


def _together(column: pl.LazyFrame) -> pl.DataFrame:
    known = [_counted(column.head(0).collect())]
    for batch in _batches(column):
        known.append(_counted(batch))
        if sum(frame.height for frame in known[1:]) > _DISTINCT:
            known = [_added(known)]
    return _added(known)


def _batches(column: pl.LazyFrame) -> Iterator[pl.DataFrame]:
    yield from column.collect_batches(chunk_size=_BATCH, maintain_order=False)


def _counted(values: pl.DataFrame) -> pl.DataFrame:
    return values.drop_nulls().group_by("value").agg(pl.len().cast(pl.Int64).alias("n"))


def _added(frames: list[pl.DataFrame]) -> pl.DataFrame:
    return pl.concat(frames).group_by("value").agg(pl.col("n").sum())


def _edges(column: pl.LazyFrame, rows: int) -> pl.Series:
    """Values that part the column into ranges of at most about as many different ones as are held at once;
    rising, none twice.
    """
    sample = column.gather_every(max(rows // _SAMPLED, 1)).collect()["value"].drop_nulls().sort()
    ranges = max(2 * rows // _DISTINCT, 2)
    return sample.gather_every(max(sample.len() // ranges, 1)).slice(1).unique().sort()


def _within(edges: pl.Series, number: int) -> pl.Expr:
    """The rows of one range: from the edge before it on, up to the next one; what is no number comes last."""
    value, rule = pl.col("value"), pl.col("value").is_not_null()
    if number:
        rule &= value >= pl.lit(edges[number - 1], dtype=edges.dtype)
    if number < edges.len():
        rule &= value < pl.lit(edges[number], dtype=edges.dtype)
    return rule
