"""Look-alikes: how many of the pairs that each-with-each finds are found, and how fast: `make bench-look-alikes`.

The names are made of the syllables of the 8,000 names of languages of ISO 639-3, which nobody here wrote, with one
slip in three of ten; the names themselves are measured, too.
"""

from __future__ import annotations

import json
import random
import re
import time
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import polars as pl
from rapidfuzz import process
from rapidfuzz.distance import Levenshtein

from updraft.core.similarity.close import MOST, close_texts
from updraft.core.similarity.families import STRICTNESS, Ways, families

ISO = Path("/usr/share/iso-codes/json/iso_639-3.json")


def languages() -> list[str]:
    return sorted({one["name"] for one in json.loads(ISO.read_text())["639-3"]})


def names(many: int) -> list[str]:
    """Names of two or three words of syllables of languages, three of ten with a slip of one."""
    pick = random.Random(5)
    syllables = sorted(
        {part.lower() for name in languages() for part in re.findall(r"[A-Za-z]{1,2}[aeiou]", name)}
    )
    found: dict[str, None] = {}
    while len(found) < many:
        words = ["".join(pick.choices(syllables, k=pick.randint(2, 4))) for _ in range(pick.randint(1, 2))]
        text = " ".join(
            [*words, *pick.sample(["farm", "garden", "seed", "school", "trust"], pick.randint(0, 1))]
        )
        found[text] = None
        if pick.random() < 0.3:
            at = pick.randrange(len(text))
            sign = pick.choice("abcdefghijklmnopqrstuvwxyz ")
            found[pick.choice([text[:at] + text[at + 1 :], text[:at] + sign + text[at:]])] = None
    return list(found)[:many]


def exhaustive(texts: list[str], strictness: float) -> set[tuple[int, int]]:
    """Pairs by comparing each with each, in the places of the texts."""
    sizes = np.array([len(text) for text in texts])
    digits = np.array([hash(re.sub(r"\D", "", text)) for text in texts])
    pairs = set()
    for start in range(0, len(texts), 500):
        apart = process.cdist(
            texts[start : start + 500], texts, scorer=Levenshtein.distance, workers=-1, dtype=np.int16
        )
        longer = np.maximum(sizes[start : start + 500, None], sizes)
        most = np.minimum((1 - strictness) * longer + 1e-9, MOST)
        close = (apart <= most) & (digits[start : start + 500, None] == digits)
        pairs |= {(start + int(a), int(b)) for a, b in zip(*np.nonzero(close), strict=True) if start + a < b}
    return pairs


def measure() -> Iterator[str]:
    """Lines that say how many pairs are found, and how long families take."""
    for told, texts in (("names of languages", languages()), ("made names", names(10_000))):
        for strictness in (0.8, 0.85, STRICTNESS, 0.95):
            found = {(a, b) for a, b, _ in close_texts(texts, strictness).iter_rows()}
            all_pairs = exhaustive(texts, strictness)
            share = 100 * len(found & all_pairs) / max(len(all_pairs), 1)
            yield (f"{len(texts):,} {told}, strictness {strictness}: {len(all_pairs):,} pairs, {share:.2f} % found,"
                  f" {len(found - all_pairs)} more")  # fmt: skip
    large = pl.DataFrame({"value": names(100_000)}).with_columns(n=pl.lit(1, pl.Int64))
    uneven = large.with_columns(n=pl.int_range(pl.len()) % 50 + 1)
    for told, ways in (
        ("by letters", Ways(letters=True)), ("by words", Ways(words=True)), ("by slips", Ways(slips=True)), ("by sound", Ways(sound=True)),
        (f"closer than {STRICTNESS}", Ways(close=STRICTNESS)), ("closer than 0.85", Ways(close=0.85)),
        ("all five", Ways(True, True, True, True, STRICTNESS)),
    ):  # fmt: skip
        started = time.perf_counter()
        found = families(uneven, ways)
        seconds = time.perf_counter() - started
        yield f"100,000 different values, {told}: {seconds:.1f} s, {len(found):,} families"
    million = pl.DataFrame({"value": names(1_000_000)}).with_columns(n=pl.lit(1, pl.Int64))
    started = time.perf_counter()
    found = families(million, Ways(letters=True))
    seconds = time.perf_counter() - started
    yield f"1,000,000 different values by letters: {seconds:.1f} s, {len(found):,} families"


if __name__ == "__main__":
    for line in measure():
        print(line)
