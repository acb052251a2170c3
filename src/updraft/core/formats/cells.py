"""What calamine does not tell of a workbook's cells: formula errors, merged cells, and how a cell is
formatted.

Only for xlsx and xlsm, whose sheets are XML; other workbooks have none of this here.
"""

from __future__ import annotations

import re
import zipfile
import zlib
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Any

import polars as pl
from lxml import etree

from updraft.core.formats.formatting import column_of, formatting, part_of, place_of
from updraft.core.formats.options import Mark, ReadOptions
from updraft.core.problems import Problem, missing_column

_ROOMY = 60_000_000  # cells, filled or empty, that a sheet may have whatever its size
_MAIN = "{http://schemas.openxmlformats.org/spreadsheetml/2006/main}"
_RELATION = "{http://schemas.openxmlformats.org/officeDocument/2006/relationships}id"
# What reading a damaged archive or the XML in it raises; whoever reads the workbook then says that it is
# damaged.
DAMAGED = (
    zipfile.BadZipFile,
    zlib.error,
    etree.XMLSyntaxError,
    KeyError,
    ValueError,
    OSError,
    EOFError,
    RuntimeError,
    NotImplementedError,
)
MARK_TITLES: dict[Mark, str] = {
    "fill": "fill colour",
    "bold": "bold",
    "strike": "struck through",
    "comment": "comment",
}


@dataclass(frozen=True)
class Area:
    """A rectangle of cells, counted from 0; bottom and right are the first beyond it."""

    top: int
    left: int
    bottom: int
    right: int

    def shifted(self, rows: int, columns: int) -> Area:
        return Area(self.top + rows, self.left + columns, self.bottom + rows, self.right + columns)


def area_of(text: str, cells: pl.DataFrame) -> Area:
    """The rectangle for cells such as B4:H200, B4 (to the end), B:H or 4:200.

    Raises:
        Problem: it cannot be read, or nothing of the sheet lies in it.
    """
    one = r"([A-Za-z]{1,3})?(\d{1,7})?"
    found = re.fullmatch(rf"\s*{one}(?::{one})?\s*", text)
    if not found or not any(found.groups()):
        raise Problem(
            f"Range “{text}”",
            "it is neither cells such as B4:H200 nor a name in this workbook.",
            "Correct it, or choose one of the names.",
            field="range",
            code="no_range",
        )
    left, top, right, bottom = found.groups()
    area = Area(
        int(top or 1) - 1,
        column_of(left) if left else 0,
        int(bottom) if bottom else cells.height,
        column_of(right) + 1 if right else cells.width,
    )
    if area.top >= min(area.bottom, cells.height) or area.left >= min(area.right, cells.width):
        raise Problem(
            f"Range “{text}”",
            f"the sheet holds nothing there; it has {cells.height:,} rows and {cells.width} columns.",
            "Choose cells that lie within.",
            field="range",
            code="no_range",
        )
    return Area(area.top, area.left, min(area.bottom, cells.height), min(area.right, cells.width))


def hidden_sheets(path: Path) -> set[str] | None:
    """The names of sheets that the workbook does not show; None where it cannot be told without reading
    them.
    """
    try:
        with zipfile.ZipFile(path) as book:
            root = etree.fromstring(
                book.read("xl/workbook.xml"), etree.XMLParser(resolve_entities=False, no_network=True)
            )
    except DAMAGED:
        return None
    return {
        str(s.get("name")) for s in root.iter(f"{_MAIN}sheet") if s.get("state") in ("hidden", "veryHidden")
    }


def table_range(path: Path, name: str) -> str | None:
    """The cells of a workbook's table, header included, as B4:H200."""
    with zipfile.ZipFile(path) as book:
        for part in book.namelist():
            if part.startswith("xl/tables/"):
                root = etree.fromstring(
                    book.read(part), etree.XMLParser(resolve_entities=False, no_network=True)
                )
                if name in (root.get("displayName"), root.get("name")):
                    return str(root.get("ref"))
    return None


def errors_and_merges(path: Path, sheet: str) -> tuple[dict[tuple[int, int], str], list[Area]]:
    """The cells of a sheet that hold a formula error, as (row, column) → its text, and the merged areas."""
    try:
        with zipfile.ZipFile(path) as book:
            name = part_of(book, sheet)
            if name is None or not _scanned(path, path.stat().st_mtime_ns, name).detailed:
                return {}, []
            with book.open(name) as part:
                return _read_details(part)
    except DAMAGED:
        return {}, []


def is_xlsx(path: Path) -> bool:
    """Whether a workbook is one whose sheets are XML: xlsx or xlsm."""
    try:
        with zipfile.ZipFile(path) as book:
            return "xl/workbook.xml" in book.namelist()
    except DAMAGED:
        return False


def check_spread(path: Path, sheet: str) -> None:
    """Refuse a sheet whose few cells lie so far apart that all the empty ones between them would fill the
    memory.

    Raises:
        Problem: they do; it names the last row and column.
    """
    try:
        with zipfile.ZipFile(path) as book:
            name = part_of(book, sheet)
        found = _scanned(path, path.stat().st_mtime_ns, name) if name else None
    except DAMAGED:
        return
    if found and found.rows * found.columns > max(_ROOMY, 40 * found.size):
        raise Problem(
            f"Sheet “{sheet}”",
            f"it reaches to row {found.rows:,} and column {found.columns:,}, though it holds little.",
            "Somewhere far out a cell is filled: clear it in a spreadsheet, and save.",
            field="sheet",
            code="stray_cell",
        )


def marks_of(
    path: Path, options: ReadOptions, names: list[str], first_row: int, left: int, height: int
) -> dict[str, list[str | None]]:
    """The formatting that was asked for, as new columns: name → one text a row.

    See `formatting` for what the texts say.

    Raises:
        Problem: the workbook is not an xlsx, or a column is not there.
    """
    if not options.marks:
        return {}
    if path.suffix.lower() not in (".xlsx", ".xlsm") and not zipfile.is_zipfile(path):
        raise Problem(
            path.name,
            "only xlsx workbooks can be read with their formatting.",
            "Save it as xlsx, or take no formatting.",
            field="marks",
            code="no_formatting",
        )
    dressed = formatting(path, path.stat().st_mtime_ns, options.sheet or "")
    found: dict[str, list[str | None]] = {}
    for column, what in options.marks:
        if column not in names:
            raise missing_column(column, names, field="marks")
        title = f"{column}: {MARK_TITLES[what]}"
        place = left + names.index(column)
        here = dressed.get(what, {})
        found[title] = [here.get((first_row + row, place)) for row in range(height)]
    return found


@dataclass(frozen=True)
class _Scanned:
    """What one pass over the text of a sheet tells: its size, how far it reaches, and whether it has errors
    or merged cells.
    """

    size: int
    rows: int
    columns: int
    detailed: bool


@lru_cache(8)
def _scanned(path: Path, changed: int, name: str) -> _Scanned:
    """Rows come in their order, so the last one is the largest; columns of one letter need no look."""
    size, last, widest, detailed, tail = 0, b"", b"", False, b""
    with zipfile.ZipFile(path) as book, book.open(name) as part:
        while block := part.read(1 << 20):
            size, text = size + len(block), tail + block
            detailed = detailed or b't="e"' in text or b"<mergeCell " in text
            start = text.rfind(b"<row ")
            row = re.search(rb'<row [^>]*?\br="(\d+)"', text[start:]) if start >= 0 else None
            last = row.group(1) if row else last
            for letters in set(re.findall(rb' r="([A-Z]{2,3})\d', text)):
                widest = max(widest, letters, key=lambda one: (len(one), one))
            tail = block[-64:]
    columns = column_of(widest.decode()) + 1 if widest else 26
    return _Scanned(size, int(last or 0), columns, detailed)


def _read_details(part: Any) -> tuple[dict[tuple[int, int], str], list[Area]]:
    errors: dict[tuple[int, int], str] = {}
    merges: list[Area] = []
    wanted = (f"{_MAIN}c", f"{_MAIN}mergeCell", f"{_MAIN}row")
    for _, element in etree.iterparse(part, tag=wanted, resolve_entities=False, no_network=True):
        if element.tag == wanted[0]:
            if element.get("t") == "e":
                row, column = place_of(element.get("r"))
                errors[row, column] = element.findtext(f"{_MAIN}v") or "#ERROR"
        elif element.tag == wanted[1]:
            start, _, end = element.get("ref").partition(":")
            (top, left), (bottom, right) = place_of(start), place_of(end or start)
            merges.append(Area(top, left, bottom + 1, right + 1))
        else:
            element.clear()
    return errors, merges
