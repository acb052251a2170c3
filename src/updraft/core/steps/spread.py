"""How the work of a step may be spread over parts of its tables: what every kind declares of itself."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Literal

import polars as pl

from updraft.core.flow.model import MAIN_PORT
from updraft.core.steps.presummed import Groups

# Names that no file can bring: where a row stands in the main table, and in the other one.
PLACE, OTHER_PLACE = "\0row of all", "\0row of all others"


@dataclass(frozen=True)
class Spread:
    """One way to spread a step's work.

    Args:
        how: `rows`: any part of the main table alone gives its part of the result, beside all of the other
            tables. `keys`: rows that are equal in `keys` have to come together, of each table that it names.
            `sort`: rows near each other in `along` have to, and the parts come in its order. `whole`: all
            rows at once.
        keys: port → what tells which rows belong together, equal for rows that do; empty cells are equal. By
            rows, they say how it is spread instead where another table is large, too.
        empty_apart: rows with an empty key belong to no other row.
        stands: what a row of the result stands for, which says where it stands: a `row` of the main table
            (then the step hands on the column PLACE, and OTHER_PLACE of what comes after those rows) or a
            `group`, in the order of which each first comes.
        learns: something small is learnt from all rows first, through `Context.learnt`; nothing else is
            computed while the result is described.
        order: where a group stands, if not where it first comes: columns of the result, empty cells last.
        same: side outputs that come out the same of every part.
        undivided: side outputs that only all rows at once can give.
        along: what rows of the main table are sorted by first: rising, or falling (`down`); rows without it
            come last, or first (`empty_first`).
        settings: those to take instead where PLACE has to be handed on.
        rows_stay: by keys, each row of the result and of its sides is a row of the main table, whose columns
            stay as they are but for those that `StepKind.reads` names; new ones may stand beside them.
        lean: all rows at once, but it goes over them a column at a time, and holds few of them.
        groups: what is asked of groups of its rows, of the whole or by keys: they may be counted and added
            up part by part, as far as that gives the same.
    """

    how: Literal["rows", "keys", "sort", "whole"]
    keys: Mapping[str, Sequence[pl.Expr]] = field(default_factory=dict)
    empty_apart: bool = False
    stands: Literal["row", "group"] = "row"
    learns: bool = False
    order: tuple[str, ...] = ()
    same: frozenset[str] = frozenset()
    undivided: frozenset[str] = frozenset()
    along: pl.Expr | None = None
    down: bool = False
    empty_first: bool = False
    settings: Any = None
    rows_stay: bool = False
    lean: bool = False
    groups: Groups | None = None


WHOLE, LEAN, BY_ROWS = Spread("whole"), Spread("whole", lean=True), Spread("rows")


def by_columns(names: Sequence[str], **more: Any) -> Spread:
    """Rows of the main table that are equal in some of its columns come together."""
    return Spread("keys", {MAIN_PORT: [pl.col(name) for name in names]}, **more)
