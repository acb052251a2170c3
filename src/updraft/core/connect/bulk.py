"""Rows of a PostgreSQL query through COPY, as text that Polars reads: several times faster than row by row
in Python.
"""

from __future__ import annotations

from typing import Any

import polars as pl
import psycopg
import sqlalchemy as sa

from updraft.core.connect.outside import Outside

_BLOCK = 16 << 20  # bytes parsed at a time
_DIGITS = 15  # beyond this a fraction is no longer exact

# The types that are read here, by their numbers in pg_type; a query with any other type is fetched row by
# row.
_TYPES: dict[int, pl.DataType] = {
    16: pl.Boolean(), 20: pl.Int64(), 21: pl.Int64(), 23: pl.Int64(), 25: pl.String(),
    700: pl.Float64(), 701: pl.Float64(), 1042: pl.String(), 1043: pl.String(), 1082: pl.Date(),
    1114: pl.Datetime("us"), 1700: pl.Decimal(), 2950: pl.String(),
}  # fmt: skip
_AS_THEY_ARE = (pl.Int64, pl.Float64)


def read(
    database: sa.Connection, query: Any, binds: dict[str, Any], outside: Outside, chunk: int
) -> tuple[list[str], pl.DataFrame] | None:
    """The names and all rows of a query; None where it must be fetched row by row: another database, other
    types of columns.

    Args:
        chunk: rows after which it is told how many have come, and may be stopped.

    Raises:
        Problem: a person stopped it.
        sa.exc.SQLAlchemyError: the database refuses it.
    """
    raw = database.connection.driver_connection
    if not isinstance(raw, psycopg.Connection):
        return None
    compiled = query.compile(dialect=database.dialect, compile_kwargs={"render_postcompile": True})
    try:
        sql = psycopg.ClientCursor(raw).mogrify(str(compiled), compiled.construct_params(binds))
        if not sql.lstrip("( \n").lower().startswith(("select", "with", "values", "table")):
            return None
        with raw.cursor() as cursor:
            cursor.execute(f"select * from (\n{sql}\n) as it limit 0".encode())
            columns = cursor.description or []
            types = [_TYPES.get(column.type_code) for column in columns]
            if not columns or None in types:
                return None
            found = _copied(cursor, sql, [dtype for dtype in types if dtype is not None], outside, chunk)
    except psycopg.Error as error:
        kind = (
            sa.exc.OperationalError if isinstance(error, psycopg.OperationalError) else sa.exc.DatabaseError
        )
        raise kind(None, None, error) from None
    return None if found is None else ([column.name for column in columns], found)


def _copied(
    cursor: Any, sql: str, types: list[pl.DataType], outside: Outside, chunk: int
) -> pl.DataFrame | None:
    frames: list[pl.DataFrame] = [_parsed([], types)]
    waiting: list[bytes] = []
    rows = size = 0
    with cursor.copy(f"copy (\n{sql}\n) to stdout (format csv)".encode()) as copy:
        for row in copy:  # the server sends one row at a time
            waiting.append(bytes(row))
            rows, size = rows + 1, size + len(row)
            if rows % chunk == 0:
                outside.check()
                outside.tell(f"{rows:,} rows have come")
            if size >= _BLOCK:
                frames.append(_parsed(waiting, types))
                waiting, size = [], 0
    frames.append(_parsed(waiting, types))
    if rows % chunk:
        outside.tell(f"{rows:,} rows have come")
    text = pl.concat(frames)
    columns = [_typed(series, dtype) for series, dtype in zip(text, types, strict=True)]
    fitting = [column for column in columns if column is not None]
    return pl.DataFrame(fitting) if len(fitting) == len(columns) else None


def _parsed(rows: list[bytes], types: list[pl.DataType]) -> pl.DataFrame:
    schema = {str(n): dtype if dtype in _AS_THEY_ARE else pl.String() for n, dtype in enumerate(types)}
    return (
        pl.read_csv(b"".join(rows), has_header=False, schema=schema) if rows else pl.DataFrame(schema=schema)
    )


def _typed(text: pl.Series, dtype: pl.DataType) -> pl.Series | None:
    """A column in its type; None where a value does not fit it, such as the date “infinity”."""
    if dtype == text.dtype:
        return text
    if dtype == pl.Boolean:
        return text == "t"
    if dtype == pl.Decimal:
        made = text.cast(pl.Float64, strict=False)
        digits = text.str.strip_chars("-0.").str.replace(".", "", literal=True).str.len_chars()
        if made.is_finite().all() and bool((digits > _DIGITS).any()):
            return text
    else:
        made = (
            text.str.to_date("%Y-%m-%d", strict=False)
            if dtype == pl.Date
            else text.str.to_datetime("%Y-%m-%d %H:%M:%S%.f", time_unit="us", strict=False)
        )
    return (
        made
        if made.null_count() == text.null_count() and not (made.dtype.is_float() and made.is_nan().any())
        else None
    )
