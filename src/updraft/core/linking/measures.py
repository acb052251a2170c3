"""How alike two values are, from 0 to 1, by each measure; for many pairs at once."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any, NamedTuple

import numpy as np
import polars as pl
from numpy.typing import NDArray

from updraft.core.letters import NO_WORD, unmarked
from updraft.core.linking.fields import Measure

Floats = NDArray[np.float64]

_CHANCE = 0.6  # two names that have nothing to do with each other share so much by chance
_FULL_DAYS = 366  # days apart at which two dates are no longer alike


def prepared(values: pl.Expr, measure: Measure) -> pl.Expr:
    """A text as the measure compares it, or nothing where it holds nothing that could be compared: small
    letters without accents, words with one blank between them; of codes letters and digits alone; numbers and
    days as they stand.
    """
    if measure in ("number", "date"):
        bare = values.str.strip_chars()
        return pl.when(bare != "").then(bare)
    plain = unmarked(values).str.to_lowercase()
    if measure == "digits":
        plain = plain.str.replace_all(NO_WORD, "")
    elif measure == "letters":
        plain = values.str.to_lowercase().str.replace_all(r"\s+", " ").str.strip_chars()
    else:
        plain = plain.str.replace_all(r"['’]", "").str.replace_all(NO_WORD, " ").str.strip_chars()
    return pl.when(plain != "").then(plain)


def likeness(measure: Measure, one: pl.Series, other: pl.Series, known: pl.Series | None = None) -> Floats:
    """How alike the values of two prepared columns are, pair by pair: 0 to 1, NaN where one is empty.

    Spelling is the similarity of Jaro and Winkler (1990), digits that of optimal string alignment (a digit
    changed, too much, too few or turned), both stretched so that what chance gives is 0. Letters are two
    times the longest common subsequence by the length of both. Words weigh by the logarithm of in how few of
    the values that are `known` they stand (cosine of such weights, each 0 or once). Numbers lose what they
    differ by of the greater one, days a 366th for each day between them.

    Args:
        known: prepared values that say which words are rare; those of `other` by default.
    """
    pairs = pl.DataFrame({"one": one, "other": other})
    distinct = pairs.drop_nulls().unique(maintain_order=True)
    if measure == "words":
        rarities = _rarities((other if known is None else known).drop_nulls())
        alike = _words(distinct["one"], distinct["other"], rarities)
    else:
        alike = _COMPARED[measure](distinct["one"], distinct["other"])
    distinct = distinct.with_columns(alike=pl.Series(alike, dtype=pl.Float64))
    met = pairs.join(distinct, on=["one", "other"], how="left", maintain_order="left")
    found: Floats = met["alike"].to_numpy().astype(np.float64)
    return found


def _stretched(alike: Floats) -> Floats:
    return np.clip((alike - _CHANCE) / (1 - _CHANCE), 0, 1)


def _paired(one: pl.Series, other: pl.Series, scorer: Callable[..., Any]) -> Floats:
    from rapidfuzz import process

    found: Floats = process.cpdist(
        one.to_list(), other.to_list(), scorer=scorer, workers=-1, dtype=np.float64
    )
    return found


def _spelling(one: pl.Series, other: pl.Series) -> Floats:
    from rapidfuzz.distance import JaroWinkler

    return _stretched(_paired(one, other, JaroWinkler.similarity))


def _digits(one: pl.Series, other: pl.Series) -> Floats:
    from rapidfuzz.distance import OSA

    return _stretched(_paired(one, other, OSA.normalized_similarity))


def _letters(one: pl.Series, other: pl.Series) -> Floats:
    from rapidfuzz.distance import Indel

    return _paired(one, other, Indel.normalized_similarity)


def _sound(one: pl.Series, other: pl.Series) -> Floats:
    from updraft.core.similarity.sound import spoken

    languages = spoken(pl.concat([one, other]).unique()).values()
    same = [
        a == b or any(a in keys and keys[a] == keys.get(b) for keys in languages)
        for a, b in zip(one, other, strict=True)
    ]
    return np.array(same, dtype=np.float64)


def _words(one: pl.Series, other: pl.Series, rarities: _Rarities) -> Floats:
    lengths = {
        text: math.sqrt(sum(rarities.of(word) for word in set(text.split()))) for text in (*one, *other)
    }
    return np.array(
        [
            sum(rarities.of(word) for word in set(a.split()) & set(b.split())) / (lengths[a] * lengths[b])
            for a, b in zip(one, other, strict=True)
        ],
        dtype=np.float64,
    )


class _Rarities(NamedTuple):
    """Word → square of the logarithm of in how few texts it stands; others are as rare as can be."""

    known: dict[str, float]
    others: float

    def of(self, word: str) -> float:
        return self.known.get(word, self.others)


def _rarities(texts: pl.Series) -> _Rarities:
    texts = texts.unique()
    words = texts.to_frame("text").select(pl.col("text").str.split(" ").list.unique()).explode("text")
    counted = words.group_by("text").len()
    most = math.log(texts.len() + 1)
    weights = (most - counted["len"].log() + 0.1) ** 2
    return _Rarities(dict(zip(counted["text"], weights, strict=True)), (most + 0.1) ** 2)


def _number(one: pl.Series, other: pl.Series) -> Floats:
    a, b = (side.cast(pl.Float64, strict=False).to_numpy() for side in (one, other))
    greater = np.maximum(np.abs(a), np.abs(b))
    with np.errstate(invalid="ignore", divide="ignore"):
        near = np.where(greater > 0, 1 - np.abs(a - b) / greater, 1.0)
    return np.where(np.isfinite(a) & np.isfinite(b), np.clip(near, 0, 1), np.nan)


def _date(one: pl.Series, other: pl.Series) -> Floats:
    a, b = (side.str.slice(0, 10).str.to_date("%Y-%m-%d", strict=False) for side in (one, other))
    days = (a - b).dt.total_days().abs().cast(pl.Float64)
    found: Floats = (1 - days / _FULL_DAYS).clip(0, 1).fill_null(float("nan")).to_numpy()
    return found


def _equal(one: pl.Series, other: pl.Series) -> Floats:
    return (one == other).to_numpy().astype(np.float64)


_COMPARED: dict[Measure, Callable[[pl.Series, pl.Series], Floats]] = {
    "spelling": _spelling,
    "letters": _letters,
    "sound": _sound,
    "digits": _digits,
    "number": _number,
    "date": _date,
    "equal": _equal,
}
