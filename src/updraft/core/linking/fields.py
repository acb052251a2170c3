"""What is compared: a column of each table, by which measure, and how much it counts."""

from __future__ import annotations

from typing import Literal, NamedTuple

Measure = Literal["spelling", "letters", "words", "sound", "digits", "number", "date", "equal"]

# What each measure looks at, as a person chooses it.
MEASURES: dict[Measure, str] = {
    "spelling": "spelling",
    "letters": "letters",
    "words": "words",
    "sound": "sound",
    "digits": "digits, codes",
    "number": "nearness",
    "date": "days apart",
    "equal": "equal",
}


class Field(NamedTuple):
    """A column of each table, compared by a measure. Weights count in proportion to each other."""

    left: str
    right: str
    measure: Measure = "spelling"
    weight: float = 1.0
