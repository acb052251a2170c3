"""One thing in several spellings: a folded key for what is only written differently, and edit distance for
slips.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from functools import cached_property

import polars as pl

from updraft.core.letters import NO_WORD, unmarked

# Blanks of every kind and signs without width; not the joiners (U+200C, U+200D), which Persian and Hindi
# write with.
_BLANKS = r"[\s\u{a0}\u{200b}\u{2060}\u{feff}]+"
_SHORT = 20  # signs; of longer texts a third that is spared is rare enough to be found by
_BLOCK = 60  # texts of one block that are compared; what more of them share says nothing
_OPPOSITES = {
    frozenset(pair.split("/"))
    for pair in [
        "north/south",
        "east/west",
        "northern/southern",
        "eastern/western",
        "male/female",
        "man/woman",
        "upper/lower",
        "inner/outer",
        "left/right",
        "high/low",
        "before/after",
        "minor/major",
        "mono/poly",
        "maximum/minimum",
        "increase/decrease",
        "import/export",
        "imports/exports",
        "internal/external",
        "first/last",
        "under/over",
        "within/without",
        "inside/outside",
        "input/output",
        "minimal/maximal",
        "interior/exterior",
        "positive/negative",
        "odd/even",
        "even/odd",
    ]
}


def apart_words(one: str, other: str) -> tuple[list[str], list[str]]:
    """The words of each of two texts that the other one lacks."""
    mine, its = one.split(), other.split()
    return [word for word in mine if word not in its], [word for word in its if word not in mine]


def tidied_blanks(text: pl.Expr) -> pl.Expr:
    """The text with every run of blanks made one and none at the ends."""
    return text.str.replace_all(_BLANKS, " ").str.strip_chars()


def plain(text: pl.Expr) -> pl.Expr:
    """The text in small letters, without accents, one blank between words."""
    return tidied_blanks(unmarked(text).str.to_lowercase())


def _words(text: pl.Expr) -> pl.Expr:
    return plain(text).str.replace_all(NO_WORD, " ").str.strip_chars()


def folded(text: pl.Expr) -> pl.Expr:
    """A key that is equal for texts which differ only in case, accents, punctuation and, where no digit is,
    in blanks.

    In text with digits the signs between them stay apart ("A 1-2" is not "A 12").
    """
    words = _words(text)
    return (
        pl.when(words.str.contains(r"\p{N}"))
        .then(words)
        .otherwise(words.str.replace_all(" ", "", literal=True))
    )


def letter_keys(values: pl.Series) -> pl.DataFrame:
    """For texts, keys that are equal where only letters' dress differs: `letters`, see `folded`, and `words`,
    where the words may also come in another order.
    """
    frame = (
        values.alias("value")
        .to_frame()
        .with_columns(
            ascii=~pl.col("value").str.contains(r"[^\x00-\x7f]"),
            place=pl.int_range(pl.len(), dtype=pl.UInt32),
        )
    )
    # Accents cost five times what the rest does, and most texts have none.
    bare = pl.col("value").str.to_lowercase().str.replace_all(r"[^a-z0-9]+", " ").str.strip_chars()
    halves = [frame.filter("ascii").lazy().select("place", plain=bare)]
    halves += [frame.filter(~pl.col("ascii")).lazy().select("place", plain=_words(pl.col("value")))]
    plain = pl.col("plain")
    several = plain.str.contains(" ", literal=True)
    keys = pl.concat(halves).select(
        "place",
        letters=pl.when(plain.str.contains(r"\p{N}"))
        .then(plain)
        .otherwise(plain.str.replace_all(" ", "", literal=True)),
        words=pl.when(several).then(plain.str.split(" ").list.sort().list.join(" ")).otherwise(plain),
    )
    return keys.collect(engine="streaming").sort("place").drop("place")


def near_misses(values: Sequence[str], counts: Sequence[int]) -> dict[str, str]:
    """Rare values that are a slip away from a frequent one: rare → frequent.

    A slip is one letter changed, left out, added or swapped with its neighbour (two from ten letters on):
    optimal string alignment distance, after Damerau (1964). The words in another order, or a word shortened
    with a point, count too. Digits must be the same, and the rare value must be at most a third as frequent
    as the other one. Words that also stand in other values, or that are opposites, are words of their own.
    """
    texts, many = list(values), list(counts)
    if not many or max(many) < 3 * min(many):
        return {}
    every = [text.lower() for text in texts]
    # Numbered names (plot 7, plot 8) are no slips: only what shares its digits with another can be one.
    digits = pl.Series(every, dtype=pl.String).str.replace_all(r"\D", "")
    shared = digits.is_duplicated().arg_true().to_list()
    texts, many, lower = ([some[at] for at in shared] for some in (texts, many, every))
    own = _Words(every)
    best: dict[int, tuple[int, int, int]] = {}
    for one, other, distance in [*close_pairs(lower, many), *_reworded_pairs(lower)] if shared else ():
        for rare, common in ((one, other), (other, one)):
            if many[common] < 3 * many[rare] or not (
                distance == 0 or _is_slip(lower[rare], lower[common], distance, many[rare], many[common])
            ):
                continue
            if distance and own.tell_apart(lower[rare], lower[common]):
                continue
            rank = (-distance, many[common], -common)
            if rare not in best or rank > best[rare]:
                best[rare] = rank
    found = {texts[rare]: texts[-place] for rare, (_, _, place) in sorted(best.items())}
    # A slip of a slip leads to the same good value.
    return {old: found.get(new, new) for old, new in found.items()}


def close_pairs(texts: Sequence[str], counts: Sequence[int]) -> Iterator[tuple[int, int, int]]:
    """Pairs of texts of the same digits, at most two letters apart (one below ten letters), as places and
    distance, each once.

    Blocking: short texts one letter apart share a text with one letter left out (after Mor and Fraenkel
    1982); of two edits at least one third of a long text is spared, so it shares its start, end or middle
    third. Only texts of one block are compared, of which one is three times as frequent as the other; a block
    of more than 60 is left out.
    """
    import numpy as np
    from rapidfuzz import process
    from rapidfuzz.distance import OSA

    size = pl.col("text").str.len_chars().alias("size")
    frame = pl.DataFrame({"text": list(texts), "n": list(counts)}, schema={"text": pl.String, "n": pl.Int64})
    frame = (
        frame.with_row_index("at")
        .with_columns(size.cast(pl.Int32), digits=pl.col("text").str.replace_all(r"\D", "").hash())
        .filter(size.is_between(4, 120))
    )
    keys = pl.concat(_keys(frame)) if frame.height else pl.DataFrame()
    if not keys.height:
        return
    keys = keys.unique().filter(pl.len().over("key").is_between(2, _BLOCK))
    pairs = (
        keys.join(keys, on="key", suffix=" of other")
        .filter(pl.col("at") < pl.col("at of other"))
        .select("at", "at of other")
        .unique()
        .sort("at", "at of other")
    )
    both = pairs.join(frame, on="at", maintain_order="left").join(
        frame, left_on="at of other", right_on="at", suffix=" of other", maintain_order="left"
    )
    low, high = pl.min_horizontal("n", "n of other"), pl.max_horizontal("n", "n of other")
    both = both.filter((high >= 3 * low) & ((pl.col("size") - pl.col("size of other")).abs() <= 2))
    distances = process.cpdist(
        both["text"].to_list(),
        both["text of other"].to_list(),
        scorer=OSA.distance,
        score_cutoff=2,
        dtype=np.uint8,
        workers=-1,
    )
    close = both.select("at", "at of other").with_columns(pl.Series("apart", distances))
    yield from close.filter(pl.col("apart").is_between(1, 2)).iter_rows()


def _keys(frame: pl.DataFrame) -> Iterator[pl.DataFrame]:
    """For each text the keys of its blocks, as numbers: `at`, `key`."""
    text, size = pl.col("text"), pl.col("size")

    def keyed(rows: pl.DataFrame, mark: str, key: pl.Expr) -> pl.DataFrame:
        return rows.select("at", key=pl.concat_str(pl.lit(mark), key).hash().xor(pl.col("digits")))

    some = frame.filter(size <= _SHORT)
    yield keyed(some, "-", text)
    for n in range(max(some["size"].to_list(), default=0)):
        longer = some.filter(size > n)
        yield keyed(longer, "-", pl.concat_str(text.str.slice(0, n), text.str.slice(n + 1)))
    long = frame.filter(size >= 10)
    for by in (-1, 1):
        third = (size + by) // 3
        told = third.cast(pl.String)
        yield keyed(long, "<", pl.concat_str(told, text.str.slice(0, third)))
        yield keyed(long, ">", pl.concat_str(told, text.str.slice(-third, third)))
        for shift in (-1, 0, 1):
            yield keyed(long, "=", pl.concat_str(told, text.str.slice(third + shift, third)))


def _is_slip(rare: str, common: str, distance: int, few: int, many: int) -> bool:
    size = min(len(rare), len(common))
    if distance == 0 or size < 4 or len(common) < 5 or (distance == 2 and size < 10):
        return False
    if size < 6 and (few > 2 or many < 10 * few):
        return False  # short names lie close to each other
    if few > 3 and many < 50 * few:
        return False  # what is written so again and again is meant: Matthew and Matthews
    if size < 9 and many < 5 * few:
        return False
    if rare[0] != common[0] and many < 20 * few:
        return False  # hands seldom slip on the first letter; Harry and Larry are two people
    if [c for c in rare if c.isdigit()] != [c for c in common if c.isdigit()]:
        return False
    return sum(c.isalpha() for c in rare) >= 0.7 * len(rare)


def _reworded_pairs(texts: Sequence[str]) -> list[tuple[int, int, int]]:
    """Pairs with the same words in another order, or with a word shortened with a point: distance 0."""
    sorts: dict[tuple[str, ...], list[int]] = {}
    starts: dict[str, list[int]] = {}
    for at, text in enumerate(texts):
        words = text.split()
        if 1 < len(words) <= 8:
            sorts.setdefault(tuple(sorted(words)), []).append(at)
            starts.setdefault("".join(word[0] for word in words), []).append(at)
    found = [
        (one, other, 0)
        for places in sorts.values()
        for n, one in enumerate(places[:_BLOCK])
        for other in places[n + 1 : _BLOCK]
    ]
    for places in starts.values():
        shortened = [at for at in places if any(word.endswith(".") for word in texts[at].split())]
        found += [
            (one, other, 0)
            for one in shortened[:_BLOCK]
            for other in places[:_BLOCK]
            if one != other and _shortens(texts[one].split(), texts[other].split())
        ]
    return found


def _shortens(one: Sequence[str], other: Sequence[str]) -> bool:
    return all(
        a == b or (a.endswith(".") and len(a) > 1 and b.startswith(a[:-1]))
        for a, b in zip(one, other, strict=True)
    )


class _Words:
    """In how many of the texts each word stands."""

    def __init__(self, texts: Sequence[str]) -> None:
        self._texts = texts

    @cached_property
    def many(self) -> Counter[str]:
        return Counter(word for text in self._texts for word in set(text.split()))

    def tell_apart(self, one: str, other: str) -> bool:
        """Whether two texts differ in a word that is one of its own: an opposite, or used elsewhere too."""
        first, second = one.split(), other.split()
        if len(first) != len(second):
            return False
        apart = [(a, b) for a, b in zip(first, second, strict=True) if a != b]
        if any(frozenset(pair) in _OPPOSITES for pair in apart):
            return True
        return len(first) > 1 and all(self.many[a] > 1 and self.many[b] > 1 for a, b in apart)
