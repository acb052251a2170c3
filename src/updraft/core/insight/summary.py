"""A line about every column: kind, empties, distinct values, a small picture, and the one fact worth
knowing.
"""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from typing import Any

import polars as pl

from updraft.core.insight.findings.naming import names_a_code, names_a_key, ranks
from updraft.core.values import Kind, is_blank, kind_of
from updraft.core.values.text import shown

BARS = 14
LONGEST = 5000  # signs of one value that are handed out


@dataclass(frozen=True)
class ColumnSummary:
    """What the grid's header shows of a column; every number is counted over all rows.

    Args:
        bars: heights from 0 to 1. For numbers and dates a histogram from the smallest to the largest value,
            for the rest the most frequent values.
        fact: the one thing worth knowing; `alert` when it asks for attention.
        amount: numbers that measure or count something, in which thousands may stand apart; years, codes and
            numbers of things are none.
    """

    name: str
    kind: Kind
    empty: int
    distinct: int
    bars: tuple[float, ...]
    fact: str
    alert: bool = False
    amount: bool = False


def summarise_columns(table: pl.LazyFrame) -> list[ColumnSummary]:
    """A summary of every column, in the table's order."""
    schema = table.collect_schema()
    with ThreadPoolExecutor() as pool:
        return list(pool.map(lambda name: _summary(table, name, schema[name]), schema.names()))


def _summary(table: pl.LazyFrame, name: str, dtype: pl.DataType) -> ColumnSummary:
    kind = kind_of(dtype)
    if dtype.is_nested():
        rows, empty = table.select(pl.len(), pl.col(name).null_count().alias("empty")).collect().row(0)
        return ColumnSummary(name, kind, empty, 0, (), _empties(empty, rows) or "all filled", bool(empty))
    values = table.select(name).collect()
    rows = values.height
    empty = int(values.select(is_blank(name, dtype).sum()).item())
    column = values.to_series()
    filled = values.filter(~is_blank(name, dtype)).to_series() if empty else column
    distinct = filled.n_unique()  # as the value list counts them: blanks alone are no value
    ordered = kind in (Kind.WHOLE, Kind.NUMBER, Kind.DATE, Kind.DATETIME)
    if ordered and distinct > 1:
        bars = _histogram(column)
    elif distinct == rows:
        bars = (0.25,) * BARS  # a picture of a column whose values all differ says nothing more
    else:
        bars = _frequencies(column)
    fact = _empties(empty, rows)
    if not fact:
        fact = (
            "all differ"
            if distinct == rows and rows > 1
            else "1 value"
            if distinct == 1
            else f"{distinct:,} values"
        )
    amount = kind in (Kind.WHOLE, Kind.NUMBER) and _is_amount(column, distinct == rows and rows > 1)
    return ColumnSummary(name, kind, empty, distinct, bars, fact, bool(empty), amount)


def _is_amount(column: pl.Series, all_differ: bool) -> bool:
    name = column.name
    if names_a_code(name) or names_a_key(name) or ranks(name):
        return False
    if column.dtype.is_integer():
        low, high = (int(end) for end in (column.min() or 0, column.max() or 0))  # type: ignore[arg-type]
        if all_differ and high - low + 1 == column.len():
            return False  # numbers of the rows
        if low >= 1500 and high <= 2200:
            return False  # years
    return True


def _empties(empty: int, rows: int) -> str:
    if not rows:
        return "no rows"
    return "all empty" if empty == rows else f"{empty:,} empty" if empty else ""


def _histogram(column: pl.Series) -> tuple[float, ...]:
    numbers = column.drop_nulls().to_physical().cast(pl.Float64)
    numbers = numbers.filter(numbers.is_finite())
    if not numbers.len():
        return ()
    low, high = float(numbers.min() or 0), float(numbers.max() or 0)  # type: ignore[arg-type]
    if low == high:
        return (1.0,)
    if not 1e-290 < high - low < float("inf"):  # too narrow to be divided by, or too wide to be told
        by = 0.5 if high - low > 1 else 2.0**200
        numbers, low, high = numbers * by, low * by, high * by
    place = ((numbers - low) * (BARS / (high - low))).floor().clip(0, BARS - 1).cast(pl.Int32).alias("place")
    counted = dict(place.value_counts().iter_rows())
    return _scaled([counted.get(n, 0) for n in range(BARS)])


def _frequencies(column: pl.Series) -> tuple[float, ...]:
    counts = column.drop_nulls().alias("value").value_counts(name="rows").get_column("rows")
    return _scaled(counts.top_k(BARS).sort(descending=True).to_list())


def _scaled(counts: list[int]) -> tuple[float, ...]:
    highest = max(counts, default=0)
    return tuple(round(count / highest, 3) for count in counts) if highest else ()


def counted_values(series: pl.Series) -> pl.DataFrame:
    """The value list of a column: `value` as text (null for empty, also where blanks alone stand) and `rows`,
    most frequent first, then in order.
    """
    frame = series.alias("value").to_frame()
    if series.dtype.is_nested():
        frame = shown(series).alias("value").to_frame()
    elif isinstance(series.dtype, pl.String):  # blanks alone are empty, here as in rules
        frame = frame.select(pl.when(~is_blank("value", series.dtype)).then(pl.col("value")).alias("value"))
    counted = frame.group_by("value").agg(pl.len().alias("rows"))
    # Values as frequent as each other stand in their own order, not in that of their texts. A list that is
    # longer than anybody reads is left in the order of its counts alone: sorting a million texts takes longer
    # than counting them.
    counted = counted.sort("value") if counted.height <= 100_000 else counted
    counted = counted.sort("rows", descending=True, maintain_order=True)
    return counted.with_columns(shown(counted["value"]))


def ordered_values(counted: pl.DataFrame, *, search: str = "", order: str = "count") -> pl.DataFrame:
    """A value list searched and sorted.

    Args:
        counted: as `counted_values` gives it.
        search: only values that contain this, whatever the case.
        order: `count` (most frequent first), `rare` (least frequent first) or `value` (numbers by their
            size).
    """
    found = counted
    if search:
        found = found.filter(pl.col("value").str.to_lowercase().str.contains(search.lower(), literal=True))
    if order == "rare":
        return found.reverse()
    if order == "value":
        return found.sort(pl.col("value").cast(pl.Float64, strict=False), pl.col("value"), nulls_last=True)
    return found


def column_values(
    counted: pl.DataFrame, found: pl.DataFrame, *, offset: int = 0, most: int = 200
) -> dict[str, Any]:
    """A window of a value list.

    Args:
        counted: the whole list, as `counted_values` gives it; `found`: as `ordered_values` gives it.

    Returns:
        `values`: up to `most` pairs of text (None for empty; 5,000 signs at most) and count; `distinct`: how
        many there are in all; `found`: how many the search leaves; `rows`: the sum of all counts; `highest`:
        the largest count of those found.
    """
    window = found.slice(offset, most).with_columns(pl.col("value").str.slice(0, LONGEST))
    return {
        "distinct": counted.height,
        "found": found.height,
        "rows": int(counted["rows"].sum()),
        "highest": found["rows"].max() if found.height else 0,
        "values": window.rows(),
    }
