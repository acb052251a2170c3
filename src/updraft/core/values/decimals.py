"""Decimals that are reckoned with as on paper: 0.1 + 0.2 is 0.3, though binary fractions hold none of them.

Of numbers with at most six decimal places, and as many digits as a double holds, nothing is rounded off.
"""

from __future__ import annotations

from collections.abc import Callable

import polars as pl

_PLACES, _SCALE = 6, 1e6
_WHOLE = 2.0**53  # up to which a double holds every whole number
_ROUNDED = 1e-15  # what a few roundings of a double, at most half of 2.2e-16 each, may come to


def exactly(column: pl.Expr, add: Callable[[pl.Expr], pl.Expr]) -> pl.Expr:
    """`add` of numbers (Float64) where all have at most six places: their wholes and their millionths apart,
    which are whole numbers, so that nothing is rounded off and any order gives the same.

    Args:
        add: a sum, of all rows or running.
    """
    wholes = column.floor()
    millionths = ((column - wholes) * _SCALE).round()
    exact = (column.round(_PLACES) == column).all() & (wholes.abs().sum() < _WHOLE)
    added = _rounded(add(wholes) + add(millionths) / _SCALE)
    return pl.when(exact).then(added).otherwise(add(column))


def settled(number: pl.Expr, near: pl.Expr) -> pl.Expr:
    """A reckoned number (Float64) as the decimal of six places that it is but for rounding (of two, from
    nine thousand million on); else as it is.

    Args:
        near: how large what it was reckoned from is: roundings are that much times 2⁻⁵³ (running error
            analysis, Wilkinson 1963).
    """
    small = near < _WHOLE / _SCALE
    rounded = pl.when(small).then(number.round(_PLACES)).otherwise(number.round(2))
    meant = ((rounded - number).abs() <= near * _ROUNDED) & (near < _WHOLE / 100)
    return pl.when(meant).then(rounded).otherwise(number)


def _rounded(total: pl.Expr) -> pl.Expr:
    # Polars divides by a constant as it multiplies by one over it, which is a rounding more.
    return pl.when(total.abs() < _WHOLE / _SCALE).then(total.round(_PLACES)).otherwise(total)
