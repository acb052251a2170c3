"""Delimited lines read by Polars' own reader, where it reads them as they are meant."""

from __future__ import annotations

import io
import mmap
import re
from itertools import islice
from pathlib import Path

import polars as pl

from updraft.core.formats.options import ReadOptions
from updraft.core.formats.signs import bare, evened
from updraft.core.formats.text import lines_of, sample_of

_LOOSE_WITHIN = 16 << 20  # bytes that are looked through for quotes within cells


_LOOSE_LINES = 200  # that are asked


def _is_framed(path: Path, options: ReadOptions) -> bool:
    """Whether Polars' reader, which knows of no frames, would read other cells."""
    if options.delimiter == " ":
        return True
    if options.delimiter != "|":
        return False
    first = list(islice(lines_of(path, options), 4))
    return list(bare(first, "|")) != first


def quick_lines(
    path: Path, options: ReadOptions, names: list[str], columns: frozenset[str] | None
) -> pl.DataFrame | None:
    """Polars' own reader; None where it does not agree that all rows have the same width, or lacks an
    option.
    """
    query = lines_query(path, options, names, columns)
    try:
        return None if query is None else query.collect()
    except pl.exceptions.PolarsError:
        return None


def lines_query(
    path: Path, options: ReadOptions, names: list[str], columns: frozenset[str] | None, *, whole: bool = True
) -> pl.LazyFrame | None:
    """A query of the file's rows; None where Polars' reader lacks an option.

    Args:
        whole: text in another encoding may be held as a whole.
    """
    skip = (options.skip or 0) + options.names_lines
    delimiter = options.delimiter or ","
    if _is_framed(path, options) or options.ragged == "leave_out":
        return None  # it fills short rows up, and looks at no cell beyond the columns that are asked for
    if (
        options.escape
        or not delimiter.isascii()
        or (options.comment and (skip or _has_indented(path, options)))
    ):
        return None
    if _has_loose_quotes(path, options) or (options.comment and sample_of(path, options).behind):
        return None
    source: Path | io.BytesIO = path
    if options.encoding not in ("utf-8", "utf-8-sig", "ascii"):
        if not whole:
            return None
        try:
            source = io.BytesIO(path.read_text(encoding=options.encoding).encode())
        except UnicodeDecodeError:
            return None
    query = pl.scan_csv(
        source,
        has_header=False,
        new_columns=names,
        schema=dict.fromkeys(names, pl.String),
        separator=delimiter,
        skip_lines=skip,
        comment_prefix=options.comment or None,
        quote_char=options.quote or None,
        infer_schema=False,
        glob=False,
        extra_columns="raise",
        missing_columns="raise",
    )
    few = [name for name in names if columns and name in columns]
    return (query.select(few) if few else query).slice(options.skip_after or 0)


def _has_loose_quotes(path: Path, options: ReadOptions) -> bool:
    """Whether a line of the first 16 MB is read otherwise once its quotes are evened.

    Asked are lines in which a quote stands between other signs, as it also does in `1, "b"`, which is sound.
    """
    if not options.quote:
        return False
    quote, others = re.escape(options.quote.encode()), re.escape((options.delimiter or ",").encode())
    loose = re.compile(rb"%b(?<=[^%b%b\r\n]%b)(?=[^%b%b\r\n])" % (quote, quote, others, quote, quote, others))
    with path.open("rb") as file, mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ) as content:
        for found in islice(loose.finditer(content, 0, _LOOSE_WITHIN), _LOOSE_LINES):
            start, end = content.rfind(b"\n", 0, found.start()) + 1, content.find(b"\n", found.end())
            line = content[start : end if end >= 0 else len(content)].decode(
                options.encoding or "utf-8", "replace"
            )
            if list(evened([line], options.delimiter or ",", options.quote, "")) != [line]:
                return True
    return False


def _has_indented(path: Path, options: ReadOptions) -> bool:
    """Whether a comment line begins with blanks, which Polars' reader takes for a row."""
    sign = re.escape((options.comment or "").encode())
    with path.open("rb") as file, mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ) as content:
        return re.search(rb"(?m)^ +" + sign, content) is not None
