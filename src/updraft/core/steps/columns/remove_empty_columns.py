from collections.abc import Mapping

import polars as pl

from updraft.core.steps.base import StepKind
from updraft.core.steps.choice import listed
from updraft.core.steps.given import Context, Result
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.spread import Spread
from updraft.core.steps.tables import Tables
from updraft.core.values import is_blank


class RemoveEmptyColumnsSettings(Settings):
    share: int = setting(
        "Empty in at least", "percent of the rows; 100 is throughout", widget="number", default=100,
        minimum=1, maximum=100,
    )  # fmt: skip
    but: tuple[str, ...] = setting("Keep in any case", widget="names", default=())


class RemoveEmptyColumns(StepKind):
    """Leave out columns that are empty throughout, or nearly. Text of blanks alone counts as empty; a table
    without rows keeps its columns.
    """

    kind = "remove_empty_columns"
    title = "Remove empty columns"
    summary = "Leave out columns that have no value"
    words = ("blank columns", "drop columns", "sparse", "null columns")
    icon = "layout-three-columns"
    needs = frozenset({"whole"})
    Settings = RemoveEmptyColumnsSettings

    def apply(self, tables: Tables, settings: RemoveEmptyColumnsSettings, context: Context) -> Result:
        table = tables.main
        schema = table.collect_schema()
        asked = {name: dtype for name, dtype in schema.items() if name not in settings.but}

        def share() -> pl.DataFrame:
            return table.select(
                is_blank(name, dtype).mean().alias(name) for name, dtype in asked.items()
            ).collect()

        empty: pl.DataFrame = context.learnt(("share", settings.but), share)
        gone = [name for name in asked if (empty[name][0] or 0) * 100 >= settings.share]
        said = (f"{len(gone):,} columns are left out: {listed(gone, 8)}.",) if len(gone) > 1 else ()
        said = (f"1 column is left out: {gone[0]}.",) if len(gone) == 1 else said
        kept = [name for name in schema if name not in gone]
        return Result(table.select(kept or pl.first()), touched=(), warnings=said)

    def spread(self, settings: RemoveEmptyColumnsSettings, schemas: Mapping[str, pl.Schema]) -> Spread:
        return Spread("rows", learns=True)

    def sentence(self, settings: RemoveEmptyColumnsSettings) -> str:
        how = "throughout" if settings.share == 100 else f"in {settings.share} % of the rows"
        return f"columns empty {how}" + (f" but {listed(settings.but)}" if settings.but else "")
