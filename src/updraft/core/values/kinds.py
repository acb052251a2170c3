"""The kinds a column can have, and the Polars types that carry them."""

from __future__ import annotations

from enum import StrEnum

import polars as pl


class Kind(StrEnum):
    TEXT = "text"
    WHOLE = "whole"
    NUMBER = "number"
    YES_NO = "yes_no"
    DATE = "date"
    DATETIME = "datetime"
    DURATION = "duration"
    LIST = "list"
    RECORD = "record"


TITLES: dict[Kind, str] = {
    Kind.TEXT: "text",
    Kind.WHOLE: "whole number",
    Kind.NUMBER: "number",
    Kind.YES_NO: "yes/no",
    Kind.DATE: "date",
    Kind.DATETIME: "date and time",
    Kind.DURATION: "duration",
    Kind.LIST: "list",
    Kind.RECORD: "record",
}

DTYPES: dict[Kind, pl.DataType] = {
    Kind.TEXT: pl.String(),
    Kind.WHOLE: pl.Int64(),
    Kind.NUMBER: pl.Float64(),
    Kind.YES_NO: pl.Boolean(),
    Kind.DATE: pl.Date(),
    Kind.DATETIME: pl.Datetime("us"),
}


def kind_of(dtype: pl.DataType) -> Kind:
    """The kind that a Polars type carries; anything unforeseen is shown as text."""
    if dtype.is_integer():
        return Kind.WHOLE
    if dtype.is_numeric():
        return Kind.NUMBER
    for kinds, kind in (
        ((pl.Boolean,), Kind.YES_NO),
        ((pl.Date,), Kind.DATE),
        ((pl.Datetime,), Kind.DATETIME),
        ((pl.Duration, pl.Time), Kind.DURATION),
        ((pl.List, pl.Array), Kind.LIST),
        ((pl.Struct,), Kind.RECORD),
    ):
        if isinstance(dtype, kinds):
            return kind
    return Kind.TEXT


_SIGN = r"[^\s\u{a0}\u{200b}\u{feff}]"


def is_blank(column: str, dtype: pl.DataType) -> pl.Expr:
    """Empty, or text of nothing but blanks (Unicode white space, non-breaking and zero-width blanks)."""
    value = pl.col(column)
    if not isinstance(dtype, pl.String):
        return value.is_null()
    # A text that begins with a sign of ASCII needs no pattern, which takes several times as long.
    plain = (value >= "!") & (value < "\x7f")
    return value.is_null() | ~(plain | pl.when(~plain).then(value).str.contains(_SIGN))
