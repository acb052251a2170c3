"""Days named from today, for parameters: “first of last month”, “yesterday”, “today - 7 days”, “monday of
this week”.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from datetime import date, timedelta

from updraft.core.problems import Problem

_WEEK = ("monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday")
_STEPS = {"last": -1, "this": 0, "next": 1}
_PHRASE = re.compile(
    r"(?:(first|last) of (last|this|next) (month|year)|(" + "|".join(_WEEK) + r") of (last|this|next) week"
    r"|(today|yesterday|tomorrow))(?:\s*([+-])\s*(\d{1,5}) days?)?"
)
EXAMPLES = "today, yesterday, today - 7 days, first of last month, last of this year, monday of this week"


def day_of(text: str, clock: Callable[[], date]) -> date:
    """The day that a phrase, or a date as YYYY-MM-DD, names.

    Raises:
        Problem: it names none.
    """
    plain = " ".join(text.casefold().split())
    try:
        return date.fromisoformat(plain)
    except ValueError:
        pass
    found = _PHRASE.fullmatch(plain)
    if not found:
        raise Problem(
            f"“{text}”",
            "it names no day.",
            f"Type a date as 2026-03-31, or one of: {EXAMPLES}.",
            code="no_day",
        )
    today = clock()
    end, of, unit, weekday, week, near, sign, days = found.groups()
    if near:
        day = today + timedelta(days={"today": 0, "yesterday": -1, "tomorrow": 1}[near])
    elif weekday:
        day = today - timedelta(days=today.weekday() - _WEEK.index(weekday) - 7 * _STEPS[week])
    else:
        day = _edge(today, end, _STEPS[of], unit)
    return day + timedelta(days=int(days or 0) * (-1 if sign == "-" else 1))


def _edge(today: date, end: str, step: int, unit: str) -> date:
    """The first or last day of a month or year, counted from today's."""
    months = 1 if unit == "month" else 12
    start = today.year * 12 + (today.month - 1 if unit == "month" else 0) + step * months
    after = start + months
    first, beyond = date(start // 12, start % 12 + 1, 1), date(after // 12, after % 12 + 1, 1)
    return first if end == "first" else beyond - timedelta(days=1)
