"""What Keep rows and Drop rows share: rows by conditions or by position."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Literal

import polars as pl

from updraft.core.problems import Problem
from updraft.core.steps.base import StepKind
from updraft.core.steps.conditions import Only, Rule, compiled
from updraft.core.steps.given import Context, Result, Wanted, also
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.spread import BY_ROWS, WHOLE, Spread
from updraft.core.steps.tables import Tables
from updraft.core.values import is_blank


class RowChoice(Settings):
    """Rows by a rule on their values, by where they stand (counted from 1), or by what they are as a whole.

    A blank row has no value at all; a row that repeats the header holds the names of at least two columns,
    and of most of the columns in which it is filled.
    """

    by: Literal["rule", "first", "last", "range", "every", "blank", "header"] = setting(
        "Rows by",
        widget="choice",
        default="rule",
        labels={
            "rule": "conditions",
            "first": "first",
            "last": "last",
            "range": "from–to",
            "every": "every n-th",
            "blank": "all empty",
            "header": "repeat the header",
        },
    )
    rule: Rule = setting("Where", widget="rule", default=Rule(), when={"by": ["rule"]})
    count: int = setting(
        "How many",
        "in the order of the table that comes in",
        widget="number",
        default=1,
        when={"by": ["first", "last"]},
        minimum=0,
    )
    start: int = setting("From row", widget="number", default=1, when={"by": ["range"]}, minimum=1)
    end: int = setting("To row", widget="number", default=1, when={"by": ["range"]}, minimum=1)
    every: int = setting(
        "Every", "2 takes rows 1, 3, 5 …", widget="number", default=2, when={"by": ["every"]}, minimum=1
    )

    def words(self) -> str:
        return {
            "rule": f"where {self.rule.words()}",
            "first": f"the first {self.count:,}",
            "last": f"the last {self.count:,}",
            "range": f"rows {self.start:,} to {self.end:,}",
            "every": f"every {self.every}. row",
            "blank": "where every cell is empty",
            "header": "that repeat the header",
        }[self.by]


class RowFilter(StepKind):
    """Base of the two kinds; `keep` says which side of the choice stays."""

    keep = True
    Settings = RowChoice

    def apply(self, tables: Tables, settings: RowChoice, context: Context) -> Result:
        table = tables.main
        schema = table.collect_schema()
        match settings.by:
            case "rule":
                chosen = compiled(settings.rule, schema)
            case "blank":
                chosen = blank_row(schema)
            case "header":
                chosen = header_row(schema)
            case _:
                chosen = _by_position(settings)
                first = settings.start - 1 if settings.by == "range" else 0
                if self.keep and settings.by in ("first", "range"):  # so that no other row need be held
                    many = settings.count if settings.by == "first" else settings.end - first
                    return Result(table.slice(first, many))
                if not self.keep and settings.by == "first":
                    return Result(table.slice(settings.count))
        return Result(table.filter(chosen if self.keep else ~chosen))

    def reads(self, settings: RowChoice, wanted: Wanted, port: str) -> Wanted:
        if settings.by in ("blank", "header"):
            return None
        return also(wanted, settings.rule.columns() if settings.by == "rule" else ())

    def keeps(self, settings: RowChoice) -> Only | None:
        return Only(settings.rule, self.keep) if settings.by == "rule" and settings.rule.of else None

    def spread(self, settings: Any, schemas: Mapping[str, pl.Schema]) -> Spread:
        return BY_ROWS if settings.by in ("rule", "blank", "header") else WHOLE

    def sentence(self, settings: Any) -> str:
        return str(settings.words())


def blank_row(schema: pl.Schema) -> pl.Expr:
    """Whether a row has no value at all."""
    return pl.all_horizontal(pl.lit(True), *(is_blank(name, dtype) for name, dtype in schema.items()))


def header_row(schema: pl.Schema) -> pl.Expr:
    """Whether a row holds the names of at least two columns, and of most of those in which it is filled."""
    texts = [name for name, dtype in schema.items() if isinstance(dtype, pl.String)]
    if len(texts) < 2:
        return pl.lit(False)
    same = pl.sum_horizontal(
        pl.col(name).str.strip_chars().str.to_lowercase().eq_missing(pl.lit(name.strip().lower()))
        for name in texts
    )
    filled = pl.sum_horizontal(~is_blank(name, dtype) for name, dtype in schema.items())
    return (same >= 2) & (same * 10 >= filled * 6)


def _by_position(settings: RowChoice) -> pl.Expr:
    number = pl.int_range(1, pl.len() + 1)
    if settings.count < 0 or settings.start < 1 or settings.every < 1:
        raise Problem("The row numbers", "rows are counted from 1.", "Type numbers above 0.")
    if settings.by == "range" and settings.end < settings.start:
        raise Problem(
            "The row numbers",
            f"row {settings.end} comes before row {settings.start}.",
            "Swap them.",
            field="end",
        )
    return {
        "first": number <= settings.count,
        "last": number > pl.len().cast(pl.Int64) - settings.count,
        "range": number.is_between(settings.start, settings.end),
        "every": (number - 1) % settings.every == 0,
    }[settings.by]
