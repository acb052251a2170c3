"""Forms that read the same text as two different values, and what in a whole column tells which is meant."""

from __future__ import annotations

import re

import polars as pl

from updraft.core.letters import western_digits
from updraft.core.values.convert import KNOWN, converted
from updraft.core.values.kinds import Kind

_ORDER = re.compile(r"^(DD?)([/-])(MM?)(?=\2Y)|^(MM?)([/-])(DD?)(?=\5Y)")


def _twin(form: str) -> str:
    """The form with day and month changed about; nothing where their order is no question."""
    found = _ORDER.match(form)
    if found is None:
        return ""
    first, mark, second = found.groups()[:3] if found[1] else found.groups()[3:]
    return f"{second}{mark}{first}{form[found.end() :]}"


# "04/05/2026" is two days, "1,234" two numbers.
TWINS = {"1,234.5": "1.234,5", "1.234,5": "1,234.5"} | {
    form: twin
    for kind in (Kind.DATE, Kind.DATETIME)
    for form in KNOWN[kind]
    if (twin := _twin(form)) in KNOWN[kind]
}
_LEAST = 6  # distinct values without which nothing is told by all of them together


def told_apart(texts: pl.Series, kind: Kind, form: str) -> tuple[str, str]:
    """Which of a form and its twin is meant, and why; two empty texts where nothing tells.

    Dates: the rows stand in order under one reading and not under the other, or one place is 1 throughout
    while the other goes through the months. Numbers: see `_grouped`.

    Args:
        texts: the column; every value reads under both forms.
    """
    distinct = texts.drop_nulls().str.strip_chars().unique(maintain_order=True)
    if distinct.len() < _LEAST:
        return "", ""
    twin = TWINS[form]
    if kind not in (Kind.DATE, Kind.DATETIME):
        return (
            (_THOUSANDS, "whole numbers stand beside groups of three digits")
            if _grouped(distinct)
            else ("", "")
        )
    for meant, other in ((form, twin), (twin, form)):
        if _months(distinct, kind, meant):
            return meant, "each is the first day of a month"
        if _in_order(texts, kind, meant) and not _in_order(texts, kind, other):
            return meant, "only so do the rows stand in order"
    return "", ""


_THOUSANDS = "1,234.5"


def _grouped(distinct: pl.Series) -> bool:
    """Whether a comma parts thousands: numbers below 1,000 stand without one, and one of those with it ends
    in 0.

    Where the comma were the decimal one, a program that fills up to three places would have written 5,000 for
    5, and one that does not would have written 11,78 for 11,780.
    """
    plain = distinct.str.contains(r"^-?\d{1,3}$")
    comma = distinct.str.contains(r"^-?[1-9]\d{0,2}(,\d{3})+$")
    if not (plain | comma).all() or not plain.any():
        return False
    return bool(comma.sum() >= _LEAST and distinct.filter(comma).str.ends_with("0").any())


def _months(distinct: pl.Series, kind: Kind, form: str) -> bool:
    days = _read(distinct, kind, form)
    return bool((days.dt.day() == 1).all() and days.dt.month().n_unique() >= _LEAST)


def _in_order(texts: pl.Series, kind: Kind, form: str) -> bool:
    days = _read(texts, kind, form).drop_nulls()
    return days.is_sorted() or days.is_sorted(descending=True)


def _read(texts: pl.Series, kind: Kind, form: str) -> pl.Series:
    read = converted("it", pl.String(), kind, [form], plain=True)
    return western_digits(texts).to_frame("it").select(read).to_series()
