"""What the parts of a table give, added up to what the whole table gives."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING

import polars as pl

from updraft.core.engine.coded import Coded
from updraft.core.engine.pieces import Gathered, Keep, Piece, Pieces
from updraft.core.engine.table import Fact, cells_changed, facts_of, measured
from updraft.core.steps import Result, Tables, Wanted
from updraft.core.steps.spread import OTHER_PLACE, PLACE

if TYPE_CHECKING:
    from updraft.core.figures import ColumnProfile

HIDDEN = (PLACE, OTHER_PLACE)
_NOTHING = pl.LazyFrame()


@dataclass
class Made:
    """What a step made: as in `engine.table.Table`, its tables in pieces; without those handed on frame by
    frame.

    Args:
        together: why all rows were held at once for it, if they were.
    """

    outputs: dict[str, Pieces]
    rows: dict[str, int]
    rows_in: int | None = None
    facts: tuple[Fact, ...] = ()
    touched: tuple[str, ...] | None = None
    changed: dict[str, int] = field(default_factory=dict)
    brought: tuple[str, ...] = ()
    warnings: tuple[str, ...] = ()
    evidence: dict[str, str] = field(default_factory=dict)
    figures: tuple[ColumnProfile, ...] = ()
    seconds: float = 0.0
    together: str = ""

    @property
    def height(self) -> int:
        return self.rows[""]


@dataclass(frozen=True)
class Partial:
    """What came of some parts, to be added to what came of others; it can be sent from machine to machine.

    Args:
        result: what the kind said, without its tables.
        counted: for each of its counts, the frame of every part.
    """

    outputs: Mapping[str, list[Piece]]
    rows: Mapping[str, int]
    result: Result
    counted: list[list[pl.DataFrame]]
    rows_in: int | None
    changed: Mapping[str, int]
    warnings: Mapping[str, None]


class Sum:
    """Adds up what parts give.

    Args:
        dealt: all tables were dealt out by keys, so that no count is the same for every part.
        first: the first part of all comes here; what is the same for every part is taken of that.
    """

    def __init__(
        self, keep: Keep, rows: int, wanted: Wanted, *, dealt: bool = False, first: bool = True
    ) -> None:
        self._keep, self._parts_of, self._wanted = keep, rows, wanted
        self._dealt, self._first = dealt, first
        self._outputs: dict[str, Gathered] = {}
        self._rows: dict[str, int] = {}
        self._counted: list[list[pl.DataFrame]] = []
        self._rows_in: int | None = None
        self._changed: dict[str, int] = {}
        self._warnings: dict[str, None] = {}
        self._result: Result | None = None

    def add(
        self,
        result: Result,
        inputs: Tables,
        sides: Collection[str] = (),
        same: Collection[str] = (),
        *,
        coded: Coded | None = None,
        kept: bool = True,
    ) -> Coded:
        """Add what comes of a part; its main output, which is kept unless it is handed on."""
        needed = [side for side in sides if self._first or side not in same]
        done = measured(result, inputs, needed, HIDDEN, coded)
        main = done.main.only(None if self._wanted is None else {*self._wanted, *HIDDEN})
        outputs = {**({"": main.frame()} if kept else {}), **done.sides}
        for name, frame in outputs.items():
            self._gathered(name).add(frame)
        rows = {"": main.height, **{name: side.height for name, side in done.sides.items()}}
        self._told(result, rows, [[one] for one in done.counted], done.rows_in, done.changed)
        self._warnings |= dict.fromkeys(result.warnings)
        return main

    def take(self, part: Partial) -> None:
        """Add what was added up elsewhere."""
        for name, pieces in part.outputs.items():
            for piece in pieces:
                self._gathered(name).take(piece)
        self._told(part.result, part.rows, part.counted, part.rows_in, part.changed)
        self._warnings |= part.warnings

    def partial(self) -> Partial:
        """All that was added, so that another one can take it."""
        assert self._result is not None
        counts = tuple(replace(count, frame=_NOTHING) for count in self._result.counts)
        result = replace(self._result, table=_NOTHING, sides={}, counts=counts, changes={})
        return Partial(
            {name: list(gathered.pieces().pieces) for name, gathered in self._outputs.items()},
            self._rows,
            result,
            self._counted,
            self._rows_in,
            self._changed,
            self._warnings,
        )

    def made(self) -> Made:
        assert self._result is not None, "a table has one part at least"
        counts = [replace(count, once=False) if self._dealt else count for count in self._result.counts]
        told = replace(self._result, counts=tuple(counts))
        facts = (*facts_of(told, self._counted), *cells_changed(self._changed))
        return Made(
            {name: gathered.pieces() for name, gathered in self._outputs.items()},
            self._rows,
            self._rows_in,
            facts,
            self._result.touched,
            self._changed,
            tuple(name for name in self._result.brought if name not in HIDDEN),
            tuple(self._warnings),
            self._result.evidence,
            self._result.figures,
        )

    def _gathered(self, output: str) -> Gathered:
        return self._outputs.setdefault(output, Gathered(self._keep, self._parts_of))

    def _told(
        self,
        result: Result,
        rows: Mapping[str, int],
        counted: list[list[pl.DataFrame]],
        rows_in: int | None,
        changed: Mapping[str, int],
    ) -> None:
        for name, number in rows.items():
            self._rows[name] = self._rows.get(name, 0) + number
        for place, (count, frames) in enumerate(zip(result.counts, counted, strict=True)):
            if self._result is None:
                self._counted.append(list(frames))
            elif count.each or count.missing_of is not None:  # kept small: things, not their parts
                self._counted[place] = [pl.concat([*self._counted[place], *frames]).unique()]
            elif not count.once or self._dealt:
                self._counted[place] += frames
        if rows_in is not None:
            self._rows_in = (self._rows_in or 0) + rows_in
        for name, number in changed.items():
            self._changed[name] = self._changed.get(name, 0) + number
        self._result, self._first = result, False
