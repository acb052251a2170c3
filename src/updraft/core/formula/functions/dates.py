"""Functions of dates."""

from __future__ import annotations

from collections.abc import Callable

import polars as pl

from updraft.core.formula.registry import function
from updraft.core.formula.terms import Misfit, Term
from updraft.core.values import FORMATS, Kind, converted
from updraft.core.values.convert import pattern_of
from updraft.core.values.languages import NAMED, month_names, weekday_names


@function(
    "value: any, format: text! = ''",
    "read as a date, by a format or the usual ones",
    "date('31.03.2026', 'DD.MM.YYYY')",
    "2026-03-31",
)
def date(value: Term, format: Term) -> Term:
    if value.kind is not Kind.TEXT:
        if value.kind in (Kind.DATE, Kind.DATETIME, None):
            return Term(value.expr.cast(pl.Date), Kind.DATE)
        raise Misfit("a date can be read from text only.", "Use day_of(year, month, day) for numbers.")
    form = str(format.constant)
    if form:
        pattern_of(form)
    # Day and month the other way round are never guessed: only formats that cannot be misread stand here.
    usual = [
        known
        for known in FORMATS[Kind.DATE]
        if known not in ("MM/DD/YYYY", "DD/MM/YYYY", "MM/DD/YY", "DD/MM/YY")
    ]
    return Term(converted(value.expr, pl.String(), Kind.DATE, [form] if form else usual), Kind.DATE)


def _part(name: str, help: str, gives: str, make: object) -> None:
    def part(day: Term) -> Term:
        return Term(make(day.expr).cast(pl.Int64), Kind.WHOLE)  # type: ignore[operator]

    part.__module__ = __name__
    function("day: day", help, f"{name}(date('2026-03-31'))", gives, name)(part)


_part("year", "its year", "2026", lambda day: day.dt.year())
_part("month", "its month, 1 to 12", "3", lambda day: day.dt.month())
_part("day", "its day of the month", "31", lambda day: day.dt.day())
_part("weekday", "its day of the week, Monday 1 to Sunday 7", "2", lambda day: day.dt.weekday())
_part("week", "its week of the year by ISO 8601", "14", lambda day: day.dt.week())
_part("quarter", "its quarter of the year", "1", lambda day: day.dt.quarter())
_part("day_of_year", "its day of the year", "90", lambda day: day.dt.ordinal_day())


@function(
    "day: day, language: text! = 'en'",
    "the name of its month: in en, de, es, fr, it, nl, pt, ro or tr",
    "month_name(date('2026-03-31'), 'de')",
    "März",
)
def month_name(day: Term, language: Term) -> Term:
    return _named(day.expr.dt.month(), month_names, language)


@function(
    "day: day, language: text! = 'en'",
    "the name of its day of the week: in en, de, es, fr, it, nl, pt, ro or tr",
    "weekday_name(date('2026-03-31'))",
    "Tuesday",
)
def weekday_name(day: Term, language: Term) -> Term:
    return _named(day.expr.dt.weekday(), weekday_names, language)


def _named(number: pl.Expr, names_in: Callable[[str], list[str]], language: Term) -> Term:
    known = str(language.constant)
    if known not in NAMED:
        raise Misfit(f"no names are known in “{known}”.", f"Write one of {', '.join(NAMED)}.")
    names = dict(enumerate(names_in(known), 1))
    return Term(number.replace_strict(names, return_dtype=pl.String, default=None), Kind.TEXT)


@function(
    "year: whole, month: whole, day: whole",
    "a date of its parts; empty where there is none",
    "day_of(2026, 3, 31)",
    "2026-03-31",
)
def day_of(year: Term, month: Term, day: Term) -> Term:
    parts = [part.expr.cast(pl.Int64) for part in (year, month, day)]
    written = pl.format(
        "{}-{}-{}", *(part.cast(pl.String).str.zfill(4 - 2 * (n > 0)) for n, part in enumerate(parts))
    )
    return Term(written.str.to_date("%Y-%m-%d", strict=False), Kind.DATE)


@function("day: day, days: whole", "so many days later", "add_days(date('2026-03-31'), 1)", "2026-04-01")
def add_days(day: Term, days: Term) -> Term:
    return Term(day.expr + pl.duration(days=days.expr), day.kind)


@function(
    "day: day, months: whole",
    "so many months later; the month's last day where it is shorter",
    "add_months(date('2026-01-31'), 1)",
    "2026-02-28",
)
def add_months(day: Term, months: Term) -> Term:
    return Term(day.expr.dt.offset_by(months.expr.cast(pl.String) + "mo"), day.kind)


@function("day: day", "the first day of its month", "month_start(date('2026-03-31'))", "2026-03-01")
def month_start(day: Term) -> Term:
    return Term(day.expr.cast(pl.Date).dt.month_start(), Kind.DATE)


@function("day: day", "the last day of its month", "month_end(date('2026-02-03'))", "2026-02-28")
def month_end(day: Term) -> Term:
    return Term(day.expr.cast(pl.Date).dt.month_end(), Kind.DATE)


@function(
    "start: day, end: day",
    "days from one date to another",
    "days_between(date('2026-03-01'), date('2026-03-31'))",
    "30",
)
def days_between(start: Term, end: Term) -> Term:
    gone = end.expr.cast(pl.Date) - start.expr.cast(pl.Date)
    return Term(gone.dt.total_days(), Kind.WHOLE)
