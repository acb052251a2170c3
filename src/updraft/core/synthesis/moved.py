"""Days that follow from a date: so many later or earlier, where its week, month, quarter or year begins."""

from __future__ import annotations

import calendar
from collections.abc import Callable, Iterator
from datetime import date, timedelta
from functools import partial

_USUAL = frozenset({1, 7, 10, 14, 15, 20, 21, 28, 30, 45, 60, 90, 100, 365})  # days that people count
_FARTHEST = 400  # days, and months a third of it
Move = tuple[str, Callable[[date], date], float, str]


def moves(day: date, wanted: date) -> Iterator[Move]:
    """Ways from one day to another: a formula of the day ({}), the same in Python, its cost, its words."""
    for call, make, words in (
        ("month_start({})", _first, "the first of the month of"),
        ("month_end({})", _last, "the last of the month of"),
        ("add_days(month_end({}), 1)", _next_first, "the first of the month after that of"),
        ("add_days(month_start({}), -1)", _last_before, "the last of the month before that of"),
        ("add_days({}, 1 - weekday({}))", _monday, "the Monday of the week of"),
        ("add_days({}, 7 - weekday({}))", _sunday, "the Sunday of the week of"),
        ("day_of(year({}), quarter({}) * 3 - 2, 1)", _quarter, "the first of the quarter of"),
        ("day_of(year({}), 1, 1)", _new_year, "the first of the year of"),
        ("day_of(year({}), 12, 31)", _old_year, "the last of the year of"),
    ):
        if reached(make, day) == wanted:
            yield call, make, 0.4 + 0.3 * ("month" not in call), words
    days = (wanted - day).days
    if days and abs(days) <= _FARTHEST:
        way = "after" if days > 0 else "before"
        words = f"{abs(days)} {'day' if abs(days) == 1 else 'days'} {way}"
        yield (
            f"add_days({{}}, {days})",
            partial(days_later, days),
            1.0 + 1.2 * (abs(days) not in _USUAL),
            words,
        )
    months = (wanted.year - day.year) * 12 + wanted.month - day.month
    if months and abs(months) <= _FARTHEST // 3 and months_later(months, day) == wanted:
        way = "after" if months > 0 else "before"
        words = f"{abs(months)} {'month' if abs(months) == 1 else 'months'} {way}"
        yield (
            f"add_months({{}}, {months})",
            partial(months_later, months),
            1.0 + 0.6 * (months % 12 > 0),
            words,
        )


def _first(day: date) -> date:
    return day.replace(day=1)


def _next_first(day: date) -> date:
    return _last(day) + timedelta(days=1)


def _last_before(day: date) -> date:
    return _first(day) - timedelta(days=1)


def _last(day: date) -> date:
    return day.replace(day=calendar.monthrange(day.year, day.month)[1])


def _monday(day: date) -> date:
    return day - timedelta(days=day.weekday())


def _sunday(day: date) -> date:
    return day + timedelta(days=6 - day.weekday())


def _quarter(day: date) -> date:
    return day.replace(month=(day.month - 1) // 3 * 3 + 1, day=1)


def _new_year(day: date) -> date:
    return day.replace(month=1, day=1)


def _old_year(day: date) -> date:
    return day.replace(month=12, day=31)


def days_later(days: int, day: date) -> date:
    return day + timedelta(days=days)


def reached(move: Callable[[date], date], day: date) -> date | None:
    """The day that a move comes to; None where Python knows none, as behind 9999-12-31, which stands for
    “never”.
    """
    try:
        return move(day)
    except (OverflowError, ValueError):
        return None


def months_later(months: int, day: date) -> date:
    """So many months later, on the month's last day where it is shorter, as the function `add_months`."""
    year, month = divmod(day.year * 12 + day.month - 1 + months, 12)
    return date(year, month + 1, min(day.day, calendar.monthrange(year, month + 1)[1]))
