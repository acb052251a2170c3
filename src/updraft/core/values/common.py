"""The type that values of several columns can share, and columns by a pattern of their names."""

from __future__ import annotations

from collections.abc import Iterable

import polars as pl


def common_type(dtypes: Iterable[pl.DataType]) -> pl.DataType | None:
    """The narrowest type that holds all values of these: their own, a number for numbers, a time for days,
    else text.

    None where lists or records meet anything but their like: nothing holds both.
    """
    found = {dtype for dtype in dtypes if dtype != pl.Null}
    if not found:
        return pl.String()
    if len(found) == 1:
        return found.pop()
    if any(dtype.is_nested() for dtype in found):
        return None
    if all(dtype.is_integer() for dtype in found):
        return pl.Int64()
    if all(dtype.is_numeric() for dtype in found):
        return pl.Float64()
    if all(isinstance(dtype, pl.Date | pl.Datetime) for dtype in found):
        return pl.Datetime("us")
    return pl.String()


def names_that_fit(names: Iterable[str], pattern: str, *, whole: bool = False) -> list[str]:
    """The names that a regular expression fits, somewhere or as a whole; then in any case.

    By the engine of Polars, which is done in a time that grows with the text alone: Python's can take for
    ever over a pattern such as (a+)+$. Raises PolarsError where it is no regular expression.
    """
    series = pl.Series("name", list(names), dtype=pl.String)
    return series.filter(series.str.contains(f"(?i)^(?:{pattern})$" if whole else pattern)).to_list()
