"""Groups that a source has counted and added up itself, for a step that would do only that with its rows; or
that were counted and added up part by part.

What is added up of groups is what is added up of their rows (the decomposable aggregates of J. Gray et al.,
“Data Cube”, 1996: counts, sums, the smallest and the largest; a mean is a sum and a count).
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import polars as pl

from updraft.core.values.decimals import PLACES, exactly, halves, mean_of, reckoned

if TYPE_CHECKING:
    from updraft.core.steps.conditions import Only

# What a source is asked of a column of a group: its values, their sum, that without signs, bounds.
FILLED, SUM, SIZE, MIN, MAX = "filled", "sum", "size", "min", "max"
_ROWS = ("rows", "")
_BEYOND = "\0beyond "  # a name that no file can bring
SURE = 2.0**52  # a size of all that is added up, below which sums of parts are exact
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


def can_be_added(groups: Groups, schema: pl.Schema) -> bool:
    """Whether what is asked of groups of a table's parts adds up to what all rows give."""

    def fits(column: str, asked: Sequence[str]) -> bool:
        dtype = schema.get(column)
        if dtype is None or dtype == pl.Float64 or dtype.is_integer():
            return dtype is not None
        return SUM not in asked and (dtype == pl.Date or not {MIN, MAX} & {*asked})  # texts have their order

    return all(name in schema for name in groups.by) and all(fits(*one) for one in groups.of.items())


def groups_of(groups: Groups, part: pl.DataFrame) -> tuple[pl.DataFrame, float]:
    """The groups of a part of a table, and how large what was added up is without its signs: infinite where
    decimals have more than six places, since a sum of such depends on the order of its rows.
    """

    def asked(what: str, column: str) -> pl.Expr:
        if what == "rows":
            return pl.len().cast(pl.Int64)
        of = pl.col(column)
        return {FILLED: of.count().cast(pl.Int64), MIN: of.min(), MAX: of.max()}.get(what, of)

    sums = [column for column, each in groups.of.items() if SUM in each]
    sizes = [pl.col(column).cast(pl.Float64).abs().sum() for column in sums]
    odd = [_is_odd(column).any() for column in sums if part.schema[column] == pl.Float64]
    inexact = part.select(odd=pl.any_horizontal(odd)).item() if odd else False
    size = math.inf if inexact else part.select(pl.max_horizontal(sizes)).item() if sizes else 0.0
    made = _added(groups, part.lazy(), asked, lambda column, _: part.schema[column] == pl.Float64)
    return made.collect(), size


def together(groups: Groups, parts: Sequence[pl.DataFrame]) -> pl.DataFrame:
    """The groups of several parts, as far as possible added up."""

    def asked(what: str, column: str) -> pl.Expr:
        of = pl.col(groups.names[what, column])
        return {MIN: of.min(), MAX: of.max(), SUM: of, SIZE: of}.get(what, of.sum())

    table = pl.concat(parts, how="vertical_relaxed")
    return _added(groups, table.lazy(), asked, lambda _, name: table.schema[name] == pl.Float64).collect()


def _is_odd(column: str) -> pl.Expr:
    value = pl.col(column)
    return value.is_not_null() & ~(value.round(PLACES) == value)


def _added(
    groups: Groups,
    table: pl.LazyFrame,
    asked: Callable[[str, str], pl.Expr],
    is_decimal: Callable[[str, str], bool],
) -> pl.LazyFrame:
    """What is asked, by groups. Sums of decimals come in two rows, of the wholes and of what is beyond them:
    in one, a large sum would have no room for its last places.
    """
    wholes, beyond = list[pl.Expr](), dict[str, pl.Expr]()
    for (what, column), name in groups.names.items():
        value = asked(what, column)
        if what in (SUM, SIZE):
            value = value.abs() if what == SIZE else value
            if is_decimal(column, name):
                value, beyond[name] = halves(value)
            else:
                value = value.sum()
        wholes.append(value.alias(name))
    asked_of = [*wholes, *(value.alias(f"{_BEYOND}{name}") for name, value in beyond.items())]
    made = (table.group_by(groups.by).agg(asked_of) if groups.by else table.select(asked_of)).cache()
    names = [*groups.by, *groups.names.values()]
    if not beyond:
        return made.select(names)
    rest = [
        pl.col(f"{_BEYOND}{name}").alias(name) if name in beyond else pl.lit(None).alias(name)
        for name in names[len(groups.by) :]
    ]
    return pl.concat([made.select(names), made.select(*groups.by, *rest)], how="vertical_relaxed")
