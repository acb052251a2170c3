"""Delimited text: detect delimiter, quotes, comment lines and header, and read every column as text."""

from __future__ import annotations

import csv
from collections import Counter
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import polars as pl

from updraft.core.formats.encoding import SAMPLE
from updraft.core.formats.header import LOOK, OTHER_SHAPE, Row, aligned, find_header
from updraft.core.formats.notes import notes_below
from updraft.core.formats.options import Detected, Reading, ReadOptions, Scan
from updraft.core.formats.quick_lines import lines_query, quick_lines
from updraft.core.formats.signs import (
    bare,
    dialect,
    evened,
    find_delimiter,
    find_quotes,
    is_figure,
    split,
    usual_width,
)
from updraft.core.formats.text import (
    Sample,
    header_names,
    is_comment,
    last_lines,
    lines_of,
    may_be_doubled,
    sample_of,
    undoubled,
)
from updraft.core.problems import Problem

_FIRST_LINES, _LAST_LINES = 400, 12  # that tell whether the last ones are notes
_MOST_CELLS = 20_000  # of one line
_LONGEST = 64 << 20  # bytes of a cell
_BODY = 1000  # lines that delimiter and quotes are found from


def detect(path: Path, options: ReadOptions) -> Detected:
    """Fill in the options that are open, from the first 256 KiB of the file.

    Raises:
        Problem: the file is empty or holds NUL bytes; a sign is longer than one character.
    """
    _check_signs(options)
    sample = sample_of(path, options)
    body = sample.body[:_BODY]
    quote, escape, why_quote = find_quotes(body, options)
    delimiter, why_delimiter, _ = find_delimiter(body, options.delimiter, quote, escape, path.suffix)
    rows = split("\n".join(body[:LOOK]), delimiter, quote, escape)
    wide = max(map(len, rows), default=0)
    if wide > _MOST_CELLS:
        raise Problem(
            path.name,
            f"a line splits into more than {_MOST_CELLS:,} cells.",
            "Choose another delimiter, or see that the file has lines at all.",
            field="delimiter",
            code="too_wide",
        )
    header = find_header(rows, options.skip, options.header_lines)
    first, why_header = options.header or ("first" if header.present else "none"), header.reason_header
    least = min((len(row) for row in rows if row), default=0)
    told = comment_names(sample, delimiter, quote, escape, (least, wide))
    if told and options.header is None and header.reason_header != OTHER_SHAPE:
        first, why_header = "comment", "a comment line above names as many columns"
    reasons = {
        "format": "it is plain text",
        "delimiter": why_delimiter,
        "quote": why_quote,
        "encoding": sample.why_encoding,
        "skip": header.reason_skip,
        "header": "as set" if options.header else why_header,
        **comment_reason(sample, options),
    }
    filled = replace(
        options,
        format="delimited",
        skip=header.skip,
        header=first,
        header_lines=header.lines,
        delimiter=delimiter,
        quote=quote,
        escape=escape,
        encoding=sample.encoding,
        comment=sample.comment,
    )
    top = rows[header.skip :]
    many = header.lines if first == "first" else 0
    after = header.below if options.skip_after is None and first == "first" else options.skip_after or 0
    filled = replace(filled, skip_after=after)
    named = aligned(top[:many], top[many + after :])
    named = [told] if told and first == "comment" else named
    names, _ = header_names(named, max(map(len, top), default=0))
    return Detected(
        "delimited",
        filled,
        reasons,
        preamble=tuple(body[: header.skip]),
        below=tuple(map(tuple, top[many : many + after])),
        columns=tuple(names),
    )


def read(path: Path, detected: Detected, columns: frozenset[str] | None = None) -> Reading:
    """Read the whole file as text columns; empty cells are null.

    Rows wider or narrower than the table are counted, and treated as `ragged` says.

    Raises:
        Problem: no row is left, or the text cannot be read in the encoding.
    """
    options = detected.options
    names_rows, width, ragged = _first_rows(path, detected)
    names, said = header_names(names_rows, width)
    if columns and may_be_doubled(names, options.delimiter):
        columns = None  # what is left is numbered anew
    frame = None if ragged else quick_lines(path, options, names, columns)
    careful = frame is None
    if frame is None:
        frame, said = _careful(path, options, names_rows)
        names = frame.columns
    if not frame.width:
        raise Problem(
            path.name,
            "no row is left below the lines that are skipped.",
            "Skip fewer lines.",
            field="skip",
            code="no_rows",
        )
    notes = None if careful else _notes(path, options, names)  # rows left out for their width are no notes
    if notes is None and columns and frame.width < len(names):
        return read(path, detected)  # which rows are notes shows in all columns together
    said += _comments_behind(path, options)
    once = undoubled(frame, options.delimiter) if columns is None else None
    if once is not None:
        frame, sign = once, options.delimiter
        said.append(f"“{sign}{sign}” stands between the cells: the empty columns between are left out.")
    return Reading(
        frame,
        replace(detected, columns=tuple(frame.columns if columns is None else names)),
        tuple(said),
        notes,
    )


def scan(path: Path, detected: Detected, columns: frozenset[str] | None = None) -> Scan | None:
    """The file part by part, as `read` would read it; None where only all of it tells how."""
    options = detected.options
    names_rows, width, ragged = _first_rows(path, detected)
    names, said = header_names(names_rows, width)
    if ragged or may_be_doubled(names, options.delimiter):
        return None
    query, notes = lines_query(path, options, names, columns, whole=False), _notes(path, options, names)
    if query is None or notes is None:
        return None
    said += _comments_behind(path, options)
    return Scan(query, replace(detected, columns=tuple(names)), tuple(said), notes)


def comment_names(
    sample: Sample, delimiter: str, quote: str, escape: str, widths: tuple[int, int]
) -> Row | None:
    """The names in the last comment line above the table that splits into as many texts as it is wide; or, as
    the line right above it, into as many as its shortest row is.

    Args:
        widths: of the shortest row and of the widest.
    """
    least, width = widths
    if not sample.comment or width < 2:
        return None
    above: list[str] = []
    for line in sample.lines:
        if line.strip() and not is_comment(line, sample.comment):
            break
        above.append(line)
    for back, line in enumerate(reversed(above)):
        text = line.strip().lstrip(sample.comment).strip()
        row = next(iter(split(text, delimiter, quote, escape)), [])
        names = [(cell or "").strip() for cell in row]
        worded = all(name and not is_figure(name) for name in names)
        fits = len(names) == width or (not back and 3 <= len(names) <= least)
        if worded and fits and len(names) == len(set(names)):
            return list(names)
    return None


def _comments_behind(path: Path, options: ReadOptions) -> Iterator[str]:
    sample = sample_of(path, options) if options.comment else None
    if sample and sample.behind:
        found = next(filter(None, (sample.behind.search(line) for line in sample.lines)))
        yield f"Comments at the ends of lines left out, such as “{found[0].strip()[:60]}”."


def comment_reason(sample: Sample, options: ReadOptions) -> dict[str, str]:
    if not sample.comment:
        return {}
    return {"comment": "as set" if options.comment else f"the first line starts with {sample.comment}"}


def _check_signs(options: ReadOptions) -> None:
    for field, sign in (
        ("delimiter", options.delimiter),
        ("quote", options.quote),
        ("escape", options.escape),
    ):
        if sign and len(sign) > 1:
            raise Problem(
                f"{field.capitalize()} “{sign}”",
                "it is more than one character.",
                "Use a single character.",
                field=field,
                code="bad_setting",
            )


def _first_rows(path: Path, detected: Detected) -> tuple[list[Row], int, bool]:
    """The header's rows, the width of the table's first rows, and whether those rows differ in width."""
    rows: list[Row] = []
    for _, row in _rows(path, detected.options):
        rows.append(row)
        if len(rows) > LOOK:
            break
    if not rows:
        return [], 0, True
    many = detected.options.names_lines
    header, rows = rows[:many], rows[many + (detected.options.skip_after or 0) :]
    header = aligned(header, rows)
    if detected.options.header == "comment":
        options = detected.options
        signs = (options.delimiter or ",", options.quote or "", options.escape or "")
        sizes = [len(row) for row in rows if row] or [0]
        told = comment_names(sample_of(path, options), *signs, (min(sizes), max(sizes)))
        header = [told] if told else []
    widths = {len(row) for row in rows if row} | ({len(header[-1])} if header else set())
    return header, max(widths, default=0), len(widths) > 1


def _rows(path: Path, options: ReadOptions) -> Iterator[tuple[int, Row]]:
    """The table's rows through the csv module, header first, with the line (below those skipped) that each
    ends on.
    """
    csv.field_size_limit(_LONGEST)
    signs = dialect(options.delimiter or ",", options.quote or "", options.escape or "")
    delimiter = options.delimiter or ","
    lines = evened(
        bare(lines_of(path, options), delimiter), delimiter, options.quote or "", options.escape or ""
    )
    reader = csv.reader(lines, **signs)
    try:
        for row in reader:
            yield reader.line_num, list(row)
    except csv.Error as error:
        long = f"a cell is longer than {_LONGEST >> 20} MB; a quote may lack its end"
        quotes = "its quotes do not go with each other"
        why = long if "limit" in str(error) else "it holds a NUL" if "NUL" in str(error) else quotes
        raise Problem(
            path.name,
            f"line {reader.line_num:,} cannot be split ({why}).",
            "Choose another delimiter or quote.",
            field="delimiter",
            code="bad_line",
        ) from None


def _notes(path: Path, options: ReadOptions, names: list[str]) -> tuple[str, ...] | None:
    """The notes in the last lines of a large file, by its first and last lines alone, so that they are the
    same whichever columns are read. None where one has to read all of it.
    """
    if options.notes == "keep":
        return ()
    if path.stat().st_size <= SAMPLE:
        return None
    signs = (options.delimiter or ",", options.quote or "", options.escape or "")
    last = [line for line in last_lines(path, options, _LAST_LINES) if not is_comment(line, options.comment)]
    if options.quote and any(line.count(options.quote) % 2 for line in last):
        return None  # a cell of several lines
    skip = (options.skip or 0) + options.names_lines
    first = sample_of(path, options).body[skip + (options.skip_after or 0) :][:_FIRST_LINES]
    rows = [row for row in (*split("\n".join(first), *signs), *split("\n".join(last), *signs)) if row]
    columns = {name: [row[n] if n < len(row) else None for row in rows] for n, name in enumerate(names)}
    return tuple(notes_below(pl.DataFrame(columns, schema=dict.fromkeys(names, pl.String))))


def _careful(path: Path, options: ReadOptions, header: list[Row]) -> tuple[pl.DataFrame, list[str]]:
    reader = _rows(path, options)
    for _ in range((len(header) if options.header == "first" else 0) + (options.skip_after or 0)):
        next(reader, None)
    lines, rows = [], []
    for line, row in reader:
        if row:
            lines.append(line)
            rows.append([cell or None for cell in row])
    usual = len(header[-1]) if header else usual_width(rows)
    rows = [row if len(row) <= usual else _without_end(row, usual) for row in rows]
    widths = Counter(len(row) for row in rows)
    odd = [line for line, row in zip(lines, rows, strict=True) if len(row) != usual]
    if options.ragged == "leave_out":
        rows = [row for row in rows if len(row) == usual]
    width = usual if options.ragged != "widen" else max([usual, *widths])
    names, said = header_names(header, width)
    said += _ragged_said(widths, usual, width, options, [line + (options.skip or 0) for line in odd])
    columns = {name: [row[n] if n < len(row) else None for row in rows] for n, name in enumerate(names)}
    return pl.DataFrame(columns, schema=dict.fromkeys(names, pl.String)), said


def _without_end(row: Row, usual: int) -> Row:
    """A row without empty cells beyond the table, as a delimiter at each line's end leaves them."""
    while len(row) > usual and not (row[-1] or "").strip():
        row = row[:-1]
    return row


def _ragged_said(
    widths: Counter[int], usual: int, width: int, options: ReadOptions, lines: list[int]
) -> list[str]:
    short = sum(often for size, often in widths.items() if size < usual)
    long = sum(often for size, often in widths.items() if size > usual)
    if not short and not long:
        return []
    where = f" The first: line {', '.join(f'{line:,}' for line in lines[:5])}."
    if options.ragged == "leave_out":
        return [f"{short + long:,} rows do not have {usual} cells and are left out.{where}"]
    said = []
    if short:
        said.append(f"{short:,} rows have fewer than {usual} cells; the missing ones are empty.{where}")
    if long:
        what = (
            f"the table was widened to {width} columns"
            if options.ragged == "widen"
            else "what is beyond is left out"
        )
        said.append(f"{long:,} rows have more than {usual} cells; {what}.{where}")
    return said
