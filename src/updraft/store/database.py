"""Open the app's database and bring it to the newest shape."""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path

from updraft.store.models import ConnectionRow, FlowRow, RevisionRow, RunRow, database
from updraft.store.orm import SqliteMigrator
from updraft.store.orm import peewee as pw

# Each migration takes the database from the version before it to its own; the first is the shape of today's
# models on an empty database. Write later ones with the migrator only: models change, migrations must not.
Migration = Callable[[pw.SqliteDatabase, SqliteMigrator], None]


def _first(db: pw.SqliteDatabase, migrator: SqliteMigrator) -> None:
    db.create_tables([FlowRow, RevisionRow, RunRow])


def _connections(db: pw.SqliteDatabase, migrator: SqliteMigrator) -> None:
    db.create_tables([ConnectionRow])


MIGRATIONS: list[Migration] = [_first, _connections]


def open_database(path: Path) -> pw.SqliteDatabase:
    """Open (or make) the database file, in WAL mode, migrated; one process may use it from many threads."""
    db = pw.SqliteDatabase(
        path,
        pragmas={"journal_mode": "wal", "foreign_keys": 1, "busy_timeout": 10_000, "synchronous": "normal"},
    )
    database.initialize(db)
    with db.connection_context():
        migrate(db)
    return db


def migrate(db: pw.SqliteDatabase, migrations: list[Migration] | None = None) -> int:
    """Run the migrations that are still missing, each in a transaction; returns the version reached."""
    steps = MIGRATIONS if migrations is None else migrations
    with db.atomic("IMMEDIATE"):  # a second process waits here and then finds nothing to do
        version = int(db.execute_sql("PRAGMA user_version").fetchone()[0])
        for number, step in enumerate(steps[version:], start=version + 1):
            step(db, SqliteMigrator(db))
            db.execute_sql(f"PRAGMA user_version = {number}")
            version = number
    return version


def now() -> str:
    """The time as stored: UTC, ISO 8601, to the second."""
    return datetime.now(UTC).isoformat(timespec="seconds")
