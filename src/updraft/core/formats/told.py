"""Lines of text that tell what their parts are: names with their values, and what programs log."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import replace
from pathlib import Path

import polars as pl

from updraft.core.formats.header import column_names
from updraft.core.formats.options import Detected, Reading, ReadOptions
from updraft.core.formats.text import lines_of, sample_of
from updraft.core.problems import Problem

_LEAST = 3  # lines, or blocks, by which a shape is believed
_NEARLY_ALL = 0.95
_PAIR = re.compile(r"""([A-Za-z_][\w.@/-]*)=("(?:[^"\\]|\\.)*"|'[^']*'|\S*)(?:\s+|$)""")
_NAMED = re.compile(r"^([^\W\d][\w .()/-]{0,40}?)\s*:(?:\s+(.*)|)$")
_TOKEN = re.compile(r"""\[([^\]]{0,500})\]|"((?:[^"\\]|\\.)*)"|(\S+)""")
# The common log format of the W3C's httpd, and what servers add to it.
_SERVER = ("host", "ident", "user", "time", "request", "status", "bytes", "referer", "agent")
Rows = list[dict[str, str | None]]
_HOW = {
    "pairs": "nearly every line is made of names with their values, name=value",
    "blocks": "lines of a name, a colon and a value stand in blocks with blank lines between",
    "log": "blanks part every line into as many pieces, some of which stand in brackets or quotes",
}


def shape_of(lines: list[str]) -> str:
    """`pairs`, `blocks` or `log`; empty where lines are none of these.

    Threshold: three lines or blocks, and nineteen of twenty lines fit. Pairs: two in a line on average.
    Blocks: two lines each, most of which begin with the same name. Logs: four pieces, and at one place of
    each line a piece with blanks in it.
    """
    filled = [line for line in lines if line.strip()]
    if len(filled) < _LEAST:
        return ""
    pairs = [_pairs(line) for line in filled]
    if _enough(pairs) and sum(len(pair or ()) for pair in pairs) >= 2 * len(filled):
        return "pairs"
    if _enough([_NAMED.match(line) or line[:1].isspace() for line in filled]):
        blocks = list(_blocks(lines))
        first = Counter(next(iter(block)) for block in blocks)
        alike = first and first.most_common(1)[0][1] * 5 >= len(blocks) * 4
        if len(blocks) >= _LEAST and alike and sum(map(len, blocks)) >= 2 * len(blocks):
            return "blocks"
    pieces = [_pieces(line) for line in filled]
    usual = Counter(map(len, pieces)).most_common(1)[0][0]
    even = [row for row in pieces if len(row) == usual]
    if usual < 4 or len(even) < _NEARLY_ALL * len(pieces):
        return ""
    return "log" if any(all(" " in row[place] for row in even) for place in range(usual)) else ""


def is_marked_twice(line: str) -> bool:
    """Whether brackets and quotes enclose pieces after blanks, which tables with commas hardly have."""
    found = [match.groups() for match in _TOKEN.finditer(line)]
    return any(one[0] is not None for one in found) and any(one[1] is not None for one in found)


def read(path: Path, options: ReadOptions) -> Reading:
    """Read one row for each line, or for each block of lines; the columns as they first come.

    Raises:
        Problem: its lines have none of these shapes.
    """
    sample = sample_of(path, options)
    shape = shape_of(sample.body[:500])
    if not shape:
        raise Problem(
            path.name,
            "its lines hold no names with values, nor pieces as logs have them.",
            "Choose another format.",
            field="format",
            code="no_names",
        )
    filled = replace(options, format="told", encoding=sample.encoding, comment=sample.comment)
    lines = [line.rstrip("\r\n") for line in lines_of(path, filled)]
    rows, odd = _READ[shape](lines)
    names = list(dict.fromkeys(name for row in rows for name in row))
    found = {name: [row.get(name) for row in rows] for name in names}
    frame = pl.DataFrame({name: pl.Series(name, cells, dtype=pl.String) for name, cells in found.items()})
    frame = frame.with_columns(pl.when(pl.all() != "").then(pl.all()))
    they = "line does not fit and stands" if odd == 1 else "lines do not fit and stand"
    said = (f"{odd:,} {they} in a column “Other”.",) if odd else ()
    reasons = {"format": _HOW[shape], "encoding": sample.why_encoding}
    return Reading(frame, Detected("told", filled, reasons), said)


def _enough(found: Sequence[object]) -> bool:
    return sum(bool(one) for one in found) >= _NEARLY_ALL * len(found)


def _pairs(line: str) -> dict[str, str] | None:
    """Names and values of a line that holds nothing else."""
    found, end = {}, len(line) - len(line.lstrip())
    while match := _PAIR.match(line, end):
        value = match[2]
        quoted = value[:1] in "\"'" and value[:1] == value[-1:] and len(value) > 1
        found[match[1]] = re.sub(r"\\(.)", r"\1", value[1:-1]) if quoted else value
        end = match.end()
    return found if found and end == len(line) else None


def _pieces(line: str) -> list[str]:
    return [
        next((part for part in match.groups() if part is not None), "") for match in _TOKEN.finditer(line)
    ]


def _blocks(lines: Iterable[str]) -> Iterator[dict[str, str]]:
    """Each block's names and values; a line that begins with a blank goes on with the value before."""
    block: dict[str, str] = {}
    last = ""
    for line in [*lines, ""]:
        if not line.strip():
            if block:
                yield block
            block, last = {}, ""
        elif match := _NAMED.match(line):
            last = match[1]
            value = match[2] or ""
            block[last] = f"{block[last]}; {value}" if last in block else value
        else:
            last = last if last and line[:1].isspace() else "Other"
            block[last] = f"{block.get(last, '')} {line.strip()}".strip()


def _rows_of_pairs(lines: list[str]) -> tuple[Rows, int]:
    filled = [line for line in lines if line.strip()]
    read = [_pairs(line) for line in filled]
    rows: Rows = [dict(pairs or {"Other": line}) for pairs, line in zip(read, filled, strict=True)]
    return rows, read.count(None)


def _rows_of_blocks(lines: list[str]) -> tuple[Rows, int]:
    rows: Rows = [dict(block) for block in _blocks(lines)]
    return rows, sum("Other" in row for row in rows)


def _rows_of_log(lines: list[str]) -> tuple[Rows, int]:
    pieces = [_pieces(line) for line in lines if line.strip()]
    width = Counter(map(len, pieces)).most_common(1)[0][0]
    server = 7 <= width <= 9 and all(len(row) != width or row[5].isdigit() for row in pieces)
    names = list(_SERVER[:width]) if server else column_names(None, width)[0]
    rows: Rows = []
    for row in pieces:
        more = {} if len(row) == width else {"Other": " ".join(row[width:]) or None}
        rows.append({**dict(zip(names, row, strict=False)), **more})
    return rows, sum(len(row) != width for row in pieces)


_READ: dict[str, Callable[[list[str]], tuple[Rows, int]]] = {
    "pairs": _rows_of_pairs,
    "blocks": _rows_of_blocks,
    "log": _rows_of_log,
}
