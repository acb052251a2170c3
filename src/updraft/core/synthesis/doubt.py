"""How little what a program makes of other rows is like the examples."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence

from updraft.core.synthesis.pieces import Row, classes_of, form_of, marks_of

_NUMBER, _DIGIT = re.compile(r"-?(\d+([.]\d+)?|\d{1,3}([.]\d{3})+)"), re.compile(r"\d")


class Doubt:
    """How little the results of a program for other rows are like the examples."""

    def __init__(self, rows: Sequence[Row], examples: Mapping[int, str]) -> None:
        results = examples.values()
        self._shapes, self._classes = (
            {_unsigned(one) for one in results},
            {classes_of(one) for one in results},
        )
        self._empty = "" in results
        self._common = _common_marks(rows, [at for at, one in examples.items() if one])
        # Whether all signs of the row come again, each as often; whether none comes more often.
        pairs = [
            (_signs(" ".join(filter(None, rows[at]))), _signs(one)) for at, one in examples.items() if one
        ]
        self._all = all(there == made for there, made in pairs)
        self._letters = any(map(str.isalpha, "".join(results))) and all(
            _letters(one) <= _letters(_text(rows[at])) for at, one in examples.items()
        )
        self._some = all(made <= there for there, made in pairs)
        # Words run together, as in names of columns and addresses: no other mark than theirs is left between.
        self._joined = (
            bool(results)
            and self._all
            and all(_runs_words_together(rows[at], one) for at, one in examples.items())
        )
        self._marks = marks_of(list(results))
        self._numbers = all(_NUMBER.fullmatch(one) for one in results)
        self._whole = any(one in rows[at] for at, one in examples.items() if one)
        # A result that begins as the row has it was made of it: Friday of “Fri 18:15”.
        self._made_of = {
            one
            for at, one in examples.items()
            if len(one) > 3 and one[:3].isalpha() and one[:3].lower() in _text(rows[at])
        }
        # Marks that an example's row has and no result: they are taken out.
        self._gone = set().union(*(marks_of(rows[at]) for at in examples)) - self._marks
        self._large = all(one.isupper() for one in results if one)
        self._bare = all(one == one.strip() for one in results)
        cut = [_beside(rows[at], one) for at, one in examples.items() if one]
        self._beside = set().union(*cut) if all(cut) else set()
        self._told: dict[tuple[Row, str | None], float] = {}
        self._torn = any(_is_torn(rows[at], one) for at, one in examples.items() if one)

    def _has_marks(self, row: Row) -> bool:
        """Whether a row has all marks that the examples' rows have: one without them may give nothing."""
        return self._common <= _told_by(row)

    def of(self, rows: Sequence[Row], results: Sequence[str | None]) -> float:
        told = self._told
        doubt = 0.0
        # Many programs make the same of a row.
        for row, result in zip(rows, results, strict=True):
            known = told.get((row, result))
            if known is None:
                known = told[row, result] = self._of_one(row, result) if result else self._of_none(row)
            doubt += known
        return doubt / len(rows)

    def _of_none(self, row: Row) -> float:
        told = 2.0 if self._numbers and _DIGIT.search(_text(row)) else 0.9
        told = 4.0 if self._has_marks(row) else told
        return 1.5 if self._empty or not any(row) else told

    def _of_one(self, row: Row, result: str) -> float:
        doubt = 1.4 * (not self._whole and result in row)
        doubt += 3.0 * (result in self._made_of and result[:3].lower() not in _text(row))
        doubt += 8.0 * (self._numbers and not _NUMBER.fullmatch(result))
        doubt += 3.0 * (self._joined and (" " in result or bool(marks_of([result]) - self._marks)))
        doubt += 1.5 * (self._bare and result != result.strip())
        doubt += 1.0 * (self._large and result != result.upper())
        doubt += 1.0 * bool(marks_of([result]) & self._gone)
        doubt += 1.2 * (_unsigned(result) not in self._shapes)
        doubt += 3.5 * (classes_of(result) not in self._classes)
        if self._beside:
            beside = _beside(row, result)
            doubt += _CUT * bool(beside and not beside & self._beside)
            doubt += _APART * (not beside and _is_glued(row, result))
        doubt += 1.5 * (not self._torn and _is_torn(row, result))
        if self._letters:
            doubt += 2.0 * (not _letters(result) <= _letters(_text(row)))
        if self._some:
            there, made = _signs(" ".join(filter(None, row))), _signs(result)
            doubt += 2.0 * (there != made if self._all else not made <= there)
        return doubt


def _unsigned(text: str) -> str:
    """Its kinds of signs; a number below zero is no other kind of result, nor are more words than some."""
    form = form_of(text[1:] if text[:1] in "+-" and text[1:2].isdigit() else text)
    return re.sub(r"a(?: a)+", "a a", form)


def _text(row: Row) -> str:
    return " ".join(filter(None, row)).lower()


def _runs_words_together(row: Row, result: str) -> bool:
    blank = any(" " in cell for cell in row if cell)
    return bool(result) and " " not in result and (blank or _JOINED.search(result) is not None)


_JOINED = re.compile(r"[^\W\d_][_-][^\W\d_]")


def _common_marks(rows: Sequence[Row], at: Iterable[int]) -> set[str]:
    """The marks that stand in the row of every example."""
    each = [_told_by(rows[one]) for one in at]
    return set.intersection(*each) if each else set()


def _told_by(row: Row) -> set[str]:
    """The marks of a row, and the names before “=” and “:”, by which a part may be told."""
    return marks_of(row) | set(_NAMED.findall(" ".join(filter(None, row))))


_NAMED = re.compile(r"[^\W\d_]+[=:]")


def _is_torn(row: Row, result: str) -> bool:
    """Whether a result stands in the row, and always within a run of letters and digits."""
    cells = [cell for cell in row if cell and result in cell]
    return bool(cells) and not any(_stands_whole(cell, result) for cell in cells)


def _stands_whole(cell: str, result: str) -> bool:
    at = cell.find(result)
    while at >= 0:
        before, behind = cell[:at][-2:], cell[at + len(result) :][:2]
        # 67 is torn out of 67.4, too.
        torn = before[-1:].isalnum() or (before[:1].isdecimal() and before[1:] in (".", ","))
        torn = torn or behind[:1].isalnum() or (behind[1:].isdecimal() and behind[:1] in (".", ","))
        if not torn:
            return True
        at = cell.find(result, at + 1)
    return False


def _beside(row: Row, result: str) -> set[tuple[str, str]]:
    """The kinds of the signs before and after a result, blanks left out, wherever it stands in the row."""
    found, low = set(), result.lower()
    for cell in row:
        at = cell.lower().find(low) if cell else -1
        while cell and at >= 0:
            before, after = cell[:at].rstrip()[-1:], cell[at + len(low) :].lstrip()[:1]
            found.add((_kind(before), _kind(after)))
            at = cell.lower().find(low, at + 1)
    return found


def _is_glued(row: Row, result: str) -> bool:
    """Whether a result is digits that stand apart in the row, put together."""
    return len(result) > 2 and result.isdigit() and any(result in re.sub(r"\D", "", c) for c in row if c)


def _kind(sign: str) -> str:
    return "9" if sign.isdigit() else "a" if sign.isalpha() else sign


_CUT = 1.2  # of results that stand among other signs than the examples'
_APART = 10.0  # of digits put together that stand apart in the row


def _letters(text: str) -> Counter[str]:
    return Counter(sign for sign in text.casefold() if sign.isalpha())


def _signs(text: str) -> Counter[str]:
    """The letters and digits of a text, whatever their case."""
    return Counter(sign for sign in text.casefold() if sign.isalnum())
