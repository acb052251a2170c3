"""JSON and JSON Lines."""

from __future__ import annotations

import json
import re
from collections.abc import Iterable, Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import orjson

from updraft.core.formats.encoding import SAMPLE, find_encoding, holds
from updraft.core.formats.json_stream import LARGE, UnfitError
from updraft.core.formats.json_stream import load as stream
from updraft.core.formats.learnt import Learnt, scanned
from updraft.core.formats.options import Detected, Node, Reading, ReadOptions, Scan
from updraft.core.formats.records import Streamed, find_records, outline, rows_of, table_of
from updraft.core.problems import Problem

# Two letters of Latin-1 by their numbers in a row, as text in a wrong encoding may be.
_LATIN = re.compile(rb"\\u00[c-fC-F][0-9a-fA-F]\\u")


def looks_like_json(start: str) -> str | None:
    """`json`, `json_lines` or None, by the beginning of a text."""
    text = start.lstrip("\ufeff \t\r\n")
    if not text.startswith(("{", "[")):
        return None
    lines = [line for line in text.splitlines()[:2] if line.strip()]
    if text.startswith("{") and len(lines) == 2 and all(_parses(line) for line in lines):
        return "json_lines"
    after = text[1:].lstrip()
    return "json" if after[:1] in '"{[]}-0123456789tfn' or not after else None


def read(path: Path, options: ReadOptions) -> Reading:
    """Read the records of a file; see `records.table_of`.

    Raises:
        Problem: it is not JSON (with the line), or no records stand at the path.
    """
    try:
        value, encoding, why, said = _streamed(path, options)
        if not options.records and _is_by_lists(value):
            raise UnfitError  # its rows are put together from all of it
        return _read(value, encoding, why, said, path, options)
    except UnfitError:  # small, or not what it seems
        return _read(*load(path, options), path, options)


def scan(path: Path, options: ReadOptions, columns: frozenset[str] | None = None) -> Scan | None:
    """The records of a large file part by part, as `read` reads them; None for any other file.

    Args:
        columns: those that are needed.

    Raises:
        Problem: as `read`.
    """
    try:
        value, encoding, why, _ = _streamed(path, options)
        if options.long or (not options.records and _is_by_lists(value)) or holds(path, _LATIN, 8):
            return None
        found = _found(value, encoding, why, options)
        rows = Learnt(lambda: rows_of(value, found.options, name=path.name))
    except UnfitError:
        return None
    said = _left_out(value.bad) if isinstance(value, _Lines) else []
    made = scanned(rows, found, columns)
    return made and replace(made, warnings=(*said, *made.warnings))


def _read(value: Any, encoding: str, why: str, said: list[str], path: Path, options: ReadOptions) -> Reading:
    value = value if options.records else _by_rows(value)  # a place was chosen in what stands in the file
    tree = outline(value)
    said = [*said, *_left_out(value.bad)] if isinstance(value, _Lines) else said
    found = replace(_found(value, encoding, why, options, tree), tree=tree)
    frame, more = table_of(value, found.options, name=path.name)
    if not frame.height:
        more = [*more, "There is no record at this place."]
    return Reading(frame, found, tuple(said + more))


def _found(value: Any, encoding: str, why: str, options: ReadOptions, tree: Node | None = None) -> Detected:
    """Where the records are, as set or as they are found in the outline of the data."""
    chosen, reason = options.records, "as set"
    if chosen is None:
        chosen, reason = find_records(tree or outline(value))
    form = options.format or "json"
    filled = replace(options, format=form, records=chosen, encoding=encoding)
    return Detected(form, filled, {"format": "it begins as JSON does", "encoding": why, "records": reason})


def _by_rows(value: Any) -> Any:
    """Records of what is told by lists: of lists of one length, the first of which may name the columns;
    or of columns, lists of one length under their names. Anything else as it is.
    """
    if isinstance(value, dict) and len(value) > 1 and all(map(_is_cells, value.values())):
        sizes = {len(column) for column in value.values()}
        if len(sizes) == 1 and sizes.pop() > 1:
            return [dict(zip(value, row, strict=True)) for row in zip(*value.values(), strict=True)]
    if isinstance(value, list) and len(value) > 1 and all(map(_is_cells, value)):
        first, *rest = value
        if len(first) < 2 or any(len(row) != len(first) for row in rest):
            return value
        named = all(isinstance(cell, str) and cell.strip() for cell in first) and len(set(first)) == len(
            first
        )
        typed = any(not isinstance(cell, str) for row in rest for cell in row)
        names = first if named and typed else [f"Column {n + 1}" for n in range(len(first))]
        return [dict(zip(names, row, strict=True)) for row in (rest if names is first else value)]
    return value


def _is_by_lists(value: Any) -> bool:
    """Whether data may be told by lists that were left in the file: rows, or columns under their names."""
    if isinstance(value, Streamed):
        return isinstance(next(iter(value), None), list)
    inside = list(value.values()) if isinstance(value, dict) else value if isinstance(value, list) else []
    left = [one for one in inside if isinstance(one, Streamed)]
    return (
        bool(left)
        and len(inside) > 1
        and all(isinstance(one, list | Streamed) for one in inside)
        and not any(isinstance(next(iter(one), None), list | dict) for one in left)
    )


def _is_cells(one: Any) -> bool:
    return isinstance(one, list) and not any(isinstance(cell, list | dict) for cell in one)


def load(path: Path, options: ReadOptions) -> tuple[Any, str, str, list[str]]:
    """The whole file as plain data, its encoding and why, and sentences about lines left out."""
    raw = path.read_bytes()
    encoding, why = find_encoding(
        raw[:SAMPLE], whole=len(raw) <= SAMPLE, wanted=options.encoding, name=path.name
    )
    try:
        text = raw.decode(encoding).removeprefix("\ufeff")
    except UnicodeDecodeError:
        raise Problem(
            path.name,
            f"some bytes cannot be read as {encoding}.",
            "Choose another encoding.",
            field="encoding",
            code="encoding",
        ) from None
    if options.format == "json_lines":
        lines = _Lines(text.encode().split(b"\n"))
        values = list(lines)
        if lines.bad and not values:
            raise Problem(
                path.name,
                "none of its lines is JSON.",
                "Choose another format.",
                field="format",
                code="not_json",
            )
        return values, encoding, why, _left_out(lines.bad)
    return parse(text, path.name), encoding, why, []


def _streamed(path: Path, options: ReadOptions) -> tuple[Any, str, str, list[str]]:
    """A large file as `load` gives it, with its large lists left in the file. Raises UnfitError for any
    other file.
    """
    if path.stat().st_size < LARGE:
        raise UnfitError
    with path.open("rb") as file:
        encoding, why = find_encoding(file.read(SAMPLE), whole=False, wanted=options.encoding, name=path.name)
    if encoding not in ("utf-8", "utf-8-sig", "ascii"):
        raise UnfitError
    return _Lines(path) if options.format == "json_lines" else stream(path), encoding, why, []


class _Lines(Streamed):
    """The values of JSON Lines; after they were gone through, `bad` holds the numbers of lines that are not
    JSON.
    """

    def __init__(self, source: Path | list[bytes]) -> None:
        self._source, self.bad = source, list[int]()

    def __iter__(self) -> Iterator[Any]:
        self.bad = []
        if isinstance(self._source, list):
            yield from self._values(self._source)
            return
        with self._source.open("rb") as file:
            yield from self._values(file)

    def _values(self, lines: Iterable[bytes]) -> Iterator[Any]:
        for number, line in enumerate(lines, start=1):
            if number == 1:
                line = line.removeprefix(b"\xef\xbb\xbf")
            if not line.strip():
                continue
            try:
                yield orjson.loads(line)
            except orjson.JSONDecodeError:
                self.bad.append(number)


def _left_out(bad: list[int]) -> list[str]:
    if not bad:
        return []
    some = "1 line is" if len(bad) == 1 else f"{len(bad):,} lines are"
    return [f"{some} not JSON and left out: line {', '.join(f'{n:,}' for n in bad[:5])}."]


def parse(text: str, name: str) -> Any:
    """JSON text as plain data; NaN and Infinity, which JSON does not know, are taken as empty.

    Raises:
        Problem: it is not JSON, with the line and the place in it.
    """
    try:
        return orjson.loads(text)
    except orjson.JSONDecodeError:
        pass
    try:
        return json.loads(text, parse_constant=lambda _: None)
    except json.JSONDecodeError as error:
        raise Problem(
            name,
            f"line {error.lineno:,} is not JSON at character {error.colno:,} ({error.msg.lower()}).",
            "It may have been cut off on the way: ask for it again.",
            code="not_json",
        ) from None
    except RecursionError:
        raise Problem(
            name, "it is nested too deeply.", "Ask for it in a simpler form.", code="not_json"
        ) from None


def _parses(line: str) -> bool:
    try:
        orjson.loads(line)
    except orjson.JSONDecodeError:
        return False
    return True
