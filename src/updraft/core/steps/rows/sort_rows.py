from typing import Literal

import polars as pl

from updraft.core.problems import Problem
from updraft.core.steps.base import Context, Result, Settings, StepKind, Wanted, also, setting
from updraft.core.steps.choice import Order, listed, need_columns
from updraft.core.steps.tables import Tables
from updraft.core.values import is_blank

_WIDE = 24  # digits that a number inside a text is filled up to; longer ones are compared as text


class SortRowsSettings(Settings):
    order: tuple[Order, ...] = setting("By", "the first column counts most", widget="order", default=())
    text: Literal["natural", "letters", "signs"] = setting(
        "Text",
        "natural: A2 before A10, é beside e",
        widget="choice",
        default="natural",
        labels={"natural": "natural", "letters": "letter by letter", "signs": "by character code"},
    )
    empty: Literal["last", "first"] = setting(
        "Empty cells", widget="choice", default="last", labels={"last": "last", "first": "first"}
    )


class SortRows(StepKind):
    """Put the rows in order by one or more columns; rows that are equal in all of them stay as they stand."""

    kind = "sort_rows"
    title = "Sort rows"
    summary = "Put the rows in order by one or more columns"
    words = (
        "order by",
        "arrange",
        "ascending",
        "descending",
        "alphabetical",
        "rank",
        "largest first",
        "newest first",
    )
    icon = "sort-down"
    made_for = "order"
    Settings = SortRowsSettings

    def apply(self, tables: Tables, settings: SortRowsSettings, context: Context) -> Result:
        table = tables.main
        schema = table.collect_schema()
        if not settings.order:
            raise Problem(
                "The order",
                "no column is chosen yet.",
                "Choose the column to sort by.",
                field="order",
                code="unfinished",
            )
        need_columns([order.column for order in settings.order], schema, field="order")
        for order in settings.order:
            if schema[order.column].is_nested():
                raise Problem(
                    f"Column “{order.column}”",
                    "it holds lists or records, which have no order.",
                    "Choose another column.",
                    field="order",
                    code="no_order",
                )
        keys, down = [], []
        for order in settings.order:
            here = sort_keys(order.column, schema[order.column], settings.text)
            keys += here
            down += [order.down] * len(here)
        return Result(
            table.sort(keys, descending=down, nulls_last=settings.empty == "last", maintain_order=True)
        )

    def reads(self, settings: SortRowsSettings, wanted: Wanted, port: str) -> Wanted:
        return also(wanted, [order.column for order in settings.order])

    def sentence(self, settings: SortRowsSettings) -> str:
        return (
            f"by {listed([order.words() for order in settings.order])}" if settings.order else "no column yet"
        )


def sort_keys(name: str, dtype: pl.DataType, text: str = "natural") -> list[pl.Expr]:
    """What a column is compared by; text of nothing but blanks counts as empty.

    Natural: letters without accents and case, numbers inside by their size; where that is equal, the text
    itself.
    Letters: the same without the numbers.
    """
    column = pl.col(name)
    if isinstance(dtype, pl.Float32 | pl.Float64):
        return [pl.when(column.is_not_nan()).then(column)]
    if not isinstance(dtype, pl.String):
        return [column]
    column = pl.when(~is_blank(name, dtype)).then(column)
    if text == "signs":
        return [column]
    folded = column.str.strip_chars().str.normalize("NFKD").str.replace_all(r"\p{M}", "").str.to_lowercase()
    if text == "natural":
        part = pl.element()
        filled = pl.when(part.str.contains(r"^\d")).then(part.str.zfill(_WIDE)).otherwise(part)
        numbered = folded.str.extract_all(r"\d+|\D+").list.eval(filled).list.join("")
        folded = pl.when(folded.str.contains(r"\d")).then(numbered).otherwise(folded)
    return [folded, column]
