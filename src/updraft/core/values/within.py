"""Dates that stand somewhere in a text."""

from __future__ import annotations

import polars as pl

from updraft.core.values.convert import converted
from updraft.core.values.kinds import Kind

_MONTH = (
    r"(?i:jan(?:uary)?|feb(?:ruary)?|mar(?:ch)?|apr(?:il)?|may|june?|july?|aug(?:ust)?|sept?(?:ember)?"
    r"|oct(?:ober)?|nov(?:ember)?|dec(?:ember)?)"
)
_SHAPE = (
    r"\b\d{4}[-/.]\d{1,2}[-/.]\d{1,2}\b|\b\d{1,2}[-/.]\d{1,2}[-/.]\d{2,4}\b"
    rf"|\b\d{{1,2}}(?:st|nd|rd|th)?\.?[ -]{_MONTH}\.?,?[ -]\d{{4}}\b"
    rf"|\b{_MONTH}\.? \d{{1,2}}(?:st|nd|rd|th)?,? \d{{4}}\b"
)


def dates_within(text: pl.Expr, place: int, month_first: bool = False) -> pl.Expr:
    """The n-th date that stands in a text, -1 the last; empty where there is none, or no such day.

    Years of four digits or two, months as numbers or English words. Of 3/4/2026 the day comes first unless
    said otherwise.
    """
    found = text.str.extract_all(_SHAPE).list.get(place - 1 if place > 0 else place, null_on_oob=True)
    found = found.str.replace_all(r"(\d)(?:st|nd|rd|th)\b", "${1}").str.replace_all(r"[/.]", "-")
    found = found.str.replace_all(r",|-* +", " ").str.replace_all(r"(\p{L})[a-z]*", "${0}")
    word = found.str.replace_all(r"[ -]+", "-").str.replace(r"\b(\p{L}{3})\p{L}*", "${1}")
    order = ["M-D-YYYY", "M-D-YY"] if month_first else ["D-M-YYYY", "D-M-YY"]
    return converted(word, pl.String(), Kind.DATE, ["YYYY-M-D", *order, "D-Mon-YYYY", "Mon-D-YYYY"])
