"""More of dates and times: hours, spans, beginnings and ends, working days."""

from __future__ import annotations

import re
from collections.abc import Callable

import polars as pl

from updraft.core.formula.registry import function
from updraft.core.formula.terms import Misfit, Term
from updraft.core.values import FORMATS, Kind, converted
from updraft.core.values.convert import pattern_of

_DAY = "date('2026-03-31')"
_TIME = "datetime('2026-03-31 14:05:09')"


_CLOCK = {"hh": r"\d{2}", "mm": r"\d{2}", "ss": r"\d{2}", "h": r"\d{1,2}", "AM": "[AaPp][Mm]"}


@function("value: any, format: text! = ''", "read as date and time, by a format or the usual ones",
          "datetime('31.03.2026 14:05', 'DD.MM.YYYY hh:mm')", "2026-03-31 14:05:00")  # fmt: skip
def datetime(value: Term, format: Term) -> Term:
    if value.kind is not Kind.TEXT:
        if value.kind in (Kind.DATE, Kind.DATETIME, None):
            return Term(value.expr.cast(pl.Datetime("us")), Kind.DATETIME)
        raise Misfit("date and time can be read from text only.", "Use text(…) before.")
    form = str(format.constant)
    if form:
        pattern_of(form)
    # Day and month the other way round are never guessed.
    usual = [known for known in FORMATS[Kind.DATETIME] if not known.startswith(("MM/", "DD/", "M/", "D/"))]
    return Term(converted(value.expr, pl.String(), Kind.DATETIME, [form] if form else usual), Kind.DATETIME)


def _of(
    name: str, help: str, example: str, gives: str, kind: Kind, make: Callable[[pl.Expr], pl.Expr]
) -> None:
    def part(day: Term) -> Term:
        found = make(day.expr)
        return Term(found.cast(pl.Int64) if kind is Kind.WHOLE else found, kind)

    part.__module__ = __name__
    function("day: day", help, f"{name}({example})", gives, name)(part)


def _time(day: pl.Expr) -> pl.Expr:
    return day.cast(pl.Datetime("us"))


def _day(day: pl.Expr) -> pl.Expr:
    return day.cast(pl.Date)


_of("hour", "its hour, 0 to 23", _TIME, "14", Kind.WHOLE, lambda day: _time(day).dt.hour())
_of("minute", "its minute", _TIME, "5", Kind.WHOLE, lambda day: _time(day).dt.minute())
_of("second", "its second", _TIME, "9", Kind.WHOLE, lambda day: _time(day).dt.second())
_of(
    "clock",
    "its time of day, as text",
    _TIME,
    "14:05",
    Kind.TEXT,
    lambda day: _time(day).dt.to_string("%H:%M"),
)
_of(
    "year_month", "year and month, as text", _DAY, "2026-03", Kind.TEXT, lambda day: day.dt.to_string("%Y-%m")
)
_of("year_week", "year and week by ISO 8601, as text", _DAY, "2026-W14", Kind.TEXT,
    lambda day: day.dt.to_string("%G-W%V"))  # fmt: skip
_of("year_quarter", "year and quarter, as text", _DAY, "2026-Q1", Kind.TEXT,
    lambda day: day.dt.to_string("%Y") + "-Q" + day.dt.quarter().cast(pl.String))  # fmt: skip
_of(
    "week_start",
    "the Monday of its week",
    _DAY,
    "2026-03-30",
    Kind.DATE,
    lambda day: _day(day).dt.truncate("1w"),
)
_of("quarter_start", "the first day of its quarter", _DAY, "2026-01-01", Kind.DATE,
    lambda day: _day(day).dt.truncate("1q"))  # fmt: skip
_of(
    "year_start",
    "the first day of its year",
    _DAY,
    "2026-01-01",
    Kind.DATE,
    lambda day: _day(day).dt.truncate("1y"),
)
_of("year_end", "the last day of its year", _DAY, "2026-12-31", Kind.DATE,
    lambda day: _day(day).dt.truncate("1y").dt.offset_by("1y").dt.offset_by("-1d"))  # fmt: skip
_of(
    "days_in_month",
    "how many days its month has",
    _DAY,
    "31",
    Kind.WHOLE,
    lambda day: _day(day).dt.month_end().dt.day(),
)
_of(
    "is_weekend",
    "whether it is a Saturday or Sunday",
    _DAY,
    "no",
    Kind.YES_NO,
    lambda day: day.dt.weekday() > 5,
)


@function("day: day, years: whole", "so many years later", "add_years(date('2024-02-29'), 1)", "2025-02-28")
def add_years(day: Term, years: Term) -> Term:
    return Term(day.expr.dt.offset_by(years.expr.cast(pl.String) + "y"), day.kind)


@function("day: day, hours: whole", "so many hours later, as date and time",
          "add_hours(date('2026-03-31'), 6)", "2026-03-31 06:00:00")  # fmt: skip
def add_hours(day: Term, hours: Term) -> Term:
    return Term(_time(day.expr) + pl.duration(hours=hours.expr), Kind.DATETIME)


def _months(start: Term, end: Term) -> pl.Expr:
    """Whole months from one day to another; one is whole on the day of its number, or the last there is."""
    a, b = _day(start.expr), _day(end.expr)
    months = (b.dt.year() - a.dt.year()) * 12 + b.dt.month().cast(pl.Int32) - a.dt.month().cast(pl.Int32)
    short = (b.dt.day() < a.dt.day()) & (b != b.dt.month_end())
    long = (b.dt.day() > a.dt.day()) & (a != a.dt.month_end())
    forward = months - short.cast(pl.Int32)
    return pl.when(a <= b).then(forward).otherwise(months + long.cast(pl.Int32)).cast(pl.Int64)


@function("start: day, end: day", "whole months from one date to another",
          "months_between(date('2026-01-31'), date('2026-03-30'))", "1")  # fmt: skip
def months_between(start: Term, end: Term) -> Term:
    return Term(_months(start, end), Kind.WHOLE)


@function("start: day, end: day", "whole years from one date to another, such as an age",
          "years_between(date('2000-06-15'), date('2026-06-14'))", "25")  # fmt: skip
def years_between(start: Term, end: Term) -> Term:
    months = _months(start, end)
    return Term((months.abs() // 12) * months.sign(), Kind.WHOLE)


@function(
    "start: day, end: day",
    "hours from one time to another",
    "hours_between(datetime('2026-03-31 08:00:00'), datetime('2026-03-31 09:30:00'))",
    "1.5",
)
def hours_between(start: Term, end: Term) -> Term:
    return Term((_time(end.expr) - _time(start.expr)).dt.total_seconds() / 3600, Kind.NUMBER)


@function("start: day, end: day", "Mondays to Fridays from one date up to another, which is not counted",
          "workdays_between(date('2026-03-27'), date('2026-03-31'))", "2")  # fmt: skip
def workdays_between(start: Term, end: Term) -> Term:
    return Term(pl.business_day_count(_day(start.expr), _day(end.expr)).cast(pl.Int64), Kind.WHOLE)


@function("day: day, days: whole", "so many working days later, Mondays to Fridays",
          "add_workdays(date('2026-03-27'), 2)", "2026-03-31")  # fmt: skip
def add_workdays(day: Term, days: Term) -> Term:
    return Term(_day(day.expr).dt.add_business_days(days.expr, roll="forward"), Kind.DATE)


@function("number: number", "a day number of spreadsheets as a date", "from_day_number(46112)", "2026-03-31")
def from_day_number(number: Term) -> Term:
    days = number.as_number().floor().cast(pl.Int64, strict=False)
    known = pl.when(days.is_between(1, 2_958_465)).then(days)  # to the year 9999
    return Term(pl.lit("1899-12-30").str.to_date() + pl.duration(days=known), Kind.DATE)


@function(
    "seconds: number",
    "seconds since 1970 as date and time",
    "from_seconds(1774965909)",
    "2026-03-31 14:05:09",
)
def from_seconds(seconds: Term) -> Term:
    many = (seconds.as_number() * 1_000_000).cast(pl.Int64, strict=False)
    known = pl.when(many.abs() < 253_402_300_800_000_000).then(many)  # to the year 9999
    return Term(known.cast(pl.Datetime("us")), Kind.DATETIME)


@function(
    "text: text, format: text!, new: text!",
    "a time of day in another form; empty where it is none",
    "time_as('3:05 PM', 'h:mm AM', 'hh:mm')",
    "15:05",
)
def time_as(text: Term, format: Term, new: Term) -> Term:
    form, out = (pattern_of(str(term.constant), year=False) for term in (format, new))
    shape = re.escape(str(format.constant))
    for letters, digits in (
        ("hh", r"\d{2}"),
        ("mm", r"\d{2}"),
        ("ss", r"\d{2}"),
        ("h", r"\d{1,2}"),
        ("AM", "[AaPp][Mm]"),
    ):
        shape = shape.replace(letters, digits)
    bare = text.expr.str.strip_chars()
    fits = bare.str.contains(f"^{shape}$")
    # A day before it, since a time alone is read by fewer forms.
    read = ("2000-01-01 " + bare).str.to_datetime(f"%Y-%m-%d {form}", strict=False)
    return Term(pl.when(fits).then(read.dt.to_string(out)), Kind.TEXT)
