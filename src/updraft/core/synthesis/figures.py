"""A number made of a row, and how one becomes another."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass

from updraft.core.synthesis.pieces import Row

# Parts of one amount, the larger first: feet and inches, hours and minutes, pounds and ounces.
PARTS = (
    (12.0, 1.0),
    (60.0, 1.0),
    (100.0, 1.0),
    (1000.0, 1.0),
    (7.0, 1.0),
    (16.0, 1.0),
    (30.48, 2.54),
    (0.3048, 0.0254),
)


SUM, ANY = re.compile(" [+-] "), re.compile(r" [+*/-] ")
LETTER = re.compile(r"\b[ABC]\b")
MOST = 14  # numbers of which pairs are tried
ROUGH = 0.02  # what a result may be rounded by, of itself, where a measure is told by it


@dataclass(frozen=True)
class Number:
    """A number made of a row: how it is written, how it is worked out, how far-fetched it is, in words.

    Args:
        column: the first number of a whole column.
        counts: it says how many there are of something, which has no unit.
    """

    formula: str
    of: Callable[[Row], float | None]
    cost: float
    words: str
    column: bool = False
    counts: bool = False


Found = tuple[Number, float]


def changed(number: Number, call: str, make: Callable[[float], float], cost: float, words: str) -> Number:
    def of(row: Row) -> float | None:
        value = number.of(row)
        return None if value is None else make(value)

    return Number(call.replace("{}", bracketed(number.formula, ANY)), of, number.cost + cost, words)


def bracketed(formula: str, around: re.Pattern[str] = SUM) -> str:
    """A formula in brackets where it holds a sum, or any sign of reckoning."""
    return f"({formula})" if around.search(formula) else formula
