"""Decimals that are reckoned with as on paper: 0.1 + 0.2 is 0.3, though binary fractions hold none of them.

Of numbers with at most six decimal places, and as many digits as a double holds, nothing is rounded off.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial

import polars as pl

PLACES, _SCALE = 6, 1e6
_WHOLE = 2.0**53  # up to which a double holds every whole number
SURE = _WHOLE / _SCALE  # below which a double tells any two decimals of six places apart
_FINE = 5e8  # below, roundings come to less than half of the last place
_ROOM = 9e12  # a total's millionths up to there are a whole number of 64 bits
_ROUNDED = 1e-15  # what a few roundings of a double, at most half of 2.2e-16 each, may come to


def exactly(column: pl.Expr, add: Callable[[pl.Expr], pl.Expr]) -> pl.Expr:
    """`add` of numbers (Float64) where all have at most six places: their wholes and their millionths apart,
    which are whole numbers, so that nothing is rounded off and any order gives the same.

    Args:
        add: a sum, of all rows or running.
    """
    wholes = column.floor()
    millionths = ((column - wholes) * _SCALE).round()
    exact = (column.round(PLACES) == column).all() & (wholes.abs().sum() < _WHOLE)
    over = (add(millionths) / _SCALE).floor()
    added = add(wholes) + over + (add(millionths) - over * _SCALE) / _SCALE  # by whatever parts: the same
    return pl.when(exact).then(_rounded(added)).otherwise(add(column))


def in_millionths(table: pl.LazyFrame, columns: Sequence[str]) -> frozenset[str]:
    """Those of the columns (Float64) of which any rows can be added up by `exactly_whole`."""

    def fits(number: pl.Expr) -> pl.Expr:
        size = number.abs()
        places = (number.round(PLACES) == number).all()
        return places & (size.max().fill_null(0) < _FINE) & (size.sum() < _ROOM)

    if not columns:
        return frozenset()
    told = table.select(fits(pl.col(name)).alias(name) for name in columns).collect()
    return frozenset(name for name in told.columns if told[name].item())


def exactly_whole(column: pl.Expr) -> pl.Expr:
    """The same sum as `exactly` makes, of numbers that are all known to fit (see `in_millionths`): one of
    whole numbers of millionths, which is several times as fast.
    """
    return (
        (column * _SCALE)
        .round()
        .cast(pl.Int64)
        .sum()
        .map_batches(_as_decimal, pl.Float64, is_elementwise=True)
    )


def halves(column: pl.Expr) -> tuple[pl.Expr, pl.Expr]:
    """The sum of numbers (Float64) of at most six places in two that add up to it: of their wholes, and of
    their millionths; both without rounding, as far as `exactly` reaches.
    """
    wholes = column.floor()
    millionths = ((column - wholes) * _SCALE).round().sum()
    return wholes.sum(), (millionths / _SCALE).round(PLACES)


def mean_of(total: pl.Expr, many: pl.Expr) -> pl.Expr:
    """The mean of so many numbers that come to a total (Float64)."""
    return reckoned("/", total, many.cast(pl.Float64))


def reckoned(sign: str, a: pl.Expr, b: pl.Expr) -> pl.Expr:
    """Two numbers (Float64) joined by a sign, as the decimal that is meant; see `tidied`. `//` and `%` count
    whole times towards the smaller number.
    """
    # Each of the two is held once: else an expression would grow threefold with each sign.
    return pl.map_batches([a, b], partial(_joined, sign), pl.Float64, is_elementwise=True)


def tidied(number: pl.Expr, sizes: pl.Expr | None = None) -> pl.Expr:
    """A reckoned number (Float64) as the decimal of six places that it is but for rounding (of four, if it is
    one, from five hundred million on, and of two from nine thousand million on); else as it is.

    Args:
        sizes: how large what it was reckoned from is, itself if nothing is said: roundings are so many times
            2⁻⁵³ of it (running error analysis, Wilkinson 1963).
    """
    given = [number] if sizes is None else [number, sizes]
    return pl.map_batches(given, _tidy, pl.Float64, is_elementwise=True)


def _as_decimal(millionths: pl.Series) -> pl.Series:
    scale = int(_SCALE)
    total = (millionths // scale).cast(pl.Float64) + (millionths % scale).cast(pl.Float64) / _SCALE
    return total.to_frame().select(_rounded(pl.first())).to_series()


def _joined(sign: str, both: Sequence[pl.Series]) -> pl.Series:
    a, b = both
    match sign:
        case "+":
            return _tidied(a + b, a.abs() + b.abs())
        case "-":
            return _tidied(a - b, a.abs() + b.abs())
        case "*":
            made = a * b
        case "/":
            made = a / b
        case "**":
            made = a.pow(b)
        case _:
            times = _joined("/", both).floor()  # 0.3 // 0.1 is 3
            return times if sign == "//" else _tidied(a - times * b, a.abs())
    return _tidied(made, made.abs())


def _tidy(given: Sequence[pl.Series]) -> pl.Series:
    return _tidied(given[0], given[-1].abs())


def _tidied(number: pl.Series, sizes: pl.Series) -> pl.Series:
    largest = sizes.max()
    if not isinstance(largest, float) or largest < _FINE:  # as nearly always
        rounded = number.round(PLACES)
    else:
        near = number.round(4)
        is_near = (sizes >= _FINE) & ((near - number).abs() <= sizes * _ROUNDED)
        rounded = near.zip_with(is_near.fill_null(False), number.round(PLACES))
        rounded = rounded.zip_with(sizes < SURE, number.round(2))
    meant = ((rounded - number).abs() <= sizes * _ROUNDED) & (sizes < _WHOLE / 100)
    return rounded.zip_with(meant.fill_null(False), number)


def _rounded(total: pl.Expr) -> pl.Expr:
    # Polars divides by a constant as it multiplies by one over it, which is a rounding more.
    return pl.when(total.abs() < SURE).then(total.round(PLACES)).otherwise(total)
