from collections.abc import Mapping

import polars as pl

from updraft.core.steps.base import StepKind
from updraft.core.steps.choice import listed
from updraft.core.steps.counts import Count
from updraft.core.steps.given import Context, Result, Wanted, also
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.spread import WHOLE, Spread, by_columns
from updraft.core.steps.tables import Tables


class OneValuePerGroupSettings(Settings):
    within: tuple[str, ...] = setting(
        "Group by", "rows equal in these belong together", widget="names", default=(), needs="some"
    )
    columns: tuple[str, ...] = setting("Columns to settle", widget="names", default=(), needs="some")
    percent: int = setting(
        "Share that decides", "percent of the group's filled cells", widget="number", default=60, minimum=50
    )


class OneValuePerGroup(StepKind):
    """Give all rows of a group the value that most of them have. Groups without such a majority stay as they
    are.

    Empty cells stay empty, and rows whose group columns are empty stay as they are.
    """

    kind = "one_value_per_group"
    title = "One value per group"
    summary = "Give every row of a group the value that most of the group has"
    words = ("majority", "consistent", "mode", "conflict", "one name for one code", "most frequent")
    icon = "people"
    Settings = OneValuePerGroupSettings

    def apply(self, tables: Tables, settings: OneValuePerGroupSettings, context: Context) -> Result:
        table = tables.main
        schema = table.collect_schema()
        done, counts = table, []
        for number, name in enumerate(settings.columns):
            groups = self._groups(table, name, settings.within)
            decided = pl.col("\0most") * 100 >= settings.percent * pl.col("\0filled")
            counts.append(
                Count(
                    f"unsettled:{name}",
                    groups.select((~decided).sum()),
                    f"{{n}} groups have no majority in {name}",
                    "warning",
                    one=f"{{n}} group has no majority in {name}",
                )
            )
            settled = groups.filter(decided).select(*settings.within, pl.col("\0value").alias(f"\0{number}"))
            done = done.join(settled, on=settings.within, how="left", maintain_order="left")
        fresh = {
            name: pl.when(pl.col(name).is_not_null()).then(pl.coalesce(f"\0{number}", name)).otherwise(None)
            for number, name in enumerate(settings.columns)
        }
        return Result(
            done.with_columns(**fresh).select(schema.names()), touched=tuple(fresh), counts=tuple(counts)
        )

    def _groups(self, table: pl.LazyFrame, name: str, within: tuple[str, ...]) -> pl.LazyFrame:
        """Each group with its most frequent value (of several, the one that comes first), how often, and its
        filled cells.
        """
        cells = table.select(*within, pl.col(name).alias("\0value")).drop_nulls()
        pairs = cells.group_by(*within, "\0value", maintain_order=True).agg(
            pl.len().cast(pl.Int64).alias("\0most")
        )
        ranked = pairs.sort("\0most", descending=True, maintain_order=True)
        return ranked.group_by(within, maintain_order=True).agg(
            pl.col("\0value").first(), pl.col("\0most").first(), pl.col("\0most").sum().alias("\0filled")
        )

    def reads(self, settings: OneValuePerGroupSettings, wanted: Wanted, port: str) -> Wanted:
        return also(wanted, [*settings.within, *settings.columns])

    def spread(self, settings: OneValuePerGroupSettings, schemas: Mapping[str, pl.Schema]) -> Spread:
        return by_columns(settings.within, rows_stay=True) if settings.within else WHOLE

    def sentence(self, settings: OneValuePerGroupSettings) -> str:
        return (
            f"{listed(settings.columns) or 'no columns yet'} · as most rows of the same "
            f"{listed(settings.within) or '…'}"
        )
