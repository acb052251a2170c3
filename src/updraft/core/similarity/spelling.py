"""One thing in several spellings: a folded key for what is only written differently, and edit distance for
slips.
"""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

_BLANKS = r"[\s\u{a0}\u{200b}\u{200c}\u{200d}\u{2060}\u{feff}]+"
MOST = 3000  # values compared pair by pair; beyond that a column is no list of categories


def tidied_blanks(text: pl.Expr) -> pl.Expr:
    """The text with every run of blanks made one and none at the ends."""
    return text.str.replace_all(_BLANKS, " ").str.strip_chars()


def folded(text: pl.Expr) -> pl.Expr:
    """A key that is equal for texts which differ only in case, accents, punctuation and, where no digit is,
    in blanks.

    In text with digits the signs between them stay apart ("A 1-2" is not "A 12").
    """
    plain = text.str.normalize("NFKD").str.replace_all(r"\p{M}", "").str.to_lowercase()
    plain = plain.str.replace_all("ß", "ss").str.replace_all(r"[^\p{L}\p{N}]+", " ").str.strip_chars()
    return (
        pl.when(plain.str.contains(r"\p{N}"))
        .then(plain)
        .otherwise(plain.str.replace_all(" ", "", literal=True))
    )


def near_misses(values: Sequence[str], counts: Sequence[int]) -> dict[str, str]:
    """Rare values that are a slip away from a frequent one: rare → frequent.

    A slip is one letter changed, left out, added or swapped with its neighbour (two from ten letters on):
    optimal string alignment distance, after Damerau (1964). The words in another order, or a word shortened
    with a point, count too. Digits must be the same, and the rare value must be at most a third as frequent
    as the other one.
    """
    import numpy as np
    from rapidfuzz import process
    from rapidfuzz.distance import OSA

    texts, many = list(values), np.asarray(counts)
    if len(texts) < 2 or len(texts) > MOST:
        return {}
    lower = [text.lower() for text in texts]
    distances = process.cdist(lower, lower, scorer=OSA.distance, score_cutoff=2, dtype=np.uint8, workers=1)
    found: dict[str, str] = {}
    for rare in np.argsort(many, kind="stable"):
        common = [
            int(c)
            for c in np.flatnonzero(distances[rare] <= 2)
            if c != rare
            and many[c] >= 3 * many[rare]
            and _is_slip(lower[rare], lower[c], int(distances[rare, c]))
        ]
        common += [
            c for c in range(len(texts)) if many[c] >= 3 * many[rare] and _reworded(lower[rare], lower[c])
        ]
        if common:
            best = max(common, key=lambda c: (-int(distances[rare, c]), int(many[c])))
            found[texts[rare]] = texts[best]
    # A slip of a slip leads to the same good value.
    return {old: found.get(new, new) for old, new in found.items()}


def sound_alikes(values: Sequence[str], counts: Sequence[int]) -> dict[str, str]:
    """Rarer values that sound like a more frequent one, as English is spoken: rarer → frequent.

    They have the same Metaphone code (Philips 1990) word for word, the same digits, and at least half of
    their letters in common (normalised optimal string alignment).
    """
    import jellyfish
    from rapidfuzz.distance import OSA

    plain = pl.Series(values, dtype=pl.String).str.normalize("NFKD").str.replace_all(r"\p{M}", "")
    words = plain.str.to_lowercase().str.replace_all(r"[^\p{L}\p{N}]+", " ").str.strip_chars().to_list()
    ranked = sorted(range(len(values)), key=lambda at: -counts[at])  # stable: the first of equals
    best: dict[tuple[str, ...], int] = {}
    found: dict[str, str] = {}
    for at in ranked:
        letters = words[at]
        if not letters.isascii() or sum(map(str.isalpha, letters)) < 4:
            continue
        key = tuple(w if any(map(str.isdigit, w)) else jellyfish.metaphone(w) or w for w in letters.split())
        known = best.setdefault(key, at)
        if known != at and OSA.normalized_similarity(letters, words[known]) >= 0.5:
            found[values[at]] = values[known]
    return found


def _is_slip(rare: str, common: str, distance: int) -> bool:
    size = min(len(rare), len(common))
    if distance == 0 or size < 5 or (distance == 2 and size < 10):
        return False
    if [c for c in rare if c.isdigit()] != [c for c in common if c.isdigit()]:
        return False
    return sum(c.isalpha() for c in rare) >= 0.7 * len(rare)


def _reworded(rare: str, common: str) -> bool:
    if rare == common or " " not in common:
        return False
    one, other = rare.split(), common.split()
    if len(one) != len(other):
        return False
    if sorted(one) == sorted(other):
        return True
    short = any(a.endswith(".") for a in one)
    return short and all(
        a == b or (a.endswith(".") and len(a) > 1 and b.startswith(a[:-1]))
        for a, b in zip(one, other, strict=True)
    )
