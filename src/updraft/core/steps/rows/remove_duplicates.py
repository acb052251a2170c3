from collections.abc import Mapping
from typing import Literal

import polars as pl

from updraft.core.steps.base import StepKind
from updraft.core.steps.choice import Order, listed
from updraft.core.steps.counts import Count
from updraft.core.steps.given import Context, Result, Wanted, also
from updraft.core.steps.ordering import sort_rank, text_order
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.spread import WHOLE, Spread
from updraft.core.steps.tables import Out, Tables


class RemoveDuplicatesSettings(Settings):
    keys: tuple[str, ...] = setting("Equal in", "none chosen: in every column", widget="names", default=())
    stays: Literal["first", "last", "fullest"] = setting(
        "Which one stays",
        widget="choice",
        default="first",
        labels={"first": "the first", "last": "the last", "fullest": "with most filled cells"},
    )
    order: tuple[Order, ...] = setting("First by", "none: as the rows stand", widget="order", default=())
    text: Literal["natural", "letters", "signs"] = text_order(
        "Texts in the order", "natural: Rev. 2 before Rev. 10"
    )
    ignore_case: bool = setting("Ignore case", widget="flag", default=False)
    ignore_blanks: bool = setting(
        "Ignore blanks", "at the ends and where they are doubled", widget="flag", default=False
    )


class RemoveDuplicates(StepKind):
    """Keep one of several rows that are equal in some columns. Empty equals empty; rows keep their order."""

    kind = "remove_duplicates"
    title = "Remove duplicates"
    summary = "Keep one row of several that are equal in the columns you choose"
    words = ("dedupe", "deduplicate", "distinct", "unique", "duplicate rows", "double")
    icon = "layers"
    version = 2
    outputs = (Out(main=True), Out("removed", "Removed rows"))
    Settings = RemoveDuplicatesSettings

    def apply(self, tables: Tables, settings: RemoveDuplicatesSettings, context: Context) -> Result:
        table = tables.main
        schema = table.collect_schema()
        names = list(settings.keys) or schema.names()
        keys = [self._key(name, schema[name], settings).alias(f"\0key{n}") for n, name in enumerate(names)]
        if not keys:
            return Result(table, {"removed": table})
        # Sorted by what is to stay, the first of each group does; its place in the table decides where it
        # stands.
        numbered = table.with_columns(*keys, pl.int_range(pl.len()).alias("\0row"))
        by: list[pl.Expr] = []
        down: list[bool] = []
        for order in settings.order:
            by.append(sort_rank(order.column, schema[order.column], settings.text))
            down.append(order.down)
        if settings.stays == "fullest":
            by, down = [pl.sum_horizontal(pl.col(name).is_not_null() for name in schema), *by], [True, *down]
        ordered = numbered.sort(by, descending=down, nulls_last=True, maintain_order=True) if by else numbered
        ordered = ordered.with_columns(pl.int_range(pl.len()).alias("\0place"))
        groups = [f"\0key{n}" for n in range(len(keys))]
        place = pl.col("\0place")  # the least of a group is found several times as fast as its first
        it = (place.max() if settings.stays == "last" else place.min()).over(groups)
        stays = ordered.select("\0row", (place == it).alias("\0stays"))
        stays = (stays.sort("\0row") if by else stays).select("\0stays")
        marked = pl.concat([table, stays], how="horizontal").cache()
        kept, removed = (
            marked.filter(side).drop("\0stays") for side in (pl.col("\0stays"), ~pl.col("\0stays"))
        )
        return Result(
            kept,
            {"removed": removed},
            (
                Count(
                    "removed",
                    removed.select(pl.len()),
                    f"{{n}} rows removed, equal in {listed(settings.keys) or 'every column'}",
                    one=f"{{n}} row removed, equal in {listed(settings.keys) or 'every column'}",
                    side="removed",
                ),
            ),
        )

    def _key(self, name: str, dtype: pl.DataType, settings: RemoveDuplicatesSettings) -> pl.Expr:
        key = pl.col(name)
        if not isinstance(dtype, pl.String):
            return key
        if settings.ignore_blanks:
            key = key.str.replace_all(r"[\s\u{a0}\u{200b}\u{feff}]+", " ").str.strip_chars()
            key = pl.when(key != "").then(key)
        return key.str.to_lowercase() if settings.ignore_case else key

    def reads(self, settings: RemoveDuplicatesSettings, wanted: Wanted, port: str) -> Wanted:
        if not settings.keys or settings.stays == "fullest":
            return None
        return also(wanted, [*settings.keys, *(order.column for order in settings.order)])

    def spread(self, settings: RemoveDuplicatesSettings, schemas: Mapping[str, pl.Schema]) -> Spread:
        schema = schemas["table"]
        names = tuple(settings.keys or schema.names())
        if not names or any(name not in schema for name in names):
            return WHOLE
        keys = [self._key(name, schema[name], settings) for name in names]
        # All columns are the keys: without the one that the engine adds.
        named = settings.model_copy(update={"keys": names})
        return Spread("keys", {"table": keys}, settings=named, rows_stay=True)

    def sentence(self, settings: RemoveDuplicatesSettings) -> str:
        stays = {"first": "the first", "last": "the last", "fullest": "the fullest"}[settings.stays]
        by = f" by {listed(order.column for order in settings.order)}" if settings.order else ""
        return f"equal in {listed(settings.keys) or 'every column'} · {stays}{by} stays"
