"""All pairs of texts that are close by edit distance, without comparing each with each."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

import numpy as np
import polars as pl
from numpy.typing import NDArray
from rapidfuzz import process
from rapidfuzz.distance import Levenshtein

MOST = 4  # edits; what is further apart differs in words, however long it is
LONGEST = 200  # longer texts are prose, not names; they are compared by letters only
_AT_ONCE = 2_000_000  # pairs looked at in one go, so that memory stays bounded
_DEAR = 3  # a pair out of a block costs so many times what one of each with each costs
_BASE = 0x9E3779B97F4A7C15  # odd, so that powers of it lose nothing modulo 2^64
Numbers = NDArray[np.uint64]


def close_texts(texts: Sequence[str], strictness: float) -> pl.DataFrame:
    """Pairs of texts whose normalised Levenshtein similarity is at least `strictness`, each pair once.

    The similarity is 1 - distance / length of the longer one; what is more than four edits apart is never
    close, nor are texts of other digits: they are numbers of different things. All pairs are found, none by
    chance: of two texts within d edits one of d + 1 segments of the shorter stands as it is in the longer,
    near its place (Pass-Join: Li, Deng, Wang and Feng 2011). What shares a segment is compared by the letters
    and pairs of letters it holds, and the rest by rapidfuzz.

    Args:
        texts: each once, as they are to be compared.
        strictness: above 0, to 1.

    Returns:
        columns `one` and `other` (places in `texts`, one < other) and `alike` (0 to 1), sorted.
    """
    shelves, found = _Shelves(texts), []
    for size in shelves.sizes:
        most = min(int((1 - strictness) * size + 1e-9), MOST)
        if most:
            found.append(_pairs(shelves, size, most).with_columns(alike=1 - pl.col("apart") / size))
    schema = {"one": pl.UInt32, "other": pl.UInt32, "alike": pl.Float64}
    found = [frame.select(pl.col(name).cast(dtype) for name, dtype in schema.items()) for frame in found]
    return pl.concat([pl.DataFrame(schema=schema), *found]).sort("one", "other")


class _Shelf:
    """The texts of one length.

    Attributes:
        at: their places among all.
        sums: for each text, sums over its beginnings, from which the hash of any part follows at once.
    """

    def __init__(self, at: Numbers, signs: Numbers) -> None:
        self.at = at
        many, size = signs.shape
        self.sums = np.zeros((size + 1, many), dtype=np.uint64)
        for n in range(size):
            self.sums[n + 1] = self.sums[n] * np.uint64(_BASE) + signs[:, n]

    def part(self, start: int, size: int, salt: int) -> Numbers:
        """A number for what stands at a place of each text; equal parts have equal numbers."""
        power = np.uint64(pow(_BASE, size, 1 << 64))
        found: Numbers = self.sums[start + size] - self.sums[start] * power + np.uint64(salt)
        return found


class _Shelves:
    """Texts by their length, with marks of what each holds: its letters, pairs of letters, and digits."""

    def __init__(self, texts: Sequence[str]) -> None:
        self._texts = texts
        frame = pl.DataFrame({"text": list(texts)}, schema={"text": pl.String}).with_row_index("at")
        frame = frame.with_columns(size=pl.col("text").str.len_chars())
        digits = pl.col("text").str.replace_all(r"\P{N}", "").hash()
        self.digits: Numbers = frame.select(digits).to_series().to_numpy()
        self.letters = np.zeros(frame.height, dtype=np.uint64)
        self.twos = np.zeros(frame.height, dtype=np.uint64)
        self._by_size: dict[int, _Shelf] = {}
        for (size,), rows in frame.filter(pl.col("size").is_between(2, LONGEST)).group_by("size"):
            at = rows["at"].to_numpy().astype(np.uint64)
            joined = "".join(rows["text"].to_list()).encode("utf-32-le", "surrogatepass")
            signs = _mixed(np.frombuffer(joined, dtype=np.uint32).reshape(rows.height, int(str(size))))
            self.letters[at] = _marks(signs)
            self.twos[at] = _marks(_mixed(signs[:, 1:] * np.uint64(_BASE) + signs[:, :-1]))
            self._by_size[int(str(size))] = _Shelf(at, signs)

    @property
    def sizes(self) -> list[int]:
        return sorted(self._by_size)

    def named(self, at: Numbers) -> list[str]:
        """The texts at these places."""
        return [self._texts[place] for place in at.tolist()]

    def of(self, size: int) -> _Shelf | None:
        return self._by_size.get(size)

    def packed(self, one: Numbers, other: Numbers, most: int) -> Numbers:
        """The pairs that have the same digits, and of whose pairs of letters few are one's alone, since an
        edit takes away two; each as one number: the smaller place times 2^32, plus the other.
        """
        mine, its = self.twos[one], self.twos[other]
        fits = (np.bitwise_count(mine & ~its) <= 2 * most) & (np.bitwise_count(its & ~mine) <= 2 * most)
        fits &= (self.digits[one] == self.digits[other]) & (one != other)
        one, other = one[fits], other[fits]
        both: Numbers = (np.minimum(one, other) << np.uint64(32)) | np.maximum(one, other)
        return both


def _mixed(signs: NDArray[Any]) -> Numbers:
    """Numbers that have little in common with each other, for numbers that may be near each other."""
    mixed: Numbers = signs.astype(np.uint64) * np.uint64(0xD6E8FEB86659FD93)
    mixed ^= mixed >> np.uint64(32)
    return mixed * np.uint64(0xD6E8FEB86659FD93)


def _marks(signs: Numbers) -> Numbers:
    """For each row of signs 64 bits, of which each sign sets one."""
    marks: Numbers = np.bitwise_or.reduce(np.uint64(1) << (signs >> np.uint64(58)), axis=1)
    return marks


def _pairs(shelves: _Shelves, size: int, most: int) -> pl.DataFrame:
    """Pairs of which the longer has this size, at most so many edits apart: `one`, `other`, `apart`.

    With a segment more than would do, one may be passed over in each text: the one that most others have,
    such as a common last word. Which way has fewer pairs depends on the texts, so they are counted; where
    blocks would save little, each is compared with each.
    """
    blocks = min((_Blocks(shelves, size, most, more) for more in (0, 1)), key=lambda each: each.pairs)
    if blocks.pairs * _DEAR > blocks.all_pairs:
        return _each_with_each(shelves, size, most)
    kept = [blocks.close(shelves, start, end, most) for start, end in blocks.chunks()]
    both = np.concatenate([np.zeros(0, dtype=np.uint64), *kept])
    both = pl.Series(both, dtype=pl.UInt64).unique().to_numpy()
    ones, others = both >> np.uint64(32), both & np.uint64(0xFFFFFFFF)
    apart = process.cpdist(
        shelves.named(ones), shelves.named(others), scorer=Levenshtein.distance, score_cutoff=most,
        dtype=np.int16, workers=-1,
    )  # fmt: skip
    near = apart <= most
    return pl.DataFrame({"one": ones[near], "other": others[near], "apart": apart[near]})


def _each_with_each(shelves: _Shelves, size: int, most: int) -> pl.DataFrame:
    longer, found = shelves.of(size), []
    assert longer is not None
    names, rows = shelves.named(longer.at), max(_AT_ONCE // len(longer.at), 1)
    for short in range(max(size - most, 2), size + 1):
        shelf = shelves.of(short)
        for start in range(0, 0 if shelf is None else len(shelf.at), rows):
            at = shelf.at[start : start + rows]  # type: ignore[union-attr]
            apart = process.cdist(
                shelves.named(at), names, scorer=Levenshtein.distance, score_cutoff=most,
                dtype=np.uint8, workers=-1,
            )  # fmt: skip
            row, column = np.nonzero(apart <= most)
            one, other, apart = at[row], longer.at[column], apart[row, column]
            once = (shelves.digits[one] == shelves.digits[other]) & ((one < other) | (short < size))
            low, high = np.minimum(one, other)[once], np.maximum(one, other)[once]
            found.append(pl.DataFrame({"one": low, "other": high, "apart": apart[once]}))
    return pl.concat(found)


class _Blocks:
    """Texts by the segments that they share: what is in one block is compared.

    Attributes:
        left, right: places of the shorter texts and of the longer ones, right in blocks; `first` and `many`:
            where in `right` the block of each of `left` begins, and how many it has.
    """

    def __init__(self, shelves: _Shelves, size: int, most: int, more: int) -> None:
        longer = shelves.of(size)
        assert longer is not None
        shorter, keys, places, self.all_pairs = [], [], [], 0
        for short in range(max(size - most, 2), size + 1):
            shelf = shelves.of(short)
            if shelf is None:
                continue
            self.all_pairs += len(shelf.at) * len(longer.at)
            many = min(most + 1 + more, short)
            whole = many <= most  # too short to be taken apart: with each
            segments = [(0, 0)] if whole else _segments(short, many)
            salts = [(short * 1_000 + n) * _BASE % (1 << 64) for n in range(len(segments))]
            shorter.append((shelf, segments, salts, 0 if whole else many - most - 1))
            for n, (start, length) in enumerate(segments):
                one = many == most + 1
                for place in range(1) if whole else _places(start, length, n, most, size, short, one):
                    keys.append(longer.part(place, length, salts[n]))
                    places.append(longer.at)
        key, at = np.concatenate(keys), np.concatenate(places)
        order = np.argsort(key)
        self._key, self.right = key[order], at[order]
        self._pass_over(shorter)

    def _pass_over(self, shorter: list[tuple[_Shelf, list[tuple[int, int]], list[int], int]]) -> None:
        lefts, firsts, counts = [], [], []
        for shelf, segments, salts, spare in shorter:
            keys = [shelf.part(*segment, salt) for segment, salt in zip(segments, salts, strict=True)]
            key = np.stack(keys)
            first = np.searchsorted(self._key, key.ravel()).reshape(key.shape)
            many = np.searchsorted(self._key, key.ravel(), side="right").reshape(key.shape) - first
            if spare:
                worst = np.argmax(many, axis=0)
                many[worst, np.arange(many.shape[1])] = 0
            some = many.ravel() > 0
            lefts.append(np.broadcast_to(shelf.at, key.shape).ravel()[some])
            firsts.append(first.ravel()[some])
            counts.append(many.ravel()[some])
        self.left, self.first = np.concatenate(lefts), np.concatenate(firsts)
        self.many = np.concatenate(counts)

    @property
    def pairs(self) -> int:
        """How many pairs all blocks have."""
        return int(self.many.sum())

    def chunks(self) -> Iterator[tuple[int, int]]:
        """The shorter texts in parts, from and to, that have not too many pairs each."""
        ends = np.cumsum(self.many)
        start = 0
        while start < len(ends):
            before = int(ends[start - 1]) if start else 0
            end = max(int(np.searchsorted(ends, before + _AT_ONCE, side="right")), start + 1)
            yield start, end
            start = end

    def close(self, shelves: _Shelves, start: int, end: int, most: int) -> Numbers:
        """The pairs of a part of whose letters not more than `most` are one's alone."""
        many, left = self.many[start:end], self.left[start:end]
        ends = np.cumsum(many)
        place = np.arange(int(ends[-1])) + np.repeat(self.first[start:end] - (ends - many), many)
        other = self.right[place]
        mine, its = np.repeat(shelves.letters[left], many), shelves.letters[other]
        fits = (np.bitwise_count(mine & ~its) <= most) & (np.bitwise_count(its & ~mine) <= most)
        return shelves.packed(np.repeat(left, many)[fits], other[fits], most)


def _segments(size: int, many: int) -> list[tuple[int, int]]:
    """A text of this size in so many segments of nearly one length: start and length of each."""
    short, longer = size // many, size % many
    lengths = [short] * (many - longer) + [short + 1] * longer
    return [(sum(lengths[:n]), length) for n, length in enumerate(lengths)]


def _places(start: int, length: int, number: int, most: int, size: int, short: int, one: bool) -> range:
    """Where a segment of the shorter text may stand in the longer one, if it is left as it is.

    Args:
        one: one such segment is enough. Then what stands before it has at most `number` edits, or what stands
            behind it at most the rest of them.
    """
    shift = size - short
    low, high = (most - shift) // 2, (most + shift) // 2  # edits before it, and behind it, make the shift
    first, last = start - low, start + high
    if one:
        first = max(first, start - number, start + shift - (most - number))
        last = min(last, start + number, start + shift + (most - number))
    return range(max(0, first), min(size - length, last) + 1)
