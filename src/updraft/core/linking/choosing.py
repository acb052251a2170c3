"""Measures, weights and the least score, chosen from two tables that nobody has linked yet."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
import polars as pl
from numpy.typing import NDArray

from updraft.core.linking.candidates import Marks, marks_of, marks_of_some
from updraft.core.linking.fields import Field, Measure
from updraft.core.linking.fitting import fitted
from updraft.core.linking.links import Compared, Places, each_once, ready
from updraft.core.linking.measures import Floats

_SAMPLE = 10_000  # rows of the left table that are learnt from
_KNOWN_APART = 1_000  # rows of each table that are compared with the others of it
_ROUNDS = 4
_CUTS = np.arange(20.0, 99.5, 0.5)  # percent
_WRONG = 0.03  # of the pairs that are learnt from may be wrong, about
_FEW = 20  # pairs from which something can be learnt
_LEAST = 75.0  # percent, where nothing can
_UNKNOWN = 0.65  # how alike a missing value is taken to be while weights are learnt
_FLAT = 0.002  # of what is gained is given away for a least score in the middle of good ones
_WORDY = 3.5  # words in a value, on average, from which their order says little


class Chosen(NamedTuple):
    """Fields with their weights, the least score in percent at which two rows are taken as one, and all that
    was compared, where that were all rows by all of these fields.
    """

    fields: tuple[Field, ...]
    least: float
    compared: Compared | None = None


def choose(left: pl.DataFrame, right: pl.DataFrame, pairs: Sequence[tuple[str, str]]) -> Chosen:
    """Measures, weights and the least score for pairs of columns, learnt without an example.

    Two rows of one table are two things, however much they share: people of one house, parts of one firm. So
    each table is compared with itself, too, which tells how well a row meets what it is not (the targets and
    decoys of Käll and others, 2007). Pairs of both tables that score higher than nearly all of those are
    taken as right, and a logistic regression learns from them what tells them from the others; that again
    gives scores, some rounds long. The least score is the one of which the most right pairs less wrong ones
    are expected. It rests on tables that hold a thing once, but for a few.

    Args:
        left, right: hold the columns as text.
        pairs: a column of each.
    """
    fields = [Field(one, other, _measure(left[one], right[other])) for one, other in pairs]
    some = left if left.height <= _SAMPLE else left.sample(_SAMPLE, seed=0)
    sides = [(left, [f.left for f in fields]), (right, [f.right for f in fields])]
    marks = [marks_of(ready(table, names, fields), range(len(fields))) for table, names in sides]
    known = Marks(marks[0], marks[1]) if some is left else None
    compared = Compared(some, right, fields, marks=known)
    apart = [_within(table, names, fields, own) for (table, names), own in zip(sides, marks, strict=True)]
    weights = [1.0] * len(fields)
    judged = _judged(compared, apart, weights, some.height)
    for _ in range(_ROUNDS):
        if len(judged.right) < _FEW:
            return Chosen(tuple(fields), _LEAST)
        weights = _weights(compared, judged.right, apart)
        judged = _judged(compared, apart, weights, some.height)
    kept = [n for n, weight in enumerate(weights) if weight > 0.01 * sum(weights)]
    shares = [max(0.1, round(100 * weights[n] / sum(weights[k] for k in kept), 1)) for n in kept]
    chosen = tuple(fields[n]._replace(weight=share) for n, share in zip(kept, shares, strict=True))
    whole = compared if len(kept) == len(fields) and some is left else None
    return Chosen(chosen, judged.least, whole)


def _measure(one: pl.Series, other: pl.Series) -> Measure:
    texts = pl.concat([one, other]).drop_nulls()
    texts = texts.filter(texts.str.strip_chars() != "").head(20_000)
    if not texts.len():
        return "spelling"
    if _mean(texts.str.contains(r"^[-+]?\d+\.\d+$")) == 1:
        return "number"
    if _mean(texts.str.contains(r"\d")) > 0.5 and _mean(texts.str.count_matches(r"\p{L}")) < 5:
        return "digits"
    return "words" if _mean(texts.str.count_matches(r"\S+")) > _WORDY else "spelling"


def _mean(values: pl.Series) -> float:
    found = values.cast(pl.Float64).mean()
    return float(found) if isinstance(found, int | float) else 0.0


class _Apart(NamedTuple):
    """Pairs of rows of one table, of which so many were looked at."""

    compared: Compared
    rows: int


def _within(
    table: pl.DataFrame, names: Sequence[str], fields: Sequence[Field], marks: pl.DataFrame
) -> _Apart:
    rows = np.sort(np.random.default_rng(0).permutation(table.height)[:_KNOWN_APART])
    own = [field._replace(left=name, right=name) for field, name in zip(fields, names, strict=True)]
    both = Marks(marks_of_some(marks, rows.tolist()), marks)
    return _Apart(Compared(table[rows], table, own, same=rows, marks=both), len(rows))


class _Judged(NamedTuple):
    """Places of pairs that are nearly surely right, and the least score of the best choice."""

    right: Places
    least: float


def _judged(compared: Compared, apart: Sequence[_Apart], weights: Sequence[float], rows: int) -> _Judged:
    scores = compared.scores(weights)
    best = each_once(compared.left, compared.right, scores)
    reached = scores[best]
    chance = np.max([_by_chance(one, weights) for one in apart], axis=0)
    taken = (reached[:, None] >= _CUTS).sum(axis=0)
    # Of so many rows some have their partner; of the others a share is taken by chance.
    right = np.clip((taken - rows * chance) / np.maximum(1 - chance, 1e-9), 0, taken)
    wrong = taken - right
    pure = np.flatnonzero((wrong <= _WRONG * taken) & (taken > 0))
    sure = best[reached >= _CUTS[pure[0]]] if pure.size else best[:0]
    gained = right - wrong
    good = np.flatnonzero(gained >= gained.max() * (1 - _FLAT))
    return _Judged(sure, float(_CUTS[good[len(good) // 2]]) if gained.max() > 0 else _LEAST)


def _by_chance(apart: _Apart, weights: Sequence[float]) -> Floats:
    """For each cut the share of rows that meet another one of their table by at least so much."""
    scores = apart.compared.scores(weights)
    best = np.sort(scores[each_once(apart.compared.left, apart.compared.right, scores)])
    found: Floats = (len(best) - np.searchsorted(best, _CUTS)) / max(1, apart.rows)
    return found


def _weights(compared: Compared, right: Places, apart: Sequence[_Apart]) -> list[float]:
    """How much each field tells right pairs from those of rows that have another partner, or are apart."""
    others = np.isin(compared.left, compared.left[right])
    others[right] = False
    alike: NDArray[np.float64] = np.concatenate(
        [compared.alike[:, right], compared.alike[:, others], *(one.compared.alike for one in apart)], axis=1
    )
    known = np.zeros(alike.shape[1])
    known[: len(right)] = 1
    return fitted(np.where(np.isnan(alike), _UNKNOWN, alike).T, known)
