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
    bins = max(1, min(bins, 400))
    dtype = series.dtype
    values = series.drop_nulls()
    step = 0
    if isinstance(dtype, pl.Datetime):
        values = values.dt.epoch("s")
        log, step = False, 1
    elif isinstance(dtype, pl.Date):
        values = values.to_physical()
        log, step = False, 1
    elif dtype.is_integer():
        step = 1
    numbers = values.cast(pl.Float64)
    fits = numbers.is_finite() & (numbers > 0) if log else numbers.is_finite()
    inside = numbers.filter(fits)
    empty, outside = series.null_count(), numbers.len() - inside.len()
    if not inside.len():
        return Histogram((), (), (), empty, outside, log)
    low, high = float(inside.min()), float(inside.max())  # type: ignore[arg-type]
    edges = _edges(low, high, bins, step, log)
    import numpy as np

    places = np.searchsorted(edges, inside.to_numpy(), side="right") - 1
    counts = np.bincount(np.clip(places, 0, len(edges) - 2), minlength=len(edges) - 1)
    return Histogram(
        tuple(edges.tolist()),
        tuple(int(c) for c in counts),
        tuple(_label(e, dtype, 0 if log else step, high - low) for e in edges),
        empty,
        outside,
        log,
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


def _label(edge: float, dtype: pl.DataType, step: int, wide: float) -> str:
    if isinstance(dtype, pl.Date):
        return str(date(1970, 1, 1) + timedelta(days=max(min(edge, 2_932_896), -719_162)))
    if isinstance(dtype, pl.Datetime):
        return str(datetime(1970, 1, 1) + timedelta(seconds=max(min(edge, 2.534e11), -6.21e10)))[:19]
    return f"{edge:.0f}" if step else repr(float(edge)).removesuffix(".0")
