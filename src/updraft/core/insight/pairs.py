"""Two columns together: a cross table, points for a scatter, and which columns determine which."""

from __future__ import annotations

from typing import Any

import numpy as np
import polars as pl

from updraft.core.insight.findings.groups import against, agreeing, codes
from updraft.core.insight.findings.view import Column
from updraft.core.values import Kind
from updraft.core.values.text import shown

MOST_VALUES = 12
POINTS = 1500


def cross_table(table: pl.DataFrame, rows: str, columns: str) -> dict[str, Any]:
    """Rows counted by the values of two columns.

    Returns:
        `rows`, `columns`: the twelve most frequent values of each as text (None for empty); `counts`: row by
        row; `row_totals`, `column_totals`: over all values; `more_rows`, `more_columns`: values that are not
        shown; `total`.
    """
    pairs = (
        table.lazy()
        .select(pl.col(rows).alias("r"), pl.col(columns).alias("c"))
        .group_by("r", "c")
        .agg(pl.len().alias("n"))
        .collect()
    )
    by_row, by_column = (
        pairs.group_by(side).agg(pl.col("n").sum()).sort(["n", side], descending=[True, False])
        for side in ("r", "c")
    )
    top_r, top_c = by_row["r"].head(MOST_VALUES), by_column["c"].head(MOST_VALUES)
    known = (
        {(r, c): n for r, c, n in pairs.iter_rows()}
        if pairs.height <= 200_000
        else {
            (r, c): n
            for r, c, n in pairs.filter(
                pl.col("r").is_in(top_r.implode(), nulls_equal=True)
                & pl.col("c").is_in(top_c.implode(), nulls_equal=True)
            ).iter_rows()
        }
    )
    return {
        "rows": shown(top_r).to_list(),
        "columns": shown(top_c).to_list(),
        "counts": [[known.get((r, c), 0) for c in top_c] for r in top_r],
        "row_totals": by_row["n"].head(MOST_VALUES).to_list(),
        "column_totals": by_column["n"].head(MOST_VALUES).to_list(),
        "more_rows": max(by_row.height - MOST_VALUES, 0),
        "more_columns": max(by_column.height - MOST_VALUES, 0),
        "total": table.height,
    }


def scatter(table: pl.DataFrame, across: str, up: str) -> dict[str, Any]:
    """Points of two columns of numbers or dates.

    Returns:
        `points`: up to 1,500 pairs, taken evenly from all rows in which both are finite; `all`: how many
        those are; `correlation`, `rank_correlation`: Pearson's and Spearman's, over all of them (None where
        there is none).
    """
    both = (
        table.lazy()
        .select(_axis(table, across).alias("x"), _axis(table, up).alias("y"))
        .filter(pl.col("x").is_finite() & pl.col("y").is_finite())
        .collect()
    )
    if not both.height:
        return {"points": [], "all": 0, "correlation": None, "rank_correlation": None}
    facts = both.select(c=pl.corr("x", "y"), r=pl.corr("x", "y", method="spearman")).row(0)
    some = both.gather_every(max(both.height // POINTS, 1)).head(POINTS)
    return {
        "points": [list(point) for point in some.iter_rows()],
        "all": both.height,
        "correlation": _finite(facts[0]),
        "rank_correlation": _finite(facts[1]),
    }


def _axis(table: pl.DataFrame, name: str) -> pl.Expr:
    dtype = table.schema[name]
    if isinstance(dtype, pl.Datetime):
        return pl.col(name).dt.epoch("s").cast(pl.Float64)
    return (pl.col(name).to_physical() if isinstance(dtype, pl.Date) else pl.col(name)).cast(
        pl.Float64, strict=False
    )


def _finite(number: float | None) -> float | None:
    return number if number is not None and np.isfinite(number) else None


def determined_by(table: pl.DataFrame, name: str, most: int = 30) -> list[dict[str, Any]]:
    """Which other columns a column determines, and which determine it.

    Returns:
        For each other column with values that repeat: `column`; `determines`: the share of rows in which the
        other has the value most of the same value of `name` have; `determined`: the same the other way round;
        `against`, `against_it`: the rows in which it has not (see `exceptions`). Highest first.
    """
    columns = [Column(series, n) for n, series in enumerate(table.get_columns())]
    mine = next(c for c in columns if c.name == name)
    if mine.nested or mine.distinct < 2:
        return []
    own = codes(mine)
    found: list[tuple[str, float, float]] = []
    for other in columns:
        if (
            other is mine
            or other.nested
            or other.kind is Kind.DURATION
            or not 2 <= other.distinct <= max(0.8 * other.filled, 2)
        ):
            continue
        theirs = codes(other)
        forth, usual = agreeing(own, theirs)
        back, own_usual = agreeing(theirs, own)
        # What chance gives (everything is the usual value) is no dependency.
        forth = forth if mine.distinct <= 0.8 * mine.filled and forth > usual + 0.5 * (1 - usual) else 0.0
        back = back if back > own_usual + 0.5 * (1 - own_usual) else 0.0
        if max(forth, back) >= 0.8:
            found.append((other.name, forth, back))
    ranked = sorted(found, key=lambda f: (-max(f[1], f[2]), f[0]))[:most]
    by_name = {
        column.name: codes(column) for column in columns if column.name in {name for name, *_ in ranked}
    }
    return [
        {
            "column": column,
            "determines": forth,
            "determined": back,
            "against": len(against(own, by_name[column])) if forth else 0,
            "against_it": len(against(by_name[column], own)) if back else 0,
        }
        for column, forth, back in ranked
    ]


def exceptions(table: pl.DataFrame, name: str, other: str) -> pl.Series:
    """Numbers of the rows in which `other` is not what it is for most rows of the same `name`."""
    own, theirs = (codes(Column(table[column], n)) for n, column in enumerate((name, other)))
    return pl.Series(against(own, theirs), dtype=pl.UInt32)
