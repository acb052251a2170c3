"""The profile of a table: figures of every column over all rows."""

from __future__ import annotations

from collections.abc import Iterable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import asdict, dataclass, field
from typing import Any

import polars as pl

from updraft.core.figures.histograms import Histogram, histogram
from updraft.core.figures.patterns import USUAL, pattern_counts, pattern_words
from updraft.core.values import Kind, is_blank, kind_of
from updraft.core.values.text import shown

MOST, LEAST = 8, 5


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

    def as_dict(self) -> dict[str, Any]:
        return {key: value for key, value in asdict(self).items() if value not in (None, (), {})}


def profile(table: pl.DataFrame) -> list[ColumnProfile]:
    """A profile of every column, in the table's order."""
    with ThreadPoolExecutor(4) as pool:  # Polars works outside the interpreter's lock
        return list(pool.map(_profiled, table.get_columns()))


def _profiled(series: pl.Series) -> ColumnProfile:
    kind, rows = kind_of(series.dtype), series.len()
    if series.dtype.is_nested():
        return ColumnProfile(series.name, kind, rows, series.null_count())
    counts = series.alias("value").drop_nulls().to_frame().group_by("value").agg(pl.len().alias("n"))
    figures: dict[str, Any] = {}
    if kind is Kind.TEXT and isinstance(series.dtype, pl.String):
        blank = counts.filter(is_blank("value", pl.String()))
        counts = counts.filter(~is_blank("value", pl.String()))
        figures = {"blank_only": int(blank["n"].sum()), **_texts(counts)}
    elif kind in (Kind.WHOLE, Kind.NUMBER):
        figures = _numbers(series)
    elif kind in (Kind.DATE, Kind.DATETIME):
        figures = _days(series, counts)
    most = counts.top_k(MOST, by="n") if counts.height > 1000 else counts
    least = counts.bottom_k(LEAST, by="n") if counts.height > 1000 else counts
    return ColumnProfile(
        series.name,
        kind,
        rows,
        series.null_count() + figures.get("blank_only", 0),
        distinct=counts.height,
        most=_listed(most.sort(["n", "value"], descending=[True, False]).head(MOST)),
        least=_listed(least.sort(["n", "value"]).head(LEAST)),
        **figures,
    )


def _listed(counts: pl.DataFrame) -> tuple[tuple[str, int], ...]:
    return tuple(zip(_cut(shown(counts["value"])), counts["n"].to_list(), strict=True))


def _cut(texts: pl.Series) -> list[str]:
    return [text if text is None or len(text) <= 200 else f"{text[:199]}…" for text in texts.to_list()]


def _texts(counts: pl.DataFrame) -> dict[str, Any]:
    if not counts.height:
        return {}
    length = pl.col("value").str.len_chars()
    facts = counts.select(
        shortest=length.min(),
        longest=length.max(),
        mean_length=(length * pl.col("n")).sum() / pl.col("n").sum(),
    )
    found = pattern_counts(counts).sort(["n", "pattern"], descending=[True, False])
    filled = int(found["n"].sum())
    first = int(found["n"][0])
    return {
        "numbers": facts.row(0, named=True),
        "odd": filled - first if first >= USUAL * filled else 0,
        "patterns": tuple(
            (pattern_words(pattern), n) for pattern, n in found.select("pattern", "n").head(MOST).iter_rows()
        ),
    }


def _numbers(series: pl.Series) -> dict[str, Any]:
    value = pl.col(series.name)
    frame = series.to_frame()
    odd = int(frame.select((~value.is_finite()).sum()).item()) if series.dtype.is_float() else 0
    if odd:
        frame = frame.filter(value.is_finite())
    exact = value.cast(pl.Float64)
    facts = (
        frame.lazy()
        .select(
            min=value.min(),
            max=value.max(),
            mean=exact.mean(),
            median=value.median(),
            q05=value.quantile(0.05, "linear"),
            q25=value.quantile(0.25, "linear"),
            q75=value.quantile(0.75, "linear"),
            q95=value.quantile(0.95, "linear"),
            spread=exact.std(),
            zeros=(value == 0).sum(),
            negatives=(value < 0).sum(),
        )
        .collect()
        .row(0, named=True)
    )
    return {
        "numbers": {
            key: float(fact) if fact is not None and not isinstance(fact, int) else fact
            for key, fact in facts.items()
        },
        "odd": odd,
        "histogram": histogram(series),
    }


def _days(series: pl.Series, counts: pl.DataFrame) -> dict[str, Any]:
    if not counts.height:
        return {}
    days = (
        counts.select(pl.col("value").cast(pl.Date).alias("day"), "n")
        .group_by("day")
        .agg(pl.col("n").sum())
        .sort("day")
    )
    steps = days["day"].to_physical().diff().drop_nulls() - 1
    weekdays = dict(days.group_by(pl.col("day").dt.weekday()).agg(pl.col("n").sum()).iter_rows())
    months = (
        days.group_by(pl.col("day").dt.strftime("%Y-%m").alias("month")).agg(pl.col("n").sum()).sort("month")
    )
    ends = shown(pl.Series([series.min(), series.max()], dtype=series.dtype))
    return {
        "days": {
            "first": ends[0],
            "last": ends[1],
            "missing_days": int(steps.sum()),
            "longest_gap": int(max(steps.to_list(), default=0)),
        },
        "weekdays": tuple(int(weekdays.get(n, 0)) for n in range(1, 8)),
        "months": dict(months.iter_rows()),
        "histogram": histogram(series),
    }


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
