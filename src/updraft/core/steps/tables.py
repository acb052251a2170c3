"""What comes into a step and what goes out of it: ports, outputs, and the tables that arrive."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import NamedTuple

import polars as pl

from updraft.core.flow.model import MAIN_PORT

TIMES = "\0times"  # a name that no file can bring


@dataclass(frozen=True)
class Port:
    """An input.

    Args:
        name: the word in a step's `inputs`.
        title: what it is called on the desk.
        main: the table the step is about: where it is put into a lane, and what it hands on when switched
            off.
        many: takes any number of tables, in an order; at least one.
    """

    name: str = MAIN_PORT
    title: str = "Table"
    main: bool = False
    many: bool = False


@dataclass(frozen=True)
class Out:
    """An output.

    Args:
        name: the word behind the step's id in `inputs` (`step.name`); the main one may be left out there.
        title: what it is called on the page.
        main: the step's table: what the next step takes, and what the others are beside.
    """

    name: str = "table"
    title: str = "Table"
    main: bool = False


class Incoming(NamedTuple):
    """A table that arrives, and what the step it comes from is called.

    Args:
        values: where the values of a column are known without its rows; see `Tables.values`.
    """

    table: pl.LazyFrame
    label: str = ""
    values: Callable[[str], pl.LazyFrame] | None = None


class Tables:
    """The tables that arrive at a step, by port.

    Args:
        arrived: port → its tables, in their order.
        main: name of the main port; empty for a source.
    """

    def __init__(self, arrived: Mapping[str, Sequence[Incoming]], main: str = MAIN_PORT) -> None:
        self._arrived, self._main = arrived, main

    @classmethod
    def of(cls, table: pl.LazyFrame, **others: pl.LazyFrame) -> Tables:
        """Tables at the usual main port, and others by their ports."""
        return cls(
            {MAIN_PORT: [Incoming(table)], **{name: [Incoming(other)] for name, other in others.items()}}
        )

    @property
    def main(self) -> pl.LazyFrame:
        """The table at the main port; the first where it takes many."""
        return self[self._main]

    def __getitem__(self, port: str) -> pl.LazyFrame:
        return self._arrived[port][0].table

    def schema(self, port: str = "") -> pl.Schema | None:
        """The columns of the first table at a port, the main one if none is said; None where none arrives."""
        arrived = self._arrived.get(port or self._main)
        return arrived[0].table.collect_schema() if arrived else None

    def values(self, column: str) -> pl.LazyFrame:
        """The values of a column of the main table, each at least once and in no order, and in `TIMES` how
        many rows each stands for.
        """
        main = self._arrived[self._main][0]
        if main.values is not None:
            return main.values(column)
        return main.table.select(column, pl.lit(1, pl.UInt32).alias(TIMES))

    def many(self, port: str) -> Sequence[Incoming]:
        """All tables at a port."""
        return self._arrived[port]

    @property
    def mains(self) -> list[pl.LazyFrame]:
        """All tables at the main port; none for a source."""
        return [incoming.table for incoming in self._arrived.get(self._main, ())]
