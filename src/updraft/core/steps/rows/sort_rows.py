from collections.abc import Mapping
from typing import Literal

import polars as pl

from updraft.core.problems import Problem
from updraft.core.steps.base import StepKind
from updraft.core.steps.choice import Order, listed
from updraft.core.steps.given import Context, Result, Wanted, also
from updraft.core.steps.ordering import sort_keys, sort_rank, text_order
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.spread import WHOLE, Spread
from updraft.core.steps.tables import Tables


class SortRowsSettings(Settings):
    order: tuple[Order, ...] = setting(
        "By", "the first column counts most", widget="order", default=(), needs="some"
    )
    text: Literal["natural", "letters", "signs"] = text_order("Text", "natural: A2 before A10, é beside e")
    language: Literal["any", "da", "de", "es", "et", "pl", "cs", "sv"] = setting(
        "Letters in the order of",
        widget="pick_one",
        default="any",
        labels={
            "any": "most languages: é beside e, ö beside o",
            "cs": "Czech and Slovak: č behind c, ch behind h",
            "da": "Danish and Norwegian: æ ø å last",
            "de": "German directories: ä as ae",
            "es": "Spanish: ñ behind n",
            "et": "Estonian: õ ä ö ü last",
            "pl": "Polish: ą behind a, ł behind l",
            "sv": "Swedish and Finnish: å ä ö last",
        },
        when={"text": ["natural", "letters"]},
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
            keys.append(sort_rank(order.column, schema[order.column], settings.text, settings.language))
            down.append(order.down)
        return Result(
            table.sort(keys, descending=down, nulls_last=settings.empty == "last", maintain_order=True)
        )

    def reads(self, settings: SortRowsSettings, wanted: Wanted, port: str) -> Wanted:
        return also(wanted, [order.column for order in settings.order])

    def spread(self, settings: SortRowsSettings, schemas: Mapping[str, pl.Schema]) -> Spread:
        schema = schemas["table"]
        if not settings.order or settings.order[0].column not in schema:
            return WHOLE
        first, dtype = settings.order[0], schema[settings.order[0].column]
        if dtype.is_nested():
            return WHOLE
        along = sort_keys(first.column, dtype, settings.text, settings.language)[0]
        return Spread("sort", along=along, down=first.down, empty_first=settings.empty == "first")

    def sentence(self, settings: SortRowsSettings) -> str:
        return (
            f"by {listed([order.words() for order in settings.order])}" if settings.order else "no column yet"
        )
