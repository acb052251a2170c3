"""One change of a text, as formulas write it."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass

from updraft.core.synthesis.pieces import Piece

WORD = re.compile(r"[^\W_]+")


@dataclass(frozen=True)
class Change:
    """One function around a text: how it is written ({} for the text), what it does, its cost, its words."""

    call: str
    of: Callable[[str], str | None]
    cost: float
    words: str

    def around(self, piece: Piece) -> Piece:
        return piece.made(self.call, self.of, self.cost, self.words)


def title(text: str) -> str:
    """A large letter after whatever is no letter or digit, as the function of this name."""
    return WORD.sub(lambda word: word.group()[:1].upper() + word.group()[1:].lower(), text)
