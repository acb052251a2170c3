"""Workbooks (xlsx, xlsm, xlsb, xls, ods) through calamine: choose sheets or a range, find the header, read
cells as text.
"""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache
from pathlib import Path
from typing import Any

import polars as pl

from updraft.core.formats.cells import Area, area_of, errors_and_merges, hidden_sheets, marks_of, table_range
from updraft.core.formats.header import LOOK, Row, find_header
from updraft.core.formats.opened import cells_of, open_book, rows_of
from updraft.core.formats.options import Detected, Reading, ReadOptions
from updraft.core.formats.packed import ABOUT
from updraft.core.formats.stacking import stacked_readings
from updraft.core.formats.text import header_names
from updraft.core.problems import Problem, nearest

SHEET_COLUMN = "Sheet"
_LARGE, _MANY = (
    20 << 20,
    60,
)  # bytes and sheets of a book beyond which its sheets are not gone through to be told
_DAY = r"^\d{4}-\d\d-\d\d \d\d:\d\d:\d\d(\.\d+)?$"
_OPEN = r"^(\d{4}-\d\d-\d\d)T(\d\d:\d\d:\d\d(\.\d+)?)$"
_MIDNIGHT = r"^(\d{4}-\d\d-\d\d) 00:00:00$"


def with_sizes(path: Path, found: Detected) -> Detected:
    """What was detected, with the rows and columns of every sheet, and the sheets beside the chosen one."""
    rows = _rows_of_sheets(path, path.stat().st_mtime_ns, path.stat().st_size)
    told = [_told(rows[name]) for name in found.choices["sheets"]] if rows else []
    others = [
        f"“{name}” {said}"
        for name, said in zip(found.choices["sheets"], told, strict=bool(told))
        if rows[name][0] and name != found.options.sheet
    ]
    reasons = dict(found.reasons)
    if others and not found.options.sheets:
        more = f", and {len(others) - 3} more" if len(others) > 3 else ""
        reasons["sheet"] += f"; beside it {', '.join(others[:3])}{more}"
    return replace(found, choices={**found.choices, "rows": tuple(told)}, reasons=reasons)


def _told(size: tuple[int, int]) -> str:
    rows, columns = size
    return f"{rows:,} row{'s' * (rows != 1)} × {columns:,}" if rows else "empty"


@lru_cache(16)
def _rows_of_sheets(path: Path, changed: int, size: int) -> dict[str, tuple[int, int]]:
    """Rows and columns that hold anything, of each sheet; nothing of books that take long to go through.

    Args:
        changed, size: of the file, so that nothing is told of what it was before.
    """
    book = open_book(path)
    if size > _LARGE or len(book.sheet_names) > _MANY:
        return {}
    found: dict[str, tuple[int, int]] = {}
    for name in book.sheet_names:
        cells = cells_of(book, name, path)
        rows = cells.filter(pl.any_horizontal(pl.all().is_not_null())).height if cells.width else 0
        found[name] = (rows, sum(column.null_count() < cells.height for column in cells))
    return found


def read(path: Path, options: ReadOptions) -> Reading:
    """Read a sheet as text columns: dates as `YYYY-MM-DD`, whole numbers without a point, empty cells as
    null.

    Several sheets are stacked by column name below each other, with a column of sheet names in front.
    """
    book = open_book(path)
    several = _several(book, options, path)
    if not several:
        return _with_sheet(_read_one(book, path, options), options)
    parts, said = {}, []
    for sheet in several:
        try:
            parts[sheet] = _read_one(book, path, replace(options, sheet=sheet))
        except Problem as problem:
            if problem.code not in ("no_data", "no_rows"):
                raise
            said.append(f"Sheet “{sheet}” is left out: it holds no data.")
    if not parts:
        raise Problem(
            path.name,
            "none of the chosen sheets holds data.",
            "Choose other sheets.",
            field="sheets",
            code="no_data",
        )
    found = stacked_readings(parts, SHEET_COLUMN, "sheet", by_place=options.stack == "place")
    if options.sheet_column == "never":
        found = replace(found, frame=found.frame.drop(found.frame.columns[0]))
    reasons = {**found.detected.reasons, "sheets": f"{len(parts)} sheets stacked"}
    detected = replace(
        found.detected, options=replace(found.detected.options, sheets=options.sheets), reasons=reasons
    )
    return Reading(found.frame, detected, (*said, *found.warnings))


def _with_sheet(found: Reading, options: ReadOptions) -> Reading:
    """The table of one sheet, with the sheet's name as a first column where that is asked for."""
    if options.sheet_column != "always":
        return found
    title = SHEET_COLUMN
    while title in found.frame.columns:
        title = f"{title} 2"
    named = found.frame.select(pl.lit(found.detected.options.sheet).alias(title), pl.all())
    return replace(found, frame=named)


def raw_rows(path: Path, options: ReadOptions, most: int) -> list[Row]:
    """The first rows of the sheet as they stand, for a picture of them; the options are those that were
    detected.
    """
    cells = cells_of(open_book(path), options.sheet or "", path)
    return rows_of(cells.head(most))


def _read_one(book: Any, path: Path, options: ReadOptions) -> Reading:
    detected, cells, area = _look(book, path, options)
    chosen = detected.options
    assert chosen.sheet is not None
    cells, said = _mended(path, chosen, cells, area)
    skip = chosen.skip or 0
    header: list[Row] = []
    if chosen.header == "first":
        header, skip = rows_of(cells.slice(skip, chosen.names_lines)), skip + chosen.names_lines
    skip += chosen.skip_after or 0
    body = _without_empty_tail(cells.slice(skip))
    used = [
        n
        for n, series in enumerate(body)
        if series.null_count() < body.height or any(row[n] for row in header)
    ]
    width = (max(used) + 1) if used else 0
    if not width:
        raise Problem(
            path.name,
            f"no row is left on sheet “{chosen.sheet}” below the lines that are skipped.",
            "Skip fewer lines.",
            field="skip",
            code="no_rows",
        )
    names, odd_names = header_names(header, width)
    frame = pl.DataFrame([body.to_series(n).cast(pl.String).alias(name) for n, name in enumerate(names)])
    frame = frame.select(_plain_dates(frame))
    for column, values in marks_of(path, chosen, names, area.top + skip, area.left, frame.height).items():
        frame = frame.with_columns(pl.Series(column, values, dtype=pl.String))
    return Reading(frame, detected, tuple(odd_names + said))


def _look(book: Any, path: Path, options: ReadOptions) -> tuple[Detected, pl.DataFrame, Area]:
    names = list(book.sheet_names)
    choices = {"sheets": tuple(names), "hidden": _hidden(book, path, names), "ranges": _named(book)}
    options = _with_named_range(book, path, options)
    if options.sheet is not None and options.sheet not in names:
        near = nearest(options.sheet, names)
        raise Problem(
            f"Sheet “{options.sheet}”",
            f"{path.name} has no such sheet" + (f"; the nearest name is “{near}”." if near else "."),
            f"Choose one of: {', '.join(names)}.",
            field="sheet",
            code="no_sheet",
        )
    visible = [name for name in names if name not in choices["hidden"]]
    tried = [options.sheet] if options.sheet is not None else visible
    sheet, cells, why_sheet = _first_table(book, path, tried)
    if not sheet and options.sheet is None:
        sheet, cells, why_sheet = _first_table(book, path, list(choices["hidden"]))
    if not sheet:
        where = f"sheet “{options.sheet}”" if options.sheet else f"none of its {len(names)} sheets"
        raise Problem(
            path.name,
            f"{where} holds {'no ' if options.sheet else ''}data.",
            "Choose another sheet or another file.",
            field="sheet",
            code="no_data",
        )
    area = area_of(options.range, cells) if options.range else Area(0, 0, cells.height, cells.width)
    cells = cells[area.top : area.bottom, area.left : area.right]
    header = find_header(rows_of(cells.head(LOOK)), options.skip, options.header_lines)
    first = options.header or ("first" if header.present else "none")
    reason = "as set" if options.sheet else ("the only sheet" if len(names) == 1 else why_sheet)
    reasons = {
        "format": "it is packed like a workbook",
        "sheet": reason,
        "skip": header.reason_skip,
        "header": "as set" if options.header else header.reason_header,
    }
    if choices["hidden"]:
        reasons["hidden"] = f"hidden in the workbook: {', '.join(choices['hidden'])}"
    above = tuple(" · ".join(cell for cell in row if cell) for row in rows_of(cells.head(header.skip)))
    after = header.below if options.skip_after is None and first == "first" else options.skip_after or 0
    filled = replace(
        options,
        format="workbook",
        sheet=sheet,
        skip=header.skip,
        header=first,
        header_lines=header.lines,
        skip_after=after,
    )
    start = header.skip + header.lines
    below = tuple(map(tuple, rows_of(cells.slice(start, after)))) if after else ()
    return Detected("workbook", filled, reasons, choices, above, below), cells, area


def _first_table(book: Any, path: Path, sheets: list[str]) -> tuple[str, pl.DataFrame, str]:
    """The first sheet with data and its cells, or the first with a table where that one holds but words about
    it; and why. No name where none holds data.
    """
    found = ("", pl.DataFrame(), "")
    for sheet in sheets:
        cells = cells_of(book, sheet, path)
        if not cells.height or all(series.null_count() == cells.height for series in cells):
            continue
        if found[0] and _is_table(cells):
            return sheet, cells, f"the first sheet with a table; “{found[0]}” holds words about it"
        if not found[0]:
            found = (sheet, cells, "the first sheet with data")
            if cells.height > LOOK or (_is_table(cells) and not ABOUT.search(sheet)):
                break  # most often: no other sheet need be loaded
    return found


def _is_table(cells: pl.DataFrame) -> bool:
    """Whether most rows of a sheet fill two cells or more, as many as the others."""
    filled = [sum(cell is not None for cell in row) for row in cells.head(LOOK).rows()]
    wide = sorted(count for count in filled if count > 1)
    if len(wide) < 2:
        return False
    usual = wide[len(wide) // 2]
    return sum(count >= 0.6 * usual for count in wide) * 2 > sum(count > 0 for count in filled)


def _several(book: Any, options: ReadOptions, path: Path) -> list[str]:
    if not options.sheets:
        return []
    names = list(book.sheet_names)
    if options.sheets == ("*",):
        return names
    for sheet in options.sheets:
        if sheet not in names:
            raise Problem(
                f"Sheet “{sheet}”",
                f"{path.name} has no such sheet.",
                f"Choose from: {', '.join(names)}.",
                field="sheets",
                code="no_sheet",
            )
    return list(options.sheets)


def _hidden(book: Any, path: Path, names: list[str]) -> tuple[str, ...]:
    known = hidden_sheets(path)
    if known is None and len(names) > 1:
        known = {
            n
            for n in names
            if book.load_sheet(n, n_rows=1, header_row=None, dtypes="string").visible != "visible"
        }
    return tuple(name for name in names if name in (known or ()))


def _named(book: Any) -> tuple[str, ...]:
    try:
        return (*book.table_names(), *(name.name for name in book.defined_names() if "!" in name.formula))
    except Exception:  # formats without tables say so in several ways
        return ()


def _with_named_range(book: Any, path: Path, options: ReadOptions) -> ReadOptions:
    """A table or range given by its name, as sheet and cells."""
    if not options.range:
        return options
    try:
        formula = next((n.formula for n in book.defined_names() if n.name == options.range), None)
        if formula:
            sheet, _, cells = formula.lstrip("=").rpartition("!")
            return replace(options, sheet=sheet.strip("'"), range=cells.replace("$", ""))
        if options.range in book.table_names():
            table = book.load_table(options.range, header_row=None)
            return replace(
                options, sheet=table.sheet_name, range=table_range(path, options.range) or options.range
            )
    except Exception:
        pass
    return options


def _mended(
    path: Path, options: ReadOptions, cells: pl.DataFrame, area: Area
) -> tuple[pl.DataFrame, list[str]]:
    """Cells with formula errors shown as they are, and merged cells filled when asked for."""
    errors, merges = errors_and_merges(path, options.sheet or "")
    said: list[str] = []
    errors = {
        (row - area.top, column - area.left): text
        for (row, column), text in errors.items()
        if area.top <= row < area.bottom and area.left <= column < area.right
    }
    if not errors and not merges:
        return cells, said
    columns = [series.to_list() for series in cells]
    for (row, column), text in errors.items():
        columns[column][row] = text
    if errors:
        kinds = sorted(set(errors.values()))
        said.append(f"{len(errors):,} cells hold a formula error ({', '.join(kinds)}); it is kept as text.")
    inside = [m.shifted(-area.top, -area.left) for m in merges]
    for merge in inside if options.merged == "fill" else []:
        if not (0 <= merge.top < cells.height and 0 <= merge.left < cells.width):
            continue
        value = columns[merge.left][merge.top]
        for column in range(merge.left, min(merge.right, cells.width)):
            for row in range(merge.top, min(merge.bottom, cells.height)):
                columns[column][row] = value
    if merges and options.merged == "first":
        said.append(
            f"{len(merges):,} merged cells: the value stands in the first cell of each, the others are empty."
        )
    return pl.DataFrame(columns, schema=dict.fromkeys(cells.columns, pl.String), strict=False), said


def _without_empty_tail(body: pl.DataFrame) -> pl.DataFrame:
    filled = body.select(pl.any_horizontal(pl.all().is_not_null()).arg_true()) if body.width else body
    return body.head(int(filled.to_series()[-1]) + 1) if filled.height else body.clear()


def _plain_dates(frame: pl.DataFrame) -> list[pl.Expr]:
    """Every workbook's dates alike: a day with a time as `YYYY-MM-DD HH:MM:SS`; only the day where a column
    has no other time.

    Most come as midnight where they have no time; in ods they come as the day alone, and with a T before the
    time.
    """
    text = [name for name, dtype in frame.schema.items() if dtype == pl.String]
    seen = {
        what: frame.select(pl.col(text).str.contains(pattern).sum())
        for what, pattern in {"timed": _DAY, "midnight": _MIDNIGHT, "open": _OPEN}.items()
    }
    plain = []
    for name in frame.columns:
        column = pl.col(name)
        if name in text and seen["open"][name][0]:
            column = column.str.replace(_OPEN, "$1 $2").str.replace(r"^(\d{4}-\d\d-\d\d)$", "$1 00:00:00")
        elif name in text and seen["timed"][name][0] and seen["timed"][name][0] == seen["midnight"][name][0]:
            column = column.str.replace(_MIDNIGHT, "$1")
        plain.append(column)
    return plain
