"""Databases through SQLAlchemy Core: test a connection, find tables, read rows in chunks. Nothing is written
but through `writing`, and only where the connection allows it.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any
from urllib.parse import unquote, urlsplit

import polars as pl
import sqlalchemy as sa

from updraft.core.connect import bulk
from updraft.core.connect.model import Database
from updraft.core.connect.outside import Outside
from updraft.core.formats.columnar import from_rows
from updraft.core.problems import Problem, nearest

CHUNK = 50_000  # rows fetched at a time
_COMMENT = re.compile(
    r"('(?:[^']|'')*'|\"(?:[^\"]|\"\")*\"|`[^`]*`)|--[^\n]*|/\*.*?\*/", re.S
)  # or what is quoted
_DRIVERS = {"postgresql": "postgresql+psycopg", "mysql": "mysql+pymysql"}


@contextmanager
def connected(connection: Database) -> Iterator[sa.Connection]:
    """An open, read-only connection; whatever was begun is rolled back at the end.

    Raises:
        Problem: it cannot be reached or does not let us in. The password is in no message.
    """
    engine = _engine(connection)
    try:
        with engine.connect() as open_connection:
            yield open_connection
            open_connection.rollback()
    except sa.exc.SQLAlchemyError as error:
        raise _problem(connection, error) from None
    finally:
        engine.dispose()


@contextmanager
def writing(connection: Database) -> Iterator[sa.Connection]:
    """A transaction that writes: kept when the block ends well, taken back whole when it does not. Whether
    flows may write is asked before, by `Outside.writable`.

    Raises:
        Problem: it cannot be reached, or the database refuses something.
    """
    engine = _engine(connection, write=True)
    try:
        with engine.begin() as transaction:
            yield transaction
    except sa.exc.SQLAlchemyError as error:
        raise _problem(connection, error) from None
    finally:
        engine.dispose()


def tables(connection: Database, search: str = "", most: int = 500) -> list[dict[str, Any]]:
    """Tables and views whose name holds the words typed, as {name, what}; a schema other than the usual one
    stands in front of the name."""
    words = search.casefold().split()
    with connected(connection) as open_connection:
        look = sa.inspect(open_connection)
        found = []
        for schema in _schemas(look):
            for what, names in (
                ("table", look.get_table_names(schema)),
                ("view", look.get_view_names(schema)),
            ):
                found += [{"name": f"{schema}.{name}" if schema else name, "what": what} for name in names]
    fits = [table for table in found if all(word in table["name"].casefold() for word in words)]
    return sorted(fits, key=lambda table: (len(table["name"]) if words else 0, table["name"]))[:most]


def columns(connection: Database, table: str) -> list[dict[str, Any]]:
    """A table's columns as {name, type, key}: `key` says “key” or what it refers to, "" otherwise."""
    with connected(connection) as open_connection:
        found = reflected(open_connection, table, connection)
        return [
            {
                "name": c.name,
                "type": str(c.type).lower(),
                "key": "key"
                if c.primary_key
                else next((f"→ {key.target_fullname}" for key in c.foreign_keys), ""),
            }
            for c in found.columns
        ]


def values(
    connection: Database, table: str, column: str, search: str = "", most: int = 200
) -> list[tuple[str | None, int]]:
    """The distinct values of a column with their counts, most frequent first."""
    with connected(connection) as open_connection:
        found = reflected(open_connection, table, connection)
        if column not in found.columns:
            raise Problem(
                f"Column “{column}”",
                f"{table} does not have it.",
                "Choose another one.",
                code="missing_column",
            )
        it, number = found.columns[column], sa.func.count()
        query = sa.select(it, number).group_by(it).order_by(number.desc(), it).limit(most)
        if search:
            text = sa.cast(it, sa.String)
            query = query.where(sa.func.lower(text).contains(search.lower(), autoescape=True))
        return [
            (None if value is None else str(value), int(often))
            for value, often in open_connection.execute(query)
        ]


def reflected(open_connection: sa.Connection, name: str, connection: Database) -> sa.Table:
    """The table as it is in the database; Problem with the nearest name when there is none."""
    schema, _, plain = name.rpartition(".")
    try:
        return sa.Table(
            plain, sa.MetaData(), schema=schema or None, autoload_with=open_connection, resolve_fks=False
        )
    except sa.exc.NoSuchTableError:
        known = [table["name"] for table in tables(connection)]
        near = nearest(name, known)
        raise Problem(
            f"Table “{name}”",
            f"{connection.name} has no such table" + (f"; the nearest name is “{near}”." if near else "."),
            "Choose another table.",
            field="table",
            code="no_table",
        ) from None


def read(
    open_connection: sa.Connection,
    query: Any,
    binds: dict[str, Any],
    outside: Outside,
    most: int | None = None,
) -> pl.DataFrame:
    """All rows of a query, or the first ones, fetched in chunks; `outside` is told how many have come and may
    stop it.
    """
    copied = None if most else bulk.read(open_connection, query, binds, outside, CHUNK)
    if copied:
        names, frame = copied
        frame.columns = _distinct(names)
        return frame
    size = min(CHUNK, most or CHUNK)
    result = open_connection.execution_options(stream_results=True, max_row_buffer=size).execute(query, binds)
    names = _distinct(list(result.keys()))
    chunks: list[pl.DataFrame] = []
    rows = 0
    for part in result.partitions(size):
        outside.check()
        chunks.append(from_rows(names, [tuple(row) for row in part]))
        rows += len(part)
        outside.tell(f"{rows:,} rows have come")
        if most and rows >= most:
            result.close()
            break
    return _joined(chunks) if chunks else from_rows(names, [])


def one_select(sql: str) -> str:
    """A statement typed by hand, once it is sure that it is a single one that reads.

    This is a courtesy with a clear message; that nothing is written is held by the read-only transaction.
    """
    plain = _COMMENT.sub(lambda part: part[1] or " ", sql).strip()
    plain = plain[:-1].rstrip() if plain.endswith(";") else plain
    if not plain:
        raise Problem("The SQL", "nothing is typed yet.", "Type a query.", field="sql", code="unfinished")
    if ";" in re.sub(r"'(?:[^']|'')*'|\"(?:[^\"]|\"\")*\"", "", plain):
        raise Problem("The SQL", "it is more than one statement.", "Keep one.", field="sql", code="bad_sql")
    if re.search(r"(?i)\binto\s+(outfile|dumpfile)\b", plain):  # which a read-only transaction lets through
        raise Problem(
            "The SQL",
            "it writes a file on the database's machine.",
            "Leave out “into outfile”; a step Write file keeps the rows.",
            field="sql",
            code="bad_sql",
        )
    if not re.match(r"(?i)\(*\s*(select|with|values|table|show|explain|pragma\s+table_info)\b", plain):
        raise Problem(
            "The SQL", "it does not read rows.", "Begin with select or with.", field="sql", code="bad_sql"
        )
    return plain


def _engine(connection: Database, *, write: bool = False) -> sa.Engine:
    try:
        url = _url(connection, write)
        engine = sa.create_engine(url, connect_args=_arguments(url, write), poolclass=sa.pool.NullPool)
    except (sa.exc.ArgumentError, ModuleNotFoundError):
        raise Problem(
            f"Connection “{connection.name}”",
            "its address is none that is known here.",
            "Correct it on the page Connections.",
            field="connection",
            code="bad_connection",
        ) from None

    @sa.event.listens_for(engine, "connect")
    def read_only(raw: Any, record: Any) -> None:
        if url.get_backend_name() == "sqlite":
            raw.create_function(
                "lower", 1, lambda text: text.lower() if isinstance(text, str) else text, deterministic=True
            )
            if not write:
                raw.execute("PRAGMA query_only = ON")
        if url.get_backend_name() == "mysql" and not write:
            raw.cursor().execute("SET SESSION TRANSACTION READ ONLY")

    return engine


def _url(connection: Database, write: bool) -> sa.URL:
    if connection.dialect == "other":
        url = sa.make_url(connection.url)
        if url.get_backend_name() == "sqlite":  # opened as any other SQLite file is
            return _sqlite(connection, url.database or "", write)
        return url.set(password=connection.secret) if connection.secret else url
    if connection.dialect == "sqlite":
        return _sqlite(connection, connection.database, write)
    return sa.URL.create(
        _DRIVERS[connection.dialect],
        connection.user or None,
        connection.secret or None,
        connection.host,
        connection.port,
        connection.database or None,
    )


def _sqlite(connection: Database, place: str, write: bool) -> sa.URL:
    """The address of a SQLite file that is there; only that it may be written to opens it for writing."""
    if place.startswith("file:"):
        place = unquote(urlsplit(place).path)
    path = Path(place).expanduser()
    if not path.is_file():
        raise Problem(
            f"Connection “{connection.name}”",
            f"the file {place or '(none)'} is not here.",
            "Correct its path on the page Connections.",
            field="connection",
            code="no_file",
        )
    mode = "rw" if write else "ro"
    return sa.URL.create("sqlite", database=path.resolve().as_uri(), query={"mode": mode, "uri": "true"})


def _arguments(url: sa.URL, write: bool) -> dict[str, Any]:
    match url.get_backend_name():
        case "postgresql":
            only = "off" if write else "on"
            options = f"-c default_transaction_read_only={only} -c datestyle=ISO"
            return {"connect_timeout": 10, "options": options}
        case "mysql":
            return {"connect_timeout": 10}
        case _:
            return {}


def _schemas(look: sa.Inspector) -> list[str | None]:
    """None for the usual schema, then the others that are not the database's own."""
    own = {"information_schema", "pg_catalog", "performance_schema", "mysql", "sys", look.default_schema_name}
    if look.dialect.name == "sqlite":
        return [None]
    return [
        None,
        *(name for name in look.get_schema_names() if name not in own and not name.startswith("pg_")),
    ]


def _joined(chunks: list[pl.DataFrame]) -> pl.DataFrame:
    """Chunks as one table; a column that came with other types in another chunk is a number, or else text."""
    casts: dict[str, pl.DataType] = {}
    for name in chunks[0].columns:
        types = {chunk.schema[name] for chunk in chunks} - {pl.String()} or {pl.String()}
        filled = {chunk.schema[name] for chunk in chunks if chunk[name].null_count() < chunk.height}
        if len(filled) > 1:
            casts[name] = pl.Float64() if all(dtype.is_numeric() for dtype in filled) else pl.String()
        elif len(types) > 1 or any(chunk.schema[name] not in filled for chunk in chunks):
            casts[name] = next(iter(filled), pl.String())
    return pl.concat([chunk.with_columns(pl.col(n).cast(t) for n, t in casts.items()) for chunk in chunks])


def _distinct(names: list[str]) -> list[str]:
    found: list[str] = []
    for name in names:
        number, title = 2, name
        while title in found:
            title, number = f"{name} ({number})", number + 1
        found.append(title)
    return found


def _problem(connection: Database, error: sa.exc.SQLAlchemyError) -> Problem:
    cause = str(getattr(error, "orig", None) or error).strip().splitlines()
    text = cause[0].strip().rstrip(".") if cause else type(error).__name__
    text = connection.concealed(text)
    if isinstance(error, sa.exc.OperationalError) and "connect" in text.lower():
        return Problem(
            f"Connection “{connection.name}”",
            f"it cannot be reached ({text[:200]}).",
            "See that the server runs and the address, user and password are right.",
            field="connection",
            code="no_connection",
        )
    return Problem(
        f"Connection “{connection.name}”",
        f"the database answered: {text[:300]}.",
        "Correct what it names.",
        code="database",
    )
