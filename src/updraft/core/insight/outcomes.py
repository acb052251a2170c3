"""Which rows show what a formula does: the first ones, and one of every shape that comes out its own way."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import polars as pl

FIRST, MOST = 3, 12


class Outcome(NamedTuple):
    """A row to show: its place, why it is shown (`first`, `empty`, `differs`), and how many rows are like
    it.
    """

    row: int
    why: str
    like: int


def telling_rows(table: pl.DataFrame, read: Sequence[str], result: pl.Series) -> list[Outcome]:
    """The first rows, then one of each shape without a result, then one of each other shape.

    The shape of a row is that of the texts it is made of, letters and digits taken as one sign each, the sign
    of its numbers, what is empty, and whether it has a result.

    Args:
        read: the columns that the result is made of.
        result: of the table's rows, in their order.
    """
    if not table.height:
        return []
    shapes = [_shape(table[name]).alias(f"{n}") for n, name in enumerate(read)]
    marked = pl.DataFrame([result.is_null().alias("none"), *shapes]).with_row_index("row")
    filled = pl.any_horizontal([pl.lit(not read), *(pl.col(series.name) != "" for series in shapes)])
    keys = [name for name in marked.columns if name != "row"]
    groups = (
        marked.group_by(keys, maintain_order=True)
        .agg(pl.col("row").first().alias("at"), pl.len().alias("like"))
        .with_columns(missed=pl.col("none") & filled)
        .sort("missed", "like", descending=True, maintain_order=True)
    )
    begun = marked.head(FIRST).join(groups, on=keys, nulls_equal=True, maintain_order="left")
    shown = [
        Outcome(row, "empty" if missed else "first", like)
        for row, like, missed in begun.select("row", "like", "missed").iter_rows()
    ]
    known = {one.row for one in shown}
    for row, many, missed in groups.select("at", "like", "missed").iter_rows():
        if row not in known and len(shown) < MOST:
            shown.append(Outcome(row, "empty" if missed else "differs", many))
    return shown


def _shape(values: pl.Series) -> pl.Series:
    """A value as a shape; nothing where it is empty."""
    if values.dtype == pl.String:
        value = pl.col(values.name).str.head(60).str.strip_chars()
        shape = value.str.replace_all(r"[\p{L}\p{M}]+", "a").str.replace_all(r"\p{N}+", "9")
    elif values.dtype.is_numeric():
        shape = pl.col(values.name).sign().cast(pl.String)
    else:
        shape = pl.when(pl.col(values.name).is_not_null()).then(pl.lit("+"))
    return values.to_frame().select(shape.fill_null("")).to_series()
