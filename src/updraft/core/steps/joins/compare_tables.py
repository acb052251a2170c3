from collections.abc import Mapping, Sequence
from typing import Literal

import polars as pl

from updraft.core.problems import Problem
from updraft.core.steps.base import StepKind
from updraft.core.steps.choice import listed, need_columns
from updraft.core.steps.counts import Count
from updraft.core.steps.given import Context, Result
from updraft.core.steps.joins.differing import Allowed, Pair, difference, differs, has_difference, text_shown
from updraft.core.steps.joins.keys import KeyPair, check_keys, digits_as_numbers, key_of
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.spread import OTHER_PLACE, PLACE, WHOLE, Spread
from updraft.core.steps.tables import Out, Port, Tables


class CompareTablesSettings(Settings):
    keys: tuple[KeyPair, ...] = setting(
        "Rows are the same where", "all pairs must be equal", widget="keys", default=(), port="reference"
    )
    columns: tuple[str, ...] = setting(
        "Columns to compare", "none chosen compares all that both have", widget="names", default=()
    )
    shape: Literal["cells", "rows"] = setting(
        "Show",
        widget="choice",
        default="cells",
        labels={"cells": "each cell that differs", "rows": "each row"},
    )
    order: Literal["rows", "largest"] = setting(
        "Order",
        widget="choice",
        default="rows",
        labels={"rows": "as the rows stand", "largest": "largest difference first"},
    )
    tolerance: float = setting("Numbers may differ by", widget="decimal", default=0.0)
    allowed: tuple[Allowed, ...] = setting(
        "Columns of their own", "that may differ otherwise", widget="items", default=(), one="column"
    )
    as_numbers: bool = digits_as_numbers()
    ignore_case: bool = setting("Ignore case", "of texts that are compared", widget="flag", default=False)
    ignore_blanks: bool = setting(
        "Ignore blanks at the ends", "of texts that are compared", widget="flag", default=False
    )
    same: bool = setting(
        "Show rows that are the same", widget="flag", default=False, when={"shape": ["rows"]}
    )


class CompareTables(StepKind):
    """Compare with another table by keys: what is here alone, there alone, and which cells differ, by how
    much. Rows whose key stands several times in a table are compared by the first of them, and counted. A
    difference is this table's less the other's; of days, in days.
    """

    kind = "compare_tables"
    title = "Compare tables"
    summary = "Tell by keys which rows and cells differ between two tables"
    words = ("diff", "difference", "changes", "reconcile", "what changed", "audit", "tolerance")
    icon = "file-diff"
    desk = "compare"
    version = 2
    inputs = (Port(main=True), Port("reference", "Compare with"))
    outputs = (
        Out(main=True),
        Out("same", "Rows that are the same"),
        Out("different", "Rows that differ"),
        Out("only_here", "Rows here alone"),
        Out("only_there", "Rows there alone"),
        Out("by_column", "Differences by column"),
    )
    Settings = CompareTablesSettings

    def apply(self, tables: Tables, settings: CompareTablesSettings, context: Context) -> Result:
        table, other = tables.main, tables["reference"]
        schema, its = table.collect_schema(), other.collect_schema()
        self._check(settings, schema, its)
        pairs = _compared(settings, schema, its)
        mine = [key.column for key in dict.fromkeys(settings.keys)]
        left, right = _sides(table, other, settings, pairs)
        names = [f"\0key{n}" for n in range(len(mine))]
        both = left.unique(names, keep="first", maintain_order=True).join(
            right.unique(names, keep="first", maintain_order=True),
            on=names, how="full", coalesce=True, maintain_order="left_right", nulls_equal=True,
        )  # fmt: skip
        types = [(schema[pair.here], its[pair.there]) for pair in pairs]
        differ = [
            differs(f"\0here{n}", f"\0there{n}", *types[n], pair.allowed) for n, pair in enumerate(pairs)
        ]
        status = (
            pl.when(pl.col("\0theirs").is_null()).then(pl.lit("only here"))
            .when(pl.col("\0mine").is_null()).then(pl.lit("only there"))
            .when(pl.any_horizontal([pl.lit(False), *differ])).then(pl.lit("differs"))
            .otherwise(pl.lit("same")).alias("Status")
        )  # fmt: skip
        keys = [
            pl.coalesce(pl.col(f"\0told{n}"), pl.col(f"\0said{n}").cast(schema[name], strict=False)).alias(
                name
            )
            for n, name in enumerate(mine)
        ]
        keys += [pl.col(name) for name in both.collect_schema() if name in (PLACE, OTHER_PLACE)]
        judged = both.with_columns(
            status,
            *(expr.alias(f"\0differs{n}") for n, expr in enumerate(differ)),
            *(
                difference(f"\0here{n}", f"\0there{n}", *types[n]).alias(f"\0far{n}")
                for n in range(len(pairs))
            ),
        ).cache()
        columns = [*keys, pl.col("Status"), *_wide(pairs, types, {*mine, "Status"})]
        wide = judged.select(columns)
        sides = {state: wide.filter(pl.col("Status") == status) for state, status in _STATES.items()}
        sides["by_column"] = _by_column(judged, pairs)
        counts = (*_doubles(left, right, names), *(_count(judged, *said) for said in _SAID))
        if settings.shape == "rows":
            size = [pl.col(f"\0far{n}").abs() for n in range(len(pairs))]
            table = judged.with_columns(pl.max_horizontal([pl.lit(None, pl.Float64), *size]).alias("\0size"))
            table = table if settings.same else table.filter(pl.col("Status") != "same")
            table = _largest(table, pl.col("\0size"), settings).select(columns)
        else:
            table = _largest(_cells(judged, keys, pairs), pl.col("Difference").abs(), settings)
        return Result(table, sides, counts)

    def _check(self, settings: CompareTablesSettings, schema: pl.Schema, its: pl.Schema) -> None:
        check_keys(settings.keys, schema, its, numbers=settings.as_numbers)
        own = {one.column: one.reference or one.column for one in settings.allowed}
        need_columns([own.get(name, name) for name in settings.columns], its, field="columns")
        for one in settings.allowed:
            one.check_filled()
        need_columns(own.values(), its, field="allowed")
        mine = [key.column for key in dict.fromkeys(settings.keys)]
        for names, field, what in (
            (mine, "keys", "it is a key twice, with two columns of the other table."),
            ([one.column for one in settings.allowed], "allowed", "two lines say what it may differ by."),
        ):
            if twice := next((name for name in names if names.count(name) > 1), None):
                raise Problem(f"Column “{twice}”", what, "Keep one of them.", field=field, code="two_columns")

    def spread(self, settings: CompareTablesSettings, schemas: Mapping[str, pl.Schema]) -> Spread:
        schema, its = schemas["table"], schemas["reference"]
        pairs = [(k.column, k.reference) for k in settings.keys if k.column in schema and k.reference in its]
        if not pairs or len(pairs) < len(settings.keys) or settings.order == "largest":
            return WHOLE
        numbers = settings.as_numbers
        here = [key_of(m, schema, its[t], numbers=numbers) for m, t in pairs]
        there = [key_of(t, its, schema[m], numbers=numbers) for m, t in pairs]
        return Spread("keys", {"table": here, "reference": there}, undivided=frozenset({"by_column"}))

    def sentence(self, settings: CompareTablesSettings) -> str:
        by = listed(pair.column for pair in settings.keys)
        return f"{listed(settings.columns) or 'all columns that both have'} · by {by or '…'}"


_STATES = {"same": "same", "different": "differs", "only_here": "only here", "only_there": "only there"}
_SAID = (
    ("only here", "only_here", "{n} rows are here alone", "{n} row is here alone"),
    ("only there", "only_there", "{n} rows are there alone", "{n} row is there alone"),
    ("differs", "different", "{n} rows differ", "{n} row differs"),
    ("same", "same", "{n} rows are the same", "{n} row is the same"),
)


def _compared(settings: CompareTablesSettings, schema: pl.Schema, its: pl.Schema) -> list[Pair]:
    """The columns that are compared; keys are equal anyway."""
    mine = {key.column for key in settings.keys}
    theirs = {key.reference for key in settings.keys}
    usual = Allowed(within=0.0, ignore_case=settings.ignore_case, ignore_blanks=settings.ignore_blanks)
    numbers = usual.model_copy(update={"within": settings.tolerance})
    own = {one.column: one for one in settings.allowed}
    both_have = settings.columns or [
        *(name for name in schema if name in own or (name in its and name not in theirs))
    ]
    found = []
    for name in dict.fromkeys(both_have):
        one = own.get(name)
        there = (one.reference if one else "") or name
        if name in mine or name in (PLACE, OTHER_PLACE):
            continue
        plain = (
            numbers if has_difference(schema[name], its[there]) and not schema[name].is_temporal() else usual
        )
        found.append(Pair(name, there, one or plain))
    return found


def _sides(
    table: pl.LazyFrame, other: pl.LazyFrame, settings: CompareTablesSettings, pairs: Sequence[Pair]
) -> tuple[pl.LazyFrame, pl.LazyFrame]:
    """Both tables with nothing but what is compared, under names of ours."""
    schema, its = table.collect_schema(), other.collect_schema()
    keys = list(dict.fromkeys(settings.keys))
    numbers = settings.as_numbers
    left = table.select(
        *(
            key_of(key.column, schema, its[key.reference], numbers=numbers).alias(f"\0key{n}")
            for n, key in enumerate(keys)
        ),
        *(pl.col(key.column).alias(f"\0told{n}") for n, key in enumerate(keys)),
        *(pl.col(pair.here).alias(f"\0here{n}") for n, pair in enumerate(pairs)),
        pl.lit(True).alias("\0mine"),
        *(pl.col(PLACE) for name in schema if name == PLACE),
    )
    right = other.select(
        *(
            key_of(key.reference, its, schema[key.column], numbers=numbers).alias(f"\0key{n}")
            for n, key in enumerate(keys)
        ),
        *(pl.col(key.reference).alias(f"\0said{n}") for n, key in enumerate(keys)),
        *(pl.col(pair.there).alias(f"\0there{n}") for n, pair in enumerate(pairs)),
        pl.lit(True).alias("\0theirs"),
        *(pl.col(OTHER_PLACE) for name in its if name == OTHER_PLACE),
    )
    return left, right


def _wide(
    pairs: Sequence[Pair], types: Sequence[tuple[pl.DataType, pl.DataType]], taken: set[str]
) -> list[pl.Expr]:
    """Of each column what stands here and there, and of numbers and days the difference."""
    made = []
    taken = taken | {pair.here for pair in pairs}
    for n, pair in enumerate(pairs):
        made.append(pl.col(f"\0here{n}").alias(pair.here))
        more = [("there", "there"), *([("far", "difference")] if has_difference(*types[n]) else [])]
        for side, word in more:
            name = f"{pair.here} {word}"
            while name in taken:
                name += " 2"
            taken.add(name)
            made.append(pl.col(f"\0{side}{n}").alias(name))
    return made


def _doubles(left: pl.LazyFrame, right: pl.LazyFrame, names: Sequence[str]) -> list[Count]:
    return [
        Count(
            f"double_keys{n}",
            side.select(pl.struct(names).is_duplicated().sum()),
            f"{{n}} rows of {which} share their key; the first of them is compared",
            "warning",
            one=f"{{n}} row of {which} shares its key",
        )
        for n, (side, which) in enumerate(((left, "this table"), (right, "the other")))
    ]


def _largest(table: pl.LazyFrame, size: pl.Expr, settings: CompareTablesSettings) -> pl.LazyFrame:
    """With the largest difference first, where that is asked for."""
    if settings.order == "rows":
        return table
    return table.sort(size, descending=True, nulls_last=True, maintain_order=True)


def _count(judged: pl.LazyFrame, status: str, side: str, many: str, one: str) -> Count:
    number = judged.select((pl.col("Status") == status).sum())
    return Count(status.replace(" ", "_"), number, many, one=one, side=side)


def _by_column(judged: pl.LazyFrame, pairs: Sequence[Pair]) -> pl.LazyFrame:
    """A row for each column: over the rows that stand in both, how many differ, and by how much."""
    both = judged.filter(pl.col("Status").is_in(["differs", "same"]))
    schema = {
        "Column": pl.String,
        "Rows": pl.Int64,
        "Differ": pl.Int64,
        "Empty here": pl.Int64,
        "Empty there": pl.Int64,
        "Largest difference": pl.Float64,
        "Sum of differences": pl.Float64,
    }
    parts = []
    for n, pair in enumerate(pairs):
        here, there, far = (pl.col(f"\0{side}{n}") for side in ("here", "there", "far"))
        counted = pl.when(pl.col(f"\0differs{n}")).then(far)
        parts.append(
            both.select(
                pl.lit(pair.here, pl.String).alias("Column"),
                pl.len().cast(pl.Int64).alias("Rows"),
                pl.col(f"\0differs{n}").sum().cast(pl.Int64).alias("Differ"),
                (here.is_null() & there.is_not_null()).sum().cast(pl.Int64).alias("Empty here"),
                (here.is_not_null() & there.is_null()).sum().cast(pl.Int64).alias("Empty there"),
                counted.abs().max().alias("Largest difference"),
                pl.when(counted.count() > 0).then(counted.sum()).alias("Sum of differences"),
            )
        )
    return pl.concat(parts) if parts else pl.LazyFrame(schema=schema)


def _cells(judged: pl.LazyFrame, keys: list[pl.Expr], pairs: Sequence[Pair]) -> pl.LazyFrame:
    """A row for each cell that differs, and one for each row that stands in one table alone."""
    order = judged.with_columns(*keys).with_row_index("\0row")
    names = [key.meta.output_name() for key in keys]
    parts = [
        order.filter(pl.col("Status").is_in(["only here", "only there"])).select(
            "\0row", pl.lit(-1, pl.Int32).alias("\0at"), *names, "Status",
            pl.lit(None, pl.String).alias("Column"), pl.lit(None, pl.String).alias("Here"),
            pl.lit(None, pl.String).alias("There"), pl.lit(None, pl.Float64).alias("Difference"),
        )
    ]  # fmt: skip
    for n, pair in enumerate(pairs):
        parts.append(
            order.filter((pl.col("Status") == "differs") & pl.col(f"\0differs{n}")).select(
                "\0row", pl.lit(n, pl.Int32).alias("\0at"), *names, "Status",
                pl.lit(pair.here).alias("Column"), text_shown(f"\0here{n}").alias("Here"),
                text_shown(f"\0there{n}").alias("There"), pl.col(f"\0far{n}").alias("Difference"),
            )
        )  # fmt: skip
    return pl.concat(parts).sort("\0row", "\0at").drop("\0row", "\0at")
