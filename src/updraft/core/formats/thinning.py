"""A smaller file that stands for a large one while somebody looks: pieces from all over it, read as it is."""

from __future__ import annotations

import mmap
from collections.abc import Iterator
from pathlib import Path
from typing import Literal

import numpy as np
import polars as pl

from updraft.core.formats import columnar, delimited, packed
from updraft.core.formats.apart import pieces_apart
from updraft.core.formats.options import ReadOptions
from updraft.core.formats.reading import format_of

_PIECES = 64
_LEAST = 1 << 18  # bytes of a piece of text: the first says how the file is read
_FEWEST = 10_000  # rows of a piece of a table
_FEW_LINES = 100  # that may stand above the table, so that the first piece holds them
_FARTHEST = 1 << 20  # bytes after which a row begins at the latest
_BLOCK = 1 << 23
_WIDE = ("utf-16", "utf-32", "utf_16", "utf_32")


def can_thin(path: Path, options: ReadOptions) -> bool:
    """Whether a file is of rows that stand for themselves: lines of text, Parquet or Arrow.

    Raises:
        Problem: as reading it does.
    """
    above = (options.skip or 0) + (options.skip_after or 0) + (options.header_lines or 0)
    if packed.packing(path) is not None or options.drop_empty or above > _FEW_LINES:
        return False  # which columns are empty, only all of it tells
    form = format_of(path, options)
    if form == "delimited":
        return not (delimited.detect(path, options).options.encoding or "").lower().startswith(_WIDE)
    if form == "arrow":
        return not columnar.is_stream(path)
    return form in ("json_lines", "parquet")


def thin(path: Path, to: Path, share: float, options: ReadOptions) -> None:
    """Write about so much of a file to another, which is read in the same way: its first rows, its last, and
    as many in as large pieces from between, in their order.

    Args:
        path: one that `can_thin`.
        share: of its rows, above 0 and below 1.
    """
    form = format_of(path, options)
    if form == "parquet" or form == "arrow":
        _thin_table(path, to, share, form)
        return
    found = delimited.detect(path, options).options if form == "delimited" else ReadOptions()
    quote = (found.quote or "").encode() if not found.escape else b""
    with path.open("rb") as file, mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ) as text:
        rows = _Rows(text, quote)
        with to.open("wb") as out:
            for first, behind in _pieces(len(text), share, _LEAST):
                out.write(text[rows.begin(first) : rows.begin(behind)])


def _thin_table(path: Path, to: Path, share: float, form: Literal["parquet", "arrow"]) -> None:
    scanned = columnar.scan_parquet if form == "parquet" else columnar.scan_arrow
    found = scanned(path, ReadOptions())
    assert found is not None
    height = found.query.select(pl.len()).collect().item()
    pieces_apart(path, form, list(_pieces(height, share, _FEWEST)), to)


def _pieces(size: int, share: float, least: int) -> Iterator[tuple[int, int]]:
    """Where pieces begin and end that take a share of `size` together, the first at its beginning, the last
    at its end.
    """
    taken = max(int(size * share), 1)
    many = max(min(taken // least, _PIECES), 1)
    places = np.linspace(0, size - taken // many, many).astype(int).tolist()
    ends = [*places[1:], size]
    for place, end in zip(places, ends, strict=True):
        yield place, min(place + taken // many, end)


class _Rows:
    """Where rows of a text begin, asked in rising order. A line end within quotes ends none.

    Args:
        quote: the sign around cells; empty where there is none.
    """

    def __init__(self, text: mmap.mmap, quote: bytes) -> None:
        self.text, self.quote = text, quote
        self.seen, self.open = 0, False

    def begin(self, place: int) -> int:
        """The first beginning of a row at or after a place; where quotes say that there is none for long,
        they are signs like others, and any line is a row.
        """
        if place <= 0:
            return 0
        at = place - 1
        self._count(at)
        within, last = self.open, at + _FARTHEST
        while self.quote:
            line = self.text.find(b"\n", at, last)
            sign = self.text.find(self.quote, at, last)
            if not within and line >= 0 and (sign < 0 or line < sign):
                return line + 1
            if sign < 0:
                break
            at, within = sign + 1, not within
        line = self.text.find(b"\n", place - 1)
        return line + 1 if line >= 0 else len(self.text)

    def _count(self, place: int) -> None:
        """Go on to a place, and know whether a quote is open there."""
        while self.quote and self.seen < place:
            many = min(_BLOCK, place - self.seen)
            self.open ^= bool(self.text[self.seen : self.seen + many].count(self.quote) & 1)
            self.seen += many
