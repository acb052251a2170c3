"""Results that are reckoned from two dates of a row."""

from __future__ import annotations

import calendar
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from functools import partial
from itertools import permutations

from updraft.core.formula.writing import quoted
from updraft.core.synthesis.changes import whole
from updraft.core.synthesis.days import READ, could_be_day, read_days
from updraft.core.synthesis.figures import Number
from updraft.core.synthesis.moved import days_later, reached
from updraft.core.synthesis.pieces import Piece, Row
from updraft.core.values.convert import could_read, pattern_of


@dataclass(frozen=True)
class Dated:
    """A text read as a date: how that is written, the date of each text, how far-fetched."""

    formula: str
    whole: Piece
    days: Mapping[str, date | None]
    cost: float

    def of(self, row: Row) -> date | None:
        return self.days.get(self.whole.of(row) or "")


def dated(whole: Piece, texts: list[str | None], at: int) -> Dated | None:
    """The way to read a column's dates that reads the most of them; None where it holds none."""
    text = texts[at]
    if not text or not could_be_day(text):
        return None
    found = [(form, read_days(texts, ("", form, ""))) for form in READ if could_read(form, text)]
    best = max(found, key=lambda pair: sum(day is not None for day in pair[1].values()), default=None)
    if best is None or best[1].get(text) is None:
        return None
    lost = sum(day is None for day in best[1].values()) / len(best[1])
    formula = f"date({whole.formula}, {quoted(best[0])})"
    return Dated(formula, whole, best[1], whole.cost + 0.5 + 3 * lost)


def _years(start: date, end: date) -> int:
    """Whole years, as the function `years_between`: one is whole on its day, or the last that there is."""
    if end < start:
        return -_years(end, start)
    last = end.day == calendar.monthrange(end.year, end.month)[1]
    early = end.month < start.month or (end.month == start.month and end.day < start.day and not last)
    return end.year - start.year - early


# What is counted, its formula, the same in Python, how far-fetched.
_SPANS: list[tuple[str, str, Callable[[date, date], int], float]] = [
    ("days", "days_between({A}, {B})", lambda a, b: (b - a).days, 0.0),
    ("days, both counted,", "days_between({A}, {B}) + 1", lambda a, b: (b - a).days + 1, 0.8),
    ("months", "(year({B}) - year({A})) * 12 + month({B}) - month({A})",
     lambda a, b: (b.year - a.year) * 12 + b.month - a.month, 1.0),
    ("years", "year({B}) - year({A})", lambda a, b: b.year - a.year, 0.9),
    ("whole years", "years_between({A}, {B})", _years, 0.9),
]  # fmt: skip


def spans_between(found: Sequence[Dated], row: Row) -> Iterator[tuple[Number, float]]:
    """Days, months and years from one date to another, with what they are in this row."""
    for a, b in permutations(found, 2):
        for name, call, make, cost in _SPANS:

            def of(
                row: Row, a: Dated = a, b: Dated = b, make: Callable[[date, date], int] = make
            ) -> float | None:
                start, end = a.of(row), b.of(row)
                return None if start is None or end is None else float(make(start, end))

            formula = call.replace("{A}", a.formula).replace("{B}", b.formula)
            words = f"the {name} from {a.whole.words} to {b.whole.words}"
            value = of(row)
            if value is not None:
                yield Number(formula, of, a.cost + b.cost + cost, words), value


def spans_to_a_day(found: Dated, row: Row, wanted: int) -> Iterator[tuple[Number, float]]:
    """Days from a date to the day that is so many later, or from the one so many before; and whole years to
    the turn of a year. A day in the midst of a month is far-fetched.
    """
    day = found.of(row)
    if day is None or not 300 < day.year < 2300:
        return
    said = found.whole.words
    for way in (1, -1):
        other = day + timedelta(days=way * wanted)
        to = f"day_of({other.year}, {other.month}, {other.day})"
        ends = (found.formula, to) if way > 0 else (to, found.formula)
        words = f"the days from {said} to {other}" if way > 0 else f"the days from {other} to {said}"

        def days(row: Row, other: date = other, way: int = way) -> float | None:
            start = found.of(row)
            return None if start is None else float(way * (other - start).days)

        # Counted from the turn of its own year, it is the day of the year.
        far = _fetched(other) + 1.5 * ((other + timedelta(days=1)).year == day.year > other.year)
        yield (Number(f"days_between({', '.join(ends)})", days, found.cost + far, words), float(wanted))
    turns = (date(day.year + wanted, 12, 31), date(day.year + wanted + 1, 1, 1)) if wanted <= 120 else ()
    for other in turns:
        if _years(day, other) != wanted:
            continue

        def years(row: Row, other: date = other) -> float | None:
            start = found.of(row)
            return None if start is None else float(_years(start, other))

        call = f"years_between({found.formula}, day_of({other.year}, {other.month}, {other.day}))"
        words = f"the whole years from {said} to {other:%Y-%m-%d}"
        yield Number(call, years, found.cost + 2.5, words), float(wanted)


def days_added(found: Dated, many: Piece, row: Row, wanted: str) -> Iterator[Piece]:
    """The day that is as many days later as another column says, in any form of a date."""

    def moved(row: Row) -> date | None:
        start, days = found.of(row), whole(many.of(row) or "")
        return None if start is None or days is None else reached(partial(days_later, int(days)), start)

    day = moved(row)
    if day is None or day == found.of(row):
        return
    for form in READ:
        pattern = pattern_of(form, year=False)
        if not could_read(form, wanted) or day.strftime(pattern) != wanted:
            continue

        def later(row: Row, pattern: str = pattern) -> str | None:
            there = moved(row)
            return None if there is None else there.strftime(pattern)

        call = f"text(add_days({found.formula}, whole({many.formula})), {quoted(form)})"
        yield Piece(call, later, found.cost + many.cost + 1.0, f"{many.words} days after {found.whole.words}")
        return


def _fetched(day: date) -> float:
    """How far-fetched a day is to count to: the turn of a year, that of a month, any other."""
    tomorrow = day + timedelta(days=1)
    if (day.month, day.day) in ((1, 1), (12, 31)):
        return 2.0
    return 3.0 if 1 in (day.day, tomorrow.day) else 4.5
