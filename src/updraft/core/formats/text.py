"""What all text formats share: the beginning of the file as decoded lines, and header rows."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import polars as pl

from updraft.core.formats.encoding import SAMPLE, find_encoding
from updraft.core.formats.header import Row, column_names
from updraft.core.formats.options import ReadOptions
from updraft.core.problems import Problem

_LINE = re.compile(r"\r\n|\n|\r")
_TAIL = 64 * 1024  # bytes


@dataclass(frozen=True)
class Sample:
    """The first lines of a text file.

    Args:
        lines: all lines of the sample; `body` those that are no comments.
        comment: the mark of comment lines, "" for none.
        behind: what begins a comment behind the data, where most lines have one.
    """

    encoding: str
    why_encoding: str
    comment: str
    lines: list[str]
    body: list[str]
    behind: re.Pattern[str] | None = None


def sample_of(path: Path, options: ReadOptions) -> Sample:
    """Decode the first 256 KiB.

    Raises:
        Problem: the file is empty or no text.
    """
    with path.open("rb") as file:
        raw = file.read(SAMPLE)
    if not raw.strip():
        raise Problem(
            path.name, "the file is empty.", "Ask for it again, or choose another file.", code="empty_file"
        )
    whole = len(raw) < SAMPLE
    encoding, why = find_encoding(raw, whole=whole, wanted=options.encoding, name=path.name)
    text = raw.decode(encoding, errors="replace").removeprefix("\ufeff")
    if "\0" in text:
        raise Problem(
            path.name,
            "it holds NUL bytes, so it is not plain text.",
            "Choose the file's own format, or save it again as CSV.",
            code="not_text",
        )
    if not text.strip():
        raise Problem(
            path.name, "it holds no text.", "Ask for it again, or choose another file.", code="empty_file"
        )
    lines = _LINE.split(text)
    if (not whole and len(lines) > 1) or not lines[-1]:
        lines.pop()  # the sample may have cut it
    comment = options.comment if options.comment is not None else _comment(lines)
    body = [line for line in lines if not is_comment(line, comment)]
    behind = _behind(body, comment)
    return Sample(encoding, why, comment, lines, [_without(line, behind) for line in body], behind)


def _behind(body: list[str], comment: str) -> re.Pattern[str] | None:
    pattern = re.compile(rf"(?<![ \t])[ \t]+{re.escape(comment)}(?: .*|\t.*)?$") if comment else None
    filled = [line for line in body if line.strip()]
    if (
        pattern is None
        or len(filled) < 5
        or sum(bool(pattern.search(line)) for line in filled) * 2 < len(filled)
    ):
        return None
    return pattern


def _without(line: str, behind: re.Pattern[str] | None) -> str:
    return behind.sub("", line) if behind else line


def is_comment(line: str, sign: str | None) -> bool:
    """Whether a line is a comment; blanks may stand before its sign, but a tab ends an empty cell."""
    return bool(sign) and line.lstrip(" ").startswith(sign or "")


def _comment(lines: list[str]) -> str:
    """The sign of comment lines, where the first line is one: a usual sign, with a blank or nothing after it
    unless it is #, and other lines below that do not begin with it.
    """
    first = next((line.strip() for line in lines if line.strip()), "")
    if first.startswith("#") or _stand_below_names(lines):
        return "#"
    for sign in ("//", ";", "%", "!"):
        if first == sign or first.startswith(f"{sign} "):
            top = next((n for n, line in enumerate(lines) if line.strip() and not is_comment(line, sign)), 0)
            return sign if top >= (1 if sign == "//" else 2) else ""
    return ""


def _stand_below_names(lines: list[str]) -> bool:
    """Whether comments stand between a first line and the data: two lines or more that are # or begin with it
    and a blank, and no other that begins with it.
    """
    top = next((n for n, line in enumerate(lines[1:], 1) if not line.startswith("#")), len(lines))
    block = lines[1:top]
    plain = all(line.rstrip() == "#" or line.startswith("# ") for line in block)
    return len(block) >= 2 and plain and not any(line.startswith("#") for line in lines[top:])


def lines_of(path: Path, options: ReadOptions) -> Iterator[str]:
    """All lines that are no comments, with their line ends, after those to skip.

    Raises:
        Problem: bytes that cannot be read in the encoding.
    """
    behind = sample_of(path, options).behind if options.comment else None
    with path.open(encoding=options.encoding, newline="", errors="strict") as file:
        lines = (line for line in file if not is_comment(line, options.comment))
        try:
            for _ in range(options.skip or 0):
                next(lines, None)
            for line in lines:
                bare = line.replace("\0", "")
                yield _without(bare.rstrip("\r\n"), behind) + "\n" if behind else bare
        except UnicodeDecodeError:
            raise Problem(
                path.name,
                f"some bytes cannot be read as {options.encoding}.",
                "Choose another encoding.",
                field="encoding",
                code="encoding",
            ) from None


def last_lines(path: Path, options: ReadOptions, most: int) -> list[str]:
    """The last lines of a file, of its last 64 KiB; the first of them may be cut off."""
    with path.open("rb") as file:
        file.seek(max(path.stat().st_size - _TAIL, 0))
        text = file.read().decode(options.encoding or "utf-8", errors="replace")
    return [line for line in _LINE.split(text) if line.strip()][-most:]


def header_names(rows: list[Row], width: int) -> tuple[list[str], list[str]]:
    """Column names from the header's rows; see `column_names`.

    With several rows, a name on an upper row holds for the empty cells to its right (as over merged cells),
    and the rows' texts are joined by a blank.
    """
    if len(rows) <= 1:
        return column_names(rows[0] if rows else None, width)
    filled: list[list[str]] = []
    for number, row in enumerate(rows):
        cells, last = [], ""
        for place in range(width):
            cell = ((row[place] if place < len(row) else None) or "").strip()
            last = cell or (last if number < len(rows) - 1 else "")
            cells.append(last)
        filled.append(cells)
    joined: Row = [
        " ".join(dict.fromkeys(filter(None, cells))) or None for cells in zip(*filled, strict=True)
    ]
    return column_names(joined, width)


_UNNAMED = re.compile(r"Column \d+")
_SELDOM_DOUBLED = frozenset(",;\t ")  # a column between two that is empty and has no name is one there


def may_be_doubled(names: list[str], delimiter: str | None) -> bool:
    """Whether each second column has no name, as where “::” stands between cells."""
    odd = len(names) > 2 and len(names) % 2 == 1 and delimiter not in _SELDOM_DOUBLED
    return odd and all(_UNNAMED.fullmatch(name) for name in names[1::2])


def undoubled(frame: pl.DataFrame, delimiter: str | None) -> pl.DataFrame | None:
    """A table without the empty columns that a delimiter of two equal signs leaves; None where it has none.

    Numbered anew where no line names the columns.
    """
    between = frame.columns[1::2]
    if not frame.height or not may_be_doubled(frame.columns, delimiter):
        return None
    if any(frame[name].null_count() < frame.height for name in between):
        return None
    kept = frame.select(frame.columns[::2])
    if all(_UNNAMED.fullmatch(name) for name in kept.columns):
        kept.columns = [f"Column {n}" for n in range(1, kept.width + 1)]
    return kept
