"""Workbooks opened, with what is said of those that cannot be."""

from __future__ import annotations

import zipfile
from pathlib import Path
from typing import Any

import fastexcel
import polars as pl

from updraft.core.formats.apart import read_apart
from updraft.core.formats.cells import DAMAGED, check_spread, is_xlsx
from updraft.core.formats.header import Row
from updraft.core.formats.packed import check_book
from updraft.core.problems import Problem

_NO_WORKBOOKS = {"word/": "a text document", "ppt/": "slides", "visio/": "a drawing"}


def open_book(path: Path) -> Any:
    _check_kind(path)
    check_book(path)
    if not is_xlsx(path):
        return read_apart(path)
    try:
        return fastexcel.read_excel(path)
    except Exception:  # calamine reports damage in many classes
        raise _damaged(path) from None


def _check_kind(path: Path) -> None:
    """Refuse a document of another kind in the same sort of archive, whatever its name says."""
    try:
        with zipfile.ZipFile(path) as archive:
            names = archive.namelist()
            kind = archive.read("mimetype")[:100].decode("ascii", "ignore") if "mimetype" in names else ""
    except DAMAGED:
        return  # its reader says what is wrong
    said = next((t for start, t in _NO_WORKBOOKS.items() if any(n.startswith(start) for n in names)), "")
    if ".opendocument.text" in kind:
        said = "a text document"
    if said:
        raise Problem(
            path.name,
            f"it is {said}, whatever its name says, not a workbook.",
            "Copy its table into a workbook, or paste the cells into the flow.",
            field="path",
            code="not_a_workbook",
        )


def cells_of(book: Any, sheet: str, path: Path) -> pl.DataFrame:
    check_spread(path, sheet)
    try:
        loaded: pl.DataFrame = book.load_sheet(sheet, header_row=None, dtypes="string").to_polars()
        if any(
            series.dtype == pl.String and (series == "").any() for series in loaded
        ):  # as a formula error comes in ods
            loaded = loaded.with_columns(pl.when(pl.col(pl.String) != "").then(pl.col(pl.String)))
    except Exception:
        raise _damaged(path) from None
    return loaded


def _damaged(path: Path) -> Problem:
    return Problem(
        path.name,
        "it cannot be opened as a workbook.",
        "It may have been cut off on the way: ask for it again, or open and save it in a spreadsheet.",
        code="damaged_workbook",
    )


def rows_of(cells: pl.DataFrame) -> list[Row]:
    return [[None if cell is None else str(cell) for cell in row] for row in cells.rows()]
