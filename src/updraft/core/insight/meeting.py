"""How the rows of two tables would meet by some keys: counted before anything is joined."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any, NamedTuple

import polars as pl

from updraft.core.similarity.nearest import comparable, nearest_entries
from updraft.core.steps.joins.join import JoinSettings
from updraft.core.steps.joins.keys import KeyPair, check_keys, key_of
from updraft.core.values import Kind, kind_of
from updraft.core.values.text import shown

_WORST = 5  # keys that multiply rows most
_MISSED = 60  # keys that meet nothing, those of most rows first
_ALIKE = 60.0  # percent: what is less alike is no likely spelling
_SUMS = 6  # columns of numbers whose sums are followed
_TIDIED = ("ignore_case", "ignore_blanks", "ignore_accents", "as_numbers")
COUNTED_BY = {"keys", *_TIDIED}  # the settings of a join that are looked at


Missed = tuple[list[str], int, str | None, float | None, int | None]


class Meeting(NamedTuple):
    """What meets, in rows.

    Attributes:
        left, right: rows of both tables.
        met, met_other: rows of each that meet one of the other.
        pairs: rows that come of those that meet.
        several: rows of this table that meet several; `several_other`: those that they meet; `shared`: those
            that several of this meet.
        worst: keys that make most rows of few: values, rows here, rows there.
        found: for each pair of keys the distinct values here, and how many of them are there.
        gains: setting that tidies keys → how many more rows of this table would meet with it (fewer without).
        missed: keys without a match, those of most rows first: values, rows, the nearest value there, how
            alike it is in percent, and of which key it is, from 0.
        missed_in_all: how many there are.
        sums: columns of this table whose sum over the rows that meet changes by what is repeated: name,
            before, after.
    """

    left: int
    right: int
    met: int
    met_other: int
    pairs: int
    several: int
    several_other: int
    shared: int
    worst: list[tuple[list[str], int, int]]
    found: list[tuple[int, int]]
    gains: dict[str, int]
    missed: list[Missed]
    missed_in_all: int
    sums: list[tuple[str, float, float]]

    def as_dict(self) -> dict[str, Any]:
        return self._asdict()


def meeting(table: pl.LazyFrame, other: pl.LazyFrame, settings: JoinSettings) -> Meeting:
    """Count what a join by equal keys would bring together.

    Raises:
        Problem: keys that are not chosen, not there, or of kinds that never meet.
    """
    schema, its = table.collect_schema(), other.collect_schema()
    check_keys(settings.keys, schema, its, numbers=settings.as_numbers)
    numbers = [
        name
        for name, dtype in schema.items()
        if kind_of(dtype) in (Kind.WHOLE, Kind.NUMBER) and name not in {k.column for k in settings.keys}
    ][:_SUMS]
    mine, theirs = _counted(table, other, settings, numbers)
    both = mine.join(theirs, on=_names(settings), how="inner")
    known = mine.drop_nulls(_names(settings))
    missed = known.join(theirs, on=_names(settings), how="anti").sort(
        "rows", "first", descending=[True, False]
    )
    worst = both.filter(pl.col("times") > 1)
    worst = worst.sort(pl.col("rows") * pl.col("times"), "first", descending=[True, False]).head(_WORST)
    met = int(both["rows"].sum())
    return Meeting(
        int(mine["rows"].sum()),
        int(theirs["times"].sum()),
        met,
        int(both["times"].sum()),
        int((both["rows"].cast(pl.Int64) * both["times"].cast(pl.Int64)).sum()),
        int(both.filter(pl.col("times") > 1)["rows"].sum()),
        int(both.filter(pl.col("times") > 1)["times"].sum()),
        int(both.filter(pl.col("rows") > 1)["times"].sum()),
        [
            (list(told), rows, times)
            for told, rows, times in worst.select("told", "rows", "times").iter_rows()
        ],
        [_of_one(table, other, settings, pair) for pair in settings.keys],
        _gains(table, other, settings, met),
        _missed(missed, other, settings, schema),
        missed.height,
        _sums(both, numbers),
    )


def _names(settings: JoinSettings) -> list[str]:
    return [f"\0key{n}" for n in range(len(settings.keys))]


def _keys(
    schema: pl.Schema, its: pl.Schema, settings: JoinSettings, pairs: Sequence[KeyPair]
) -> tuple[list[pl.Expr], list[pl.Expr]]:
    """Keys of both tables, as they are compared."""
    ways = {
        "case": settings.ignore_case,
        "blanks": settings.ignore_blanks,
        "accents": settings.ignore_accents,
        "numbers": settings.as_numbers,
    }
    return (
        [key_of(p.column, schema, its[p.reference], **ways).alias(f"\0key{n}") for n, p in enumerate(pairs)],
        [key_of(p.reference, its, schema[p.column], **ways).alias(f"\0key{n}") for n, p in enumerate(pairs)],
    )


def _counted(
    table: pl.LazyFrame, other: pl.LazyFrame, settings: JoinSettings, numbers: Sequence[str]
) -> tuple[pl.DataFrame, pl.DataFrame]:
    """The distinct keys of both tables: how often they stand there, and how this table writes them first."""
    mine, theirs = _keys(table.collect_schema(), other.collect_schema(), settings, settings.keys)
    names = _names(settings)
    told = pl.concat_list(_shown(pair.column) for pair in settings.keys)
    left = (
        table.select(
            *mine, told.alias("told"), *(pl.col(name).alias(f"\0n{n}") for n, name in enumerate(numbers))
        )
        .with_row_index("first")
        .group_by(names)
        .agg(
            pl.len().alias("rows"),
            pl.col("told").first(),
            pl.col("first").first(),
            *(pl.col(f"\0n{n}").sum() for n in range(len(numbers))),
        )
    )
    right = other.select(theirs).group_by(names).agg(pl.len().alias("times"))
    one, two = pl.collect_all([left, right])
    return one, two


def _shown(name: str) -> pl.Expr:
    return pl.col(name).map_batches(shown, return_dtype=pl.String, is_elementwise=True).fill_null("")


def _of_one(
    table: pl.LazyFrame, other: pl.LazyFrame, settings: JoinSettings, pair: KeyPair
) -> tuple[int, int]:
    mine, theirs = _keys(table.collect_schema(), other.collect_schema(), settings, [pair])
    here = table.select(mine).drop_nulls().unique()
    there = other.select(theirs).drop_nulls().unique()
    many, met = pl.collect_all(
        [here.select(pl.len()), here.join(there, on="\0key0", how="semi").select(pl.len())]
    )
    return int(many.item()), int(met.item())


def _gains(table: pl.LazyFrame, other: pl.LazyFrame, settings: JoinSettings, met: int) -> dict[str, int]:
    """How many more rows would meet with each way of tidying that is off, how many fewer without one on."""
    names, found = _names(settings), {}
    for way in _TIDIED:
        turned = settings.model_copy(update={way: not getattr(settings, way)})
        schema, its = table.collect_schema(), other.collect_schema()
        if way == "as_numbers" and settings.as_numbers and not _same_kinds(schema, its, settings):
            continue  # without it they never meet
        mine, theirs = _keys(schema, its, turned, settings.keys)
        there = other.select(theirs).drop_nulls().unique()
        rows = table.select(mine).drop_nulls().join(there, on=names, how="semi").select(pl.len()).collect()
        found[way] = int(rows.item()) - met
    return found


def _same_kinds(schema: pl.Schema, its: pl.Schema, settings: JoinSettings) -> bool:
    return all(kind_of(schema[p.column]) is kind_of(its[p.reference]) for p in settings.keys)


def _missed(
    missed: pl.DataFrame, other: pl.LazyFrame, settings: JoinSettings, schema: pl.Schema
) -> list[Missed]:
    """Keys that meet nothing, with the nearest value that the other table has for one of them: of several
    keys among its rows that are equal in all others.
    """
    first = missed.head(_MISSED).with_row_index("row")
    its = other.collect_schema()
    theirs = _keys(schema, its, settings, settings.keys)[1]
    near: dict[int, tuple[str, float, int]] = {}
    for place, pair in enumerate(settings.keys):
        if kind_of(its[pair.reference]) is not Kind.TEXT:
            continue
        rest = [name for name in _names(settings) if name != f"\0key{place}"]
        value = pl.col(pair.reference).alias("value")
        entries = other.select(*theirs, value).select(*rest, "value").drop_nulls().unique(maintain_order=True)
        beside = entries.with_columns(key=comparable(pl.col("value"))).collect()
        asked = first.select("row", *rest, text=comparable(pl.col("told").list.get(place)))
        for rows, values in _together(asked, beside, rest):
            keys = values.unique("key", maintain_order=True)
            for one in nearest_entries(rows["text"].to_list(), keys["key"].to_list(), _ALIKE, "first"):
                at, found = rows["row"][one.text], (keys["value"][one.entry], one.score, place)
                near[at] = max(near.get(at, found), found, key=lambda known: known[1])
    return [
        (list(told), many, *near.get(at, (None, None, None)))
        for at, told, many in first.select("row", "told", "rows").iter_rows()
    ]


def _together(
    asked: pl.DataFrame, beside: pl.DataFrame, rest: Sequence[str]
) -> Iterator[tuple[pl.DataFrame, pl.DataFrame]]:
    """Keys that are asked for, with the entries that are equal in the rest of the keys."""
    if not rest:
        yield asked, beside
        return
    known = beside.join(asked.select(rest).unique(), on=rest, how="semi", maintain_order="left")
    entries = known.partition_by(rest, as_dict=True, maintain_order=True)
    for key, rows in asked.drop_nulls(rest).partition_by(rest, as_dict=True, maintain_order=True).items():
        if key in entries:
            yield rows, entries[key]


def _sums(both: pl.DataFrame, numbers: Sequence[str]) -> list[tuple[str, float, float]]:
    found = []
    for n, name in enumerate(numbers):
        sums = both[f"\0n{n}"].cast(pl.Float64).fill_null(0)
        before, after = float(sums.sum()), float((sums * both["times"]).sum())
        if before != after:
            found.append((name, before, after))
    return found
