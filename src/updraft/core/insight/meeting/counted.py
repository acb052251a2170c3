"""What is counted of how rows meet, and what both ways of counting share."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any, NamedTuple

import polars as pl

from updraft.core.similarity.nearest import comparable, nearest_entries
from updraft.core.steps.joins.join_settings import JoinSettings
from updraft.core.steps.joins.keys import KeyPair, key_of
from updraft.core.values import Kind, kind_of
from updraft.core.values.text import shown

WORST = 5  # keys that multiply rows most
MISSED = 60  # keys that meet nothing, those of most rows first
TIDIED = ("ignore_case", "ignore_blanks", "ignore_accents", "as_numbers")
_ALIKE = 60.0  # percent: what is less alike is no likely spelling
_SUMS = 6  # columns of numbers whose sums are followed

Missed = tuple[list[str], int, str | None, float | None, int | None]


class Meeting(NamedTuple):
    """What meets, in rows.

    Attributes:
        left, right: rows of both tables.
        met, met_other: rows of each that meet one of the other.
        pairs: rows that come of those that meet.
        several: rows of this table that meet several; `several_other`: those that they meet; `shared`: those
            that several of this meet.
        worst: keys that make most rows of few: values, rows here, rows there; by nearness with the value.
        found: for each pair of keys the distinct values here, and how many of them are there.
        gains: setting that tidies keys → how many more rows of this table would meet with it (fewer without).
        missed: keys without a match, those of most rows first: values, rows, the nearest value there, how
            alike it is in percent, and of which key it is, from 0. By nearness the value that is compared
            stands after the keys, and what is nearest to it has no percent.
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


def names_of(settings: JoinSettings) -> list[str]:
    return [f"\0key{n}" for n in range(len(settings.keys))]


def keys_of(
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


def written(name: str) -> pl.Expr:
    return pl.col(name).map_batches(shown, return_dtype=pl.String, is_elementwise=True).fill_null("")


def found_of(
    table: pl.LazyFrame, other: pl.LazyFrame, settings: JoinSettings, pair: KeyPair
) -> tuple[int, int]:
    mine, theirs = keys_of(table.collect_schema(), other.collect_schema(), settings, [pair])
    here = table.select(mine).drop_nulls().unique()
    there = other.select(theirs).drop_nulls().unique()
    many, met = pl.collect_all(
        [here.select(pl.len()), here.join(there, on="\0key0", how="semi").select(pl.len())]
    )
    return int(many.item()), int(met.item())


def with_nearest(
    missed: pl.DataFrame, other: pl.LazyFrame, settings: JoinSettings, schema: pl.Schema
) -> list[Missed]:
    """Keys that meet nothing, with the nearest value that the other table has for one of them: of several
    keys among its rows that are equal in all others.
    """
    first = missed.head(MISSED).with_row_index("row")
    its = other.collect_schema()
    theirs = keys_of(schema, its, settings, settings.keys)[1]
    near: dict[int, tuple[str, float, int]] = {}
    for place, pair in enumerate(settings.keys):
        if kind_of(its[pair.reference]) is not Kind.TEXT:
            continue
        rest = [name for name in names_of(settings) if name != f"\0key{place}"]
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


def numbers_of(schema: pl.Schema, settings: JoinSettings) -> list[str]:
    """The columns whose sums are followed."""
    keys = {pair.column for pair in settings.keys}
    kinds = ((name, kind_of(dtype)) for name, dtype in schema.items() if name not in keys)
    return [name for name, kind in kinds if kind in (Kind.WHOLE, Kind.NUMBER)][:_SUMS]


def same_kinds(schema: pl.Schema, its: pl.Schema, settings: JoinSettings) -> bool:
    """Whether all pairs of keys are of one kind each."""
    return all(kind_of(schema[p.column]) is kind_of(its[p.reference]) for p in settings.keys)
