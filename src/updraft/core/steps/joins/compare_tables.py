from collections.abc import Mapping
from typing import Literal

import polars as pl

from updraft.core.problems import Problem
from updraft.core.steps.base import Context, Count, Result, Settings, StepKind, setting
from updraft.core.steps.choice import listed, need_columns
from updraft.core.steps.joins.keys import KeyPair, check_keys, digits_as_numbers, key_of
from updraft.core.steps.spread import OTHER_PLACE, PLACE, WHOLE, Spread
from updraft.core.steps.tables import Out, Port, Tables
from updraft.core.values import Kind, kind_of
from updraft.core.values.text import shown

_NUMBERS = (Kind.WHOLE, Kind.NUMBER)


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
    tolerance: float = setting("Numbers may differ by", widget="decimal", default=0.0)
    as_numbers: bool = digits_as_numbers()
    same: bool = setting(
        "Show rows that are the same", widget="flag", default=False, when={"shape": ["rows"]}
    )


class CompareTables(StepKind):
    """Compare with another table by keys: what is here alone, there alone, and which cells differ. Rows whose
    key stands several times in a table are compared by the first of them, and counted.
    """

    kind = "compare_tables"
    title = "Compare tables"
    summary = "Tell by keys which rows and cells differ between two tables"
    words = ("diff", "difference", "changes", "reconcile", "what changed", "audit")
    icon = "file-diff"
    inputs = (Port(main=True), Port("reference", "Compare with"))
    outputs = (Out(main=True), Out("same", "Rows that are the same"))
    Settings = CompareTablesSettings

    def apply(self, tables: Tables, settings: CompareTablesSettings, context: Context) -> Result:
        table, other = tables.main, tables["reference"]
        schema, its = table.collect_schema(), other.collect_schema()
        check_keys(settings.keys, schema, its, numbers=settings.as_numbers)
        need_columns(settings.columns, schema, field="columns")
        need_columns(settings.columns, its, field="columns")
        pairs = dict.fromkeys(settings.keys)
        mine, theirs = [k.column for k in pairs], [k.reference for k in pairs]
        if twice := next((name for name in mine if mine.count(name) > 1), None):
            raise Problem(
                f"Column “{twice}”",
                "it is a key twice, with two columns of the other table.",
                "Keep one of them.",
                field="keys",
                code="two_columns",
            )
        both_have = settings.columns or [name for name in schema if name in its and name not in theirs]
        compared = [name for name in dict.fromkeys(both_have) if name not in mine]  # keys are equal anyway
        names = [f"\0key{n}" for n in range(len(mine))]
        numbers = settings.as_numbers
        left = table.select(
            *(
                key_of(m, schema, its[t], numbers=numbers).alias(key)
                for m, t, key in zip(mine, theirs, names, strict=True)
            ),
            *(pl.col(name).alias(f"\0told{n}") for n, name in enumerate(mine)),
            *(pl.col(name).alias(f"\0here{n}") for n, name in enumerate(compared)),
            pl.lit(True).alias("\0mine"),
            *(pl.col(PLACE) for name in schema if name == PLACE),
        )
        right = other.select(
            *(
                key_of(t, its, schema[m], numbers=numbers).alias(key)
                for m, t, key in zip(mine, theirs, names, strict=True)
            ),
            *(pl.col(name).alias(f"\0said{n}") for n, name in enumerate(theirs)),
            *(pl.col(name).alias(f"\0there{n}") for n, name in enumerate(compared)),
            pl.lit(True).alias("\0theirs"),
            *(pl.col(OTHER_PLACE) for name in its if name == OTHER_PLACE),
        )
        doubles = [
            Count(
                f"double_keys{n}",
                side.select(pl.struct(names).is_duplicated().sum()),
                f"{{n}} rows of {which} share their key; the first of them is compared",
                "warning",
                one=f"{{n}} row of {which} shares its key",
            )
            for n, (side, which) in enumerate(((left, "this table"), (right, "the other")))
        ]
        both = left.unique(names, keep="first", maintain_order=True).join(
            right.unique(names, keep="first", maintain_order=True),
            on=names, how="full", coalesce=True, maintain_order="left_right", nulls_equal=True,
        )  # fmt: skip
        differ = [
            _differs(f"\0here{n}", f"\0there{n}", schema[name], its[name], settings.tolerance)
            for n, name in enumerate(compared)
        ]
        any_differs = pl.any_horizontal([pl.lit(False), *differ])
        status = (
            pl.when(pl.col("\0theirs").is_null()).then(pl.lit("only here"))
            .when(pl.col("\0mine").is_null()).then(pl.lit("only there"))
            .when(any_differs).then(pl.lit("differs"))
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
            status, *(expr.alias(f"\0differs{n}") for n, expr in enumerate(differ))
        ).cache()
        counts = [*doubles, *(_count(judged, code, many, one) for code, many, one in _SAID)]
        wide = judged.select(
            *keys, "Status",
            *(
                pl.col(f"\0{side}{n}").alias(name if side == "here" else f"{name} there")
                for n, name in enumerate(compared)
                for side in ("here", "there")
            ),
        )  # fmt: skip
        same = wide.filter(pl.col("Status") == "same")
        if settings.shape == "rows":
            shown_rows = wide if settings.same else wide.filter(pl.col("Status") != "same")
            return Result(shown_rows, {"same": same}, tuple(counts))
        return Result(_cells(judged, keys, compared), {"same": same}, tuple(counts))

    def spread(self, settings: CompareTablesSettings, schemas: Mapping[str, pl.Schema]) -> Spread:
        schema, its = schemas["table"], schemas["reference"]
        pairs = [(k.column, k.reference) for k in settings.keys if k.column in schema and k.reference in its]
        if not pairs or len(pairs) < len(settings.keys):
            return WHOLE
        numbers = settings.as_numbers
        here = [key_of(m, schema, its[t], numbers=numbers) for m, t in pairs]
        there = [key_of(t, its, schema[m], numbers=numbers) for m, t in pairs]
        return Spread("keys", {"table": here, "reference": there})

    def sentence(self, settings: CompareTablesSettings) -> str:
        by = listed(pair.column for pair in settings.keys)
        return f"{listed(settings.columns) or 'all columns that both have'} · by {by or '…'}"


_SAID = (
    ("only here", "{n} rows are here alone", "{n} row is here alone"),
    ("only there", "{n} rows are there alone", "{n} row is there alone"),
    ("differs", "{n} rows differ", "{n} row differs"),
    ("same", "{n} rows are the same", "{n} row is the same"),
)


def _count(judged: pl.LazyFrame, status: str, many: str, one: str) -> Count:
    number = judged.select((pl.col("Status") == status).sum())
    return Count(status.replace(" ", "_"), number, many, one=one, side="same" if status == "same" else "")


def _differs(here: str, there: str, mine: pl.DataType, its: pl.DataType, tolerance: float) -> pl.Expr:
    a, b = pl.col(here), pl.col(there)
    kinds = kind_of(mine), kind_of(its)
    if all(kind in _NUMBERS for kind in kinds):
        a, b = a.cast(pl.Float64), b.cast(pl.Float64)
        far = (a - b).abs() > tolerance if tolerance else a != b
        return far.fill_null(False) | (a.is_null() != b.is_null())
    if kinds[0] is not kinds[1]:
        a, b = _text(here), _text(there)
    return a.ne_missing(b)


def _text(name: str) -> pl.Expr:
    return pl.col(name).map_batches(shown, return_dtype=pl.String, is_elementwise=True)


def _cells(judged: pl.LazyFrame, keys: list[pl.Expr], compared: list[str]) -> pl.LazyFrame:
    """A row for each cell that differs, and one for each row that stands in one table alone."""
    order = judged.with_columns(*keys).with_row_index("\0row")
    names = [key.meta.output_name() for key in keys]
    parts = [
        order.filter(pl.col("Status").is_in(["only here", "only there"])).select(
            "\0row", pl.lit(-1, pl.Int32).alias("\0at"), *names, "Status",
            pl.lit(None, pl.String).alias("Column"), pl.lit(None, pl.String).alias("Here"),
            pl.lit(None, pl.String).alias("There"),
        )
    ]  # fmt: skip
    for n, name in enumerate(compared):
        parts.append(
            order.filter((pl.col("Status") == "differs") & pl.col(f"\0differs{n}")).select(
                "\0row", pl.lit(n, pl.Int32).alias("\0at"), *names, "Status", pl.lit(name).alias("Column"),
                _text(f"\0here{n}").alias("Here"), _text(f"\0there{n}").alias("There"),
            )
        )  # fmt: skip
    return pl.concat(parts).sort("\0row", "\0at").drop("\0row", "\0at")
