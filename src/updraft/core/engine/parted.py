"""Work on a part of a table, which can be done here or on another machine."""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

import polars as pl

from updraft.core.engine.coded import Coded
from updraft.core.engine.pieces import Keep, Piece, Pieces, Stream
from updraft.core.engine.summing import Partial, Sum
from updraft.core.engine.table import telling
from updraft.core.steps import Context, Incoming, Result, Settings, StepKind, Tables, Wanted
from updraft.core.steps.spread import PLACE, Spread


@dataclass(frozen=True)
class Arrived:
    """A table that comes in, in pieces or at the main port as a stream, and what its step is called."""

    table: Pieces | Stream
    label: str = ""


def parts_of(tables: Sequence[Arrived]) -> Iterator[Part]:
    """The parts of all tables at a main port."""
    numbers = itertools.count()
    for table, one in enumerate(tables):
        parts = one.table.pieces if isinstance(one.table, Pieces) else one.table.coded()
        for rows in parts:
            yield Part(table, rows, not next(numbers))


@dataclass(frozen=True)
class Part:
    """A part of a table at the main port: of the table of this number there, the first part of all or not."""

    table: int
    rows: Coded | Piece
    first: bool

    def coded(self) -> Coded:
        return self.rows.coded() if isinstance(self.rows, Piece) else self.rows


@dataclass(frozen=True)
class Task:
    """A step's work on a part of its tables. It can be sent from machine to machine when its tables can.

    Args:
        arrived: all tables that come in; of those at the main port, parts stand in for the rows.
        keep: keeps what is made of a part.
        rows: of a part, about.
        sides: the side outputs that are needed; `same` are those that come out the same of every part.
    """

    kind: StepKind
    settings: Settings
    arrived: Mapping[str, Sequence[Arrived]]
    context: Context
    keep: Keep
    rows: int
    wanted: Wanted = None
    sides: frozenset[str] = frozenset()
    same: frozenset[str] = frozenset()

    @property
    def main(self) -> str:
        port = self.kind.main_port
        return port.name if port else ""

    def of_part(self, part: Part) -> Partial:
        return self.handed_on(part, kept=True)[0]

    def handed_on(self, part: Part, *, kept: bool) -> tuple[Partial, Coded]:
        """What comes of a part, and its main output."""
        total, coded = Sum(self.keep, self.rows, self.wanted, first=part.first), part.coded()
        tables = self.tables({(self.main, part.table): coded})
        with telling(self.kind):
            result = self.kind.work(tables, self.settings, self.context)
            made = total.add(result, tables, self.sides, self.same, coded=coded, kept=kept)
        return total.partial(), made

    def of_range(self, number: int, frames: Sequence[pl.DataFrame]) -> Partial:
        return self._of(number, {(self.main, 0): frames[0]}, None)

    def of_bucket(self, spread: Spread, number: int, frames: Sequence[pl.DataFrame]) -> Partial:
        """What comes of the rows that have some of the keys; each row or group has the place it will get."""
        parts = {(port, 0): frame for port, frame in zip(spread.keys, frames, strict=True)}
        return self._of(number, parts, spread)

    def _of(
        self, number: int, parts: Mapping[tuple[str, int], pl.DataFrame], spread: Spread | None
    ) -> Partial:
        total = Sum(self.keep, self.rows, self.wanted, dealt=spread is not None, first=not number)
        tables = self.tables(parts)
        settings = spread.settings or self.settings if spread else self.settings
        with telling(self.kind):
            if spread and spread.stands == "group":
                result = self._of_groups(parts, spread, settings)
            else:
                result = self.kind.work(tables, settings, self.context)
            total.add(result, tables, self.sides, self.same)
        return total.partial()

    def _of_groups(
        self, parts: Mapping[tuple[str, int], pl.DataFrame], spread: Spread, settings: Settings
    ) -> Result:
        """The groups of some rows, each with the place where it first comes unless its order is another."""
        main = parts[self.main, 0]
        tables = self.tables({key: frame.drop(PLACE, strict=False) for key, frame in parts.items()})
        result = self.kind.work(tables, settings, self.context)
        if spread.order:
            return result
        keys = [key.alias(f"\0{n}") for n, key in enumerate(spread.keys[self.main])]
        first = main.group_by(keys, maintain_order=True).agg(pl.col(PLACE).first()).select(PLACE)
        return replace(result, table=pl.concat([result.table, first.lazy()], how="horizontal"))

    def tables(self, parts: Mapping[tuple[str, int], pl.DataFrame | Coded]) -> Tables:
        """The tables that come in, with a part in place of some of them; where a part of one of several
        tables at the main port comes in, the others have no rows.
        """
        ports: dict[str, list[Incoming]] = {}
        for port, tables in self.arrived.items():
            ports[port] = []
            for number, one in enumerate(tables):
                part = parts.get((port, number))
                if part is None and port == self.main and parts:
                    part = pl.DataFrame(schema=one.table.schema)
                table = one.table.lazy() if part is None else part.lazy()  # type: ignore[union-attr]
                values = part.values if isinstance(part, Coded) else None
                ports[port].append(Incoming(table, one.label, values))
        return Tables(ports, self.main)
