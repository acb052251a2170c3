"""Names that say the same in other words: shortened, in another order, with more or fewer words that many
names have.
"""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from typing import NamedTuple

import polars as pl
from rapidfuzz.distance import OSA

from updraft.core.similarity.alike import Alike
from updraft.core.similarity.lexicon import FORMS, OF, RUN_IN, SMALL, TELLING, legal_forms, light_words
from updraft.core.similarity.spelling import plain

LEAST = 0.7  # of the weight of both texts' words that must be the same
_BLOCK = 40  # texts that share a word and are compared; what more of them share says little
_BACKED = 1.5  # times as often as with a description before it a name stands alone
_APART = 3  # words that two texts may differ in
_OWN = 8  # names that share a word; more of them have it by chance
_LIGHT = 0.1  # what a word counts that says nothing of its own
_SHORT = 0.3  # of the weight of a word, if it is shortened
_LONG = 5  # letters from which on a slip in a word is more likely than another word

_INITIALS = r"\b(\p{L})\.(?:\s?(\p{L})\b\.?)(?:\s?(\p{L})\b\.?)?"


class _Text(NamedTuple):
    """A text's words.

    Args:
        heavy: those that say something, in order.
        light, forms: those that hardly do, and what kind of company it is.
        shortened: the words that end with a point.
        behind: how many heavy words stand behind the last “of”, or its like; 0 if there is none.
        weight: of all its words.
    """

    heavy: tuple[str, ...]
    light: frozenset[str]
    forms: frozenset[str]
    shortened: frozenset[str]
    behind: int
    weight: float


def word_alikes(values: Sequence[str], counts: Sequence[int]) -> list[Alike]:
    """Pairs of texts whose words say the same, by `other`, the most alike of each first.

    Words are weighted by rarity (inverse document frequency, Spärck Jones 1972) and matched softly (Cohen,
    Ravikumar and Fienberg 2003): the same, a slip apart, shortened, or two written as one. A word that is
    left over must be light: a legal form, a word of grammar, or one that the column itself shows to be often
    added, since many of the names that have it stand without it, too; or it is a description before “of”, if
    the name alone stands more often. Only texts that share a word which at most forty have are compared, and
    at least one of a pair has several words. Numbers must be the same.
    """
    frame = _words(values)
    if not frame.height:
        return []
    forms = legal_forms(frame)
    light = light_words(frame, forms)
    frame, weight = _weighed(frame, light, len(values))
    pairs = _candidates(frame)
    there = {at for pair in pairs for at in pair}
    texts = _texts(frame.filter(pl.col("at").is_in(list(there))), forms)
    judge, found = _Judge(frame, weight), []
    for one, other in pairs:
        first, second = texts[one], texts[other]
        alike = judge.alike(first, second) or judge.described(first, second, counts[one] / counts[other])
        if alike:
            nested = first.forms <= second.forms or second.forms <= first.forms
            same = first.heavy == second.heavy and first.light == second.light
            found.append(Alike(one, other, round(alike, 4), same and nested))
    return sorted(found, key=lambda pair: (pair.other, -pair.alike, pair.one))


def _words(values: Sequence[str]) -> pl.DataFrame:
    """`at`, `word`, `short` (a point behind it), in order. U.S. and S.p.A. are one word."""
    text, word = pl.col("text"), pl.col("word")
    frame = pl.LazyFrame({"text": list(values)}, schema={"text": pl.String}).with_row_index("at")
    bare = plain(text).str.replace_all(_INITIALS, "$1$2$3 ").str.replace_all("['’ʻ`´]", "")
    bare = bare.str.replace_all("[&+]", " and ").str.replace_all(f"({'|'.join(RUN_IN)})", " $1 ")
    words = (
        frame.select("at", word=bare.str.extract_all(r"[\p{L}\p{M}\p{N}]+\.?")).explode("word").drop_nulls()
    )
    words = words.with_columns(word=word.str.strip_chars_end("."), short=word.str.ends_with("."))
    return words.with_columns(word=word.replace(FORMS)).collect()


def _weighed(frame: pl.DataFrame, light: set[str], texts: int) -> tuple[pl.DataFrame, dict[str, float]]:
    """The words with `light` and `weight`; and each word's weight."""
    rarity = 1 - pl.len().over("word").log() / math.log(texts + 1)
    is_light = pl.col("word").is_in(light)
    frame = frame.with_columns(light=is_light, weight=rarity * pl.when(is_light).then(_LIGHT).otherwise(1))
    return frame, dict(frame.select("word", "weight").unique().iter_rows())


def _texts(frame: pl.DataFrame, forms: frozenset[str]) -> dict[int, _Text]:
    form, heavy = pl.col("word").is_in(forms), ~pl.col("light")
    kinds = frame.with_columns(form=form, of=pl.col("word").is_in(OF))
    word, place = pl.col("word"), pl.int_range(pl.len())
    told = kinds.group_by("at").agg(
        word.filter(heavy).alias("heavy"),
        word.filter(pl.col("light") & ~pl.col("form")).alias("light"),
        word.filter(pl.col("form")).alias("form"),
        word.filter(pl.col("short")).alias("short"),
        behind=(heavy & (place > place.filter(pl.col("of")).last())).sum().fill_null(0),
        weight=pl.col("weight").sum(),
    )
    return {
        at: _Text(tuple(heavy), frozenset(light), frozenset(form), frozenset(short), behind, weight)
        for at, heavy, light, form, short, behind, weight in told.iter_rows()
    }


def _candidates(frame: pl.DataFrame) -> list[tuple[int, int]]:
    """Pairs of places that share a word which few have, or the letters of all heavy words; that have the same
    digits and do not differ in many words. Of two texts one of which has all words of the other and more, the
    longer has a description or an initial, else it is another.
    """
    word, size = pl.col("word"), pl.col("size")
    heavy = frame.filter(~pl.col("light"))
    of = frame.filter(word.is_in(OF))["at"].unique()
    whole = heavy.group_by("at", maintain_order=True).agg(
        size=pl.len().cast(pl.Int64), key=word.str.join(""), initial=(word.str.len_chars() == 1).any()
    )
    whole = whole.with_columns(
        digits=pl.col("key").str.replace_all(r"\D", "").hash(),
        more=pl.col("initial") | pl.col("at").is_in(of.implode()),
    )
    keys = pl.concat([heavy.select("at", key=word), whole.select("at", "key")])
    keys = keys.join(whole.select("at", "digits"), on="at")
    each = keys.select("at", key=pl.col("key").hash().xor(pl.col("digits"))).unique()
    each = each.filter(pl.len().over("key").is_between(2, _BLOCK))
    pairs = each.join(each, on="key", suffix=" of other").filter(pl.col("at") < pl.col("at of other"))
    both = pairs.group_by("at", "at of other").agg(shared=pl.len().cast(pl.Int64))
    told = whole.select("at", "size", "more", "key")
    both = both.join(told, on="at").join(told, left_on="at of other", right_on="at", suffix=" of other")
    first, second = size - pl.col("shared"), pl.col("size of other") - pl.col("shared")
    nested = (
        ((first <= 0) & (second > 0) & ~pl.col("more of other"))
        | ((second <= 0) & (first > 0) & ~pl.col("more"))
    ) & (pl.col("key") != pl.col("key of other"))
    apart = (pl.max_horizontal(first, second) > _APART) | (pl.min_horizontal(first, second) >= _APART)
    return both.filter(~nested & ~apart).select("at", "at of other").sort(pl.all()).rows()


class _Judge:
    """How much of two texts is the same."""

    def __init__(self, frame: pl.DataFrame, weight: dict[str, float]) -> None:
        self._many = dict(frame.group_by("word").len().iter_rows())
        self._weight = weight

    def alike(self, one: _Text, other: _Text) -> float:
        """From 0 to 1; 0 where a word that says something is left over."""
        if not one.heavy or not other.heavy:
            return 0.0
        if not one.light ^ other.light <= SMALL and one.light - other.light and other.light - one.light:
            return 0.0
        if set(one.heavy) <= TELLING or set(other.heavy) <= TELLING:
            return 0.0
        lost = sum(self._weight[word] for word in (one.light ^ other.light) | (one.forms ^ other.forms))
        both = one.weight + other.weight
        if "".join(one.heavy) == "".join(other.heavy) or sorted(one.heavy) == sorted(other.heavy):
            return 1 - lost / both if _digits(one) == _digits(other) else 0.0
        if len(one.heavy) == 1 and len(other.heavy) == 1:
            return 0.0
        first, second = _left_over(one.heavy, other.heavy), _left_over(other.heavy, one.heavy)
        exact = sum(self._weight[w] for w in one.heavy) - sum(self._weight[w] for w in first)
        slips = 0.0
        while first and second:
            match = self._match(first, second, one, other)
            if match is None:
                return 0.0
            slips += match
        if not all(_is_initial(word, one) for word in first) or not all(
            _is_initial(w, other) for w in second
        ):
            return 0.0
        slips += _SHORT * sum(self._weight[word] for word in (*first, *second))
        alike = 1 - (lost + slips) / both
        return alike if alike >= LEAST and slips <= exact else 0.0

    def described(self, one: _Text, other: _Text, often: float) -> float:
        """How alike they are if one is the other with a description before it, “Plurinational State of
        Bolivia”: the name stands behind a word of grammar, hardly in anything else, and alone more often.

        Args:
            often: how many times as often as the other one stands.
        """
        long, short, often = (
            (one, other, 1 / often) if len(one.heavy) > len(other.heavy) else (other, one, often)
        )
        size = len(short.heavy)
        before = long.heavy[:-size]
        if long.behind != size or long.heavy[-size:] != short.heavy or not 0 < len(before) <= _APART:
            return 0.0
        named = often >= _BACKED and min(self._many[word] for word in short.heavy) <= _OWN
        telling = any(word in TELLING or any(map(str.isdigit, word)) for word in before)
        return LEAST if named and not telling and not short.forms and not long.forms else 0.0

    def _match(self, first: list[str], second: list[str], one: _Text, other: _Text) -> float | None:
        """Take the first word that is left of one text, and what it matches of the other; what it costs."""
        a = first[0]
        for b in second:
            cost = self._cost(a, b, one, other)
            if cost is not None:
                first.remove(a)
                second.remove(b)
                return cost
        for mine, its in ((first, second), (second, first)):
            for n in range(len(mine) - 1):
                joined = mine[n] + mine[n + 1]
                if joined in its:
                    its.remove(joined)
                    del mine[n : n + 2]
                    return 0.1
        return None

    def _cost(self, a: str, b: str, one: _Text, other: _Text) -> float | None:
        if any(map(str.isdigit, a + b)) or a in TELLING or b in TELLING:
            return None
        short, long = sorted((a, b), key=len)
        if _shortens(short, long, short in (one.shortened if short == a else other.shortened)):
            return _SHORT * self._weight[long]
        if len(short) < _LONG or (self._many[a] > 2 and self._many[b] > 2):
            return None
        apart = OSA.distance(a, b, score_cutoff=2)
        if apart == 1 or (apart == 2 and len(short) >= 2 * _LONG):
            return (0.5 if len(short) >= 8 else 1.0) * max(self._weight[a], self._weight[b])
        return None


def _digits(text: _Text) -> list[str]:
    return re.findall(r"\d+", " ".join(text.heavy))


def _is_initial(word: str, text: _Text) -> bool:
    """Whether it is one letter between the other words of a name."""
    return len(word) == 1 and word in text.heavy[1:-1]


def _left_over(words: Sequence[str], others: Sequence[str]) -> list[str]:
    rest = list(others)
    left = []
    for word in words:
        if word in rest:
            rest.remove(word)
        else:
            left.append(word)
    return left


def _shortens(short: str, long: str, pointed: bool) -> bool:
    """Whether a word is another one shortened: its beginning, or some of its letters with the first and the
    last.
    """
    if len(short) >= len(long) or not short or short[0] != long[0]:
        return False
    if long.startswith(short):
        if long == short + "s" and len(short) >= 4:  # seed, seeds
            return True
        return pointed or (len(short) >= 3 and len(long) - len(short) >= 3)
    if len(short) < 2 or short[-1] != long[-1]:
        return False
    if len(short) > max(len(long) - 2, 0) or len(short) > 5:
        return False
    letters = iter(long)
    return all(letter in letters for letter in short)  # one after another
