"""Which rows of two tables meet: by equal keys, and by the nearest value or a range."""

from __future__ import annotations

import datetime
from typing import Any, Literal

import polars as pl

from updraft.core.problems import Problem
from updraft.core.steps.choice import need_columns
from updraft.core.values import TITLES, Kind, kind_of

LEFT, RIGHT, OFTEN = "\0left", "\0row", "\0often"  # names no file can bring
_VALUE, _FROM, _TO, _AT, _FAR = "\0value", "\0from", "\0to", "\0at", "\0far"
TIMES = "\0meets"
_ORDERED = {Kind.WHOLE, Kind.NUMBER, Kind.DATE, Kind.DATETIME}
_DATES = {Kind.DATE, Kind.DATETIME}
Side = Literal["before", "after", "either"]


def by_nearest(
    left: pl.LazyFrame,
    right: pl.LazyFrame,
    keys: list[str],
    column: str,
    reference: str,
    side: Side,
    within: float,
) -> pl.LazyFrame:
    """For each row of the left table the row of the right one whose value is nearest; of equal ones the last
    before it, or the first after it.

    Args:
        left, right: with the columns LEFT and RIGHT, the places of their rows, and with `keys`, in which they
            must be equal.
        side: where the value may lie: at or before, at or after, or either (before, if both are as near).
        within: numbers, or days, by which it may be away; 0: however far.

    Returns:
        columns LEFT, RIGHT.
    """
    value = _comparable(left, right, [column], [reference])
    mine = left.select(LEFT, *keys, value(column).alias(_VALUE)).drop_nulls().sort(_VALUE, LEFT)
    its = right.select(RIGHT, *keys, value(reference).alias(_VALUE), value(reference).alias(_AT))
    its = its.drop_nulls().sort(_VALUE, RIGHT)
    dates = kind_of(left.collect_schema()[column]) in _DATES
    found = []
    for way, strategy in (("before", "backward"), ("after", "forward")):
        if side in (way, "either"):
            met = mine.join_asof(its, on=_VALUE, by=keys or None, strategy=strategy, check_sortedness=False)  # type: ignore[arg-type]
            found.append(met.drop_nulls(RIGHT))
    far = (pl.col(_AT) - pl.col(_VALUE)).abs()
    both = pl.concat([one.select(LEFT, RIGHT, far.alias(_FAR)) for one in found])
    if within:
        most: Any = datetime.timedelta(days=within) if dates else within
        both = both.filter(pl.col(_FAR) <= most)
    return (
        both.sort(LEFT, _FAR, maintain_order=True).unique(LEFT, keep="first", maintain_order=True).drop(_FAR)
    )


def by_range(
    left: pl.LazyFrame, right: pl.LazyFrame, keys: list[str], column: str, start: str, end: str
) -> pl.LazyFrame:
    """The rows of the right table in whose range the value lies: not below `start`, not above `end`; a range
    with an empty end is open there.

    Returns:
        columns LEFT, RIGHT, in the order of both tables.
    """
    mine, its = _ranged(left, right, keys, column, start, end)
    equal = [pl.col(key) == pl.col(f"{key}\0other") for key in keys]
    renamed = its.select(RIGHT, _FROM, _TO, *(pl.col(key).alias(f"{key}\0other") for key in keys))
    met = mine.join_where(renamed, pl.col(_VALUE) >= pl.col(_FROM), pl.col(_VALUE) <= pl.col(_TO), *equal)
    return met.select(LEFT, RIGHT).sort(LEFT, RIGHT)


def times_in_ranges(
    left: pl.LazyFrame, right: pl.LazyFrame, keys: list[str], column: str, start: str, end: str
) -> tuple[pl.LazyFrame, pl.LazyFrame]:
    """How many rows of the other table each row meets `by_range`, counted without bringing them together: of
    the ranges that begin at or before a value those that do not end before it, and the other way round.

    Returns:
        columns LEFT, TIMES, and RIGHT, TIMES; a row that has no value or no range is not there.
    """
    mine, its = _ranged(left, right, keys, column, start, end)
    its = its.filter(pl.col(_FROM) <= pl.col(_TO))
    begun, over = _up_to(mine, _VALUE, its, _FROM, keys), _up_to(mine, _VALUE, its, _TO, keys, equal=False)
    last, first = _up_to(its, _TO, mine, _VALUE, keys), _up_to(its, _FROM, mine, _VALUE, keys, equal=False)
    return _difference(begun, over, LEFT), _difference(last, first, RIGHT)


def _ranged(
    left: pl.LazyFrame, right: pl.LazyFrame, keys: list[str], column: str, start: str, end: str
) -> tuple[pl.LazyFrame, pl.LazyFrame]:
    """The values of one table and the ranges of the other, open ends closed where the values end."""
    value = _comparable(left, right, [column], [start, end])
    mine = left.select(LEFT, *keys, value(column).alias(_VALUE)).drop_nulls()
    its = right.select(RIGHT, *keys, value(start).alias(_FROM), value(end).alias(_TO)).drop_nulls(keys)
    low, high = mine.select(pl.col(_VALUE).min()), mine.select(pl.col(_VALUE).max())
    ends = pl.concat([low.rename({_VALUE: "\0low"}), high.rename({_VALUE: "\0high"})], how="horizontal")
    its = its.join(ends, how="cross").select(
        RIGHT, *keys, pl.col(_FROM).fill_null(pl.col("\0low")), pl.col(_TO).fill_null(pl.col("\0high"))
    )
    return mine, its


def _up_to(
    points: pl.LazyFrame, at: str, others: pl.LazyFrame, their: str, keys: list[str], *, equal: bool = True
) -> pl.LazyFrame:
    """For each point how many of the others with equal keys lie before it, or at it, too."""
    others = others.select(*keys, pl.col(their).alias(_AT)).sort(_AT)
    place = pl.int_range(1, pl.len() + 1)
    counted = others.with_columns((place.over(keys) if keys else place).alias(TIMES))
    met = points.sort(at).join_asof(
        counted,
        left_on=at,
        right_on=_AT,
        by=keys or None,
        strategy="backward",
        allow_exact_matches=equal,
        check_sortedness=False,
    )
    return met.with_columns(pl.col(TIMES).fill_null(0))


def _difference(more: pl.LazyFrame, fewer: pl.LazyFrame, place: str) -> pl.LazyFrame:
    less = fewer.select(place, pl.col(TIMES).alias(_FAR))
    return more.join(less, on=place).select(place, pl.col(TIMES) - pl.col(_FAR))


def check_ordered(schema: pl.Schema, its: pl.Schema, columns: dict[str, str], others: dict[str, str]) -> None:
    """Raise the problem of a column that has no order, or not the same as the others.

    Args:
        columns, others: setting → column of this table, of the other.
    """
    kinds = []
    for names, table in ((columns, schema), (others, its)):
        for field, name in names.items():
            if not name:
                raise Problem(
                    "What rows meet by", "a column is not chosen yet.", "Choose it.",
                    field=field, code="unfinished",
                )  # fmt: skip
            need_columns([name], table, field=field)
            kinds.append((field, name, kind_of(table[name])))
    first = kinds[0][2]
    for field, name, kind in kinds:
        if kind not in _ORDERED or (kind in _DATES) is not (first in _DATES):
            raise Problem(
                f"Column “{name}”",
                f"it is of type {TITLES[kind]}, and is compared with {TITLES[first]}."
                if kind in _ORDERED
                else f"it is of type {TITLES[kind]}, and only numbers and dates are nearer or farther.",
                "Choose columns of numbers, or of dates, on both sides.",
                field=field,
            )


def _comparable(left: pl.LazyFrame, right: pl.LazyFrame, columns: list[str], others: list[str]) -> Any:
    """What makes columns of both tables comparable: dates as times, numbers as numbers."""
    mine, its = left.collect_schema(), right.collect_schema()
    kinds = {kind_of(mine[name]) for name in columns} | {kind_of(its[name]) for name in others}
    if kinds <= _DATES:
        return lambda name: pl.col(name).cast(pl.Datetime("us"))
    whole = kinds == {Kind.WHOLE}
    return lambda name: pl.col(name).cast(pl.Int64 if whole else pl.Float64)
