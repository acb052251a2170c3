from typing import Literal

import polars as pl

from updraft.core.formula.functions.text import as_text
from updraft.core.formula.terms import Term
from updraft.core.linking import Field, groups_of_one_thing
from updraft.core.problems import Problem
from updraft.core.steps.base import StepKind
from updraft.core.steps.choice import Order, listed, need_free
from updraft.core.steps.counts import Count
from updraft.core.steps.given import Context, Result
from updraft.core.steps.likeness import OwnFieldAlike, check_fields, least_alike, texts
from updraft.core.steps.ordering import sort_keys, sort_rank
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.tables import Out, Tables
from updraft.core.values import Kind, kind_of

_ROW, _GROUP, _ALIKE, _FIRST = "\0row", "\0group", "\0alike", "\0first"  # names no file can bring
_HOW = {
    "first": "of the row that stays, else the next filled",
    "frequent": "most frequent",
    "longest": "longest",
    "min": "smallest",
    "max": "largest",
    "sum": "sum",
    "list": "all that differ, with commas",
}


class MergedColumn(Settings):
    column: str = setting("Column", widget="column", default="", needs="one")
    how: Literal["first", "frequent", "longest", "min", "max", "sum", "list"] = setting(
        "Holds", widget="choice", default="frequent", labels=_HOW
    )


class MergeDoubleRowsSettings(Settings):
    fields: tuple[OwnFieldAlike, ...] = setting("Alike in", widget="alike", default=(), needs="some")
    least: int = least_alike(85)
    then: Literal["merge", "keep", "mark"] = setting(
        "Rows of one thing",
        widget="pick_one",
        default="merge",
        labels={"merge": "become one", "keep": "one of them stays", "mark": "are marked"},
    )
    stays: Literal["first", "last", "fullest"] = setting(
        "Which one stays",
        widget="choice",
        default="fullest",
        labels={"first": "the first", "last": "the last", "fullest": "with most filled cells"},
        when={"then": ["merge", "keep"]},
    )
    order: tuple[Order, ...] = setting(
        "First by", "none: as the rows stand", widget="order", default=(), when={"then": ["merge", "keep"]}
    )
    merged: tuple[MergedColumn, ...] = setting(
        "Columns of the merged row",
        "others hold what stands in the row that stays, else the next filled",
        widget="items",
        default=(),
        one="column",
        when={"then": ["merge"]},
    )
    group: str = setting(
        "Name of the group's column", widget="text", default="Group", needs="name", when={"then": ["mark"]}
    )
    likeness: str = setting(
        "Name of a column for the likeness",
        "nothing makes none",
        widget="text",
        default="Likeness",
        when={"then": ["mark"]},
    )


class MergeDoubleRows(StepKind):
    """Find rows of one table that stand for one thing, though they are written differently, by their likeness
    in several fields; make one row of each group of them, keep one, or mark them.

    Every row of a group is alike enough to its middle, so no chain of small steps makes one of two things.
    Empty fields count little and match nothing. Of many rows each is compared with the ten that share most of
    what few rows have.
    """

    kind = "merge_double_rows"
    title = "Merge double rows"
    summary = "Find rows that stand for one thing, though written differently, and make one of them"
    words = (
        "dedupe",
        "fuzzy duplicates",
        "record linkage",
        "entity resolution",
        "same person twice",
        "golden record",
        "survivor",
        "near duplicates",
    )
    icon = "people-fill"
    needs = frozenset({"whole"})
    outputs = (
        Out(main=True),
        Out("groups", "Rows found double, in groups"),
        Out("removed", "Rows that went"),
    )
    Settings = MergeDoubleRowsSettings

    def apply(self, tables: Tables, settings: MergeDoubleRowsSettings, context: Context) -> Result:
        table = tables.main
        schema = table.collect_schema()
        check_fields(settings.fields)
        found = self._found(table, settings).lazy()
        grouped = table.with_row_index(_ROW).join(found, on=_ROW, how="left", maintain_order="left").cache()
        double = grouped.filter(pl.col(_GROUP).is_not_null())
        names = self._names(settings, schema)
        groups = double.sort(_GROUP, _ROW).select(
            pl.col(_GROUP).alias(names[0]), *schema.names(), pl.col(_ALIKE).alias(names[1])
        )
        counts = self._counts(settings, double)
        if settings.then == "mark":
            likeness = [pl.col(_ALIKE).alias(names[1])] if settings.likeness.strip() else []
            marked = grouped.select(*schema.names(), pl.col(_GROUP).alias(names[0]), *likeness)
            return Result(marked, {"groups": groups, "removed": table.head(0)}, counts, ())
        ordered = self._ordered(grouped, settings, schema)
        firsts = ordered.select(_ROW, pl.col(_ROW).first().over(_one()).alias(_FIRST))
        placed = grouped.join(firsts, on=_ROW, how="left", maintain_order="left")
        removed = placed.filter(pl.col(_FIRST) != pl.col(_ROW)).select(schema.names())
        kept = placed.filter(pl.col(_FIRST) == pl.col(_ROW)).select(schema.names())
        if settings.then == "merge":
            kept = self._merged(ordered, settings, schema)
        return Result(kept, {"groups": groups, "removed": removed}, counts)

    def _found(self, table: pl.LazyFrame, settings: MergeDoubleRowsSettings) -> pl.DataFrame:
        """Which rows are in which group, from 1 on, and how alike they are to its middle."""
        made = texts(table, [one.column for one in settings.fields]).collect(engine="in-memory")
        fields = [Field(str(n), str(n), one.measure, one.weight) for n, one in enumerate(settings.fields)]
        groups = groups_of_one_thing(made, fields, least=float(settings.least))
        number = pl.col("group").rank("dense").cast(pl.Int64)
        return groups.select(pl.col("row").alias(_ROW), number.alias(_GROUP), pl.col("score").alias(_ALIKE))

    def _names(self, settings: MergeDoubleRowsSettings, schema: pl.Schema) -> tuple[str, str]:
        names = (settings.group.strip() or "Group", settings.likeness.strip() or "Likeness")
        need_free(names, schema, field="group", way_out="Give it another name.")
        return names

    def _ordered(
        self, grouped: pl.LazyFrame, settings: MergeDoubleRowsSettings, schema: pl.Schema
    ) -> pl.LazyFrame:
        """The rows, those that are to stay first."""
        by: list[pl.Expr] = []
        down: list[bool] = []
        for order in settings.order:
            by.append(sort_rank(order.column, schema[order.column]))
            down.append(order.down)
        if settings.stays == "fullest":
            filled = pl.sum_horizontal(pl.col(name).is_not_null() for name in schema)
            by, down = [filled, *by], [True, *down]
        by, down = [*by, pl.col(_ROW)], [*down, settings.stays == "last"]
        return grouped.sort(by, descending=down, nulls_last=True, maintain_order=True)

    def _merged(
        self, ordered: pl.LazyFrame, settings: MergeDoubleRowsSettings, schema: pl.Schema
    ) -> pl.LazyFrame:
        how = {one.column: one.how for one in settings.merged}
        made = [_made(name, schema[name], how.get(name, "first")) for name in schema]
        merged = ordered.group_by(_one().alias("\0one")).agg(*made, pl.col(_ROW).min().alias(_FIRST))
        return merged.sort(_FIRST).select(schema.names())

    def _counts(self, settings: MergeDoubleRowsSettings, double: pl.LazyFrame) -> tuple[Count, ...]:
        fields = listed([one.column for one in settings.fields])
        things = double.select(pl.col(_GROUP).n_unique())
        rows = double.select(pl.len())
        return (
            Count(
                "groups",
                things,
                f"{{n}} things stand in several rows, alike in {fields}",
                one=f"{{n}} thing stands in several rows, alike in {fields}",
            ),
            Count("double", rows, "{n} rows are those of them", one="{n} row is one of them", side="groups"),
        )

    def sentence(self, settings: MergeDoubleRowsSettings) -> str:
        fields = listed([one.column or "…" for one in settings.fields]) or "…"
        then = {"merge": "become one", "keep": "one stays", "mark": "marked"}[settings.then]
        return f"alike in {fields} by at least {settings.least} % · {then}"


def _one() -> pl.Expr:
    """What tells things apart: the group, or for rows that are alone their own place."""
    alone = -1 - pl.col(_ROW).cast(pl.Int64)
    return pl.coalesce(pl.col(_GROUP), alone)


def _made(name: str, dtype: pl.DataType, how: str) -> pl.Expr:
    """A merged column, over the rows of a thing in the order in which they are to stay."""
    column, kind = pl.col(name), kind_of(dtype)
    filled = column.drop_nulls()
    if how in ("longest", "list") and kind in (Kind.LIST, Kind.RECORD):
        raise _unfit(name, how)
    if how == "sum" and kind not in (Kind.WHOLE, Kind.NUMBER):
        raise _unfit(name, how)
    if how in ("min", "max") and dtype.is_nested():
        raise _unfit(name, how)
    match how:
        case "frequent":
            return filled.mode(maintain_order=True).first().alias(name)
        case "longest":
            length = as_text(Term(filled, kind)).str.len_chars()
            return filled.sort_by(length, descending=True, maintain_order=True).first().alias(name)
        case "min" | "max":
            key = sort_keys(name, dtype)
            picked = column.sort_by(key, descending=how == "max", nulls_last=True, maintain_order=True)
            return picked.first().alias(name)
        case "sum":
            return pl.when(column.count() > 0).then(column.sum()).alias(name)
        case "list":
            text = as_text(Term(filled.unique(maintain_order=True), kind))
            return pl.when(column.count() > 0).then(text.str.join(", ")).alias(name)
        case _:
            return filled.first().alias(name)


def _unfit(name: str, how: str) -> Problem:
    return Problem(
        f"Column “{name}”", f"its values have no “{_HOW[how]}”.", "Choose another way for it.", field="merged"
    )
