"""Deliver a table to a database: checked and counted before, written in one transaction."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Literal

import polars as pl

from updraft.core.connect import Database
from updraft.core.deliver.contract import Delivered, Delivery, Effect, Outlet
from updraft.core.problems import Problem

Mode = Literal["create", "replace", "append", "key"]
_CHUNK = 5_000  # rows sent at a time


class DatabaseDelivery(Delivery):
    """Rows for a table of a database.

    Args:
        mode: `create` a table that must not be there; `replace` all rows of it; `append`; by `key`, rows
            whose key is there are changed and others added.
        keys: columns of the key.

    Raises:
        Problem: the connection does not allow it, the table is there or is not, or columns do not fit.
    """

    def __init__(
        self,
        outlet: Outlet,
        connection: Database,
        name: str,
        table: pl.DataFrame,
        mode: Mode,
        keys: Sequence[str] = (),
    ) -> None:
        from updraft.core.connect import database

        self.step, self.content = outlet.step, outlet.content
        self._connection, self._name, self._table, self._mode, self._keys = (
            connection,
            name,
            table,
            mode,
            list(keys),
        )
        self._check_keys()
        with database.writing(connection) as transaction:
            there = self._columns(transaction)
            replaces = self._replaces(transaction, there)
        place = f"{connection.dialect}:{connection.host}:{connection.database}{connection.url}/{name}"
        self.effect = Effect(f"{connection.name} · {name}", place, table.height, replaces, final=True)

    def commit(self) -> Delivered:
        import sqlalchemy as sa

        from updraft.core.connect import database

        with database.writing(self._connection) as transaction:
            there = self._columns(transaction)
            if there is None:
                target = self._made()
                target.create(transaction)
            else:
                target = database.reflected(transaction, self._name, self._connection)
            if self._mode == "replace" and there is not None:
                transaction.execute(sa.delete(target))
            rows = self._table
            if self._mode == "key" and there is not None:
                rows = self._change(transaction, target)
            _insert(transaction, target, rows)
        return Delivered(self.step, self.effect.to, self._table.height)

    def discard(self) -> None:
        """Nothing waits anywhere: the table is in memory."""

    def _columns(self, transaction: Any) -> set[str] | None:
        """The columns of the table in the database; None where it is not there."""
        import sqlalchemy as sa

        schema, _, plain = self._name.rpartition(".")
        look = sa.inspect(transaction)
        if not look.has_table(plain, schema or None):
            return None
        return {column["name"] for column in look.get_columns(plain, schema or None)}

    def _replaces(self, transaction: Any, there: set[str] | None) -> str:
        import sqlalchemy as sa

        from updraft.core.connect import database

        if there is None:
            return ""
        if self._mode == "create":
            raise Problem(
                f"Table “{self._name}”",
                "it is there already.",
                "Choose another name, or to replace or append.",
                field="mode",
                step=self.step,
                code="exists",
            )
        lost = [name for name in self._table.columns if name not in there]
        if lost:
            raise Problem(
                f"Column “{lost[0]}”",
                f"the table {self._name} does not have it; it has {', '.join(sorted(there))}.",
                "Rename it, or leave it out before.",
                field="table",
                step=self.step,
                code="missing_column",
            )
        target = database.reflected(transaction, self._name, self._connection)
        count = transaction.execute(sa.select(sa.func.count()).select_from(target)).scalar_one()
        if self._mode == "replace":
            return f"all {count:,} rows of it" if count else ""
        if self._mode == "key":
            known = _keys_there(transaction, target, self._keys)
            changed = sum(key in known for key in self._table.select(self._keys).iter_rows())
            if changed == 1:
                return "1 row of it is changed"
            return f"{changed:,} rows of it are changed" if changed else ""
        return ""

    def _check_keys(self) -> None:
        if self._mode != "key":
            return
        if not self._keys:
            raise Problem(
                "The key",
                "no column is chosen yet.",
                "Choose one.",
                field="keys",
                step=self.step,
                code="unfinished",
            )
        doubles = self._table.height - self._table.select(self._keys).n_unique()
        if doubles and self._table.height:
            raise Problem(
                f"The key {', '.join(self._keys)}",
                f"{doubles:,} rows have the key of another one.",
                "Remove duplicates before, or add a column to the key.",
                field="keys",
                step=self.step,
                code="double_keys",
            )

    def _made(self) -> Any:
        """The table to create, with the nearest types every database has."""
        import sqlalchemy as sa

        schema, _, plain = self._name.rpartition(".")
        columns = [
            sa.Column(name, _type(dtype), primary_key=name in self._keys, autoincrement=False)
            for name, dtype in self._table.schema.items()
        ]
        return sa.Table(plain, sa.MetaData(), *columns, schema=schema or None)

    def _change(self, transaction: Any, target: Any) -> pl.DataFrame:
        """Change rows whose key is there; the others come back."""
        import sqlalchemy as sa

        known = _keys_there(transaction, target, self._keys)
        here = pl.Series(
            [key in known for key in self._table.select(self._keys).iter_rows()], dtype=pl.Boolean
        )
        others = [name for name in self._table.columns if name not in self._keys]
        if others and here.any():
            where = sa.and_(*(target.c[name] == sa.bindparam(f"k_{n}") for n, name in enumerate(self._keys)))
            query = (
                sa.update(target)
                .where(where)
                .values({n: sa.bindparam(f"v_{m}") for m, n in enumerate(others)})
            )
            renamed = {name: f"k_{n}" for n, name in enumerate(self._keys)} | {
                name: f"v_{n}" for n, name in enumerate(others)
            }
            for part in self._table.filter(here).rename(renamed).iter_slices(_CHUNK):
                transaction.execute(query, part.to_dicts())
        return self._table.filter(~here)


def _keys_there(transaction: Any, target: Any, keys: list[str]) -> set[tuple[Any, ...]]:
    import sqlalchemy as sa

    lost = next((name for name in keys if name not in target.c), None)
    if lost is not None:
        raise Problem(
            f"Column “{lost}”",
            f"the table {target.name} does not have it.",
            "Choose another key.",
            field="keys",
        )
    return {tuple(row) for row in transaction.execute(sa.select(*(target.c[name] for name in keys)))}


def _insert(transaction: Any, target: Any, rows: pl.DataFrame) -> None:
    import sqlalchemy as sa

    for part in rows.iter_slices(_CHUNK):
        transaction.execute(sa.insert(target), part.to_dicts())


def _type(dtype: pl.DataType) -> Any:
    import sqlalchemy as sa

    if dtype.is_integer():
        return sa.BigInteger()
    if dtype.is_numeric():
        return sa.Double()
    known = {pl.Boolean: sa.Boolean(), pl.Date: sa.Date(), pl.Datetime: sa.DateTime()}
    return known.get(dtype.base_type(), sa.Text())
