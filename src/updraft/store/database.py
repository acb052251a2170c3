"""Open the app's database and bring it to the newest shape."""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path

from updraft.core import Problem
from updraft.store.models import database
from updraft.store.orm import SqliteMigrator, run_all
from updraft.store.orm import peewee as pw

NOBODY = "nobody"  # the one person there is, who has no name

# Each migration takes the database from the version before it to its own. They are written in SQL or with the
# migrator, never with the models: models change, migrations must not.
Migration = Callable[[pw.SqliteDatabase, SqliteMigrator], None]


def _first(db: pw.SqliteDatabase, migrator: SqliteMigrator) -> None:
    # As it was then, in SQL: the models have grown since.
    _each(
        db,
        """
        CREATE TABLE flow (id VARCHAR(32) NOT NULL PRIMARY KEY, name VARCHAR(200) NOT NULL,
            head INTEGER NOT NULL, created VARCHAR(32) NOT NULL, updated VARCHAR(32) NOT NULL);
        CREATE TABLE revision (id INTEGER NOT NULL PRIMARY KEY,
            flow_id VARCHAR(32) NOT NULL REFERENCES flow (id) ON DELETE CASCADE,
            number INTEGER NOT NULL, parent INTEGER, sentence VARCHAR(400) NOT NULL,
            document TEXT NOT NULL, created VARCHAR(32) NOT NULL);
        CREATE UNIQUE INDEX revision_flow_id_number ON revision (flow_id, number);
        CREATE INDEX revision_flow_id ON revision (flow_id);
        CREATE TABLE run (id VARCHAR(32) NOT NULL PRIMARY KEY,
            flow_id VARCHAR(32) NOT NULL REFERENCES flow (id) ON DELETE CASCADE,
            revision INTEGER NOT NULL, document TEXT NOT NULL, parameters TEXT NOT NULL,
            status VARCHAR(16) NOT NULL, cancel INTEGER NOT NULL, progress TEXT NOT NULL, report TEXT,
            created VARCHAR(32) NOT NULL, started VARCHAR(32), finished VARCHAR(32));
        CREATE INDEX run_flow_id ON run (flow_id)
        """,
    )


def _each(db: pw.SqliteDatabase, statements: str) -> None:
    for statement in statements.split(";"):
        db.execute_sql(statement)


def _connections(db: pw.SqliteDatabase, migrator: SqliteMigrator) -> None:
    _each(
        db,
        """
        CREATE TABLE connection (id INTEGER NOT NULL PRIMARY KEY, name VARCHAR(80) NOT NULL,
            document TEXT NOT NULL, secret TEXT NOT NULL, updated VARCHAR(32) NOT NULL);
        CREATE UNIQUE INDEX connection_name ON connection (name)
        """,
    )


def _decisions(db: pw.SqliteDatabase, migrator: SqliteMigrator) -> None:
    """Decisions, deliveries, schedules and people; who made a revision and asked for a run."""
    _each(
        db,
        f"""
        CREATE TABLE decision (digest VARCHAR(32) NOT NULL PRIMARY KEY, body TEXT NOT NULL);
        CREATE TABLE delivery (key VARCHAR(32) NOT NULL PRIMARY KEY, series VARCHAR(32) NOT NULL,
            step VARCHAR(64) NOT NULL, delivered TEXT NOT NULL, begun VARCHAR(32) NOT NULL);
        CREATE INDEX delivery_series ON delivery (series);
        CREATE TABLE person (id VARCHAR(32) NOT NULL PRIMARY KEY, name VARCHAR(200) NOT NULL,
            created VARCHAR(32) NOT NULL);
        INSERT INTO person VALUES ('{NOBODY}', '', '{now()}');
        CREATE TABLE schedule (id VARCHAR(32) NOT NULL PRIMARY KEY,
            flow_id VARCHAR(32) NOT NULL REFERENCES flow (id) ON DELETE CASCADE,
            at VARCHAR(200) NOT NULL, parameters TEXT NOT NULL, active INTEGER NOT NULL,
            who VARCHAR(32) NOT NULL, created VARCHAR(32) NOT NULL);
        CREATE INDEX schedule_flow_id ON schedule (flow_id)
        """,
    )
    text, no = pw.CharField(max_length=32, default=NOBODY), pw.BooleanField(default=False)
    run_all(
        migrator.add_column("revision", "who", text),
        migrator.add_column("revision", "decided", pw.TextField(default="{}")),
        migrator.add_column("run", "who", text),
        migrator.add_column("run", "series", pw.CharField(max_length=32, default="")),
        migrator.add_column("run", "dry", no),
    )


def _schedules(db: pw.SqliteDatabase, migrator: SqliteMigrator) -> None:
    """The live revision of a flow; what schedules need to come round; which of them began a run."""
    short = pw.CharField(max_length=100, default="")
    run_all(
        migrator.add_column("flow", "live", pw.IntegerField(null=True)),
        migrator.add_column("schedule", "zone", pw.CharField(max_length=64, default="UTC")),
        migrator.add_column("schedule", "watch", short),
        migrator.add_column("schedule", "last", short),
        migrator.add_column("schedule", "run", short),
        migrator.add_column("schedule", "seen", pw.TextField(default="")),
        migrator.add_column("run", "by", short),
    )


def _causes(db: pw.SqliteDatabase, migrator: SqliteMigrator) -> None:
    """Which mail a trigger takes; what began a run, and the flows whose messages led to it."""
    run_all(
        migrator.add_column("schedule", "only", pw.TextField(default="{}")),
        migrator.add_column("schedule", "said", pw.TextField(default="")),
        migrator.add_column("run", "cause", pw.TextField(default="")),
        migrator.add_column("run", "chain", pw.TextField(default="")),
    )


def _profiles(db: pw.SqliteDatabase, migrator: SqliteMigrator) -> None:
    """The table that a run profiles all rows of."""
    run_all(
        migrator.add_column("run", "profiled", pw.CharField(max_length=200, default="")),
        migrator.add_index("run", ("profiled",)),
    )


MIGRATIONS: list[Migration] = [_first, _connections, _decisions, _schedules, _causes, _profiles]


def open_database(path: Path) -> pw.SqliteDatabase:
    """Open (or make) the database file, in WAL mode, migrated; one process may use it from many threads."""
    db = pw.SqliteDatabase(
        path,
        pragmas={"journal_mode": "wal", "foreign_keys": 1, "busy_timeout": 10_000, "synchronous": "normal"},
    )
    database.initialize(db)
    try:
        with db.connection_context():
            migrate(db)
    except pw.DatabaseError as error:
        if isinstance(error, pw.OperationalError) and "malformed" not in str(error):
            raise
        raise Problem(
            str(path),
            f"this database is damaged ({error}).",
            "Put back a copy of the data folder, or move this file away to begin anew; files of flows stay.",
            code="damaged",
        ) from None
    return db


def migrate(db: pw.SqliteDatabase, migrations: list[Migration] | None = None) -> int:
    """Run the migrations that are still missing, each in a transaction; returns the version reached."""
    steps = MIGRATIONS if migrations is None else migrations
    with db.atomic("IMMEDIATE"):  # a second process waits here and then finds nothing to do
        version = int(db.execute_sql("PRAGMA user_version").fetchone()[0])
        if version > len(steps):
            raise Problem(
                "The data folder",
                f"a newer Updraft wrote it (database version {version}; this one knows {len(steps)}).",
                "Start that one, or choose another folder with --data; nothing was changed.",
                code="newer",
            )
        for number, step in enumerate(steps[version:], start=version + 1):
            step(db, SqliteMigrator(db))
            db.execute_sql(f"PRAGMA user_version = {number}")
            version = number
    return version


def now() -> str:
    """The time as stored: UTC, ISO 8601, to the second."""
    return datetime.now(UTC).isoformat(timespec="seconds")
