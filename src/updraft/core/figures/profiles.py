"""The profile of a table: figures of every column over all rows."""

from __future__ import annotations

from collections.abc import Iterable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import asdict, dataclass, field, replace
from functools import partial
from typing import Any

import polars as pl

from updraft.core.figures.counting import TOGETHER, counted
from updraft.core.figures.folding import Days, Numbers, Texts, Usual
from updraft.core.figures.histograms import Histogram
from updraft.core.values import Kind, kind_of
from updraft.core.values.text import shown


@dataclass(frozen=True)
class ColumnProfile:
    """Figures of one column.

    Args:
        blank_only: cells of text that hold nothing but blanks; they count in `empty` too.
        odd: texts of another pattern where one pattern has 95 % of the cells; numbers that are infinite or none.
        most, least: values with their counts, the most and the least frequent ones.
        numbers: for numbers `min`, `max`, `mean`, `median`, `q05`, `q25`, `q75`, `q95`, `spread` (standard deviation),
            `zeros`, `negatives`; for text the `shortest`, `mean_length` and `longest` in signs.
        patterns: of text, coarse, in words with counts, the most frequent first.
        days: for dates `first`, `last`, `missing_days` between them and the `longest_gap` in days.
        weekdays, months: rows by weekday from Monday on, and by calendar month.
        values: all values as text with their `rows`, the most frequent first, where they are not too many.
    """

    name: str
    kind: Kind
    rows: int
    empty: int
    blank_only: int = 0
    odd: int = 0
    distinct: int = 0
    most: tuple[tuple[str, int], ...] = ()
    least: tuple[tuple[str, int], ...] = ()
    numbers: dict[str, float | int | None] = field(default_factory=dict)
    patterns: tuple[tuple[str, int], ...] = ()
    days: dict[str, Any] = field(default_factory=dict)
    weekdays: tuple[int, ...] = ()
    months: dict[str, int] = field(default_factory=dict)
    histogram: Histogram | None = None
    values: pl.DataFrame | None = field(default=None, compare=False, repr=False)

    def as_dict(self) -> dict[str, Any]:
        """All but the list of all values, as plain data."""
        plain = asdict(replace(self, values=None))
        return {key: value for key, value in plain.items() if value not in (None, (), {})}

    def with_values(self) -> dict[str, Any]:
        """`as_dict`, and the list of all values where there is one."""
        return self.as_dict() | ({} if self.values is None else {"values": self.values.rows()})

    @classmethod
    def of_plain(cls, plain: dict[str, Any]) -> ColumnProfile:
        """What `with_values` gave, also where JSON made lists of what stood in it."""
        known = dict(plain, kind=Kind(plain["kind"]))
        if "values" in plain:
            listed = {"value": pl.String, "rows": pl.Int64}
            known["values"] = pl.DataFrame(plain["values"], schema=listed, orient="row")
        for name in ("most", "least", "patterns"):
            known[name] = tuple((text, rows) for text, rows in plain.get(name, ()))
        known["weekdays"] = tuple(plain.get("weekdays", ()))
        if bins := plain.get("histogram"):
            as_tuples = {key: tuple(bins[key]) for key in ("edges", "counts", "labels")}
            known["histogram"] = Histogram(**{**bins, **as_tuples})
        return cls(**known)


def profile(table: pl.DataFrame | pl.LazyFrame) -> list[ColumnProfile]:
    """A profile of every column, in the table's order.

    Args:
        table: in memory; or a query that can be asked again and again, which is not held as a whole (see
            `counting`). A mean of more rows than are counted at once may differ in its last places.
    """
    lazy = table.lazy()
    schema = lazy.collect_schema()
    if not len(schema):
        return []
    rows, *nulls = (
        lazy.select(pl.len().alias("\0rows"), pl.all().null_count()).collect(engine="streaming").row(0)
    )
    at_once = isinstance(table, pl.DataFrame) or rows <= TOGETHER
    work = partial(_profiled, lazy, rows, at_once)
    with ThreadPoolExecutor(4 if at_once else 1) as pool:  # Polars works outside the interpreter's lock
        return list(pool.map(work, schema, schema.values(), nulls))


def _profiled(
    table: pl.LazyFrame, rows: int, at_once: bool, name: str, dtype: pl.DataType, nulls: int
) -> ColumnProfile:
    kind, usual = kind_of(dtype), Usual()
    if dtype.is_nested():
        return ColumnProfile(name, kind, rows, nulls)
    frames, figures = counted(table, name, rows, at_once=at_once), dict[str, Any]()
    if isinstance(dtype, pl.String):
        texts = Texts()
        for counts in frames:
            usual.add(texts.add(counts))
        figures = texts.figures()
    elif kind in (Kind.WHOLE, Kind.NUMBER):
        odd, low, high = _ends(table, name, dtype)
        numbers = Numbers(dtype, rows - nulls - odd, low, high)
        for counts in frames:
            usual.add(counts)
            numbers.add(counts)
        figures = numbers.figures(nulls, odd)
    elif kind in (Kind.DATE, Kind.DATETIME):
        _, low, high = _ends(table, name, dtype)
        days = Days(dtype, rows - nulls, low, high)
        for counts in frames:
            usual.add(counts)
            days.add(counts)
        figures = days.figures(nulls)
    else:
        for counts in frames:
            usual.add(counts)
    return ColumnProfile(
        name,
        kind,
        rows,
        nulls + figures.get("blank_only", 0),
        distinct=usual.distinct,
        most=usual.listed(most=True),
        least=usual.listed(most=False),
        values=_listed(usual),
        **figures,
    )


def _listed(usual: Usual) -> pl.DataFrame | None:
    if not usual.all:
        return None
    found = pl.concat(usual.all).sort(["n", "value"], descending=[True, False])
    return found.select(shown(found["value"]).alias("value"), pl.col("n").alias("rows"))


def _ends(table: pl.LazyFrame, name: str, dtype: pl.DataType) -> tuple[int, Any, Any]:
    """How many numbers are infinite or none; the smallest and the largest of the other values."""
    value, odd = pl.col(name), pl.lit(0)
    if dtype.is_float():
        odd = (~value.is_finite()).sum()
        value = value.filter(value.is_finite())
    asked = table.select(odd.alias("odd"), value.min().alias("low"), value.max().alias("high"))
    return asked.collect(engine="streaming").row(0)


def profile_table(profiles: Iterable[ColumnProfile]) -> pl.DataFrame:
    """A profile as a table: a row for each column, a column for each figure."""
    rows = []
    for p in profiles:
        numbers = p.numbers
        rows.append(
            {
                "Column": p.name,
                "Type": p.kind.value.replace("_", "/"),
                "Rows": p.rows,
                "Empty": p.empty,
                "Blank only": p.blank_only,
                "Odd": p.odd,
                "Distinct": p.distinct,
                "Most frequent": p.most[0][0] if p.most else None,
                "Times": p.most[0][1] if p.most else None,
                "Least frequent": p.least[0][0] if p.least else None,
                "Smallest": _text(numbers.get("min", p.days.get("first"))),
                "Largest": _text(numbers.get("max", p.days.get("last"))),
                "Mean": _float(numbers.get("mean")),
                "Median": _float(numbers.get("median")),
                "Lower quartile": _float(numbers.get("q25")),
                "Upper quartile": _float(numbers.get("q75")),
                "Spread": _float(numbers.get("spread")),
                "Zeros": numbers.get("zeros"),
                "Negatives": numbers.get("negatives"),
                "Shortest": numbers.get("shortest"),
                "Longest": numbers.get("longest"),
                "Missing days": p.days.get("missing_days"),
                "Usual pattern": p.patterns[0][0] if p.patterns else None,
            }
        )
    text, whole, number = pl.String, pl.Int64, pl.Float64
    kinds = dict(
        zip(
            [
                "Column",
                "Type",
                "Rows",
                "Empty",
                "Blank only",
                "Odd",
                "Distinct",
                "Most frequent",
                "Times",
                "Least frequent",
                "Smallest",
                "Largest",
                "Mean",
                "Median",
                "Lower quartile",
                "Upper quartile",
                "Spread",
                "Zeros",
                "Negatives",
                "Shortest",
                "Longest",
                "Missing days",
                "Usual pattern",
            ],
            [
                text,
                text,
                whole,
                whole,
                whole,
                whole,
                whole,
                text,
                whole,
                text,
                text,
                text,
                number,
                number,
                number,
                number,
                number,
                whole,
                whole,
                whole,
                whole,
                whole,
                text,
            ],
            strict=True,
        )
    )
    return pl.DataFrame(rows, schema=kinds, orient="row", strict=False)


def _text(value: Any) -> str | None:
    return None if value is None else f"{value:.15g}" if isinstance(value, float) else str(value)


def _float(value: Any) -> float | None:
    return None if value is None else float(value)
