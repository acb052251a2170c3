from typing import ClassVar, Literal

import polars as pl

from updraft.core.connect import Database
from updraft.core.steps.base import StepKind
from updraft.core.steps.choice import Order, listed
from updraft.core.steps.conditions import Rule
from updraft.core.steps.counts import Count
from updraft.core.steps.given import Context, Result
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.tables import Tables

_LEFT = "{n} rows stayed in the database: the next step does not keep them"
_GROUPED = "{n} rows were counted and added up in the database: only the groups of the next step came"
_ONE_GROUPED = "{n} row was counted and added up in the database: only the groups of the next step came"
_ONE_LEFT = "{n} row stayed in the database: the next step does not keep it"


class Bind(Settings):
    name: str
    value: str = ""


class ReadDatabaseSettings(Settings):
    unfilled: ClassVar[frozenset[str]] = frozenset({"sql"})  # parameters get into SQL only as bound values

    connection: str = setting("Connection", widget="connection", default="", of="database")
    by: Literal["table", "sql"] = setting(
        "Read", widget="choice", default="table", labels={"table": "a table", "sql": "by SQL"}
    )
    table: str = setting("Table", widget="dbtable", default="", when={"by": ["table"]}, needs="one")
    columns: tuple[str, ...] = setting(
        "Columns", "none chosen reads all", widget="outside_columns", default=(), when={"by": ["table"]}
    )
    rule: Rule = setting(
        "Only rows where",
        "the database does the choosing",
        widget="rule",
        default=Rule(),
        optional=True,
        when={"by": ["table"]},
    )
    order: tuple[Order, ...] = setting("In the order of", widget="order", default=(), when={"by": ["table"]})
    limit: int | None = setting("At most", "rows", widget="number", default=None, minimum=1, open="all")
    sql: str = setting(
        "SQL", "one query; :name stands for a value below", widget="sql", default="", when={"by": ["sql"]}
    )
    binds: tuple[Bind, ...] = setting(
        "Values for the query", "may hold {params.name}", widget="binds", default=(), when={"by": ["sql"]}
    )


class ReadDatabase(StepKind):
    """Read a table or a query. Columns, conditions, order and limit are worked out in the database."""

    kind = "read_database"
    title = "Read database"
    summary = "Bring in a table of a database, or what a query gives"
    words = (
        "sql",
        "query",
        "table",
        "postgresql",
        "mysql",
        "mariadb",
        "sqlite",
        "import",
        "select",
        "source",
    )
    icon = "database"
    way_in = (5, "A database")
    inputs = ()
    needs = frozenset({"outside"})
    Settings = ReadDatabaseSettings
    previews = "limit"

    def apply(self, tables: Tables, settings: ReadDatabaseSettings, context: Context) -> Result:
        connection = context.outside.connection(settings.connection, Database)
        from updraft.core.steps.sql_query import fetched

        found = fetched(connection, settings, context)
        if found.whole is None:
            return Result(found.frame.lazy())
        grouped = found.grouped is not None
        here = found.frame.height if found.grouped is None else found.grouped
        left = pl.LazyFrame({"n": [found.whole - here]})
        counts = [Count("in_database", left, _LEFT, one=_ONE_LEFT)]
        if grouped:
            counts.append(Count("grouped_there", pl.LazyFrame({"n": [here]}), _GROUPED, one=_ONE_GROUPED))
        return Result(found.frame.lazy(), counts=tuple(counts), whole=found.whole, presummed=grouped)

    def sentence(self, settings: ReadDatabaseSettings) -> str:
        if settings.by == "sql":
            return f"{settings.connection} · a query"
        parts = [settings.connection or "no connection yet", settings.table or "no table yet"]
        if settings.columns:
            parts.append(listed(settings.columns))
        if settings.rule.of:
            parts.append(f"where {settings.rule.words()}")
        return " · ".join(parts)
