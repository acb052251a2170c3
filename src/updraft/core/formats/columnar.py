"""Formats that carry columns with types: Parquet, Arrow (IPC file or stream) and tables of a SQLite file."""

from __future__ import annotations

import sqlite3
from collections.abc import Sequence
from contextlib import closing
from dataclasses import replace
from pathlib import Path
from typing import Any

import polars as pl

from updraft.core.formats.apart import check_apart, check_together
from updraft.core.formats.options import Detected, Reading, ReadOptions, Scan
from updraft.core.problems import Problem, nearest

_EXACT = 15  # digits that a float keeps


def read_parquet(path: Path, options: ReadOptions) -> Reading:
    return _typed(path, options, "parquet", "read_parquet")


def read_arrow(path: Path, options: ReadOptions) -> Reading:
    """An Arrow IPC file, or a stream, by how it begins."""
    return _typed(path, options, "arrow", _arrow_reader(path))


def check_columnar(paths: Sequence[Path], form: str) -> None:
    """See to several files of one such form at once, before each is read."""
    readers = ["read_parquet" if form == "parquet" else _arrow_reader(path) for path in paths]
    for reader in dict.fromkeys(readers):
        check_together([path for path, one in zip(paths, readers, strict=True) if one == reader], reader)


def _arrow_reader(path: Path) -> str:
    return "read_ipc_stream" if is_stream(path) else "read_ipc"


def is_stream(path: Path) -> bool:
    with path.open("rb") as file:
        return not file.read(6).startswith(b"ARROW1")


def read_sqlite(path: Path, options: ReadOptions) -> Reading:
    """A table of a SQLite file, read without writing to it.

    Raises:
        Problem: it is damaged, holds no table, or not the chosen one.
    """
    try:
        with closing(sqlite3.connect(f"{path.resolve().as_uri()}?mode=ro", uri=True)) as db:
            names = [
                row[0]
                for row in db.execute(
                    "SELECT name FROM sqlite_master WHERE type IN ('table', 'view') AND name NOT "
                    "LIKE 'sqlite_%' "
                    "ORDER BY type, name"
                )
            ]
            if not names:
                raise Problem(path.name, "it holds no table.", "Choose another file.", code="no_data")
            sizes = {
                name: db.execute(f"SELECT count(*) FROM {_quoted(name)}").fetchone()[0] for name in names
            }
            table = options.table or max(names, key=lambda name: sizes[name])
            if table not in names:
                near = nearest(table, names)
                raise Problem(
                    f"Table “{table}”",
                    f"{path.name} has no such table" + (f"; the nearest name is “{near}”." if near else "."),
                    f"Choose one of: {', '.join(names[:20])}.",
                    field="table",
                    code="no_table",
                )
            cursor = db.execute(f"SELECT * FROM {_quoted(table)}")
            columns = [column[0] for column in cursor.description]
            rows = cursor.fetchall()
    except sqlite3.DatabaseError:
        raise Problem(
            path.name,
            "it cannot be read as a SQLite file.",
            "It may have been cut off on the way: ask for it again.",
            code="damaged",
        ) from None
    reason = (
        "as set"
        if options.table
        else ("the only table" if len(names) == 1 else "the table with the most rows")
    )
    filled = replace(options, format="sqlite", table=table)
    reasons = {"format": "it begins as SQLite files do", "table": reason}
    return Reading(from_rows(columns, rows), Detected("sqlite", filled, reasons, {"tables": tuple(names)}))


def from_rows(columns: list[str], rows: list[Any]) -> pl.DataFrame:
    """Rows from a database driver as a table; a column whose values are of several types is text."""
    values = list(zip(*rows, strict=True)) if rows else [()] * len(columns)
    return pl.DataFrame([_series(name, list(column)) for name, column in zip(columns, values, strict=True)])


def _series(name: str, values: list[Any]) -> pl.Series:
    try:
        series = pl.Series(name, values, strict=True)
        if isinstance(series.dtype, pl.Decimal):
            digits = (
                series.abs()
                .cast(pl.String)
                .str.strip_chars("0.")
                .str.replace(".", "", literal=True)
                .str.len_chars()
            )
            return series.cast(pl.String if (digits > _EXACT).any() else pl.Float64)
        if series.dtype not in (pl.Object, pl.Binary, pl.Null):
            return series
    except (
        TypeError,
        pl.exceptions.PolarsError,
        OverflowError,
        pl.exceptions.PanicException,
    ):  # such as a Decimal NaN
        pass
    if any(value is not None for value in values) and all(
        value is None or isinstance(value, int | float) for value in values
    ):
        return pl.Series(name, values, dtype=pl.Float64, strict=False)
    return pl.Series(name, [_plain(value) for value in values], dtype=pl.String)


def _plain(value: Any) -> str | None:
    if value is None:
        return None
    if isinstance(value, bytes | bytearray | memoryview):
        return bytes(value).hex()
    return str(value)


def _quoted(name: str) -> str:
    return '"' + name.replace('"', '""') + '"'


def _typed(path: Path, options: ReadOptions, form: Any, reader: str) -> Reading:
    check_apart(path, reader)
    try:
        frame: pl.DataFrame = getattr(pl, reader)(path)
    except (pl.exceptions.PolarsError, OSError):
        raise _damaged(path) from None
    plain = _plainly(frame.schema)
    return Reading(frame.with_columns(plain) if plain else frame, _detected(form, options))


def scan_parquet(path: Path, options: ReadOptions) -> Scan:
    """A Parquet file part by part. Problem where it is none."""
    return _scanned(path, options, "parquet", pl.scan_parquet(path, glob=False))


def scan_arrow(path: Path, options: ReadOptions) -> Scan | None:
    """An Arrow IPC file part by part; None for a stream. Problem where it is none."""
    if is_stream(path):
        return None
    return _scanned(path, options, "arrow", pl.scan_ipc(path, glob=False))


def _scanned(path: Path, options: ReadOptions, form: Any, query: pl.LazyFrame) -> Scan:
    try:
        plain = _plainly(query.collect_schema())
    except (pl.exceptions.PolarsError, OSError):
        raise _damaged(path) from None
    return Scan(query.with_columns(plain) if plain else query, _detected(form, options))


def _plainly(schema: pl.Schema) -> list[pl.Expr]:
    """Columns of types that nothing else knows, as text."""
    return [
        pl.col(name).bin.encode("hex") if dtype == pl.Binary else pl.col(name).cast(pl.String)
        for name, dtype in schema.items()
        if dtype == pl.Binary or isinstance(dtype, pl.Categorical | pl.Enum)
    ]


def _detected(form: Any, options: ReadOptions) -> Detected:
    return Detected(form, replace(options, format=form), {"format": "it begins as files of this format do"})


def _damaged(path: Path) -> Problem:
    return Problem(
        path.name,
        "it cannot be read; a part of it is missing or damaged.",
        "It may have been cut off on the way: ask for it again.",
        code="damaged",
    )
