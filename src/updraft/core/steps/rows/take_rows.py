from collections.abc import Mapping
from typing import Literal

import polars as pl

from updraft.core.problems import Problem
from updraft.core.steps.base import StepKind
from updraft.core.steps.choice import listed
from updraft.core.steps.conditions import Most
from updraft.core.steps.counts import Count
from updraft.core.steps.given import Context, Result, Wanted, also
from updraft.core.steps.ordering import sort_rank
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.spread import WHOLE, Spread, by_columns
from updraft.core.steps.tables import Out, Tables

_PLACE, _KEY, _RANK = "\0place", "\0key", "\0rank"  # names no file can bring


class TakeRowsSettings(Settings):
    by: Literal["first", "last", "largest", "smallest", "random"] = setting(
        "Take",
        widget="choice",
        default="first",
        labels={
            "first": "first",
            "last": "last",
            "largest": "largest",
            "smallest": "smallest",
            "random": "at random",
        },
    )
    count: int = setting(
        "How many", "rows, in the order of the table that comes in", widget="number", default=10, minimum=0
    )
    column: str = setting(
        "By", widget="column", default="", when={"by": ["largest", "smallest"]}, needs="one"
    )
    within: tuple[str, ...] = setting(
        "For each", "no column takes them from the whole table", widget="names", default=()
    )
    seed: int = setting(
        "Drawn as number",
        "the same number draws the same rows",
        widget="number",
        default=1,
        minimum=0,
        when={"by": ["random"]},
    )


class TakeRows(StepKind):
    """Take so many rows: the first, the last, those largest or smallest in a column, or some at random.

    The largest and smallest come in that order; otherwise rows stay in the order of the table. Of equal ones
    those that stand first are taken; a row without a value is neither large nor small. The other rows are a
    side output.
    """

    kind = "take_rows"
    title = "Take rows"
    summary = (
        "Take the first, last, largest or smallest rows, or some at random, of the table or of each group"
    )
    words = (
        "head",
        "tail",
        "top n",
        "limit",
        "sample",
        "random",
        "first rows",
        "heaviest",
        "bottom",
        "ranking",
        "per group",
    )
    icon = "list-ol"
    outputs = (Out(main=True), Out("rest", "The other rows"))
    Settings = TakeRowsSettings

    def apply(self, tables: Tables, settings: TakeRowsSettings, context: Context) -> Result:
        table = tables.main
        schema = table.collect_schema()
        placed = table.with_row_index(_PLACE)
        if settings.by not in ("largest", "smallest"):
            place = pl.col(_PLACE).cast(pl.Int64)
            key = {"first": place, "last": -place}.get(settings.by, pl.col(_PLACE).hash(settings.seed))
            ranked = placed.with_columns(self._within(key.rank("ordinal"), settings).alias(_RANK)).cache()
            taken, rest = self._split(ranked, settings)
            return Result(taken.select(schema.names()), {"rest": rest.select(schema.names())})
        if schema[settings.column].is_nested():
            raise Problem(
                f"Column “{settings.column}”",
                "it holds lists or records, which have no order.",
                "Choose another column.",
                field="column",
                code="no_order",
            )
        key = sort_rank(settings.column, schema[settings.column])
        down = settings.by == "largest"
        number = pl.col(_KEY).rank("ordinal", descending=down).cast(pl.Int64)
        keyed = table.with_columns(key.alias(_KEY))
        ranked = keyed.with_columns(self._within(number, settings).alias(_RANK)).cache()
        taken, rest = self._split(ranked, settings)
        taken = taken.sort(_KEY, descending=down, nulls_last=True, maintain_order=True)
        none = Count(
            "no_value",
            ranked.select(pl.col(_KEY).is_null().sum()),
            f"{{n}} rows have no {settings.column}",
            one=f"{{n}} row has no {settings.column}",
        )
        return Result(taken.select(schema.names()), {"rest": rest.select(schema.names())}, (none,))

    def _within(self, number: pl.Expr, settings: TakeRowsSettings) -> pl.Expr:
        return number.over(settings.within) if settings.within else number

    def _split(self, ranked: pl.LazyFrame, settings: TakeRowsSettings) -> tuple[pl.LazyFrame, pl.LazyFrame]:
        """The rows that are taken, and the others."""
        taken = (pl.col(_RANK) <= settings.count).fill_null(False)
        return ranked.filter(taken), ranked.filter(~taken)

    def reads(self, settings: TakeRowsSettings, wanted: Wanted, port: str) -> Wanted:
        return also(wanted, [name for name in (*settings.within, settings.column) if name])

    def keeps(self, settings: TakeRowsSettings) -> Most | None:
        if settings.within or settings.by not in ("largest", "smallest"):
            return None
        return Most(settings.column, settings.count, settings.by == "largest", "rest")

    def spread(self, settings: TakeRowsSettings, schemas: Mapping[str, pl.Schema]) -> Spread:
        # The largest come in the order of what they are largest by; one at random by its place in the whole.
        placed = settings.within and settings.by in ("first", "last")
        return by_columns(settings.within, rows_stay=True) if placed else WHOLE

    def sentence(self, settings: TakeRowsSettings) -> str:
        many, by = f"{settings.count:,}", settings.column or "…"
        what = {
            "first": f"the first {many}",
            "last": f"the last {many}",
            "largest": f"the {many} largest by {by}",
            "smallest": f"the {many} smallest by {by}",
            "random": f"{many} at random",
        }[settings.by]
        return what + (f" of each {listed(settings.within)}" if settings.within else "")
