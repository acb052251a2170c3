"""How the rows of two tables would meet by the nearest value or by ranges, among those of equal keys."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import polars as pl

from updraft.core.insight.meeting.counted import (
    MISSED,
    TIDIED,
    WORST,
    Meeting,
    Missed,
    found_of,
    keys_of,
    names_of,
    numbers_of,
    same_kinds,
    with_nearest,
    written,
)
from updraft.core.steps.joins.join_settings import JoinSettings, check_join, pairs_of
from updraft.core.steps.joins.meeting import LEFT, RIGHT, TIMES, by_nearest, times_in_ranges

_NEAR = "\0near"  # a name no file can bring


class _Sides(NamedTuple):
    """Both tables with their keys and the places of their rows, and how many each row meets.

    Attributes:
        left, right: with LEFT or RIGHT, and `names`.
        times, their_times: columns LEFT or RIGHT, and TIMES; a row that meets none may be missing.
    """

    left: pl.LazyFrame
    right: pl.LazyFrame
    times: pl.DataFrame
    their_times: pl.DataFrame


def by_nearness(table: pl.LazyFrame, other: pl.LazyFrame, settings: JoinSettings) -> Meeting:
    """Count what a join by the nearest or by a range would bring together, without joining.

    Raises:
        Problem: keys or columns that are not chosen, not there, or of kinds that never meet.
    """
    schema, its = table.collect_schema(), other.collect_schema()
    check_join(settings, schema, its)
    sides = _sides(table, other, settings)
    met = sides.times.filter(pl.col(TIMES) > 0)
    theirs = sides.their_times.filter(pl.col(TIMES) > 0)
    several = met.filter(pl.col(TIMES) > 1)
    left, right = pl.collect_all([table.select(pl.len()), other.select(pl.len())])
    lost = sides.left.join(met.lazy(), on=LEFT, how="anti", maintain_order="left")
    missed, missed_in_all = _missed(lost, sides, table, other, settings)
    return Meeting(
        left.item(),
        right.item(),
        met.height,
        theirs.height,
        int(met[TIMES].sum()),
        several.height,
        _met_by(sides, several, settings),
        theirs.filter(pl.col(TIMES) > 1).height,
        _worst(sides, several, settings),
        [found_of(table, other, settings, pair) for pair in settings.keys],
        _gains(table, other, settings, met.height),
        missed,
        missed_in_all,
        _sums(sides, met, numbers_of(schema, settings)),
    )


def _sides(table: pl.LazyFrame, other: pl.LazyFrame, settings: JoinSettings) -> _Sides:
    mine, theirs = keys_of(table.collect_schema(), other.collect_schema(), settings, settings.keys)
    left = table.with_columns(mine).with_row_index(LEFT)
    right = other.with_columns(theirs).with_row_index(RIGHT)
    names = names_of(settings)
    if settings.by == "range":
        ranged = times_in_ranges(left, right, names, settings.near, settings.start, settings.end)
        return _Sides(left, right, *pl.collect_all(ranged))
    pairs = pairs_of(left, right, names, settings).collect()
    times = [pairs.group_by(place).agg(pl.len().alias(TIMES)) for place in (LEFT, RIGHT)]
    return _Sides(left, right, *times)


def _met_by(sides: _Sides, some: pl.DataFrame, settings: JoinSettings) -> int:
    """How many rows of the other table some rows of this one meet."""
    if settings.by != "range" or not some.height:
        return 0
    left = sides.left.join(some.lazy(), on=LEFT, how="semi")
    near, start, end = settings.near, settings.start, settings.end
    _, met = times_in_ranges(left, sides.right, names_of(settings), near, start, end)
    return met.filter(pl.col(TIMES) > 0).collect().height


def _worst(sides: _Sides, several: pl.DataFrame, settings: JoinSettings) -> list[tuple[list[str], int, int]]:
    """The rows that meet most others: what they are told by, how many are so, and how many each meets."""
    told = [pair.column for pair in settings.keys] + [settings.near]
    rows = (
        sides.left.join(several.lazy(), on=LEFT)
        .group_by([*names_of(settings), pl.col(settings.near).alias(_NEAR)])
        .agg(
            pl.len().alias("rows"),
            pl.col(TIMES).first(),
            pl.col(LEFT).first(),
            *(pl.col(name).first().alias(f"\0told{n}") for n, name in enumerate(told)),
        )
        .sort(pl.col("rows") * pl.col(TIMES), LEFT, descending=[True, False])
        .head(WORST)
        .select(pl.concat_list(written(f"\0told{n}") for n in range(len(told))), "rows", TIMES)
    )
    return [(list(values), many, times) for values, many, times in rows.collect().iter_rows()]


def _gains(table: pl.LazyFrame, other: pl.LazyFrame, settings: JoinSettings, met: int) -> dict[str, int]:
    """How many more rows would meet with each way of tidying keys that is off, fewer without one on."""
    if not settings.keys:
        return {}
    schema, its, found = table.collect_schema(), other.collect_schema(), {}
    for way in TIDIED:
        turned = settings.model_copy(update={way: not getattr(settings, way)})
        if way == "as_numbers" and settings.as_numbers and not same_kinds(schema, its, settings):
            continue  # without it they never meet
        times = _sides(table, other, turned).times
        found[way] = times.filter(pl.col(TIMES) > 0).height - met
    return found


def _missed(
    lost: pl.LazyFrame, sides: _Sides, table: pl.LazyFrame, other: pl.LazyFrame, settings: JoinSettings
) -> tuple[list[Missed], int]:
    """What rows without a partner are told by, and how many such there are. Of keys that the other table does
    not have the nearest spelling is named, else the value that is nearest among equal keys.
    """
    names, told = names_of(settings), [*(pair.column for pair in settings.keys), settings.near]
    groups = (
        lost.drop_nulls([*names, settings.near])
        .group_by([*names, pl.col(settings.near).alias(_NEAR)])
        .agg(
            pl.len().alias("rows"),
            pl.col(LEFT).first(),
            *(pl.col(name).first().alias(f"\0told{n}") for n, name in enumerate(told)),
        )
        .with_columns(told=pl.concat_list(written(f"\0told{n}") for n in range(len(told))))
        .sort("rows", LEFT, descending=[True, False])
        .collect()
    )
    first = groups.head(MISSED)
    known = sides.right.select(names).drop_nulls().unique().collect() if names else None
    keyless = (
        first.join(known, on=names, how="anti", maintain_order="left") if known is not None else first.head(0)
    )
    spelt = with_nearest(keyless, other, settings, table.collect_schema())
    near = {place: one[2:] for place, one in zip(keyless[LEFT], spelt, strict=True)}
    if settings.by == "nearest":
        near |= _nearest_there(first.filter(~pl.col(LEFT).is_in(list(near))), sides, settings)
    return [
        (list(values), many, *near.get(place, (None, None, None)))
        for values, many, place in first.select("told", "rows", LEFT).iter_rows()
    ], groups.height


def _nearest_there(
    rows: pl.DataFrame, sides: _Sides, settings: JoinSettings
) -> dict[int, tuple[str, None, int]]:
    """For rows that met nothing near enough the value that is nearest all the same, by their places."""
    names, its = names_of(settings), settings.near_reference
    asked = sides.left.join(rows.lazy().select(LEFT), on=LEFT, how="semi")
    pairs = by_nearest(asked, sides.right, names, settings.near, its, "either", 0)
    met = pairs.join(sides.right.select(RIGHT, written(its).alias("value")), on=RIGHT).collect()
    return {place: (value, None, len(names)) for place, value in met.select(LEFT, "value").iter_rows()}


def _sums(sides: _Sides, met: pl.DataFrame, numbers: Sequence[str]) -> list[tuple[str, float, float]]:
    """Columns whose sum over the rows that meet changes by what is repeated: name, before, after."""
    rows = sides.left.select(LEFT, *numbers).join(met.lazy(), on=LEFT).collect()
    found = []
    for name in numbers:
        values = rows[name].cast(pl.Float64).fill_null(0)
        before, after = float(values.sum()), float((values * rows[TIMES]).sum())
        if before != after:
            found.append((name, before, after))
    return found
