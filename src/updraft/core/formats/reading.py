"""One way in for every file: look at its first bytes, choose the reader, return a table."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from importlib import import_module
from pathlib import Path

import polars as pl

from updraft.core.formats import delimited, fixed, packed, told
from updraft.core.formats.encoding import broken_text, find_encoding, may_be_broken, mend_text
from updraft.core.formats.header import sound_names
from updraft.core.formats.notes import notes_below
from updraft.core.formats.options import TITLES, Detected, Format, Reading, ReadOptions, Scan
from updraft.core.formats.signs import find_delimiter
from updraft.core.formats.stacking import stacked_readings
from updraft.core.formats.text import sample_of
from updraft.core.problems import Problem

FILE_COLUMN = "File"
_WITH_NOTES = ("delimited", "fixed", "workbook")
_WORKBOOKS = (".xlsx", ".xlsm", ".xlsb", ".xls", ".ods")
_TEXTS = (".csv", ".tsv", ".tab", ".txt")
# How JSON and XML begin, as no table does: a name that ends in .txt promises nothing.
_NESTED = re.compile(r'\[\s*[\[{"]|\{\s*"|<\?xml\b')
_TABLES = (".csv", ".tsv", ".tab")
_STARTS: tuple[tuple[bytes, Format], ...] = (
    (b"PK\x03\x04", "workbook"),
    (b"\xd0\xcf\x11\xe0", "workbook"),
    (b"PAR1", "parquet"),
    (b"ARROW1", "arrow"),
    (b"\xff\xff\xff\xff", "arrow"),
    (b"SQLite format 3\0", "sqlite"),
)
# Format → module and function; imported when such a file comes, since their libraries are large.
_READERS: dict[Format, tuple[str, str]] = {
    "told": ("told", "read"),
    "workbook": ("workbook", "read"),
    "json": ("json_text", "read"),
    "json_lines": ("json_text", "read"),
    "xml": ("xml_text", "read"),
    "parquet": ("columnar", "read_parquet"),
    "arrow": ("columnar", "read_arrow"),
    "sqlite": ("columnar", "read_sqlite"),
}
_READ_WHOLE = 64 << 20  # bytes up to which a file of typed columns is read to see whether it can be
_SHAPED = 500  # lines by which names with values, or logs, are told
_SURELY_DELIMITED = 0.95  # of the lines; brackets and quotes stand in cells, too
_DELIMITED_ENOUGH = 0.8  # share of lines that must split alike, or borders of fixed columns are looked for


def detect(path: Path, options: ReadOptions | None = None) -> Detected:
    """How a file would be read, with reasons. Raises Problem as `read` does."""
    options = options or ReadOptions()
    form = format_of(path, options)
    if form == "delimited" and packed.packing(path) is None:
        return delimited.detect(path, options)
    large = form in ("parquet", "arrow") and path.stat().st_size > _READ_WHOLE
    if large and (known := scan(path, options)) is not None:
        return replace(known.detected, columns=tuple(known.query.collect_schema()))
    found = read(path, options).detected
    if form != "workbook" or packed.packing(path) is not None:
        return found
    from updraft.core.formats import workbook

    return workbook.with_sizes(path, found)


def read(path: Path, options: ReadOptions | None = None, columns: frozenset[str] | None = None) -> Reading:
    """Read a file as a table.

    Args:
        columns: those that are needed; a reader may leave out others to save work, and rows never.

    Raises:
        Problem: the file is missing, empty, damaged, or not what its name says.
    """
    options = options or ReadOptions()
    _check_there(path)
    how = packed.packing(path)
    if how not in (None, "zip"):
        with packed.unpacked(path, how) as inside:
            return read(inside, options, columns)
    if how == "zip":
        return _read_members(path, options, columns)
    options = replace(options, format=format_of(path, options))  # found once; its reader need not look again
    if options.format not in ("delimited", "fixed"):
        return _finished(_read_plain(path, options, columns), options, look=True)
    with ThreadPoolExecutor(1) as pool:  # beside the reading, which is outside the interpreter's lock
        signs = pool.submit(may_be_broken, path)
        found = _read_plain(path, options, columns)
        utf8 = found.detected.options.encoding in ("utf-8", "utf-8-sig")
        return _finished(found, options, look=not utf8 or signs.result())


def read_all(paths: Sequence[Path], options: ReadOptions) -> dict[str, Reading]:
    """Several files of one kind, by their names; Problem as `read`."""
    plain = [path for path in paths if path.is_file() and packed.packing(path) is None]
    forms = {path: format_of(path, options) for path in plain}
    for form in {"parquet", "arrow"} & {*forms.values()}:
        from updraft.core.formats.columnar import check_columnar

        check_columnar([path for path in plain if forms[path] == form], form)
    return {path.name: read(path, options) for path in paths}


def scan(
    path: Path, options: ReadOptions | None = None, columns: frozenset[str] | None = None
) -> Scan | None:
    """A file part by part, as `read` would read it: large delimited text, JSON and XML, Parquet and Arrow.
    None for what has to be read as a whole.

    Raises:
        Problem: as `read`.
    """
    options = options or ReadOptions()
    _check_there(path)
    if packed.packing(path) is not None or options.mend or options.drop_empty:
        return None
    options = replace(options, format=format_of(path, options))
    if options.format in ("parquet", "arrow"):
        from updraft.core.formats import columnar

        scan_typed = columnar.scan_parquet if options.format == "parquet" else columnar.scan_arrow
        found = scan_typed(path, options)
    elif options.format not in ("delimited", "json", "json_lines", "xml") or may_be_broken(path):
        return None
    elif options.format == "delimited":
        found = delimited.scan(path, delimited.detect(path, options), columns)
    else:
        module, _ = _READERS[options.format]
        found = import_module(f"updraft.core.formats.{module}").scan(path, options, columns)
    if found is None:
        return None
    schema = found.query.collect_schema()
    names, said = sound_names(schema.names())
    query = found.query.rename(dict(zip(schema.names(), names, strict=True))) if said else found.query
    query = query.with_columns(_also_empty(options)) if options.empty else query
    told = (*found.warnings, *said, *_left_out(found.detected, options), *_notes_said(found.notes))
    return replace(found, query=query, warnings=told)


def _with_sound_names(reading: Reading) -> Reading:
    names, said = sound_names(reading.frame.columns)
    if not said:
        return reading
    frame = reading.frame.rename(dict(zip(reading.frame.columns, names, strict=True)))
    return replace(reading, frame=frame, warnings=(*reading.warnings, *said))


def format_of(path: Path, options: ReadOptions) -> Format:
    """What a file holds: as set, or by its first bytes; a name that promises a format must hold it.

    Raises:
        Problem: it is missing or empty, or its name says another format than its content.
    """
    start = _check_there(path)
    if options.format:
        return options.format
    suffix = path.suffix.lower()
    form = next((form for mark, form in _STARTS if start.startswith(mark)), None)
    if suffix in _WORKBOOKS and form != "workbook":
        raise Problem(
            path.name,
            "its name says workbook, but it holds plain text.",
            "Rename it to end in .csv, or save it as a workbook.",
            field="path",
            code="not_a_workbook",
        )
    if form and suffix in _TEXTS:
        what = "a packed file" if form == "workbook" else TITLES[form]
        raise Problem(
            path.name,
            f"its name says text, but it holds {what}.",
            "If it is a workbook, rename it to end in .xlsx.",
            field="path",
            code="not_text",
        )
    return form or _text_format(path, start, suffix, options)


def is_page(start: str) -> bool:
    """Whether a text begins as HTML does."""
    return start.lstrip("\ufeff \t\r\n")[:15].lower().startswith(("<!doctype html", "<html"))


def _text_format(path: Path, start: bytes, suffix: str, options: ReadOptions) -> Format:
    try:
        encoding, _ = find_encoding(start, whole=False, wanted=options.encoding, name=path.name)
        text = start.decode(encoding, errors="replace").lstrip("\ufeff \t\r\n")
    except Problem:
        return "delimited"  # its reader says what is wrong
    if is_page(text):
        raise Problem(
            path.name,
            "it is a web page, not data.",
            "If it came from a service, see that its address is right; "
            "a table on a page can be copied and pasted.",
            field="path",
            code="web_page",
        )
    if suffix not in _TEXTS or (suffix not in _TABLES and _NESTED.match(text)):
        from updraft.core.formats import json_text

        json_form = json_text.looks_like_json(text)
        if json_form:
            return "json_lines" if json_form == "json_lines" or suffix in (".jsonl", ".ndjson") else "json"
        if text.startswith("<") and text[1:2] and (text[1] in "?!" or text[1].isalpha()):
            return "xml"
    if options.widths:
        return "fixed"
    if options.delimiter or suffix in _TABLES:
        return "delimited"
    sample = sample_of(path, options)
    shape = told.shape_of(sample.body[:_SHAPED])
    delimiter, _, share = find_delimiter(sample.body[:200], None, '"', "")
    parted = delimiter in ",;|\t" and share >= _SURELY_DELIMITED
    if shape and (
        shape != "log" or not parted or (delimiter == "," and told.is_marked_twice(sample.body[0]))
    ):
        return "told"
    if share < _DELIMITED_ENOUGH and fixed.find_widths(sample.body[:500]):
        return "fixed"
    return "delimited"


def _read_plain(path: Path, options: ReadOptions, columns: frozenset[str] | None) -> Reading:
    try:
        return _read_as(path, options, columns)
    except BaseException as error:
        if (
            type(error).__name__ != "PanicException"
        ):  # a damaged file can make a library panic, which is no Exception
            raise
        raise Problem(
            path.name,
            "it is damaged, and its reader gave up.",
            "It may have been cut off on the way: ask for it again.",
            code="damaged",
        ) from None


def _read_as(path: Path, options: ReadOptions, columns: frozenset[str] | None) -> Reading:
    if options.format == "fixed":
        return fixed.read(path, fixed.detect(path, options))
    if options.format in _READERS:
        module, name = _READERS[options.format]
        found: Reading = getattr(import_module(f"updraft.core.formats.{module}"), name)(path, options)
        return _with_sound_names(found)
    return delimited.read(path, delimited.detect(path, options), columns)


def _read_members(path: Path, options: ReadOptions, columns: frozenset[str] | None) -> Reading:
    names, reason = packed.chosen_members(path, options.member)
    parts: dict[str, Reading] = {}
    for name in names:
        with packed.unpacked(path, "zip", name) as inside:
            parts[name] = read(inside, replace(options, member=None), columns)
    first = parts[names[0]]
    detected = replace(
        first.detected,
        columns=(),
        options=replace(first.detected.options, member=options.member or names[0]),
        reasons={"member": reason, **first.detected.reasons},
        choices={**first.detected.choices, "members": packed.members(path)},
    )
    if len(parts) == 1:
        return replace(first, detected=replace(detected, columns=first.detected.columns))
    together = stacked_readings(parts, FILE_COLUMN, "file")
    return replace(together, detected=replace(detected, columns=together.detected.columns))


def _finished(found: Reading, options: ReadOptions, *, look: bool) -> Reading:
    """What every format may need at the end: other words for empty, mended text, no empty columns."""
    frame, said = found.frame, list(found.warnings)
    if options.empty:
        frame = frame.with_columns(_also_empty(options))
    if options.mend:
        frame = mend_text(frame)
    elif look:
        count, example = broken_text(frame)
        if count:
            some = "1 value looks" if count == 1 else f"{count:,} values look"
            said.append(
                f"{some} like text read in a wrong encoding, such as “{example[:40]}”. "
                "Choose another encoding, or mend broken text."
            )
    said += _left_out(found.detected, options)
    if options.notes == "leave_out" and found.detected.format in _WITH_NOTES:
        notes = notes_below(frame) if found.notes is None else found.notes
        frame = frame.head(frame.height - len(notes))
        said += _notes_said(notes)
    if options.drop_empty:
        gone = [series.name for series in frame if series.null_count() == series.len()]
        if gone:
            frame = frame.drop(gone)
            said.append(f"{len(gone):,} columns are empty throughout and left out.")
    detected = found.detected
    if detected.format != "delimited":
        detected = replace(detected, columns=tuple(frame.columns))
    return Reading(frame, detected, tuple(said))


def _also_empty(options: ReadOptions) -> pl.Expr:
    """Text columns with the further words for nothing empty."""
    words = [word.strip().casefold() for word in options.empty]
    word = pl.col(pl.String).str.strip_chars().str.to_lowercase()
    return pl.when(~word.is_in(words)).then(pl.col(pl.String))


def _notes_said(notes: Sequence[str]) -> Iterator[str]:
    if notes:
        lines = "1 line of notes" if len(notes) == 1 else f"{len(notes)} lines of notes"
        yield f"{lines} below the table left out, such as “{next(filter(None, notes))[:60]}”."


def _left_out(detected: Detected, options: ReadOptions) -> Iterator[str]:
    """What was found around the header and is no row, in words; what a person set is known."""
    above = [line.strip() for line in detected.preamble if line.strip()]
    if above and options.skip is None:
        yield f"{_lines(len(above))} above the table left out, such as “{above[0][:60]}”."
    below = [" · ".join(filter(None, row)) for row in detected.below]
    if any(below) and options.skip_after is None:
        yield f"{_lines(len(below))} below the names left out: “{next(filter(None, below))[:60]}”."


def _lines(many: int) -> str:
    return "1 line" if many == 1 else f"{many:,} lines"


def _check_there(path: Path) -> bytes:
    """The file's first bytes."""
    try:
        with path.open("rb") as file:
            start = file.read(4096)
    except FileNotFoundError:
        raise Problem(
            path.name,
            "this file is not here.",
            "Choose the file again, or put it back.",
            field="path",
            code="no_file",
        ) from None
    except OSError as error:
        raise Problem(
            path.name,
            f"it cannot be opened ({error.strerror}).",
            "Choose another file.",
            field="path",
            code="no_file",
        ) from None
    if not start:
        raise Problem(
            path.name,
            "the file is empty (0 bytes).",
            "Ask for it again, or choose another file.",
            field="path",
            code="empty_file",
        )
    return start
