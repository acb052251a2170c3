"""Write tables: CSV by RFC 4180 and workbooks with a proper header, dates and widths."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import polars as pl

from updraft.core.problems import Problem

MAX_SHEET_ROWS = 1_048_576
MAX_SHEET_COLUMNS = 16_384
_BAD_SHEET = set("[]:*?/\\")


def write_csv(table: pl.DataFrame, path: Path, *, delimiter: str = ",", with_bom: bool = False) -> None:
    """Write UTF-8 text with a header line; the byte order mark helps older spreadsheets."""
    table.write_csv(path, separator=delimiter, include_bom=with_bom)


def write(table: pl.DataFrame, path: Path) -> None:
    """Write a table in the format that the path's ending names. The file appears only once it is whole.

    Raises:
        Problem: an ending that names none, a folder that is not there, or a table that does not fit the
        format.
    """
    ways: dict[str, Callable[[pl.DataFrame, Path], object]] = {
        ".csv": write_csv,
        ".xlsx": write_xlsx,
        ".parquet": pl.DataFrame.write_parquet,
        ".arrow": pl.DataFrame.write_ipc,
        ".json": pl.DataFrame.write_json,
    }
    ending = path.suffix.lower()
    if ending not in ways:
        raise Problem(
            path.name,
            "its ending does not say what to write.",
            f"Let it end in {', '.join(ways)}.",
            code="bad_call",
        )
    if not path.parent.is_dir():
        raise Problem(
            str(path.parent), "this folder is not here.", "Make it, or choose another one.", code="no_file"
        )
    if ending == ".csv":
        table = table.with_columns(
            pl.col(name).map_elements(str, return_dtype=pl.String)
            for name, dtype in table.schema.items()
            if dtype.is_nested()
        )
    beside = path.with_name(f".{path.name}.part{ending}")
    try:
        ways[ending](table, beside)
        beside.replace(path)
    finally:
        beside.unlink(missing_ok=True)


def write_xlsx(table: pl.DataFrame, path: Path, *, sheet: str = "Table") -> None:
    """Write one sheet: bold frozen header, filter buttons, dates as dates, columns as wide as their text.

    Raises:
        Problem: more rows or columns than a sheet can hold, or a sheet name that workbooks do not allow.
    """
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
    import xlsxwriter

    with xlsxwriter.Workbook(
        path,
        {
            "strings_to_formulas": False,
            "strings_to_urls": False,
            "nan_inf_to_errors": True,
            "constant_memory": table.height > 50_000,
        },
    ) as book:
        page = book.add_worksheet(sheet)
        head = book.add_format({"bold": True, "bottom": 1, "text_wrap": True, "valign": "top"})
        forms = {
            pl.Date: book.add_format({"num_format": "yyyy-mm-dd"}),
            pl.Datetime: book.add_format({"num_format": "yyyy-mm-dd hh:mm:ss"}),
        }
        for place, (name, dtype) in enumerate(table.schema.items()):
            lengths = table[name].head(1000).cast(pl.String, strict=False).str.len_chars()
            widest = max(lengths.drop_nulls().to_list(), default=0)
            page.set_column(place, place, min(max(len(name), widest) + 2, 60), forms.get(dtype.base_type()))
        page.write_row(0, 0, table.columns, head)
        plain = table.with_columns(
            pl.col(name).cast(pl.String)
            for name, dtype in table.schema.items()
            if dtype.is_nested() or isinstance(dtype, pl.Duration | pl.Time)
        )
        for number, row in enumerate(plain.iter_rows(), start=1):
            for place, value in enumerate(row):
                if value is not None:
                    page.write(number, place, value, forms.get(plain.dtypes[place].base_type()))
        page.freeze_panes(1, 0)
        if table.width:
            page.autofilter(0, 0, table.height, table.width - 1)
