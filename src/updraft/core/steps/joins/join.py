from collections.abc import Mapping

import polars as pl

from updraft.core.problems import Problem
from updraft.core.steps.base import StepKind
from updraft.core.steps.choice import listed
from updraft.core.steps.counts import Count
from updraft.core.steps.given import Context, Result, Wanted, also
from updraft.core.steps.joins.join_settings import WAYS, JoinSettings, check_join, pairs_of
from updraft.core.steps.joins.keys import Brought, key_of
from updraft.core.steps.joins.meeting import LEFT, OFTEN, RIGHT, TIMES, times_in_ranges
from updraft.core.steps.spread import OTHER_PLACE, PLACE, WHOLE, Spread
from updraft.core.steps.tables import Out, Port, Tables

_ROW, _OFTEN = RIGHT, OFTEN
_OTHER = "\0of "  # before the names of the other table's columns, until they stand in the result
_ROWS, _FITS = "\0rows", "\0fits"


class Join(StepKind):
    """Put the columns of two tables side by side where keys are equal. Empty keys match nothing. A column of
    the other table whose name is taken gets a 2 behind it.
    """

    kind = "join"
    title = "Join"
    summary = "Put two tables side by side by equal keys"
    words = (
        "merge",
        "inner join",
        "left join",
        "outer join",
        "full join",
        "anti join",
        "combine tables",
        "match",
    )
    icon = "intersect"
    desk = "join"
    inputs = (Port(main=True), Port("reference", "Join with"))
    outputs = (
        Out(main=True),
        Out("unmatched", "This table's rows without a match"),
        Out("unmatched_other", "The other's rows without a match"),
    )
    Settings = JoinSettings

    def apply(self, tables: Tables, settings: JoinSettings, context: Context) -> Result:
        table, other = tables.main, tables["reference"]
        schema, its = table.collect_schema(), other.collect_schema()
        check_join(settings, schema, its)
        mine = [name for name in schema if not settings.keep or name in settings.keep]
        brought = self._brought(settings, its, mine)
        if settings.rows == "cross":
            return self._each_with_each(table, other, settings, mine, brought)
        names = [f"\0key{n}" for n in range(len(settings.keys))]
        left = table.with_columns(
            self._key(pair.column, schema, its[pair.reference], settings, name)
            for pair, name in zip(settings.keys, names, strict=True)
        )
        right = (
            other.with_columns(
                self._key(pair.reference, its, schema[pair.column], settings, name)
                for pair, name in zip(settings.keys, names, strict=True)
            )
            .with_row_index(_ROW)
            .cache()
        )
        taken = [pl.col(old).alias(f"{_OTHER}{new}") for old, new in brought.items()]
        if settings.by == "equal":
            right = right.with_columns(pl.len().over(names).alias(_OFTEN)).cache()
            rows = _rows_added(left, right, names)
            # Where too many rows would come out none meets, so that the stop is told and nothing is computed.
            picked = right.select(*names, _ROW, _OFTEN, *taken).join(
                rows.select((pl.col(_ROWS) <= settings.most).alias(_FITS)), how="cross"
            )
            picked = picked.filter(_FITS).drop(_FITS)
            joined = left.join(picked, on=names, how="left", maintain_order="left_right").cache()
        else:
            left = left.with_row_index(LEFT).cache()
            rows, some = _within(left, right, names, settings)
            pairs = pairs_of(some, right, names, settings).with_columns(pl.len().over(LEFT).alias(_OFTEN))
            joined = (
                left.join(pairs, on=LEFT, how="left", maintain_order="left_right")
                .join(right.select(_ROW, *taken), on=_ROW, how="left", maintain_order="left")
                .cache()
            )
        lost = joined.filter(pl.col(_ROW).is_null())
        used = joined.select(pl.col(_ROW).drop_nulls().unique())
        lost_other = right.join(used, on=_ROW, how="anti", maintain_order="left")
        shape = [*mine, *brought.values()]
        matched = joined.select(
            *mine, *(pl.col(f"{_OTHER}{new}").alias(new) for new in brought.values()), _ROW
        )
        result = self._rows(settings, matched, shape, lost, lost_other, brought, schema, mine)
        counts = self._counts(settings, joined, lost, lost_other)
        if settings.by != "nearest":
            counts = (_too_many(rows, settings.most), *counts)
        sides = {"unmatched": lost.select(schema.names()), "unmatched_other": lost_other.select(its.names())}
        return Result(
            result, sides, counts, brought=tuple(brought.values()) if settings.rows != "only" else ()
        )

    def _each_with_each(
        self,
        table: pl.LazyFrame,
        other: pl.LazyFrame,
        settings: JoinSettings,
        mine: list[str],
        brought: dict[str, str],
    ) -> Result:
        """Every row beside every row of the other; none where that would be too many."""
        sizes = table.select(pl.len().cast(pl.Int64).alias(LEFT)).join(
            other.select(pl.len().cast(pl.Int64).alias(_ROW)), how="cross"
        )
        rows = pl.col(LEFT) * pl.col(_ROW)
        fits = sizes.select((rows <= settings.most).alias(_OFTEN))
        taken = other.with_row_index(_ROW).select(
            _ROW, *(pl.col(old).alias(f"{_OTHER}{new}") for old, new in brought.items())
        )
        small = table.select(mine).with_row_index(LEFT).join(fits, how="cross").filter(_OFTEN)
        both = small.join(taken, how="cross").sort(LEFT, _ROW)  # the engine promises no order of these
        result = both.select(*mine, *(pl.col(f"{_OTHER}{new}").alias(new) for new in brought.values()))
        count = _too_many(sizes.select(rows.alias(_ROWS)), settings.most)
        return Result(
            result,
            {"unmatched": table.head(0), "unmatched_other": other.head(0)},
            (count,),
            brought=tuple(brought.values()),
        )

    def _key(
        self, column: str, schema: pl.Schema, other: pl.DataType, settings: JoinSettings, name: str
    ) -> pl.Expr:
        case, blanks, numbers = settings.ignore_case, settings.ignore_blanks, settings.as_numbers
        accents = settings.ignore_accents
        key = key_of(column, schema, other, case=case, blanks=blanks, numbers=numbers, accents=accents)
        return key.alias(name)

    def _brought(self, settings: JoinSettings, its: pl.Schema, mine: list[str]) -> dict[str, str]:
        """The other table's columns, with what they are called in the result."""
        if settings.bring:
            chosen = {brought.column: brought.called() for brought in settings.bring}
            for name in chosen.values():
                if name in mine or list(chosen.values()).count(name) > 1:
                    raise Problem(
                        f"“{name}”",
                        "the result would have two columns of this name.",
                        "Give the other table's column another name.",
                        field="bring",
                    )
            return chosen
        keys = {pair.reference for pair in settings.keys} if settings.rows != "cross" else set()
        named: dict[str, str] = {}
        for column in its:
            if column in keys:
                continue
            name = column
            while name in mine or name in named.values():
                name += " 2"
            named[column] = name
        return named

    def _rows(
        self,
        settings: JoinSettings,
        matched: pl.LazyFrame,
        shape: list[str],
        lost: pl.LazyFrame,
        lost_other: pl.LazyFrame,
        brought: dict[str, str],
        schema: pl.Schema,
        mine: list[str],
    ) -> pl.LazyFrame:
        if settings.rows == "only":
            return lost.select(mine)
        if settings.rows in ("inner", "right"):
            matched = matched.filter(pl.col(_ROW).is_not_null())
        if settings.rows == "apart":
            matched = matched.filter(pl.col(_ROW).is_null())
        matched = matched.select(shape)
        if settings.rows not in ("right", "full", "only_other", "apart"):
            return matched
        # A row of the other table alone still has its keys: they stand in this table's key columns.
        keys = {pair.column: pair.reference for pair in settings.keys}
        alone = lost_other.select(
            *(
                (
                    pl.col(keys[name]).cast(schema[name], strict=False)
                    if name in keys
                    else pl.lit(None, dtype=schema[name])
                ).alias(name)
                for name in mine
            ),
            *(pl.col(old).alias(new) for old, new in brought.items()),
        )
        return alone if settings.rows == "only_other" else pl.concat([matched, alone])

    def _counts(
        self, settings: JoinSettings, joined: pl.LazyFrame, lost: pl.LazyFrame, lost_other: pl.LazyFrame
    ) -> tuple[Count, ...]:
        # Each row with n matches stands there n times, and counts as one.
        times = joined.filter(pl.col(_OFTEN) > 1).select((1 / pl.col(_OFTEN)).sum().round().cast(pl.Int64))
        return (
            Count(
                "repeated",
                times,
                "{n} rows have several matches and are repeated",
                "stop" if settings.repeated == "stop" else "warning",
                "Take one row for each key before, or let them be repeated.",
                "{n} row has several matches and is repeated",
            ),
            Count(
                "unmatched",
                lost.select(pl.len()),
                "{n} rows of this table without a match",
                "warning",
                one="{n} row of this table without a match",
                side="unmatched",
            ),
            Count(
                "unmatched_other",
                lost_other.select(pl.len()),
                "{n} rows of the other without a match",
                one="{n} row of the other without a match",
                side="unmatched_other",
            ),
        )

    def reads(self, settings: JoinSettings, wanted: Wanted, port: str) -> Wanted:
        if not settings.bring:
            return None  # the other table's names follow from what is taken here
        keys, near = settings.keys, [settings.near] if settings.by != "equal" else []
        its = {"nearest": [settings.near_reference], "range": [settings.start, settings.end]}
        if port == "reference":
            return (
                None
                if wanted is None
                else frozenset(
                    [
                        *(k.reference for k in keys),
                        *(b.column for b in settings.bring),
                        *its.get(settings.by, []),
                    ]
                )
            )
        return also(
            wanted, [*(k.column for k in keys), *near, *settings.keep, *(b.called() for b in settings.bring)]
        )

    def spread(self, settings: JoinSettings, schemas: Mapping[str, pl.Schema]) -> Spread:
        schema, its = schemas["table"], schemas["reference"]
        pairs = [k for k in settings.keys if k.column in schema and k.reference in its]
        if not pairs or len(pairs) < len(settings.keys) or settings.rows == "cross":
            return WHOLE
        mine = [self._key(k.column, schema, its[k.reference], settings, k.column) for k in pairs]
        theirs = [self._key(k.reference, its, schema[k.column], settings, k.column) for k in pairs]
        keep = (*settings.keep, PLACE) if settings.keep else ()
        bring = (*settings.bring, Brought(column=OTHER_PLACE)) if settings.bring else ()
        placed = settings.model_copy(update={"keep": keep, "bring": bring})
        return Spread("keys", {"table": mine, "reference": theirs}, empty_apart=True, settings=placed)

    def sentence(self, settings: JoinSettings) -> str:
        if settings.rows == "cross":
            return WAYS["cross"]
        near = [f"{settings.by} {settings.near or '…'}"] if settings.by != "equal" else []
        by = listed([*(pair.column for pair in settings.keys), *near])
        return f"{WAYS[settings.rows]} · by {by or '…'}"


def _within(
    left: pl.LazyFrame, right: pl.LazyFrame, names: list[str], settings: JoinSettings
) -> tuple[pl.LazyFrame, pl.LazyFrame]:
    """How many rows ranges would add, as one cell, and the left table: nothing where they are too many."""
    if settings.by != "range":
        return left.head(0).select(pl.lit(0, pl.Int64).alias(_ROWS)), left
    times, _ = times_in_ranges(left, right, names, settings.near, settings.start, settings.end)
    more = (pl.col(TIMES) - 1).clip(lower_bound=0).cast(pl.Int64).sum()
    rows = times.select(more.alias(_ROWS)).cache()
    fits = rows.select((pl.col(_ROWS) <= settings.most).alias(_FITS))
    return rows, left.join(fits, how="cross").filter(_FITS).drop(_FITS)


def _rows_added(left: pl.LazyFrame, right: pl.LazyFrame, names: list[str]) -> pl.LazyFrame:
    """How many rows a join has more than its left table: one for each further match, as one cell."""
    double = right.filter(pl.col(_OFTEN) > 1).select(*names, (pl.col(_OFTEN) - 1).cast(pl.Int64))
    further = left.select(names).join(double.unique(names), on=names, how="inner")
    return further.select(pl.col(_OFTEN).sum().alias(_ROWS)).cache()


def _too_many(rows: pl.LazyFrame, most: int) -> Count:
    over = pl.when(pl.col(_ROWS) > most).then(pl.col(_ROWS)).otherwise(0)
    return Count(
        "too_many",
        rows.select(over),
        f"{{n}} rows would be added, and {most:,} are the most",
        "stop",
        "Join by keys or ranges that tell rows apart, or allow more rows.",
    )
