"""Fixed-width text: find the borders between columns, and cut every line at them."""

from __future__ import annotations

import re
from dataclasses import replace
from itertools import accumulate, pairwise
from pathlib import Path

import polars as pl

from updraft.core.formats.delimited import comment_reason
from updraft.core.formats.header import LOOK, Row, find_header
from updraft.core.formats.options import Detected, Reading, ReadOptions
from updraft.core.formats.text import header_names, lines_of, sample_of
from updraft.core.problems import Problem

_NEED = 4  # lines without which no border is believed
_BODY = 500
_TITLES = 5  # lines above the header that may be titles


def detect(path: Path, options: ReadOptions) -> Detected:
    """Fill in borders, lines to skip and header.

    Raises:
        Problem: as `sample_of`; or no border is given and none is found.
    """
    sample = sample_of(path, options)
    widths = options.widths or find_widths(sample.body[:_BODY])
    if not widths:
        raise Problem(
            path.name,
            "no border between columns was found in its lines.",
            "Set the borders on the raw text, or choose a delimiter.",
            field="widths",
            code="no_borders",
        )
    rows: list[Row] = [
        _cut(line, widths) if _keeps(line, widths) else [line.strip()] for line in sample.body[:LOOK]
    ]
    full = [all(row) and len(row) == len(widths) for row in rows]
    for place in range(min(_TITLES, len(rows)) if sum(full) * 2 > len(rows) else 0):
        if full[place]:
            break
        rows[place] = [sample.body[place].strip() or None]  # a title that keeps to the borders by chance
    header = find_header(rows, options.skip, options.header_lines)
    first = options.header or ("first" if header.present else "none")
    found = f"blanks stand in the same places, which makes {len(widths)} columns"
    reasons = {
        "format": "it is plain text and no delimiter splits it",
        "widths": "as set" if options.widths else found,
        "encoding": sample.why_encoding,
        "skip": header.reason_skip,
        "header": "as set" if options.header else header.reason_header,
        **comment_reason(sample, options),
    }
    filled = replace(
        options,
        format="fixed",
        widths=widths,
        skip=header.skip,
        header=first,
        header_lines=header.lines,
        skip_after=header.below
        if options.skip_after is None and first == "first"
        else options.skip_after or 0,
        encoding=sample.encoding,
        comment=sample.comment,
    )
    start = header.skip + header.lines
    below = tuple(map(tuple, rows[start : start + (filled.skip_after or 0)]))
    return Detected("fixed", filled, reasons, preamble=tuple(sample.body[: header.skip]), below=below)


def read(path: Path, detected: Detected) -> Reading:
    """Read every column as text without the blanks around it; lines of blanks only are left out."""
    options = detected.options
    lines = [line.rstrip("\r\n") for line in lines_of(path, options)]
    many = options.names_lines
    names, said = header_names([_cut(line, options.widths) for line in lines[:many]], len(options.widths))
    text = pl.Series("line", lines[many + (options.skip_after or 0) :], dtype=pl.String)
    text = text.filter(text.str.strip_chars() != "")
    ends = list(accumulate(options.widths))
    pieces = []
    for name, start, width in zip(names, [0, *ends], options.widths, strict=False):
        piece = text.str.slice(
            start, None if start == ends[-1] - options.widths[-1] else width
        ).str.strip_chars()
        pieces.append(piece.set(piece == "", None).alias(name))
    if not text.len():
        raise Problem(
            path.name,
            "no row is left below the lines that are skipped.",
            "Skip fewer lines.",
            field="skip",
            code="no_rows",
        )
    return Reading(pl.DataFrame(pieces), detected, tuple(said))


def find_widths(lines: list[str]) -> tuple[int, ...]:
    """Widths of the columns that blanks leave between them; empty when there are none worth believing.

    A border stands where, in at least 97 of 100 lines that are about as long as the others, a blank precedes
    the start of a text. Every column must hold something in half of the lines. Up to five title lines above,
    which do not fill every column, do not count.
    """
    best: tuple[int, ...] = ()
    for above in range(min(_TITLES, max(len(lines) - _NEED, 0)) + 1):
        if above and best and _keeps(lines[above - 1], best) and all(_cut(lines[above - 1], best)):
            break
        widths = _widths(lines[above:])
        best = widths if len(widths) >= max(len(best), 2) else best
    return best


def _widths(lines: list[str]) -> tuple[int, ...]:
    filled = sorted((line.rstrip() for line in lines if line.strip()), key=len)
    need = _NEED if not _far_apart(filled) else 2
    if len(filled) < need:
        return ()
    usual = len(filled[len(filled) // 2])
    alike = [line for line in filled if len(line) >= usual * 0.6]
    if len(alike) < need or usual < 4:
        return ()
    longest = max(map(len, alike))
    padded = [line.ljust(longest) for line in alike]
    blank = [sum(line[place] == " " for line in padded) >= len(padded) * 0.97 for place in range(longest)]
    gap = (
        1 if len(alike) >= _NEED else 2
    )  # blanks before a column; names of few lines may stand alike by chance
    starts = [
        place
        for place in range(longest)
        if not place or (place >= gap and all(blank[place - gap : place]) and not blank[place])
    ]
    kept = [0]
    for start, end in pairwise([*starts[1:], longest]):
        if sum(bool(line[start:end].strip()) for line in padded) >= len(padded) * 0.5:
            kept.append(start)
    if len(kept) < 2:
        return ()
    return tuple(end - start for start, end in pairwise([*kept, longest]))


def _far_apart(lines: list[str]) -> bool:
    """Whether two or more blanks part every line into as many pieces, which few lines do by chance."""
    pieces = {len(re.split(r" {2,}", line.strip())) for line in lines}
    return len(lines) > 1 and len(pieces) == 1 and pieces.pop() > 2


def _keeps(line: str, widths: tuple[int, ...]) -> bool:
    """Whether no text of the line runs over a border; a title does."""
    return all(line[end - 1 : end] in ("", " ") for end in list(accumulate(widths))[:-1])


def _cut(line: str, widths: tuple[int, ...]) -> Row:
    ends = list(accumulate(widths))
    ends[-1] = max(ends[-1], len(line))
    return [line[start:end].strip() or None for start, end in pairwise([0, *ends])]
