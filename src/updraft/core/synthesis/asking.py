"""Which row's result says most about what is meant."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from functools import cached_property
from itertools import combinations
from typing import TYPE_CHECKING

import polars as pl

from updraft.core.formula.writing import quoted
from updraft.core.synthesis.amounts import number_at
from updraft.core.synthesis.pieces import classes_of, form_of

if TYPE_CHECKING:
    from updraft.core.synthesis.readings import Reading

SEEN = 400  # characters of a text that are looked at
_NOVEL, _LACKS = 0.3, 0.8  # of a feature that no example has shown, and of a mark that the reading goes by
_NEW_FORM, _FAR = 0.12, 0.25  # of a length of digits that none has shown; of a number far from theirs
_EMPTY, _VALUE = 0.6, 0.6  # of an empty cell, and of one of the few values of a column, that none has shown
_FILLED = 0.9  # of a cell of a column that was empty in all examples
_WORD = 0.4  # of a word that no example has, by the share of rows that have it
_OFTEN = 0.1  # of the rows must have it
_BEYOND = 3.0  # how much farther a number is that lies beyond all of the examples'
_BELOW = 0.4  # of a number below nought, where no example has one
_REST = 0.3  # of a day on a weekend, where no example has one
_NOUGHT = 4.0  # how much farther nought is: it often stands for none
_ORDER = 1.2  # of two numbers or days, one of which was never the larger
_COMPARED = 4  # columns of which it is seen which is the larger
_FEW = 6  # values of such a column
_OTHER_CLASS, _OTHER_FORM = 0.5, 0.2  # of a result with letters or digits that no example's has; of its form
_WORTH = 0.13  # a doubt that is worth a question
_CLOSE = 6.0  # readings that are so little dearer may be meant
_MARKS = re.compile(r"[^\w\s]")
_WORDS = re.compile(r"[^\W\d_]{2,}")
_DIGITS = re.compile(r"\d+")


def question(readings: Sequence[Reading], examples: Mapping[int, str], table: pl.DataFrame) -> int | None:
    """The row whose result says most: where the likely readings part, where the best gives nothing or
    something of another kind than all examples, or which has a feature that no example has shown. None where
    nothing is in doubt.
    """
    open_rows = [at for at in range(table.height) if at not in examples]
    novel = _Novelty(table, examples)
    if not any(one.values[at] for one in readings for at in open_rows):
        # The one that is least like the others says most; of numbers the one farthest from the examples.
        return max(open_rows, key=lambda at: novel.of(at) + novel.far(at), default=None)
    first, *others = [one for one in readings if one.cost <= readings[0].cost + _CLOSE]
    classes = {_classes(wanted) for wanted in examples.values()}
    forms = {form_of(wanted) for wanted in examples.values()}
    long = 2 * max(map(len, examples.values()))
    goes_by = {mark for mark in novel.in_all if quoted(mark) in first.formula}

    def doubt(at: int) -> float:
        best = first.values[at] or ""
        apart = sum(float(2 ** (first.cost - one.cost)) for one in others if (one.values[at] or "") != best)
        apart += novel.of(at) + _LACKS * any(mark not in novel.told[at] for mark in goes_by)
        if not best:
            return apart + 1.0 * ("" not in examples.values() and novel.says_something(at))
        return (
            apart
            + _OTHER_CLASS * (_classes(best) not in classes)
            + _OTHER_FORM * (form_of(best) not in forms or len(best) > long > 0)
        )

    asked = max(open_rows, key=doubt, default=None)
    return asked if asked is not None and doubt(asked) > _WORTH else None


def _classes(text: str) -> tuple[bool, ...]:
    """Whether a result has letters, digits, and a sign before: gains may be written otherwise than losses."""
    return (*classes_of(text), text[:1] in "+-" and bool(text))


class _Novelty:
    """How little of what a row holds the examples have shown: marks that none of them has, more of one than
    any, or none of one that all have; an empty cell; another kind of sign at its ends; a weekend. What many
    rows have says more than what is odd in one.
    """

    def __init__(self, table: pl.DataFrame, examples: Mapping[int, str]) -> None:
        texts = table.select(pl.all().cast(pl.String, strict=False).str.slice(0, SEEN).fill_null(""))
        self._cells = [texts[name].to_list() for name in texts.columns]
        self.told = ["".join(cells) for cells in zip(*self._cells, strict=True)]
        marks = [Counter(_MARKS.findall(text)) for text in self.told]
        known = [marks[at] for at in examples]
        self._most = {mark: max(one[mark] for one in known) for mark in set().union(*known)}
        self.in_all = {mark for mark in self._most if all(one[mark] for one in known)}
        signs = list(zip(*map(_signs, (table[name] for name in table.columns), self._cells), strict=True))
        self._orders = 0  # the place of what is told of two columns, after those of the columns
        if 1 < table.width <= _COMPARED:
            self._orders = table.width
            signs = [(*one, orders) for one, orders in zip(signs, _orders(table), strict=True)]
        seen = [set().union(*(signs[at][n] for at in examples)) for n in range(len(signs[0]) if signs else 0)]
        self._empty = {n for n, one in enumerate(seen) if one == {"empty"}}
        self._of = [
            frozenset(self._new_marks(one)).union(
                (n, sign) for n, own in enumerate(each) for sign in own - seen[n]
            )
            for one, each in zip(marks, signs, strict=True)
        ]
        self._often = Counter(self._of)
        few = [cells for cells in self._cells if len(set(cells)) <= min(_FEW, len(cells) // 4)]
        heads = [[_head(cell) for cell in cells] for cells in self._cells]
        few += [some for some in heads if all(some) and 1 < len(set(some)) <= min(_FEW, len(some) // 2)]
        shown = [{cells[at] for at in examples} for cells in few]
        # Of columns of few values those that no example has: each may stand for something else.
        often = [Counter(cells) for cells in few]
        columns = list(zip(few, shown, often, strict=True))
        self._values = [
            sum(0.5 + many[c[at]] / len(c) for c, seen, many in columns if c[at] not in seen)
            for at in range(table.height)
        ]
        self._words = _new_words(self.told, list(examples))
        self._forms = [_lengths(text) for text in self.told]
        self._known_forms = set().union(*(self._forms[at] for at in examples))
        self._examples = list(examples)

    def _new_marks(self, marks: Counter[str]) -> Iterator[str]:
        yield from (f"+{mark}" for mark, many in marks.items() if many > self._most.get(mark, 0))
        yield from (f"-{mark}" for mark in self.in_all if mark not in marks)

    def of(self, at: int) -> float:
        own = self._of[at]
        new = _NOVEL * (1 + self._often[own] / len(self._of)) if own else 0.0
        said = [one for one in own if isinstance(one, tuple)]
        new += _EMPTY * any(sign == "empty" for _, sign in said)
        new += _FILLED * any(n in self._empty and sign != "empty" for n, sign in said)
        new += _REST * any(sign == "weekend True" for _, sign in said)
        new += _BELOW * any(sign == "below" for _, sign in said)
        new += _ORDER * any(n == self._orders > 0 and "=" not in sign for n, sign in said)
        new += _VALUE * self._values[at] + _WORD * self._words[at]
        return new + _NEW_FORM * len(self._forms[at] - self._known_forms)

    def says_something(self, at: int) -> bool:
        """Whether a row has anything in it, or nothing, which no example has shown."""
        return bool(self.told[at]) or any(one[1] == "empty" for one in self._of[at] if isinstance(one, tuple))

    def far(self, at: int) -> float:
        """How far the numbers of a row are from those of the examples, of how far they go."""
        far = 0.0
        for cells, known, reach in self._reaches:
            if (value := number_at(1, cells[at])) is not None:
                beyond = value > max(known) or value < min(known)
                far += (1 + (_BEYOND - 1) * beyond) * min(abs(value - one) for one in known) / reach
                far += _NOUGHT * (not value and 0.0 not in known)
        return _FAR * far

    @cached_property
    def _reaches(self) -> list[tuple[list[str], list[float], float]]:
        """Columns of which every example has a number: their cells, those numbers, and how far numbers go."""
        made = []
        for cells in self._cells:
            known = [number_at(1, cells[one]) for one in self._examples]
            some = (number_at(1, cell) for cell in cells[:: max(len(cells) // 200, 1)])
            values = [value for value in some if value]
            reach = max(values, default=0.0) - min(values, default=0.0)
            if reach and None not in known:
                made.append((cells, [one or 0.0 for one in known], reach))
        return made


def _head(cell: str) -> str:
    """The letters that a code begins with; nothing of other texts."""
    found = _CODE.match(cell)
    return found[1] if found else ""


_CODE = re.compile("([A-Za-z]+)[^A-Za-z]*[0-9]")


def _new_words(told: Sequence[str], examples: Sequence[int]) -> list[float]:
    """For each row the share of rows that have its most frequent word which no example has."""
    each = [set(_WORDS.findall(text.lower())) for text in told]
    known = set().union(*(each[at] for at in examples))
    often = Counter(word for words in each for word in words - known)
    share = {word: many / len(told) for word, many in often.items() if many >= _OFTEN * len(told)}
    return [max((share.get(word, 0.0) for word in words), default=0.0) for words in each]


def _signs(column: pl.Series, cells: Sequence[str]) -> list[set[str]]:
    """For each row what kind of value a column has: empty, what it begins and ends with, on a weekend."""
    if column.dtype == pl.Date:
        days = column.to_list()
        return [
            {f"weekend {day.weekday() > 4}", f"second half {day.month > 6}"} if day else {"empty"}
            for day in days
        ]
    below = column.dtype.is_numeric()
    return [
        {"empty"}
        if not cell.strip()
        else {f"< {_class(cell[0])}", f"{_class(cell[-1])} >"}
        | ({"below"} if below and cell[0] == "-" else set())
        for cell in cells
    ]


def _orders(table: pl.DataFrame) -> list[set[str]]:
    """For each row which of two columns of numbers or of days is the larger."""
    found: list[set[str]] = [set() for _ in range(table.height)]
    for n, m in combinations(range(table.width), 2):
        a, b = table.to_series(n), table.to_series(m)
        if (a.dtype.is_numeric() and b.dtype.is_numeric()) or a.dtype == b.dtype == pl.Date:
            larger = table.select(a=pl.nth(n) > pl.nth(m), b=pl.nth(n) < pl.nth(m))
            for at, (more, less) in enumerate(larger.iter_rows()):
                found[at].add(f"{n} > {m}" if more else f"{n} < {m}" if less else f"{n} = {m}")
    return found


def _class(sign: str) -> str:
    if sign.isdigit():
        return "digit"
    return "small letter" if sign.islower() else "letter" if sign.isalpha() else "mark"


def _lengths(text: str) -> set[tuple[int, int]]:
    """How many digits each number of a text has, by its place."""
    return {(n, len(run)) for n, run in enumerate(_DIGITS.findall(text)[:4])}
