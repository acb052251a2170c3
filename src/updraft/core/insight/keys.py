"""Which columns of two tables are likely the same key: by the values that they share, and by their names."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from itertools import combinations
from typing import Any

import polars as pl

from updraft.core.steps.joins.keys import key_of
from updraft.core.values import Kind, kind_of
from updraft.core.values.text import as_text

_MOST_COLUMNS = 60
_MOST_VALUES = 200_000  # distinct ones of a column that are compared
_CLOSER = 12  # pairs that are counted as the step would compare them
_LEAST = 0.2  # share of rows that must meet, unless the names are equal
_KEYS = {Kind.TEXT, Kind.WHOLE, Kind.NUMBER, Kind.DATE, Kind.DATETIME}
_NUMBERS = {Kind.WHOLE, Kind.NUMBER}
_TRIED = 5  # pairs that are tried together where none is a key by itself


@dataclass(frozen=True)
class KeyProposal:
    """Columns that rows may meet by.

    Args:
        pairs: columns of this table, each with the one of the other table that it equals.
        rows: of this table, so many meet one of the other table; `of` have a value.
        unique: whether the values of each row that meets stand once in the other table.
        numbers: they meet only where digits are compared as numbers.
        score: higher is likelier.
    """

    pairs: tuple[tuple[str, str], ...]
    rows: int
    of: int
    unique: bool
    numbers: bool
    score: float

    def as_dict(self) -> dict[str, Any]:
        return asdict(self)


def proposed_keys(table: pl.LazyFrame, other: pl.LazyFrame, most: int = 4) -> list[KeyProposal]:
    """Pairs of columns that are likely keys, the likeliest first; several together where none is unique.

    The score is the share of rows that meet, half of it for values that repeat in the other table; equal
    names add a quarter. Whole numbers of other names count half: places in two lists meet by chance. All
    pairs are found by one join of the distinct values of all columns; the best are then counted as the step
    would compare them.
    """
    mine, its = _columns(table), _columns(other)
    if not mine or not its:
        return []
    left, right = _long(mine).rename({"c": "l", "n": "rows"}), _long(its).rename({"c": "r", "n": "times"})
    shared = left.join(right, on="k", how="inner").group_by("l", "r").agg(pl.col("rows").sum())
    likely = []
    for own, far, rows in shared.sort(["rows", "l", "r"], descending=[True, False, False]).iter_rows():
        same = _same(mine[own].columns[0], its[far].columns[0])
        if rows >= _LEAST * int(mine[own]["\0n"].sum()) or same:
            likely.append((own, far))
    found = [one for own, far in likely[:_CLOSER] if (one := _proposal(mine[own], its[far])) is not None]
    found += _together(table, other, [one for one in found if not one.unique])
    return sorted(found, key=lambda one: (-one.score, one.pairs))[:most]


def _together(table: pl.LazyFrame, other: pl.LazyFrame, singles: list[KeyProposal]) -> list[KeyProposal]:
    """Of pairs that are no key by themselves, the fewest that are one together, by most rows."""
    singles = sorted(singles, key=lambda one: -one.score)[:_TRIED]
    for many in (2, 3):
        found = []
        for some in combinations(singles, many):
            pairs = tuple(one.pairs[0] for one in some)
            if any(len({pair[side] for pair in pairs}) < many for side in (0, 1)):
                continue
            numbers = any(one.numbers for one in some)
            rows, of = _met_by(table, other, pairs, numbers=numbers)
            if rows and rows >= _LEAST * of:
                score = rows / of + (0.25 if any(_same(*pair) for pair in pairs) else 0.0)
                found.append(KeyProposal(pairs, rows, of, True, numbers, round(score, 4)))
        if found:
            return [max(found, key=lambda one: (one.score, one.pairs))]
    return []


def _met_by(
    table: pl.LazyFrame, other: pl.LazyFrame, pairs: tuple[tuple[str, str], ...], *, numbers: bool
) -> tuple[int, int]:
    """Rows that meet by all pairs, 0 where some meet several rows; and those that have all values."""
    left, right = table.collect_schema(), other.collect_schema()
    names = [f"\0{n}" for n in range(len(pairs))]
    own = [
        key_of(a, left, right[b], numbers=numbers).alias(k) for (a, b), k in zip(pairs, names, strict=True)
    ]
    far = [
        key_of(b, right, left[a], numbers=numbers).alias(k) for (a, b), k in zip(pairs, names, strict=True)
    ]
    mine = table.select(own).drop_nulls().collect()
    its = other.select(far).drop_nulls().group_by(names).agg(pl.len().alias("\0m")).collect()
    met = mine.join(its, on=names, how="inner")
    return met.height if (met["\0m"] == 1).all() else 0, mine.height


def _columns(table: pl.LazyFrame) -> list[pl.DataFrame]:
    """Of each column that may be a key, its distinct values with their counts: `NAME`, `\\0n`."""
    found = []
    for series in table.collect().get_columns()[:_MOST_COLUMNS]:
        if kind_of(series.dtype) not in _KEYS:
            continue
        counts = series.drop_nulls().to_frame().group_by(series.name).agg(pl.len().alias("\0n"))
        if 2 <= counts.height <= _MOST_VALUES:
            found.append(counts)
    return found


def _long(columns: list[pl.DataFrame]) -> pl.DataFrame:
    """All values as texts, digits as numbers: `c` place of the column, `k` value, `n` rows."""
    parts = []
    for place, counts in enumerate(columns):
        name = counts.columns[0]
        text = counts.select(as_text(name, counts.schema[name]).alias("k"), pl.col("\0n").alias("n"))
        canonical = key_of("k", text.schema, pl.String(), numbers=True)
        grouped = text.group_by(canonical.alias("k")).agg(pl.col("n").sum())
        parts.append(grouped.select(pl.lit(place).alias("c"), "k", "n"))
    return pl.concat(parts)


def _same(one: str, other: str) -> bool:
    return one.strip().casefold() == other.strip().casefold()


def _proposal(left: pl.DataFrame, right: pl.DataFrame) -> KeyProposal | None:
    column, reference = left.columns[0], right.columns[0]
    mine, its = kind_of(left[column].dtype), kind_of(right[reference].dtype)
    mixed = mine is not its and {mine, its} <= {*_NUMBERS, Kind.TEXT} and Kind.TEXT in (mine, its)
    if mine is not its and not mixed and {mine, its} != _NUMBERS:
        return None
    same, of = _same(column, reference), int(left["\0n"].sum())
    met, unique = (0, False) if mixed else _met(left, right, numbers=False)
    numbers = False
    if mine is Kind.TEXT or mixed:
        more, once = _met(left, right, numbers=True)
        numbers = more > 1.2 * met
        met, unique = (more, once) if numbers else (met, unique)
    share = met / of if of else 0.0
    if share < _LEAST and not (same and met):
        return None
    score = share * (1.0 if unique else 0.5) + (0.25 if same else 0.0)
    by_chance = mine in _NUMBERS and its in _NUMBERS and not same
    return KeyProposal(((column, reference),), met, of, unique, numbers, round(score / (1 + by_chance), 4))


def _met(left: pl.DataFrame, right: pl.DataFrame, *, numbers: bool) -> tuple[int, bool]:
    """Rows of the left table whose value the right one has, and whether those values stand there once."""
    column, reference = left.columns[0], right.columns[0]
    of_mine = key_of(column, left.schema, right.schema[reference], numbers=numbers)
    of_its = key_of(reference, right.schema, left.schema[column], numbers=numbers)
    its = right.group_by(of_its.alias("k")).agg(pl.col("\0n").sum().alias("m"))
    met = left.select(of_mine.alias("k"), "\0n").join(its, on="k", how="inner")
    return int(met["\0n"].sum()), bool(met.height) and bool((met["m"] == 1).all())
