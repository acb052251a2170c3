"""A text made of a row: what all that is read from examples consists of.

Each piece knows its formula and works on one row in plain Python, so that thousands can be tried on a few
rows; what is chosen is computed by its formula.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from functools import cached_property, lru_cache

Row = Sequence[str | None]
Of = Callable[[Row], str | None]


_KEPT = 64  # rows; fewer are looked at for each piece


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

    @cached_property
    def _kept(self) -> Of:
        """What it gives, kept for the rows that the many pieces made of it ask for."""
        return lru_cache(_KEPT)(self.of)

    def made(self, call: str, change: Callable[[str], str | None], cost: float, words: str) -> Piece:
        """The same with one more function around it; `call` holds {} for what stands now, and
        {again} where it is needed a second time.
        """
        of = self._kept

        def changed(row: Row) -> str | None:
            text = of(row)
            return None if text is None else change(text)

        once, *again = call.split("{again}")
        # Patterns hold other braces.
        formula = self.formula.join([once.replace("{}", self.formula, 1), *again])
        return Piece(formula, changed, self.cost + cost, words.replace("{}", self.words, 1))


def marks_of(row: Row) -> set[str]:
    """The signs of a row that are no letters, digits or blanks."""
    return set(re.findall(r"[^\w\s]", " ".join(filter(None, row))))


def column(name: str, written: str, at: int) -> Piece:
    """The whole text of a column."""
    return Piece(written, lambda row: row[at], 1.0, name)


def fixed_cost(text: str) -> float:
    """How far-fetched a text is that stands in each result; letters and digits seldom do."""
    digits = sum(map(str.isdigit, text))
    return 0.5 + 0.15 * len(text) + 0.9 * sum(map(str.isalnum, text)) + 1.2 * digits


def cheapest(pieces: Iterable[Piece]) -> list[Piece]:
    """Of pieces of one formula, the cheapest."""
    found: dict[str, Piece] = {}
    for piece in pieces:
        known = found.get(piece.formula)
        if known is None or piece.cost < known.cost:
            found[piece.formula] = piece
    return list(found.values())


def form_of(text: str) -> str:
    """The kinds of signs in a row, however many of each."""
    return re.sub(r"(.)\1+", r"\1", re.sub(r"[^\W\d_]", "a", re.sub(r"\d", "9", text)))


def classes_of(text: str) -> tuple[bool, bool]:
    """Whether there are letters, and whether there are digits."""
    return any(map(str.isalpha, text)), any(map(str.isdigit, text))


def shown(mark: str) -> str:
    return {" ": "a blank", "\t": "a tab", "\n": "the end of a line"}.get(mark, f"“{mark}”")
