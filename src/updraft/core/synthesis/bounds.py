"""Tests that tell rows apart by how large a number is, or by a date."""

from __future__ import annotations

import math
import operator
import re
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from datetime import date
from itertools import permutations

from updraft.core.synthesis.amounts import number_at, number_of
from updraft.core.synthesis.days import could_be_day
from updraft.core.synthesis.pieces import Piece, Row
from updraft.core.synthesis.spans import Dated, dated

_CANDIDATES = 3  # bounds that lie between the examples, the roundest first


@dataclass(frozen=True)
class Test:
    """Tells rows apart; `cost` is how far-fetched that is."""

    formula: str
    of: Callable[[Row], bool]
    cost: float
    words: str


@dataclass(frozen=True)
class _Measure:
    """Something of a row that is larger or smaller: its formula, its value, in words, how far-fetched."""

    formula: str
    of: Callable[[Row], float | None]
    words: str
    cost: float
    likely: tuple[float, ...] = ()  # bounds that are meant rather than round ones


def bounds(columns: Sequence[Piece], rows: Sequence[Row], yes: list[int], no: list[int]) -> Iterator[Test]:
    """Tests by numbers and dates that may hold in the rows `yes` and in none of `no`."""
    days: list[Dated] = []
    for piece in columns:
        measures = list(_numbers(piece, rows, [*yes, *no]))
        for measure in measures:
            yield from _between(measure, rows, yes, no)
            yield from _even(measure)
        for a, b in (
            (a, b) for a in measures for b in measures if a is not b and "," in a.formula + b.formula
        ):
            yield _compared(a, b)
        if all(could_be_day(piece.of(rows[at]) or "") for at in [*yes, *no]):
            day = dated(piece, [piece.of(row) for row in rows], yes[0])
            if day:
                yield from _by_day(day, rows, yes, no)
                days.append(day)
    for one, other in permutations(days, 2):
        yield _later(one, other)


_AGE = re.compile(r"\b(age|alter|âge|edad|idade|età|leeftijd|wiek)\b")
_CLOCK = re.compile(r"\d{1,2}:\d{2}")
_AGES = (18.0, 65.0, 21.0, 16.0)


def _numbers(piece: Piece, rows: Sequence[Row], some: list[int]) -> Iterator[_Measure]:
    """The number that a column is; else those that stand in its texts."""
    texts = [piece.of(rows[at]) or "" for at in some]
    if all(number_of(text) is not None for text in texts):
        likely = _AGES if _AGE.search(piece.words.lower()) else ()
        yield _Measure(f"number({piece.formula})", _at(piece, 1), piece.words, 0.7, likely)
        return
    for place in (1, 2):
        if all(number_at(place, text) is not None for text in texts):
            call = f"number({piece.formula})" if place == 1 else f"number({piece.formula}, {place})"
            words = f"number {place} of {piece.words}"
            noon = (12.0,) if place == 1 and all(_CLOCK.match(text) for text in texts) else ()
            yield _Measure(call, _at(piece, place), words, 2.0 + 0.3 * place, noon)


def _at(piece: Piece, place: int) -> Callable[[Row], float | None]:
    return lambda row: number_at(place, piece.of(row) or "")


def _between(measure: _Measure, rows: Sequence[Row], yes: list[int], no: list[int]) -> Iterator[Test]:
    """A bound above which the one kind lies, and the other below."""
    high, low = ([measure.of(rows[at]) for at in part] for part in (yes, no))
    above = [value for value in high if value is not None]
    below = [value for value in low if value is not None]
    if not above or not below or len(above) < len(high) or len(below) < len(low):
        return
    for upper, lower, sign, said in ((above, below, ">=", "at least"), (below, above, "<", "less than")):
        if max(lower) < min(upper):
            if max(lower) <= 0 < min(upper):
                beyond = (">", "more than") if sign == ">=" else ("<=", "at most")
                words = f"{measure.words} is {beyond[1]} 0"
                yield _bound(measure, beyond[0], 0.0, measure.cost + (0.1 if max(lower) else -0.2), words)
            inside = [one for one in measure.likely if max(lower) < one <= min(upper)]
            round_ = [] if measure.likely and inside else round_ones(max(lower), min(upper))
            for n, bound in enumerate([*inside, *round_]):
                cost = measure.cost + 0.5 * n
                yield _bound(measure, sign, bound, cost, f"{measure.words} is {said} {bound:g}")


_SIGNS = {">=": operator.ge, "<": operator.lt, ">": operator.gt, "<=": operator.le}


def _even(measure: _Measure) -> Iterator[Test]:
    """Whether a number is even, or odd."""
    half = f"{measure.formula} / 2"
    for sign, even in (("==", True), ("!=", False)):

        def of(row: Row, even: bool = even) -> bool:
            value = measure.of(row)
            return value is not None and (value % 2 == 0) == even

        words = f"{measure.words} is {'even' if even else 'odd'}"
        yield Test(f"{half} {sign} down({half})", of, measure.cost + 0.9, words)


def _bound(measure: _Measure, sign: str, bound: float, cost: float, words: str) -> Test:
    def of(row: Row) -> bool:
        value = measure.of(row)
        return value is not None and _SIGNS[sign](value, bound)

    return Test(f"{measure.formula} {sign} {bound:g}", of, cost, words)


def round_ones(low: float, high: float) -> list[float]:
    """The roundest numbers above `low`, up to `high`: fewest figures first, then near the middle."""
    found: dict[float, tuple[float, float]] = {}
    size = 10.0 ** math.ceil(math.log10(max(abs(low), abs(high), 1e-6)))
    middle = (low + high) / 2
    for figures in range(5):
        for step, dear in ((size, 0.0), (size / 2, 0.3), (size / 4, 1.2)):
            at = math.floor(low / step) + 1
            for n in range(12):
                value = round((at + n) * step, 9)
                if value > high + 1e-12:
                    break
                rank = (figures + dear if value else -1.0, abs(value - middle))
                found[value] = min(found.get(value, rank), rank)
        if len(found) >= _CANDIDATES:
            break
        size /= 10
    return sorted(found, key=lambda value: found[value])[:_CANDIDATES]


def _compared(a: _Measure, b: _Measure) -> Test:
    def of(row: Row) -> bool:
        x, y = a.of(row), b.of(row)
        return x is not None and y is not None and x > y

    return Test(f"{a.formula} > {b.formula}", of, 1.7, f"{a.words} is larger than {b.words}")


def _later(one: Dated, other: Dated) -> Test:
    def of(row: Row) -> bool:
        a, b = one.of(row), other.of(row)
        return a is not None and b is not None and a > b

    words = f"{one.whole.words} is later than {other.whole.words}"
    return Test(f"{one.formula} > {other.formula}", of, 0.6, words)


def _by_day(day: Dated, rows: Sequence[Row], yes: list[int], no: list[int]) -> Iterator[Test]:
    said = day.whole.words
    weekend = Test(
        f"weekday({day.formula}) > 5", _on(day, lambda d: d.weekday() > 4), 1.0, f"{said} is a weekend"
    )
    yield weekend
    yield Test(
        f"weekday({day.formula}) <= 5", _on(day, lambda d: d.weekday() <= 4), 1.0, f"{said} is a working day"
    )
    year = _Measure(f"year({day.formula})", _as_number(day, lambda d: d.year), f"the year of {said}", 1.4)
    month = _Measure(
        f"month({day.formula})", _as_number(day, lambda d: d.month), f"the month of {said}", 1.4, (7, 4, 10)
    )
    for measure in (year, month):
        yield from (replace(test, cost=test.cost + 0.3) for test in _between(measure, rows, yes, no))


def _on(day: Dated, holds: Callable[[date], bool]) -> Callable[[Row], bool]:
    def of(row: Row) -> bool:
        found = day.of(row)
        return found is not None and holds(found)

    return of


def _as_number(day: Dated, make: Callable[[date], int]) -> Callable[[Row], float | None]:
    def of(row: Row) -> float | None:
        found = day.of(row)
        return None if found is None else float(make(found))

    return of
