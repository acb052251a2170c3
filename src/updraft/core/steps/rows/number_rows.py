from collections.abc import Mapping

import polars as pl

from updraft.core.steps.base import StepKind
from updraft.core.steps.choice import listed, need_new
from updraft.core.steps.given import Context, Result, Wanted, also
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.spread import WHOLE, Spread, by_columns
from updraft.core.steps.tables import Tables


class NumberRowsSettings(Settings):
    name: str = setting("Name of the new column", widget="text", default="Number")
    start: int = setting("Begin with", widget="number", default=1)
    step: int = setting("Step", widget="number", default=1)
    by: tuple[str, ...] = setting(
        "Begin again for each", "no column numbers the whole table", widget="names", default=()
    )


class NumberRows(StepKind):
    """Number the rows in the order in which they stand, all through or anew in each group."""

    kind = "number_rows"
    title = "Number rows"
    summary = "Add a column that counts the rows"
    words = ("row number", "index", "id", "sequence", "counter", "autonumber")
    icon = "list-ol"
    Settings = NumberRowsSettings

    def apply(self, tables: Tables, settings: NumberRowsSettings, context: Context) -> Result:
        table = tables.main
        schema = table.collect_schema()
        name = need_new(settings.name, schema, field="name")
        place = pl.int_range(pl.len(), dtype=pl.Int64)
        place = place.over(settings.by) if settings.by else place
        number = (place * settings.step + settings.start).alias(name)
        return Result(table.select(number, *schema), touched=())

    def reads(self, settings: NumberRowsSettings, wanted: Wanted, port: str) -> Wanted:
        return also(wanted, [*settings.by, settings.name.strip()])  # new: it must not be there yet

    def spread(self, settings: NumberRowsSettings, schemas: Mapping[str, pl.Schema]) -> Spread:
        return by_columns(settings.by, rows_stay=True) if settings.by else WHOLE

    def sentence(self, settings: NumberRowsSettings) -> str:
        return f"{settings.name} from {settings.start}" + (
            f" for each {listed(settings.by)}" if settings.by else ""
        )
