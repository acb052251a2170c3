"""Rules that open the rows behind a row of a result: those of a group."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import date, datetime, timedelta
from typing import Any

import polars as pl

from updraft.core.values import is_blank
from updraft.core.values.text import shown

Condition = dict[str, Any]


def equal_to(name: str, value: Any, dtype: pl.DataType, groups: pl.Series) -> list[Condition]:
    """Conditions of the rows whose column has just this value.

    Args:
        groups: all values by which rows are grouped: of them some may be blanks, which are not nothing.
    """
    if value is not None:
        return [{"column": name, "test": "one_of", "values": [shown(pl.Series([value], dtype=dtype))[0]]}]
    blanks: list[str] = []
    if groups.dtype == pl.String:
        blank = groups.to_frame("it").filter(is_blank("it", groups.dtype) & pl.col("it").is_not_null())
        blanks = blank["it"].unique().to_list()
    but = [{"column": name, "test": "none_of", "values": blanks}] if blanks else []
    return [{"column": name, "test": "empty"}, *but]


def from_to(name: str, start: Any, end: Any) -> list[Condition]:
    """Conditions of the rows whose column lies from a value on, and before another."""
    return [
        {"column": name, "test": "at_least", "value": str(start)},
        {"column": name, "test": "less", "value": str(end)},
    ]


def span_of(part: str, label: Any) -> tuple[date, date] | None:
    """The first day of a part of a date, as a group is called, and the day after its last; None where the
    part comes again every year, week or day.
    """
    match part:
        case "year":
            return date(int(label), 1, 1), date(int(label) + 1, 1, 1)
        case "quarter":
            year, quarter = str(label).split("-Q")
            start = date(int(year), 3 * int(quarter) - 2, 1)
            return start, _months(start, 3)
        case "month":
            start = date.fromisoformat(f"{label}-01")
            return start, _months(start, 1)
        case "week":
            year, week = str(label).split("-W")
            start = date.fromisocalendar(int(year), int(week), 1)
            return start, start + timedelta(days=7)
        case "day":
            start = label.date() if isinstance(label, datetime) else label
            return start, start + timedelta(days=1)
        case _:
            return None


def all_of(conditions: Iterable[Condition]) -> dict[str, Any]:
    """One rule of all of them."""
    return {"match": "all", "of": list(conditions)}


def _months(start: date, many: int) -> date:
    month = start.month - 1 + many
    return date(start.year + month // 12, month % 12 + 1, 1)
