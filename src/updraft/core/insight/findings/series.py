"""Dates that belong together: a beginning and its end, and days that follow each other."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import date, datetime, timedelta

import numpy as np
import polars as pl

from updraft.core.insight.findings.model import Finding, Repair, plural, short, step
from updraft.core.insight.findings.naming import words_of
from updraft.core.insight.findings.view import Column, View

_LEAST = 20
_MANY_DAYS = 100  # weekdays among which there are holidays
_PAIRS = (
    ("start", "end"), ("begin", "end"), ("beginning", "end"), ("from", "to"), ("from", "until"), ("from", "till"),
    ("opened", "closed"), ("open", "close"), ("ordered", "delivered"), ("order", "delivery"), ("ordered", "shipped"),
    ("order", "ship"), ("born", "died"), ("birth", "death"), ("first", "last"), ("arrival", "departure"), ("created", "closed"),
    ("checkin", "checkout"), ("sown", "harvested"), ("planted", "harvested"), ("valid from", "valid to"), ("hired", "left"),
    ("admitted", "discharged"), ("sent", "received"), ("issued", "due"), ("issued", "expires"), ("starts", "ends"),
)  # fmt: skip


def start_after_end(view: View) -> Iterator[Finding]:
    """Rows whose beginning lies after their end.

    Threshold: the names say which is which, ten rows have both, in at most a tenth of them, or two, the first is the later.
    """
    days = [c for c in view.columns if c.is_date]
    for early in days:
        for late in days:
            if early is late or not _are_pair(early.name, late.name):
                continue
            both = early.series.is_not_null() & late.series.is_not_null()
            wrong = (early.series.cast(pl.Datetime("us")) > late.series.cast(pl.Datetime("us"))).fill_null(
                False
            )
            many = int(wrong.sum())
            if int(both.sum()) < 10 or not many or many > max(2, int(both.sum()) // 10):
                continue
            rows = wrong.arg_true()
            formula = f'column("{early.name}") > column("{late.name}")'
            yield Finding(
                "start_after_end",
                (early.name, late.name),
                many,
                f"In {plural(many, 'row', 'rows')} {early.name} is later than {late.name}",
                "Nothing ends before it begins: one of the two dates is wrong, or they were swapped. Said where the names say which "
                "comes first and nine of ten rows have it so.",
                short(
                    f"{a} … {b}"
                    for a, b in zip(
                        early.series.gather(rows.head(5)), late.series.gather(rows.head(5)), strict=True
                    )
                ),
                rows,
                (
                    Repair(
                        "Mark the rows with a new column",
                        (
                            step(
                                "calculate", columns=[{"name": f"{early.name} too late", "formula": formula}]
                            ),
                        ),
                    ),
                )
                if not set('"\\') & set(early.name + late.name)
                else (),
                weight=63,
            )


def _are_pair(one: str, other: str) -> bool:
    first, second = words_of(one), words_of(other)
    for early, late in _PAIRS:
        if all(word in first for word in early.split()) and all(word in second for word in late.split()):
            rest = [w for w in first if w not in early.split()], [w for w in second if w not in late.split()]
            if rest[0] == rest[1] or not rest[0] or not rest[1]:
                return True
    return False


def date_gaps(view: View) -> Iterator[Finding]:
    """Days missing from a series, or standing twice in it.

    Threshold: a column of dates that nearly all differ (19 of 20), twenty of them; nine of ten steps between neighbours are
    of one length (minutes, hours, days, weekdays, weeks, months or years), and at most one of ten days is missing. Weekdays
    missing one or two at a time, of a hundred, may be holidays; an hour that is missing or stands twice on a Sunday of spring or autumn is the clock's.
    """
    for column in view.columns:
        if not column.is_date or column.filled < _LEAST or column.distinct * 20 < column.filled * 19:
            continue
        clock = column.series.dtype != pl.Date and column.series.dt.time().drop_nulls().n_unique() > 1
        found = _clock_steps(column) if clock else _steps(column)
        if found is None:
            continue
        name: str = found[0]
        missing: Sequence[date] = found[1]
        twice = column.counts.filter(pl.col("n") > 1)["value"]
        if clock:
            missing = [at for at in missing if not _clock_changes(at, (3,))]
            changed = [at for at in twice.to_list() if _clock_changes(at, (10, 11))]
            twice = twice.filter(~twice.is_in(pl.Series(changed, dtype=twice.dtype).implode()))
        if not missing and not twice.len():
            continue
        said = []
        holidays = name == "weekday" and column.filled >= _MANY_DAYS and _are_holidays(missing)
        if missing:
            what = name if " " not in name else "time"
            gone = f"{plural(len(missing), what + ' is', what + 's are')} missing"
            said.append(gone + (", one or two at a time, as holidays are" if holidays else ""))
        if twice.len():
            said.append(f"{plural(twice.len(), 'stands', 'stand')} twice")
        rows = column.rows_with(twice) if twice.len() else _before(column, missing)
        steps = f"runs {name} by {name}" if " " not in name else f"runs in steps of {name}"
        yield Finding(
            "date_gaps",
            (column.name,),
            len(missing) + twice.len(),
            f"{column.name} {steps}, but {' and '.join(said)}",
            "A gap in a series reads as nothing happening, and a day that stands twice counts twice. Said where nine of ten steps are of one "
            "length.",
            short([*missing[:4], *column.texts(twice.head(3))]),
            rows,
            weight=20 if holidays and not twice.len() else 44,
        )


def _are_holidays(missing: Sequence[date]) -> bool:
    """Whether weekdays are missing one or two at a time, or those of one week's end and the next's beginning."""
    return all((third - first).days > 4 for first, third in zip(missing, missing[2:], strict=False))


_CLOCK = {
    60: "minute", 300: "5 minutes", 600: "10 minutes", 900: "15 minutes", 1800: "30 minutes", 3600: "hour",
    10800: "3 hours", 21600: "6 hours", 43200: "12 hours",
}  # fmt: skip


def _clock_steps(column: Column) -> tuple[str, list[datetime]] | None:
    """As `_steps`, of times: their steps in a word, and those that are missing."""
    times = column.series.dt.replace_time_zone(None) if _zoned(column) else column.series
    seconds = times.drop_nulls().cast(pl.Datetime("ms")).to_physical().unique().sort().to_numpy() // 1000
    usual = np.diff(seconds)
    step_ = int(np.median(usual)) if len(usual) else 0
    if step_ not in _CLOCK or not _regular(seconds, step_):
        return None
    gaps = [datetime(1970, 1, 1) + timedelta(seconds=n) for n in _gaps(seconds, step_)]
    return _CLOCK[step_], gaps


def _zoned(column: Column) -> bool:
    return getattr(column.series.dtype, "time_zone", None) is not None


def _clock_changes(at: date, months: tuple[int, ...]) -> bool:
    """Whether clocks may be changed at a time: in the night of a Sunday of one of these months."""
    return isinstance(at, datetime) and at.month in months and at.weekday() == 6 and at.hour < 4


def _steps(column: Column) -> tuple[str, list[date]] | None:
    """The length of the steps in a word, and the days that are missing; None where the days are no series."""
    days = column.series.drop_nulls().cast(pl.Date).unique().sort()
    numbers = days.to_physical().to_numpy()
    weekday = days.dt.weekday()
    if not weekday.is_in([6, 7]).any():
        since = np.datetime64("1970-01-01") + numbers.astype("timedelta64[D]")
        every = np.busday_count(since[0], since).astype(np.int64)
        if _regular(every):
            first = since[0]
            gone = _gaps(every)
            return "weekday", [np.busday_offset(first, n, roll="forward").astype(date) for n in gone]
    if _regular(numbers):
        return "day", [date(1970, 1, 1) + timedelta(days=int(n)) for n in _gaps(numbers)]
    if days.dt.day().n_unique() == 1 or bool((days == days.dt.month_end()).all()):
        months = (days.dt.year().cast(pl.Int64) * 12 + days.dt.month().cast(pl.Int64) - 1).to_numpy()
        if _regular(months):
            return "month", [date(int(n) // 12, int(n) % 12 + 1, 1) for n in _gaps(months)]
    if _regular(numbers, 7):
        return "week", [date(1970, 1, 1) + timedelta(days=int(n)) for n in _gaps(numbers, 7)]
    return None


def _regular(numbers: np.ndarray, step: int = 1) -> bool:
    steps = np.diff(numbers)
    if len(steps) < _LEAST - 2 or (steps % step).any():
        return False
    missing = int((steps // step - 1).sum())
    return bool(np.mean(steps == step) >= 0.9) and missing * 10 <= len(numbers)


def _gaps(numbers: np.ndarray, step: int = 1) -> list[int]:
    return [
        int(n)
        for at in np.flatnonzero(np.diff(numbers) > step)
        for n in range(int(numbers[at]) + step, int(numbers[at + 1]), step)
    ]


def _before(column: Column, missing: Sequence[date]) -> pl.Series:
    """The rows that stand just before a gap."""
    timed = bool(missing) and isinstance(missing[0], datetime)
    times = column.series.dt.replace_time_zone(None) if timed and _zoned(column) else column.series
    days = times.cast(pl.Datetime("us")) if timed else times.cast(pl.Date)
    known = days.drop_nulls().unique().sort()
    ends = {known.filter(known < day).max() for day in missing[:1000]}
    return days.is_in(list(ends)).fill_null(False).arg_true()
