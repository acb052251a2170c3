"""How the rows of two tables would meet by equal keys: counted before anything is joined."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from updraft.core.insight.meeting.counted import (
    TIDIED,
    WORST,
    Meeting,
    found_of,
    keys_of,
    names_of,
    numbers_of,
    same_kinds,
    with_nearest,
    written,
)
from updraft.core.steps.joins.join_settings import JoinSettings
from updraft.core.steps.joins.keys import check_keys


def by_equal_keys(table: pl.LazyFrame, other: pl.LazyFrame, settings: JoinSettings) -> Meeting:
    """Count what a join by equal keys would bring together.

    Raises:
        Problem: keys that are not chosen, not there, or of kinds that never meet.
    """
    schema, its = table.collect_schema(), other.collect_schema()
    check_keys(settings.keys, schema, its, numbers=settings.as_numbers)
    numbers = numbers_of(schema, settings)
    mine, theirs = _counted(table, other, settings, numbers)
    both = mine.join(theirs, on=names_of(settings), how="inner")
    known = mine.drop_nulls(names_of(settings))
    missed = known.join(theirs, on=names_of(settings), how="anti").sort(
        "rows", "first", descending=[True, False]
    )
    worst = both.filter(pl.col("times") > 1)
    worst = worst.sort(pl.col("rows") * pl.col("times"), "first", descending=[True, False]).head(WORST)
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
        [found_of(table, other, settings, pair) for pair in settings.keys],
        _gains(table, other, settings, met),
        with_nearest(missed, other, settings, schema),
        missed.height,
        _sums(both, numbers),
    )


def _counted(
    table: pl.LazyFrame, other: pl.LazyFrame, settings: JoinSettings, numbers: Sequence[str]
) -> tuple[pl.DataFrame, pl.DataFrame]:
    """The distinct keys of both tables: how often they stand there, and how this table writes them first."""
    mine, theirs = keys_of(table.collect_schema(), other.collect_schema(), settings, settings.keys)
    names = names_of(settings)
    told = pl.concat_list(written(pair.column) for pair in settings.keys)
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


def _gains(table: pl.LazyFrame, other: pl.LazyFrame, settings: JoinSettings, met: int) -> dict[str, int]:
    """How many more rows would meet with each way of tidying that is off, how many fewer without one on."""
    names, found = names_of(settings), {}
    for way in TIDIED:
        turned = settings.model_copy(update={way: not getattr(settings, way)})
        schema, its = table.collect_schema(), other.collect_schema()
        if way == "as_numbers" and settings.as_numbers and not same_kinds(schema, its, settings):
            continue  # without it they never meet
        mine, theirs = keys_of(schema, its, turned, settings.keys)
        there = other.select(theirs).drop_nulls().unique()
        rows = table.select(mine).drop_nulls().join(there, on=names, how="semi").select(pl.len()).collect()
        found[way] = int(rows.item()) - met
    return found


def _sums(both: pl.DataFrame, numbers: Sequence[str]) -> list[tuple[str, float, float]]:
    found = []
    for n, name in enumerate(numbers):
        sums = both[f"\0n{n}"].cast(pl.Float64).fill_null(0)
        before, after = float(sums.sum()), float((sums * both["times"]).sum())
        if before != after:
            found.append((name, before, after))
    return found
