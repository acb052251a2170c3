"""Figures of a column from its values with their counts, frame by frame, as `counting` brings them."""

from __future__ import annotations

import math
from typing import Any

import polars as pl

from updraft.core.figures.histograms import Bins, Histogram, as_numbers
from updraft.core.figures.patterns import USUAL, pattern_counts, pattern_words
from updraft.core.values import is_blank
from updraft.core.values.text import shown

MOST, LEAST = 8, 5
LISTED = 10_000  # different values up to which all of them are kept
_QUANTILES = {"q05": 0.05, "q25": 0.25, "median": 0.5, "q75": 0.75, "q95": 0.95}


class Usual:
    """How many different values there are, and the most and the least frequent ones: of those that are as
    frequent as each other, the first in their order. `all` are those of a column that has not too many.
    """

    def __init__(self) -> None:
        self.distinct = 0
        self.all: list[pl.DataFrame] | None = []
        self._ends: dict[bool, list[pl.DataFrame]] = {True: [], False: []}

    def add(self, counts: pl.DataFrame) -> None:
        self.distinct += counts.height
        self.all = [*self.all, counts] if self.all is not None and self.distinct <= LISTED else None
        if counts.height > MOST and counts["n"].min() == counts["n"].max():
            counts = counts.bottom_k(MOST, by="value")  # whatever comes, none of the others is named
        for most, many in ((True, MOST), (False, LEAST)):
            self._ends[most] = [_first(pl.concat([*self._ends[most], counts]), many, most)]

    def listed(self, *, most: bool) -> tuple[tuple[str, int], ...]:
        """The most frequent ones with their rows, or the least frequent ones."""
        if not self._ends[most]:
            return ()
        found = self._ends[most][0].sort(["n", "value"], descending=[most, False])
        return tuple(zip(_cut(shown(found["value"])), found["n"].to_list(), strict=True))


def _first(counts: pl.DataFrame, many: int, most: bool) -> pl.DataFrame:
    """So many of them; without sorting them all, which takes longer than counting."""
    if counts.height <= many:
        return counts
    n = counts["n"]
    last: int = n.top_k(many).min() if most else n.bottom_k(many).max()  # type: ignore[assignment]
    sure = counts.filter(n > last if most else n < last)
    level = counts.filter(n == last)
    left = many - sure.height
    return pl.concat([sure, level.bottom_k(left, by="value") if level.height > left else level])


def _cut(texts: pl.Series) -> list[str]:
    return [text if text is None or len(text) <= 200 else f"{text[:199]}…" for text in texts.to_list()]


class Texts:
    """Blanks, lengths and patterns of texts."""

    def __init__(self) -> None:
        self.blank = 0
        self._ends: list[tuple[int, int]] = []
        self._signs = 0
        self._patterns: list[pl.DataFrame] = []

    def add(self, counts: pl.DataFrame) -> pl.DataFrame:
        """Take the texts in; those that are more than blanks."""
        blank = counts.select(is_blank("value", pl.String())).to_series()
        self.blank += int(counts["n"].filter(blank).sum())
        counts = counts.filter(~blank)
        if counts.height:
            length = pl.col("value").str.len_chars()
            low, high, signs = counts.select(
                length.min(),
                length.max().alias("high"),
                (length.cast(pl.Int64) * pl.col("n")).sum().alias("signs"),
            ).row(0)
            self._ends.append((low, high))
            self._signs += signs
            found = pl.concat([*self._patterns, pattern_counts(counts).select("pattern", "n")])
            self._patterns = [found.group_by("pattern").agg(pl.col("n").sum())]
        return counts

    def figures(self) -> dict[str, Any]:
        if not self._ends:
            return {"blank_only": self.blank}
        found = self._patterns[0].sort(["n", "pattern"], descending=[True, False])
        filled, first = int(found["n"].sum()), int(found["n"][0])
        lows, highs = zip(*self._ends, strict=True)
        return {
            "blank_only": self.blank,
            "numbers": {"shortest": min(lows), "longest": max(highs), "mean_length": self._signs / filled},
            "odd": filled - first if first >= USUAL * filled else 0,
            "patterns": tuple((pattern_words(pattern), n) for pattern, n in found.head(MOST).iter_rows()),
        }


class Numbers:
    """Ends, means and quantiles of numbers, those left out that are infinite or none.

    Args:
        rows: that have a number.
        low, high: the smallest and the largest one.
    """

    def __init__(self, dtype: pl.DataType, rows: int, low: Any, high: Any) -> None:
        self._rows, self._low, self._high = rows, low, high
        self._came, self._mean, self._apart = 0, 0.0, 0.0
        self._zeros = self._negatives = 0
        places = {name: share * (rows - 1) for name, share in _QUANTILES.items()}
        self._places = places if rows else {}
        self._at: dict[int, float] = {}  # place in the order of all rows → the number there
        self._bins = Bins(dtype, float(low), float(high)) if rows else None

    def add(self, counts: pl.DataFrame) -> None:
        value = pl.col("value")
        if counts.schema["value"].is_float():
            counts = counts.filter(value.is_finite())
        if not counts.height:
            return
        counts = counts.sort("value")
        zeros, negatives = (counts.filter(rule)["n"].sum() for rule in (value == 0, value < 0))
        self._zeros, self._negatives = self._zeros + int(zeros), self._negatives + int(negatives)
        values, n = counts["value"].cast(pl.Float64), counts["n"]
        ends = n.cum_sum() + self._came
        for place in {end(at) for at in self._places.values() for end in (math.floor, math.ceil)}:
            if self._came <= place < ends[-1]:
                self._at[place] = values[int(ends.search_sorted(place, side="right"))]
        self._spread(values, n)
        assert self._bins is not None
        self._bins.add(values, n)

    def _spread(self, values: pl.Series, n: pl.Series) -> None:
        """Means and squares of groups of numbers, put together (Chan, Golub and LeVeque 1979)."""
        more = int(n.sum())
        mean = float((values * n).sum()) / more
        apart = float((n * (values - mean) ** 2).sum())
        both, far = self._came + more, mean - self._mean
        self._apart += apart + far * far * self._came * more / both
        self._mean = mean if not self._came else self._mean + far * more / both
        self._came = both

    def figures(self, empty: int, odd: int) -> dict[str, Any]:
        histogram = self._bins.histogram(empty, odd) if self._bins else Histogram((), (), (), empty, odd)
        if not self._rows:
            gone = dict.fromkeys(("min", "max", "mean", *_QUANTILES, "spread"))
            return {"numbers": {**gone, "zeros": 0, "negatives": 0}, "odd": odd, "histogram": histogram}
        numbers = {
            "min": _plain(self._low),
            "max": _plain(self._high),
            "mean": self._mean,
            **{name: self._quantile(at) for name, at in self._places.items()},
            "spread": math.sqrt(self._apart / (self._rows - 1)) if self._rows > 1 else None,
            "zeros": self._zeros,
            "negatives": self._negatives,
        }
        return {"numbers": numbers, "odd": odd, "histogram": histogram}

    def _quantile(self, place: float) -> float:
        low, high = self._at[math.floor(place)], self._at[math.ceil(place)]
        return low if low == high else low + (high - low) * (place - math.floor(place))


def _plain(number: Any) -> float | int:
    return number if isinstance(number, int) else float(number)


class Days:
    """Ends, gaps, weekdays and months of dates."""

    def __init__(self, dtype: pl.DataType, rows: int, low: Any, high: Any) -> None:
        self._dtype, self._ends = dtype, (low, high)
        self._days: list[pl.DataFrame] = []
        ends = as_numbers(pl.Series([low, high], dtype=dtype)) if rows else ()
        self._bins = Bins(dtype, *ends) if rows else None

    def add(self, counts: pl.DataFrame) -> None:
        if not counts.height or self._bins is None:
            return
        self._bins.add(as_numbers(counts["value"]), counts["n"])
        days = counts.select(pl.col("value").cast(pl.Date).alias("day"), "n")
        self._days = [pl.concat([*self._days, days]).group_by("day").agg(pl.col("n").sum())]

    def figures(self, empty: int) -> dict[str, Any]:
        if self._bins is None:
            return {}
        days = self._days[0].sort("day")
        steps = days["day"].to_physical().diff().drop_nulls() - 1
        weekdays = dict(days.group_by(pl.col("day").dt.weekday()).agg(pl.col("n").sum()).iter_rows())
        month = pl.col("day").dt.strftime("%Y-%m").alias("month")
        months = days.group_by(month).agg(pl.col("n").sum()).sort("month")
        ends = shown(pl.Series(self._ends, dtype=self._dtype))
        return {
            "days": {
                "first": ends[0],
                "last": ends[1],
                "missing_days": int(steps.sum()),
                "longest_gap": int(max(steps.to_list(), default=0)),
            },
            "weekdays": tuple(int(weekdays.get(n, 0)) for n in range(1, 8)),
            "months": dict(months.iter_rows()),
            "histogram": self._bins.histogram(empty, 0),
        }
