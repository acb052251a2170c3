"""Results that stand in a table that people know: months, days of the week, sizes, states, yes and no."""

from __future__ import annotations

import json
from collections.abc import Iterator, Sequence
from functools import cache
from importlib.resources import files
from itertools import permutations

from updraft.core.formula.writing import quoted
from updraft.core.synthesis.pieces import Piece, Row
from updraft.core.values.languages import month_names, weekday_names

_MOST = 60  # different values that a formula lists
_KNOWN = 0.6  # of a column's values that must stand in the table
_COST = 1.4
_LANGUAGES = {
    "de": "German",
    "es": "Spanish",
    "fr": "French",
    "it": "Italian",
    "nl": "Dutch",
    "pt": "Portuguese",
    "ro": "Romanian",
    "tr": "Turkish",
}


@cache
def _tables() -> list[tuple[str, dict[str, str]]]:
    """Name of a table and, for each two of its columns, what stands for what, in small letters."""
    found = json.loads(files(__package__).joinpath("tables.json").read_text("utf-8"))
    made = []
    for language, named in _LANGUAGES.items():
        found[f"days of the week in {named}"] = _names(weekday_names(language), weekday_names("en"))
        found[f"months in {named}"] = _names(month_names(language), month_names("en"))
    for name, lines in found.items():
        for a, b in permutations(range(len(lines[0])), 2):
            made.append((name, {line[a].lower(): line[b] for line in lines}))
    return made


def _names(names: Sequence[str], english: Sequence[str]) -> list[list[str]]:
    """For each its number, with two digits too, its name, that in English, and the first letters of both."""
    short = [[name[:size] for name in each] for size in (3, 2) for each in (names, english)]
    short = [each for each in short if len({one.lower() for one in each}) == len(each)]
    lines = zip(names, english, *short, strict=True)
    return [[f"{n}", f"{n:02}", *line] for n, line in enumerate(lines, 1)]


@cache
def _by_pair() -> dict[tuple[str, str], list[tuple[str, dict[str, str]]]]:
    """The tables in which one text, in small letters, gives another."""
    by: dict[tuple[str, str], list[tuple[str, dict[str, str]]]] = {}
    for name, pairs in _tables():
        for key, value in pairs.items():
            by.setdefault((key, value.lower()), []).append((name, pairs))
    return by


def known_in(whole: Piece, text: str, wanted: str, rows: Sequence[Row]) -> Iterator[Piece]:
    """What a text stands for in a table that has most of the values beside it."""
    values: set[str] | None = None
    for result in {wanted, *wanted.split()}:
        for name, pairs in _by_pair().get((text.lower(), result.lower()), ()):
            values = _values(whole, rows) if values is None else values
            known = sorted(value for value in values if value in pairs)
            if len(values) > _MOST or len(known) < _KNOWN * len(values):
                continue
            case = next(
                (one for one in (str, str.lower, str.upper, _first) if one(pairs[text.lower()]) == result),
                None,
            )
            if case is None:
                continue
            gives = {value: case(pairs[value]) for value in known}
            low = f"lower({whole.formula})"
            tests = ", ".join(f"{low} == {quoted(old)}, {quoted(new)}" for old, new in gives.items())

            def of(row: Row, gives: dict[str, str] = gives) -> str | None:
                return gives.get((whole.of(row) or "").lower())

            words = f"what {whole.words} stands for among {name}"
            if whole.words.startswith("what "):
                words = f"the counterpart among {name} of {whole.words}"
            yield Piece(f"choose({tests})", of, whole.cost + _COST, words)


def _values(whole: Piece, rows: Sequence[Row]) -> set[str]:
    """The different texts of a piece, in small letters: all, or one more than a formula lists."""
    found: set[str] = set()
    for row in rows:
        if text := whole.of(row):
            found.add(text.lower())
            if len(found) > _MOST:
                break
    return found


def _first(text: str) -> str:
    return text[:1].upper() + text[1:]
