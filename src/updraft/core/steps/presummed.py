"""Groups that a source has counted and added up itself, for a step that would do only that with its rows.

What is added up of groups is what is added up of their rows (the decomposable aggregates of J. Gray et al.,
“Data Cube”, 1996: counts, sums, the smallest and the largest; a mean is a sum and a count).
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import polars as pl

from updraft.core.values.decimals import exactly, mean_of, reckoned

if TYPE_CHECKING:
    from updraft.core.steps.conditions import Only

# What a source is asked of a column of a group: its values, their sum, that without signs, bounds.
FILLED, SUM, SIZE, MIN, MAX = "filled", "sum", "size", "min", "max"
_ROWS = ("rows", "")
_ASKED = {
    "rows": (),
    "rows_share": (),
    "filled": (),
    "sum": (SUM, SIZE),
    "share": (SUM, SIZE),
    "mean": (SUM, SIZE),
    "min": (MIN,),
    "max": (MAX,),
    "range": (MIN, MAX),
}


@dataclass(frozen=True)
class Groups:
    """Rows equal in some columns, and what is asked of each of their columns.

    Args:
        by: columns of the source.
        of: column → what is asked of it.
        only: the rows that are meant, where a step between keeps some.
    """

    by: tuple[str, ...]
    of: Mapping[str, tuple[str, ...]]
    only: Only | None = None

    @property
    def names(self) -> dict[tuple[str, str], str]:
        """What is asked, of which column → the name that it has in the source's table."""
        made: dict[tuple[str, str], str] = {}
        asked = [_ROWS, *((what, column) for column, each in self.of.items() for what in each)]
        for what, column in asked:
            name = f"{what} {column}".strip()
            while name in self.by or name in made.values():
                name += " "
            made[what, column] = name
        return made


def groups_for(by: Sequence[str], figures: Sequence[tuple[str, str]]) -> Groups | None:
    """What figures need of the groups; None where one needs the rows.

    Args:
        figures: each with its column, "" for none.
    """
    of: dict[str, dict[str, None]] = {}
    for figure, column in figures:
        if figure not in _ASKED:
            return None
        if column:
            of.setdefault(column, {}).update(dict.fromkeys((FILLED, *_ASKED[figure])))
    return Groups(tuple(by), {column: tuple(asked) for column, asked in of.items()})


def figure_of(groups: Groups, figure: str, column: str, schema: pl.Schema) -> pl.Expr:
    """A figure over the groups that are one group of the result.

    Args:
        schema: of the table of groups.
    """
    names = groups.names
    count = pl.col(names[_ROWS]).sum().cast(pl.Int64)
    if figure in ("rows", "rows_share"):
        return count

    def of(what: str) -> pl.Expr:
        return pl.col(names[what, column])

    filled = of(FILLED).sum().cast(pl.Int64)
    decimal = any(
        schema[name].is_float()
        for (what, of_column), name in names.items()
        if of_column == column and what != FILLED
    )
    match figure:
        case "filled":
            return filled
        case "sum" | "share" | "mean":
            total = exactly(of(SUM), pl.Expr.sum) if decimal else of(SUM).sum()
            mean = mean_of(total, filled) if decimal else total.cast(pl.Float64) / filled
            return pl.when(filled > 0).then(mean if figure == "mean" else total)
        case "min":
            return of(MIN).min()
        case "max":
            return of(MAX).max()
        case _:
            low, high = of(MIN).min(), of(MAX).max()
            return reckoned("-", high, low) if decimal else high - low


def empties_of(groups: Groups, column: str) -> pl.Expr:
    """How many of a column's cells are empty, in all rows."""
    names = groups.names
    return (pl.col(names[_ROWS]).sum() - pl.col(names[FILLED, column]).sum()).cast(pl.Int64)


def rows_of(table: pl.DataFrame, groups: Groups) -> int:
    """How many rows the groups are of."""
    return int(table[groups.names[_ROWS]].sum())
