"""The entries of a list that are most like a text."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import TYPE_CHECKING, Any, Literal, NamedTuple

import polars as pl

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Places = NDArray[np.int64]
    Scores = NDArray[np.floating[Any]]

_AT_ONCE = 5_000_000  # pairs compared in one go, so that memory stays bounded


class Near(NamedTuple):
    """A text, the place of an entry in the list, and how alike they are: 0 to 100."""

    text: int
    entry: int
    score: float


def nearest_entries(
    texts: Sequence[str],
    entries: Sequence[str],
    least: float,
    take: Literal["first", "best", "all"],
    *,
    next_too: bool = False,
) -> list[Near]:
    """For each text the entries that are at least so much like it, in the order of the texts.

    Likeness is the normalised indel similarity (two times the longest common subsequence by the length of
    both, in percent), which counts letters that stand in the same order in both.

    Args:
        least: 0 to 100.
        take: the first of the best, all that are as good as the best, or all; these the best first.
        next_too: of the first and the best also the one that comes next, unless the text stands in the list
            as it is.
    """
    if not entries:
        return []
    found: list[Near] = []
    at = {entry: place for place, entry in reversed(list(enumerate(entries)))}
    rest = list(range(len(texts)))
    if take != "all" and len(at) == len(entries):
        # What stands in the list as it is has no better entry, nor one as good.
        found = [Near(n, at[text], 100.0) for n, text in enumerate(texts) if text and text in at]
        rest = [n for n in rest if not texts[n] or texts[n] not in at]
    others = _compared(texts, entries, rest, least, take, int(next_too))
    return sorted([*found, *others], key=lambda near: near.text)


def _compared(
    texts: Sequence[str], entries: Sequence[str], rest: list[int], least: float, take: str, further: int
) -> Iterator[Near]:
    """The nearest entries of some texts, the best first, the texts in any order."""
    import numpy as np
    from rapidfuzz import fuzz, process

    # Two texts can only be so much alike as their lengths are: each is compared with those near its length.
    rest = sorted(rest, key=lambda n: len(texts[n]))
    places = np.array(sorted(range(len(entries)), key=lambda n: len(entries[n])), dtype=np.int64)
    lengths = np.array([len(entries[place]) for place in places])
    ordered = [entries[place] for place in places]
    apart = least / (200 - least)
    many = max(1, _AT_ONCE // len(entries))
    for start in range(0, len(rest), many):
        block = rest[start : start + many]
        first = int(np.searchsorted(lengths, len(texts[block[0]]) * apart - 1))
        past = int(np.searchsorted(lengths, len(texts[block[-1]]) / apart + 1, side="right"))
        scores = process.cdist(
            [texts[n] for n in block], ordered[first:past], scorer=fuzz.ratio, score_cutoff=least,
            dtype=np.float32, workers=-1,
        )  # fmt: skip
        for n, row in zip(block, scores, strict=True):
            fits = np.flatnonzero(row > 0)
            if fits.size:
                yield from _taken(n, places[first:past][fits], row[fits], take, further)


def _taken(text: int, places: Places, scores: Scores, take: str, further: int) -> Iterator[Near]:
    """Of the entries that are like enough those to take, and so many that come next. Equal scores are equal
    in single precision, too.
    """
    import numpy as np

    order = np.lexsort((places, -scores))
    if take != "all":
        best = 1 if take == "first" else int((scores == scores[order[0]]).sum())
        order = order[: best + further]
    for place, score in zip(places[order], scores[order], strict=True):
        yield Near(text, int(place), round(float(score), 1))


def comparable(text: pl.Expr) -> pl.Expr:
    """A text as it is compared: small letters, one blank between words, none at the ends."""
    return text.str.to_lowercase().str.replace_all(r"\s+", " ").str.strip_chars()
