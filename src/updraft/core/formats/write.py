"""Write tables: CSV by RFC 4180 and workbooks with a proper header, dates and widths."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from functools import partial
from pathlib import Path
from typing import Any, Literal

import polars as pl

from updraft.core.nested import as_json
from updraft.core.problems import Problem

MAX_SHEET_ROWS = 1_048_576
MAX_SHEET_COLUMNS = 16_384
_GROUP = 100_000  # rows that are written together; said, since it would depend on the parts else
_BAD_SHEET = set("[]:*?/\\")


def write_csv(
    table: pl.DataFrame,
    path: Path | None,
    *,
    delimiter: str = ",",
    with_bom: bool = False,
    formulas: Literal["mark", "keep"] = "mark",
    header: bool = True,
) -> str | None:
    """Write UTF-8 text with a header line; the byte order mark helps older spreadsheets. Lists and records
    are written as JSON.

    Args:
        path: None to have the text.
        header: whether a line of names comes first.
        formulas: whether names and cells that a spreadsheet would take for a formula get an apostrophe.
    """
    table = table.with_columns(_plainly(table[name]) for name in table.columns)
    if formulas == "mark":
        table = without_formulas(table)
    return table.write_csv(path, separator=delimiter, include_bom=with_bom, include_header=header)


def _plainly(column: pl.Series) -> pl.Series:
    """A column as CSV has it: lists and records as JSON, times by ISO 8601 with their offset, and with parts
    of a second only where there are some.
    """
    dtype = column.dtype
    if isinstance(dtype, pl.Datetime):
        offset = "" if dtype.time_zone is None else "Z" if dtype.time_zone == "UTC" else "%:z"
        return column.dt.to_string(f"%Y-%m-%dT%H:%M:%S%.f{offset}")
    return as_json(column) if dtype.is_nested() else _span(column)


def _span(column: pl.Series) -> pl.Series:
    """Durations as text such as 1d 2h; other columns as they are."""
    return column.dt.to_string("polars") if isinstance(column.dtype, pl.Duration) else column


# What a spreadsheet takes for a formula when it opens a text: these signs in front, and no plain number.
_FORMULA = r"^[=+\-@\t\r]"
_ATTRIBUTE = re.compile(r"@[\w.:-]+")
_NUMBER = r"^[+-]?(\d[\d.,' ]*|\.\d+)([eE][+-]?\d+)?\s?%?$"


def is_formula(text: pl.Expr) -> pl.Expr:
    """Whether a spreadsheet would take a text for a formula."""
    return text.str.contains(_FORMULA) & ~text.str.contains(_NUMBER)


def without_formulas(table: pl.DataFrame) -> pl.DataFrame:
    """The table with an apostrophe before what a spreadsheet would take for a formula; numbers stay."""
    texts = [name for name, dtype in table.schema.items() if isinstance(dtype, pl.String)]
    marked = table.with_columns(
        pl.when(is_formula(pl.col(name))).then(pl.lit("'") + pl.col(name)).otherwise(pl.col(name)).alias(name)
        for name in texts
    )
    # A name such as @method is one that XML and JSON-LD bring, and no formula.
    names = {name: name if _ATTRIBUTE.fullmatch(name) else without_formula(name) for name in table.columns}
    return marked.rename({name: safe for name, safe in names.items() if safe != name and safe not in names})


def without_formula(text: str) -> str:
    """As `without_formulas`, for one text."""
    return f"'{text}" if re.match(_FORMULA, text) and not re.match(_NUMBER, text) else text


def write_json(table: pl.DataFrame, path: Path) -> None:
    """Write an array with an object for each row; dates as ISO 8601 text."""
    table.write_json(path)


def write_json_lines(table: pl.DataFrame, path: Path) -> None:
    """Write an object a line for each row."""
    table.write_ndjson(path)


def write_parquet(table: pl.LazyFrame, path: Path) -> None:
    """Write a table; the bytes are the same whatever parts it comes in."""
    table.sink_parquet(path, row_group_size=_GROUP)


def write_arrow(table: pl.LazyFrame, path: Path) -> None:
    """Write a table; the bytes are the same whatever parts it comes in."""
    table.sink_ipc(path, record_batch_size=_GROUP, compat_level=pl.CompatLevel.oldest())


WAYS: dict[str, Callable[[pl.DataFrame, Path], object]] = {
    ".csv": write_csv,
    ".tsv": partial(write_csv, delimiter="\t"),
    ".parquet": lambda table, path: write_parquet(table.lazy(), path),
    ".arrow": lambda table, path: write_arrow(table.lazy(), path),
    ".json": write_json,
    ".jsonl": write_json_lines,
}


def way_of(name: str) -> Callable[[pl.DataFrame, Path], object]:
    """How a file of this name is written; the problem where its ending names no format."""
    ways = {**WAYS, ".xlsx": write_xlsx}
    ending = ending_of(name)
    if ending in ways:
        return ways[ending]
    raise Problem(
        name or "The file name",
        "its ending does not say what to write.",
        f"Let it end in {', '.join(ways)}.",
        field="name",
        code="bad_call",
    )


def ending_of(name: str) -> str:
    return Path(name).suffix.lower()


def check_types(schema: pl.Schema, name: str) -> None:
    """Raise the problem of a column that a file of this name has no form for, before anything is written."""
    whole = ending_of(name) in (".parquet", ".arrow")
    odd = next((column for column, dtype in schema.items() if isinstance(dtype, pl.Binary | pl.Object)), None)
    if odd is not None and not whole:
        raise Problem(
            f"Column “{odd}”",
            "it holds bytes, which this format has no form for.",
            "Leave it out, or write Parquet or Arrow.",
            field="name",
            code="no_form",
        )


def write(table: pl.DataFrame, path: Path) -> None:
    """Write a table in the format that the path's ending names. The file appears only once it is whole.

    Raises:
        Problem: an ending that names none, a folder that is not there, or a table that does not fit the
        format.
    """
    way = way_of(path.name)
    check_types(table.schema, path.name)
    if not path.parent.is_dir():
        raise Problem(
            str(path.parent), "this folder is not here.", "Make it, or choose another one.", code="no_file"
        )
    beside = path.with_name(f".{path.name}.part{path.suffix.lower()}")
    try:
        way(table, beside)
        beside.replace(path)
    finally:
        beside.unlink(missing_ok=True)


def write_xlsx(table: pl.DataFrame, path: Path, *, sheet: str = "Table") -> None:
    """Write one sheet; see `write_sheets`."""
    write_sheets({sheet: table}, path)


def write_sheets(sheets: Mapping[str, pl.DataFrame], path: Path) -> None:
    """Write a workbook: bold frozen header, filter buttons, dates as dates, columns as wide as their text.

    Raises:
        Problem: more rows or columns than a sheet can hold, or a sheet name that workbooks do not allow.
    """
    for sheet, table in sheets.items():
        _check_sheet(sheet, table, path)
    import xlsxwriter

    settings = {
        "strings_to_formulas": False,
        "strings_to_urls": False,
        "nan_inf_to_errors": True,
        "constant_memory": max(table.height for table in sheets.values()) > 50_000,
    }
    with xlsxwriter.Workbook(path, settings) as book:
        head = book.add_format({"bold": True, "bottom": 1, "text_wrap": True, "valign": "top"})
        forms = {
            pl.Date: book.add_format({"num_format": "yyyy-mm-dd"}),
            pl.Datetime: book.add_format({"num_format": "yyyy-mm-dd hh:mm:ss"}),
        }
        for sheet, table in sheets.items():
            _write_sheet(book.add_worksheet(sheet), table, head, forms)


def _check_sheet(sheet: str, table: pl.DataFrame, path: Path) -> None:
    if table.height >= MAX_SHEET_ROWS or table.width > MAX_SHEET_COLUMNS:
        raise Problem(
            path.name,
            f"a sheet holds {MAX_SHEET_ROWS - 1:,} rows and {MAX_SHEET_COLUMNS:,} columns; "
            f"the table has {table.height:,} and {table.width:,}.",
            "Write it as CSV.",
            code="too_big",
        )
    if not 0 < len(sheet) <= 31 or _BAD_SHEET & set(sheet) or sheet.startswith("'"):
        raise Problem(
            f"Sheet name “{sheet}”",
            "workbooks allow 1 to 31 characters, none of [ ] : * ? / \\.",
            "Choose another sheet name.",
            field="sheet",
        )


def _write_sheet(page: Any, table: pl.DataFrame, head: Any, forms: Mapping[Any, Any]) -> None:
    for place, (name, dtype) in enumerate(table.schema.items()):
        some = _span(table[name].head(1000))
        lengths = some.cast(pl.String, strict=False).str.len_chars() if not dtype.is_nested() else None
        widest = max(lengths.drop_nulls().to_list(), default=0) if lengths is not None else 20
        page.set_column(place, place, min(max(len(name), widest) + 2, 60), forms.get(dtype.base_type()))
    page.write_row(0, 0, table.columns, head)
    plain = table.with_columns(_as_cell(table[name]) for name in table.columns)
    for number, row in enumerate(plain.iter_rows(), start=1):
        for place, value in enumerate(row):
            if value is not None:
                page.write(number, place, value, forms.get(plain.dtypes[place].base_type()))
    page.freeze_panes(1, 0)
    if table.width:
        page.autofilter(0, 0, table.height, table.width - 1)


_EXACT = 2**53  # beyond it a workbook's numbers lose digits


def _as_cell(column: pl.Series) -> pl.Series:
    """A column as cells of a workbook hold it: what they have no form for is text; times are the clock's in
    their zone.
    """
    dtype = column.dtype
    if dtype.is_nested():
        return as_json(column)
    if isinstance(dtype, pl.Datetime) and dtype.time_zone is not None:
        return column.dt.replace_time_zone(None)
    if isinstance(dtype, pl.Time):
        return column.cast(pl.String)
    if dtype.is_integer() and column.len() and (column.abs() > _EXACT).any():
        return column.cast(pl.String)
    return _span(column)
