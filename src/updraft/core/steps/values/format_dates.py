from collections.abc import Callable, Mapping
from typing import Literal

import polars as pl

from updraft.core.steps.base import StepKind
from updraft.core.steps.choice import ColumnChoice
from updraft.core.steps.given import Context, Result, Wanted, also
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.spread import BY_ROWS, Spread
from updraft.core.steps.tables import Tables
from updraft.core.values import Kind, kind_of
from updraft.core.values.convert import pattern_of

# Part of a date → what it is called, and how it is made.
PARTS: dict[str, tuple[str, Callable[[pl.Expr], pl.Expr]]] = {
    "year": ("the year", lambda day: day.dt.year().cast(pl.Int64)),
    "half": ("the half-year, 2026-H1", lambda day: _in_year(day, "H", (day.dt.month() + 5) // 6)),
    "quarter": ("the quarter, 2026-Q1", lambda day: _in_year(day, "Q", day.dt.quarter())),
    "month": ("the month, 2026-03", lambda day: day.dt.to_string("%Y-%m")),
    "week": ("the week by ISO 8601, 2026-W14", lambda day: day.dt.to_string("%G-W%V")),
    "month_number": ("the number of the month", lambda day: day.dt.month().cast(pl.Int64)),
    "month_name": ("the name of the month", lambda day: day.dt.to_string("%B")),
    "day": ("the day of the month", lambda day: day.dt.day().cast(pl.Int64)),
    "weekday": ("the day of the week, Monday 1", lambda day: day.dt.weekday().cast(pl.Int64)),
    "weekday_name": ("the name of the day", lambda day: day.dt.to_string("%A")),
    "day_of_year": ("the day of the year", lambda day: day.dt.ordinal_day().cast(pl.Int64)),
    "time": ("the time, 14:05", lambda day: day.cast(pl.Datetime).dt.to_string("%H:%M")),
}


def _in_year(day: pl.Expr, sign: str, number: pl.Expr) -> pl.Expr:
    return day.dt.to_string("%Y") + f"-{sign}" + number.cast(pl.String)


class FormatDatesSettings(Settings):
    columns: ColumnChoice = setting(
        "Columns",
        widget="columns",
        default=ColumnChoice(by="types", types=(Kind.DATE, Kind.DATETIME)),
        kind="date",
        fits="dates",
    )
    to: Literal[
        "text",
        "year",
        "half",
        "quarter",
        "month",
        "week",
        "month_number",
        "month_name",
        "day",
        "weekday",
        "weekday_name",
        "day_of_year",
        "time",
    ] = setting(
        "Write",
        widget="pick_one",
        default="text",
        labels={"text": "the date, in a format", **{part: title for part, (title, _) in PARTS.items()}},
    )
    format: str = setting(
        "Format", "letters such as DD.MM.YYYY or D Mon YYYY", widget="text", default="DD.MM.YYYY",
        when={"to": ["text"]},
    )  # fmt: skip
    keep: bool = setting(
        "Keep the dates, with the part in a column of its own beside them", widget="flag", default=False
    )


class FormatDates(StepKind):
    """Write dates as text in a format, for people to read, or take a part of them: year, quarter, week …"""

    kind = "format_dates"
    title = "Format dates"
    summary = "Write dates as text, day, month and year as you like"
    words = ("date format", "date to text", "day month year", "strftime")
    icon = "calendar-week"
    makes_text = True
    works_on = frozenset({Kind.DATE, Kind.DATETIME})
    Settings = FormatDatesSettings

    def apply(self, tables: Tables, settings: FormatDatesSettings, context: Context) -> Result:
        table = tables.main
        schema = table.collect_schema()
        columns = [
            name
            for name in settings.columns.resolve(schema)
            if settings.columns.by == "names" or kind_of(schema[name]) in (Kind.DATE, Kind.DATETIME)
        ]
        if settings.to == "text":
            pattern = pattern_of(settings.format, year=False)
            make: Callable[[pl.Expr], pl.Expr] = lambda day: day.dt.to_string(pattern)  # noqa: E731
        else:
            make = PARTS[settings.to][1]
        if not settings.keep:
            return Result.by_value(table, dict.fromkeys(columns, make))
        return _beside(table, schema, columns, make, "text" if settings.to == "text" else settings.to)

    def reads(self, settings: FormatDatesSettings, wanted: Wanted, port: str) -> Wanted:
        return also(wanted, settings.columns.names) if settings.columns.by == "names" else None

    def spread(self, settings: FormatDatesSettings, schemas: Mapping[str, pl.Schema]) -> Spread:
        return BY_ROWS

    def sentence(self, settings: FormatDatesSettings) -> str:
        what = settings.format if settings.to == "text" else PARTS[settings.to][0]
        return f"{settings.columns.words()} · {what}"


def _beside(
    table: pl.LazyFrame, schema: pl.Schema, columns: list[str], make: Callable[[pl.Expr], pl.Expr], word: str
) -> Result:
    """Each column with what is made of it to its right, named after both."""
    order: list[pl.Expr] = []
    for name in schema:
        order.append(pl.col(name))
        if name in columns:
            fresh = f"{name} {word.replace('_', ' ')}"
            while fresh in schema:
                fresh += "_"
            order.append(make(pl.col(name)).alias(fresh))
    return Result(table.select(order), touched=())
