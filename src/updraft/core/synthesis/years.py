"""The years beside a year: 2022 and 22 of 2021, as school years and seasons say them."""

from __future__ import annotations

import re
from collections.abc import Iterator
from functools import partial

from updraft.core.synthesis.changes import whole
from updraft.core.synthesis.pieces import Piece

_YEAR = re.compile(r"1[5-9]\d\d|20\d\d")
_BESIDE = ((1, "the year after"), (-1, "the year before"))


def years_in(piece: Piece, text: str, wanted: str) -> Iterator[Piece]:
    """The year after and the year before that of a text, in full or with two digits."""
    if not _YEAR.fullmatch(text):
        return
    alone = 0.0 if text in wanted else 1.6  # beside the year itself its neighbour is likely meant
    for step, words in _BESIDE:
        sign = "+" if step > 0 else "-"
        call = f"text(whole({{}}) {sign} {abs(step)})"
        if (_beside(step, 4, text) or "") in wanted:
            yield piece.made(call, partial(_beside, step, 4), 1.2 + alone, f"{words} {{}}")
        if re.search(rf"(?<!\d){_beside(step, 2, text)}(?!\d)", wanted):
            short = partial(_beside, step, 2)
            yield piece.made(f"last({call}, 2)", short, 1.6, f"{words} {{}} with two digits")


def _beside(step: int, digits: int, text: str) -> str | None:
    year = whole(text)
    return None if year is None else str(int(year) + step)[-digits:]
