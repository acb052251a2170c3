"""The large lists of a JSON file, found without parsing it, and read a block at a time.

Brackets, commas and strings are told apart on whole blocks of bytes at once, after the idea of a structural
index (Langdale and Lemire, Parsing Gigabytes of JSON per Second, VLDB Journal 28, 2019). What a block holds
is parsed by orjson.
"""

from __future__ import annotations

import secrets
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import IO, Any

import numpy as np
import orjson
from numpy.typing import NDArray

from updraft.core.formats.records import Streamed

LARGE = 4 << 20  # bytes; a smaller file is parsed as a whole
_BLOCK = 1 << 20
_LIST = 1 << 18  # bytes that make a list worth streaming
_LEVELS = 6  # how deep in the file such lists are looked for
_QUOTE, _BACKSLASH, _OPEN, _CLOSE, _COMMA = 0x22, 0x5C, 1, 2, 3
_MARKS = np.zeros(256, dtype=np.uint8)
_MARKS[[ord("["), ord("{")]], _MARKS[[ord("]"), ord("}")]], _MARKS[ord(",")] = _OPEN, _CLOSE, _COMMA


class UnfitError(Exception):
    """The file cannot be read this way: it is not well-formed JSON in UTF-8. Parsing it as a whole tells
    what is wrong.
    """


class _Scan:
    """Where the marks of a text stand that comes block by block."""

    def __init__(self) -> None:
        self.depth, self._inside, self._escaped = 0, False, False

    def marks(self, block: bytes) -> tuple[NDArray[np.int64], NDArray[np.uint8], NDArray[np.int64]]:
        """Of the marks outside strings: the place, what it is, and the depth after it."""
        signs = np.frombuffer(block, dtype=np.uint8)
        quotes = signs == _QUOTE
        self._drop_escaped(signs, quotes)
        inside = np.cumsum(quotes, dtype=np.uint32)
        inside += self._inside
        marks = _MARKS[signs]
        marks[(inside & 1).astype(bool)] = 0
        places = np.flatnonzero(marks)
        kinds = marks[places]
        depths = self.depth + np.cumsum((kinds == _OPEN).astype(np.int64) - (kinds == _CLOSE))
        self._inside = bool(inside[-1] & 1)
        self.depth = int(depths[-1]) if len(depths) else self.depth
        return places, kinds, depths

    def _drop_escaped(self, signs: NDArray[np.uint8], quotes: NDArray[np.bool_]) -> None:
        """A quote behind an odd number of backslashes is part of its string."""
        if self._escaped:
            quotes[0] = False
        slashes = np.flatnonzero(signs == _BACKSLASH)
        if not len(slashes):
            self._escaped = False
            return
        starts = np.concatenate(([0], np.flatnonzero(np.diff(slashes) != 1) + 1))
        lengths = np.diff(np.concatenate((starts, [len(slashes)])))
        first = slashes[starts]
        if self._escaped and first[0] == 0:
            lengths[0] -= 1  # the first one is itself escaped
            first[0] += 1
        behind = (first + lengths)[lengths % 2 == 1]
        self._escaped = bool(len(behind) and behind[-1] == len(signs))
        quotes[behind[behind < len(signs)]] = False


@dataclass(frozen=True)
class _Span:
    """The brackets of a list: the places of the first and the last one."""

    start: int
    end: int


class JsonList(Streamed):
    """The elements of one list of a file."""

    def __init__(self, path: Path, start: int, end: int) -> None:
        self._path, self._start, self._end = path, start, end

    def __iter__(self) -> Iterator[Any]:
        with self._path.open("rb") as file:
            file.seek(self._start)
            for piece in self._pieces(file):
                yield from _loads(b"[" + piece + b"]")

    def _pieces(self, file: IO[bytes]) -> Iterator[bytes]:
        """The bytes between the brackets, cut at commas between elements."""
        scan, left, kept = _Scan(), self._end - self._start, b""
        while left > 0:
            block = file.read(min(_BLOCK, left))
            left -= len(block)
            places, kinds, depths = scan.marks(block)
            cuts = places[(kinds == _COMMA) & (depths == 0)]
            if not len(cuts):
                kept += block
                continue
            cut = int(cuts[-1])
            yield kept + block[:cut]
            kept = block[cut + 1 :]
        if kept.strip():
            yield kept


def load(path: Path) -> Any:
    """A UTF-8 file as plain data, its large lists left in the file.

    Raises:
        UnfitError: the file has no large list, or is not well-formed; elements may still turn out so when
        they are read.
    """
    spans = _lists(path)
    if not spans:
        raise UnfitError
    name = secrets.token_hex(8)
    pieces, place = [], 0
    with path.open("rb") as file:
        for number, span in enumerate(spans):
            file.seek(place)
            pieces += [file.read(span.start - place), b'{"%s": %d}' % (name.encode(), number)]
            place = span.end + 1
        file.seek(place)
        pieces.append(file.read())

    def put(value: Any) -> Any:
        if isinstance(value, dict):
            if name in value:
                span = spans[value[name]]
                return JsonList(path, span.start + 1, span.end)
            return {key: put(inner) for key, inner in value.items()}
        return [put(inner) for inner in value] if isinstance(value, list) else value

    return put(_loads(b"".join(pieces).removeprefix(b"\xef\xbb\xbf")))


def _loads(text: bytes) -> Any:
    try:
        return orjson.loads(text)
    except orjson.JSONDecodeError:
        raise UnfitError from None


def _lists(path: Path) -> list[_Span]:
    """The lists that are streamed: large ones, and not those that are little more than a frame around other
    large ones.
    """
    large: list[_Span] = []
    opened: dict[int, tuple[int, bool]] = {}
    scan, base = _Scan(), 0
    with path.open("rb") as file:
        while block := file.read(_BLOCK):
            places, kinds, depths = scan.marks(block)
            if len(depths) and int(depths.min()) < 0:
                raise UnfitError
            level = np.where(kinds == _OPEN, depths - 1, depths)
            for at in range(_LEVELS):
                here = np.flatnonzero((level == at) & (kinds != _COMMA))
                if not len(here):
                    continue
                # Between the first that closes and the last that opens, all of this level lies within the
                # block: small.
                if kinds[here[0]] == _CLOSE and at in opened:
                    start, is_list = opened.pop(at)
                    end = base + int(places[here[0]])
                    if is_list and end - start >= _LIST:
                        large.append(_Span(start, end))
                if kinds[here[-1]] == _OPEN:
                    place = int(places[here[-1]])
                    opened[at] = (base + place, block[place] == ord("["))
                # A list may be large enough and yet within the block.
                if len(here) > 1 and _BLOCK > _LIST:
                    _within(here, places, kinds, block, base, large)
            base += len(block)
    if scan.depth:
        raise UnfitError
    return _chosen(sorted(large, key=lambda span: span.start))


def _within(
    here: NDArray[np.int64],
    places: NDArray[np.int64],
    kinds: NDArray[np.uint8],
    block: bytes,
    base: int,
    large: list[_Span],
) -> None:
    marks = here[1:] if kinds[here[0]] == _CLOSE else here
    marks = marks[: len(marks) // 2 * 2]
    starts, ends = places[marks[0::2]], places[marks[1::2]]
    for n in np.flatnonzero(ends - starts >= _LIST):
        if block[int(starts[n])] == ord("["):
            large.append(_Span(base + int(starts[n]), base + int(ends[n])))


def _chosen(spans: list[_Span]) -> list[_Span]:
    """Of lists inside one another: the outer one, unless those inside make up most of it."""
    chosen: list[_Span] = []
    while spans:
        outer = spans[0]
        inside = [span for span in spans[1:] if span.end < outer.end]
        nearest: list[_Span] = []
        for span in inside:
            if not nearest or span.start > nearest[-1].end:
                nearest.append(span)
        if (
            sum(span.end - span.start for span in nearest) * 2 > outer.end - outer.start
            and len(nearest) <= 50
        ):
            chosen += _chosen(inside)
        else:
            chosen.append(outer)
        spans = spans[1 + len(inside) :]
    return chosen
