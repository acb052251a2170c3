"""A picture of a file as it stands: its first and last lines or cells, each with what became of it, or its
tree.
"""

from __future__ import annotations

import csv
from collections import Counter
from dataclasses import dataclass, replace
from itertools import zip_longest
from pathlib import Path
from typing import Any, Literal

from updraft.core.formats import packed
from updraft.core.formats.options import Detected, Node
from updraft.core.formats.signs import dialect
from updraft.core.formats.text import is_comment, sample_of

FIRST, LAST = 200, 40  # lines
MOST = 600  # characters of a line
_TAIL = 64 * 1024  # bytes from the end

Role = Literal["skipped", "comment", "header", "below", "ragged", "data"]


@dataclass(frozen=True)
class Line:
    """One line or row.

    Args:
        number: its place in the file from 1; for the last lines 0, since they are read from the end.
        skip: how many lines are to be skipped to make this one the first, comments not counted; None for a
            comment.
        role: what became of it.
    """

    number: int
    skip: int | None
    role: Role
    text: str = ""
    cells: tuple[str, ...] = ()


@dataclass(frozen=True)
class Raw:
    """Args:
    shape: whether there are text lines, rows of cells, a tree, or nothing that a person could read.
    """

    shape: Literal["lines", "cells", "tree", "none"]
    first: tuple[Line, ...] = ()
    last: tuple[Line, ...] = ()
    tree: Node | None = None


def raw(path: Path, detected: Detected) -> Raw:
    """The picture of a file that `detected` tells how to read. Raises Problem as reading it does."""
    how = packed.packing(path)
    options = detected.options
    if how:
        member = packed.chosen_members(path, options.member)[0][0] if how == "zip" else ""
        with packed.unpacked(path, how, member) as inside:
            return raw(inside, replace(detected, options=replace(options, member=None)))
    match detected.format:
        case "delimited" | "fixed" | "told":
            return Raw("lines", _lines(path, detected), _last_lines(path, detected))
        case "workbook":
            from updraft.core.formats import workbook

            first = workbook.raw_rows(path, options, FIRST)
            return Raw("cells", _rows(first, detected))
        case "json" | "json_lines" | "xml":
            return Raw("tree", tree=detected.tree)
        case _:
            return Raw("none")


def _lines(path: Path, detected: Detected) -> tuple[Line, ...]:
    options = detected.options
    sample = sample_of(path, options)
    body = [
        (number, text)
        for number, text in enumerate(sample.lines, start=1)
        if not is_comment(text, sample.comment)
    ][:FIRST]
    ragged = _ragged([text for _, text in body], detected) if detected.format == "delimited" else set()
    places = {number: place for place, (number, _) in enumerate(body)}
    last = body[-1][0] if body else len(sample.lines)
    found: list[Line] = []
    for number, text in enumerate(sample.lines[:last], start=1):
        place = places.get(number)
        role = "comment" if place is None else "ragged" if place in ragged else _role(place, detected)
        header = None if detected.format == "told" else place  # where no line can be the header
        found.append(Line(number, header, role, text[:MOST]))
    return tuple(found)


def _role(place: int, detected: Detected) -> Role:
    options = detected.options
    skip, header = options.skip or 0, options.names_lines
    if place < skip:
        return "skipped"
    if place < skip + header:
        return "header"
    return "below" if place < skip + header + (options.skip_after or 0) else "data"


def _ragged(lines: list[str], detected: Detected) -> set[int]:
    """The places of lines that make rows of another width than most. A row may take several lines."""
    options = detected.options
    skip = options.skip or 0
    reader = csv.reader(
        (line + "\n" for line in lines[skip:]),
        **dialect(options.delimiter or ",", options.quote or "", options.escape or ""),
    )
    rows: list[tuple[int, int, int]] = []  # first line, line after the last, cells
    before = 0
    try:
        for row in reader:
            rows.append((before, reader.line_num, len(row)))
            before = reader.line_num
    except csv.Error:
        pass
    widths = Counter(width for _, _, width in rows if width)
    usual = (
        len(detected.columns)
        if widths.get(len(detected.columns))
        else max(widths, key=lambda w: widths[w], default=0)
    )
    if options.header == "first" and rows:
        usual = rows[0][2]
    whole = rows[:-1] if len(lines) >= FIRST else rows  # the picture may end within a row
    return {
        skip + place for start, end, width in whole if width and width != usual for place in range(start, end)
    }


def _last_lines(path: Path, detected: Detected) -> tuple[Line, ...]:
    size = path.stat().st_size
    encoding = detected.options.encoding or "utf-8"
    wide = 2 if encoding.startswith(("utf-16", "utf_16")) else 1
    start = max(0, size - _TAIL) // wide * wide
    with path.open("rb") as file:
        file.seek(start)
        tail = file.read()
    text = tail.decode("utf-16-le" if encoding == "utf-16" and start else encoding, errors="replace")
    lines = text.splitlines()
    if start:
        lines = lines[1:]
    return tuple(Line(0, None, "data", line[:MOST]) for line in lines[-LAST:])


def _rows(rows: list[Any], detected: Detected) -> tuple[Line, ...]:
    width = max((len(row) for row in rows), default=0)
    full = [[cell or "" for cell, _ in zip_longest(row, range(width))] for row in rows]
    return tuple(
        Line(place + 1, place, _role(place, detected), cells=tuple(cell[:120] for cell in row))
        for place, row in enumerate(full)
    )
