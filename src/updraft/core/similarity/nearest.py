"""The entries of a list that are most like a text."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal, NamedTuple

import polars as pl

_BLOCK = 500  # texts compared with the whole list at a time, so that memory stays bounded


class Near(NamedTuple):
    """A text, the place of an entry in the list, and how alike they are: 0 to 100."""

    text: int
    entry: int
    score: float


def nearest_entries(
    texts: Sequence[str], entries: Sequence[str], least: float, take: Literal["first", "best", "all"]
) -> list[Near]:
    """For each text the entries that are at least so much like it, in the order of the texts.

    Likeness is the normalised indel similarity (two times the longest common subsequence by the length of
    both, in percent), which counts letters that stand in the same order in both.

    Args:
        least: 0 to 100.
        take: the first of the best, all that are as good as the best, or all; these the best first.
    """
    import numpy as np
    from rapidfuzz import fuzz, process

    found: list[Near] = []
    if not entries:
        return found
    for start in range(0, len(texts), _BLOCK):
        block = list(texts[start : start + _BLOCK])
        scores = process.cdist(
            block, entries, scorer=fuzz.ratio, score_cutoff=least, dtype=np.float64, workers=-1
        )
        for n, row in enumerate(scores):
            fits = np.flatnonzero((row >= least) & (row > 0))
            if not fits.size:
                continue
            ranked = fits[np.argsort(-row[fits], kind="stable")]
            if take == "first":
                ranked = ranked[:1]
            elif take == "best":
                ranked = ranked[row[ranked] == row[ranked[0]]]
            found += [Near(start + n, int(place), round(float(row[place]), 1)) for place in ranked]
    return found


def comparable(text: pl.Expr) -> pl.Expr:
    """A text as it is compared: small letters, one blank between words, none at the ends."""
    return text.str.to_lowercase().str.replace_all(r"\s+", " ").str.strip_chars()
