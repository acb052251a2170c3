from collections.abc import Iterator
from typing import Literal

import polars as pl

from updraft.core.connect import Database
from updraft.core.deliver import Outlet
from updraft.core.deliver.database import DatabaseDelivery
from updraft.core.steps.base import StepKind
from updraft.core.steps.given import Context, Result
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.tables import Tables
from updraft.core.values.text import shown


class WriteDatabaseSettings(Settings):
    connection: str = setting("Connection", widget="connection", default="", of="database")
    table: str = setting(
        "Table", "a schema may stand before it: seeds.stock", widget="text", default="", needs="name"
    )
    mode: Literal["create", "replace", "append", "key"] = setting(
        "Rows",
        widget="pick_one",
        default="append",
        labels={
            "create": "make a new table",
            "replace": "replace all that are there",
            "append": "add to those that are there",
            "key": "change those of equal key, add the others",
        },
    )
    keys: tuple[str, ...] = setting("Key", widget="names", default=(), when={"mode": ["key"]})


class WriteDatabase(StepKind):
    """Write the table to a database, in one transaction: all of it or nothing. A table that is not there is
    made, with the nearest types that every database has; lists and records are written as JSON text.
    """

    kind = "write_database"
    title = "Write database"
    summary = "Create, replace, add to or update a table of a database"
    words = ("sql", "insert", "update", "upsert", "load", "deliver", "postgresql", "sqlite")
    icon = "database-add"
    needs = frozenset({"effects"})
    Settings = WriteDatabaseSettings

    def apply(self, tables: Tables, settings: WriteDatabaseSettings, context: Context) -> Result:
        return Result(tables.main, touched=())

    def prepare(
        self, table: pl.DataFrame, settings: WriteDatabaseSettings, outlet: Outlet
    ) -> Iterator[DatabaseDelivery]:
        connection = outlet.outside.writable(settings.connection, Database)
        nested = [name for name, dtype in table.schema.items() if dtype.is_nested()]
        plain = table.with_columns(shown(table[name]) for name in nested)
        yield DatabaseDelivery(
            outlet, connection, settings.table.strip(), plain, settings.mode, settings.keys
        )

    def sentence(self, settings: WriteDatabaseSettings) -> str:
        return f"{settings.connection or 'no connection yet'} · {settings.table or 'no table yet'}"
