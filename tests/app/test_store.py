"""The database: migrations and runs."""

import contextlib

import peewee as pw

from tests.app.conftest import small_flow
from updraft.store import FlowStore, Folders, RunStore, open_database
from updraft.store.database import MIGRATIONS, migrate


def test_migrations_run_once_in_order_and_all_or_nothing(tmp_path):
    db = pw.SqliteDatabase(tmp_path / "x.sqlite")
    ran = []

    def add(number):
        def step(base, migrator):
            ran.append(number)
            base.execute_sql(f"create table t{number} (x)")
            if number == 3:
                raise RuntimeError("stop")

        return step

    with db.connection_context():
        assert migrate(db, [add(1)]) == 1
        assert migrate(db, [add(1), add(2)]) == 2
        with contextlib.suppress(RuntimeError):
            migrate(db, [add(1), add(2), add(3)])
        assert ran == [1, 2, 3] and db.get_tables() == ["t1", "t2"]
        assert db.execute_sql("pragma user_version").fetchone()[0] == 2


def test_the_database_is_at_the_newest_version_and_in_wal_mode(tmp_path):
    db = open_database(tmp_path / "x.sqlite")
    with db.connection_context():
        assert db.execute_sql("pragma user_version").fetchone()[0] == len(MIGRATIONS)
        assert db.execute_sql("pragma journal_mode").fetchone()[0] == "wal"


def test_a_run_is_taken_once_and_what_is_closed_stays_closed(tmp_path):
    folders = Folders(tmp_path)
    open_database(folders.database)
    runs = RunStore()
    flow = FlowStore(folders).create(small_flow(), "made")
    first, second, third = (runs.create(flow, small_flow(), 1, {}) for _ in range(3))
    assert runs.start(first) and not runs.start(first)
    runs.cancel(second)
    assert runs.get(second)["status"] == "cancelled" and not runs.start(second)
    assert runs.cut_off() == 1 and runs.get(first)["status"] == "cut off"
    runs.finish(first, "ok", {})
    assert runs.get(first)["status"] == "cut off"
    assert runs.waiting() == [third]
