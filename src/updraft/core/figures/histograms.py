"""Histograms of numbers and days, linear or logarithmic, with what cannot stand in them counted beside."""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from typing import TYPE_CHECKING

import polars as pl

if TYPE_CHECKING:
    import numpy as np


@dataclass(frozen=True)
class Histogram:
    """Counts between edges.

    Args:
        edges: bins + 1 numbers; for dates days, for dates with a time seconds, since 1970-01-01. The first is
            the smallest value. The last is the largest, or one beyond it for whole numbers and days.
        labels: the edges as a reader would write them, every digit of them.
        empty: cells without a value.
        outside: numbers that have no place: infinite or not a number, and those not above 0 on a logarithmic
            scale.
        log: whether the edges grow by a factor.
    """

    edges: tuple[float, ...]
    counts: tuple[int, ...]
    labels: tuple[str, ...]
    empty: int
    outside: int
    log: bool = False


def histogram(series: pl.Series, bins: int = 24, *, log: bool = False) -> Histogram:
    """A histogram from the smallest to the largest value.

    Args:
        series: whole numbers, numbers, dates, or dates with a time.
        bins: how many, from 1 to 400; whole numbers and days get no bin narrower than one.
    """
    values, log = as_numbers(series.drop_nulls()), log and not series.dtype.is_temporal()
    fits = values.is_finite() & (values > 0) if log else values.is_finite()
    inside = values.filter(fits)
    empty, outside = series.null_count(), values.len() - inside.len()
    if not inside.len():
        return Histogram((), (), (), empty, outside, log)
    low, high = float(inside.min()), float(inside.max())  # type: ignore[arg-type]
    made = Bins(series.dtype, low, high, bins, log=log)
    made.add(inside)
    return made.histogram(empty, outside)


def as_numbers(values: pl.Series) -> pl.Series:
    """Values as the numbers that the edges are: of dates days, of dates with a time seconds."""
    if isinstance(values.dtype, pl.Datetime):
        values = values.dt.epoch("s")
    elif isinstance(values.dtype, pl.Date):
        values = values.to_physical()
    return values.cast(pl.Float64)


class Bins:
    """A histogram that values are added to.

    Args:
        dtype: of the values.
        low, high: the smallest and the largest of them, as numbers.
    """

    def __init__(
        self, dtype: pl.DataType, low: float, high: float, bins: int = 24, *, log: bool = False
    ) -> None:
        import numpy as np

        self._dtype, self._log = dtype, log
        self._step = 1 if dtype.is_integer() or dtype.is_temporal() else 0
        self._edges = _edges(low, high, max(1, min(bins, 400)), self._step, log)
        self._counts = np.zeros(len(self._edges) - 1, dtype=np.int64)

    def add(self, inside: pl.Series, rows: pl.Series | None = None) -> None:
        """Add numbers between the ends; `rows` says how many have each."""
        import numpy as np

        places = np.searchsorted(self._edges, inside.to_numpy(), side="right") - 1
        places = np.clip(places, 0, len(self._counts) - 1)
        weights = None if rows is None else rows.to_numpy()  # whole numbers, exact below 2^53
        self._counts += np.bincount(places, weights, minlength=len(self._counts)).astype(np.int64)

    def histogram(self, empty: int, outside: int) -> Histogram:
        step = 0 if self._log else self._step
        return Histogram(
            tuple(self._edges.tolist()),
            tuple(int(count) for count in self._counts),
            tuple(_label(edge, self._dtype, step) for edge in self._edges),
            empty,
            outside,
            self._log,
        )


def _edges(
    low: float, high: float, bins: int, step: int, log: bool
) -> np.ndarray[tuple[int], np.dtype[np.float64]]:
    import numpy as np

    if low == high:
        return np.array([low, low + (step or max(abs(low) * 1e-9, 1e-9))])
    if log:
        return _plain(np.exp(np.linspace(math.log(low), math.log(high), bins + 1)), low, high)
    if step:
        width = max(math.ceil((high - low + 1) / bins), 1)
        return np.append(np.arange(low, high + 1, width, dtype=np.float64), high + 1)
    if not math.isfinite(high - low):
        return np.array([low, 0.0, high])  # further apart than a float can tell
    # Quarters, since the steps of the largest floats overflow.
    return _plain(np.linspace(low / 4, high / 4, bins + 1) * 4, low, high)


def _plain(
    edges: np.ndarray[tuple[int], np.dtype[np.float64]], low: float, high: float
) -> np.ndarray[tuple[int], np.dtype[np.float64]]:
    """The edges within with six digits, so that what is shown is what is counted; the ends as they are."""
    import numpy as np

    inner = [float(f"{edge:.6g}") for edge in edges[1:-1].tolist()]
    inner = sorted({edge for edge in inner if low < edge < high})
    return np.array([low, *inner, high])


def _label(edge: float, dtype: pl.DataType, step: int) -> str:
    if isinstance(dtype, pl.Date):
        return str(date(1970, 1, 1) + timedelta(days=max(min(edge, 2_932_896), -719_162)))
    if isinstance(dtype, pl.Datetime):
        return str(datetime(1970, 1, 1) + timedelta(seconds=max(min(edge, 2.534e11), -6.21e10)))[:19]
    return f"{edge:.0f}" if step else repr(float(edge)).removesuffix(".0")
