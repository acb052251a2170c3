"""Parts of a text that can be told in a formula: what stands between marks, words, runs of digits, places.

Each part knows its formula and works on one row in plain Python, so that thousands can be tried on a few
rows; what is chosen is computed by its formula.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from functools import partial

from updraft.core.formula.writing import quoted

Row = Sequence[str | None]
Of = Callable[[Row], str | None]


@dataclass(frozen=True)
class Piece:
    """A text made of a row.

    Args:
        formula: how it is written.
        of: the same in Python, for one row; None where there is none.
        cost: how far-fetched it is; of two that fit, the cheaper is more likely meant.
        words: the same in words.
    """

    formula: str
    of: Of
    cost: float
    words: str

    def made(self, call: str, change: Callable[[str], str | None], cost: float, words: str) -> Piece:
        """The same with one more function around it; `call` holds {} for what stands now."""
        of = self.of

        def changed(row: Row) -> str | None:
            text = of(row)
            return None if text is None else change(text)

        formula = call.replace("{}", self.formula, 1)  # patterns hold other braces
        return Piece(formula, changed, self.cost + cost, words.replace("{}", self.words, 1))


# name, pattern for formulas, the same for Python, cost
RUNS = [
    ("number", "[0-9]+", r"[0-9]+", 2.0),
    ("number", r"[0-9]+[.,][0-9]+", r"[0-9]+[.,][0-9]+", 2.4),
    ("signed number", "[+-][0-9]+", r"[+-][0-9]+", 2.4),
    ("word", r"\p{L}+", r"[^\W\d_]+", 2.1),
    ("run of capitals", "[A-Z]+", r"[A-Z]+", 2.6),
    ("run of letters and digits", r"[\p{L}\p{N}]+", r"[^\W_]+", 2.2),
]
PAIRS = [("(", ")"), ("[", "]"), ("{", "}"), ("“", "”"), ("<", ">")]
_MARKS = re.compile(r"[^\w\s]\s|\s[^\w\s]|[^\w]|_")


def column(name: str, written: str, at: int) -> Piece:
    """The whole text of a column."""
    return Piece(written, lambda row: row[at], 1.0, name)


def parts_of(whole: Piece, text: str) -> Iterator[Piece]:
    """The parts of a text that can be told by marks and runs. They may give the same for this one."""
    yield from _by_marks(whole, text)
    yield from _by_runs(whole, text)
    for opening, closing in PAIRS:
        if opening in text and closing in text[text.index(opening) :]:
            yield whole.made(
                f"between({{}}, {quoted(opening)}, {quoted(closing)})",
                partial(_between, opening, closing),
                1.8,
                f"what stands between {opening} and {closing} in {{}}",
            )


def _by_marks(whole: Piece, text: str) -> Iterator[Piece]:
    for mark in sorted(set(_MARKS.findall(text)), key=len):
        sign, said = quoted(mark), shown(mark)
        count = text.count(mark) + 1
        for place in range(1, min(count, 6) + 1):
            yield whole.made(
                f"part({{}}, {sign}, {place})", partial(_part, mark, place),
                1.5 + 0.15 * place + 0.3 * (len(mark) > 1), f"part {place} of {{}} at {said}",
            )  # fmt: skip
        for back in range(1, min(count, 3) + 1):
            yield whole.made(
                f"part({{}}, {sign}, -{back})", partial(_part, mark, -back),
                1.55 + 0.2 * back + 0.3 * (len(mark) > 1), f"part {back} from the end of {{}} at {said}",
            )  # fmt: skip
        yield whole.made(
            f"after({{}}, {sign})", partial(_after, mark), 1.9,
            f"what follows the first {said} in {{}}",
        )  # fmt: skip
        yield whole.made(
            f"before_last({{}}, {sign})", partial(_before_last, mark), 1.9,
            f"{{}} up to the last {said}",
        )  # fmt: skip


def _by_runs(whole: Piece, text: str) -> Iterator[Piece]:
    shapes = {_shape(found) for found in re.findall(r"\w+(?:[^\w\s]\w+)+", text)}
    exact = [
        ("run such as " + said, pattern, pattern.replace(r"\p{L}", r"[^\W\d_]"), 2.9)
        for said, pattern in shapes
    ]
    for name, pattern, here, cost in [*RUNS, *exact]:
        count = len(re.findall(here, text))
        regex = re.compile(here)
        for place in [*range(1, min(count, 4) + 1), *([-1] if count else [])]:
            which = "last" if place == -1 else _ORDER[place - 1]
            yield whole.made(
                f"nth({{}}, {quoted(pattern)}, {place})",
                partial(_nth, regex, place),
                cost + 0.15 * abs(place) - 0.1 * (place == -1),
                f"the {which} {name} of {{}}",
            )


_ORDER = ("first", "second", "third", "fourth")


def places_of(whole: Piece, text: str, wanted: str) -> Iterator[Piece]:
    """Parts told by their place alone, for each time that `wanted` stands in a text."""
    size, begin = len(wanted), text.find(wanted)
    while begin >= 0 and size:
        left = len(text) - begin - size
        if begin == 0:
            yield whole.made(
                f"first({{}}, {size})",
                partial(_slice, 0, size),
                2.3 + 0.08 * size,
                f"the first {size} of {{}}",
            )
            if left:
                yield whole.made(
                    f"cut({{}}, {left})", partial(_slice, 0, -left), 2.6 + 0.08 * left,
                    f"{{}} without the last {left}",
                )  # fmt: skip
        if left == 0:
            yield whole.made(
                f"last({{}}, {size})",
                partial(_slice, -size, None),
                2.3 + 0.08 * size,
                f"the last {size} of {{}}",
            )
            if begin:
                yield whole.made(
                    f"skip({{}}, {begin})", partial(_slice, begin, None), 2.4 + 0.08 * begin,
                    f"{{}} without the first {begin}",
                )  # fmt: skip
        if begin and left:
            yield whole.made(
                f"middle({{}}, {begin + 1}, {size})", partial(_slice, begin, begin + size),
                2.8 + 0.06 * (begin + size), f"{size} of {{}} from place {begin + 1}",
            )  # fmt: skip
        begin = text.find(wanted, begin + 1)


def _shape(text: str) -> tuple[str, str]:
    """A run in words and as a pattern: digits as many as there are, letters any number of them."""
    said = re.sub(r"[^\W\d_]+", "a", re.sub(r"\d", "9", text))
    parts = re.findall(r"\d+|[^\W\d_]+|_|[^\w]", text)
    return said, "".join(
        f"[0-9]{{{len(part)}}}" if part.isdigit() else r"\p{L}+" if part.isalpha() else re.escape(part)
        for part in parts
    )


def _part(mark: str, place: int, text: str) -> str | None:
    return _at(text.split(mark), place)


def _nth(regex: re.Pattern[str], place: int, text: str) -> str | None:
    return _at(regex.findall(text), place)


def _after(mark: str, text: str) -> str | None:
    return text.split(mark, 1)[1] if mark in text else None


def _before_last(mark: str, text: str) -> str | None:
    return text.rsplit(mark, 1)[0]


def _slice(begin: int, end: int | None, text: str) -> str | None:
    return text[begin:end]


def _at(parts: list[str], place: int) -> str | None:
    at = place - 1 if place > 0 else len(parts) + place
    return parts[at] if 0 <= at < len(parts) else None


def _between(opening: str, closing: str, text: str) -> str | None:
    _, found, rest = text.partition(opening)
    inner, ended, _ = rest.partition(closing)
    return inner if found and ended else None


def fixed_cost(text: str) -> float:
    """How far-fetched a text is that stands in each result; letters and digits seldom do."""
    return 0.5 + 0.15 * len(text) + 0.9 * sum(sign.isalnum() for sign in text)


def plain(text: str) -> str:
    """Without accents, as the function of this name."""
    return "".join(c for c in unicodedata.normalize("NFD", text) if unicodedata.category(c) != "Mn")


def shown(mark: str) -> str:
    return {" ": "a blank", "\t": "a tab", "\n": "the end of a line"}.get(mark, f"“{mark}”")
