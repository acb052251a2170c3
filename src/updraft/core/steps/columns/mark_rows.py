from collections.abc import Mapping

import polars as pl

from updraft.core.problems import Problem
from updraft.core.steps.base import StepKind
from updraft.core.steps.conditions import Rule, compiled
from updraft.core.steps.counts import Count
from updraft.core.steps.given import Context, Result, Wanted, also
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.spread import BY_ROWS, Spread
from updraft.core.steps.tables import Tables


class MarkRowsSettings(Settings):
    name: str = setting("Name of the new column", widget="text", default="Marked")
    rule: Rule = setting("Yes where", widget="rule", default=Rule())


class MarkRows(StepKind):
    """Add a yes/no column that says which rows meet a rule."""

    kind = "mark_rows"
    title = "Mark rows"
    summary = "Add a yes/no column that tells which rows meet conditions"
    words = ("flag", "tag", "label", "indicator", "boolean", "yes no column")
    icon = "bookmark-check"
    Settings = MarkRowsSettings

    def apply(self, tables: Tables, settings: MarkRowsSettings, context: Context) -> Result:
        table = tables.main
        schema, name = table.collect_schema(), settings.name.strip()
        if not name or name in schema:
            raise Problem(
                f"“{name}”",
                "the table has a column of this name already." if name else "the new column has no name.",
                "Give the new column another name.",
                field="name",
            )
        marked = table.with_columns(compiled(settings.rule, schema).alias(name)).cache()
        return Result(
            marked,
            touched=(),
            counts=(
                Count(
                    "rows_met",
                    marked.select(pl.col(name).sum()),
                    "{n} rows are marked",
                    one="{n} row is marked",
                ),
            ),
        )

    def reads(self, settings: MarkRowsSettings, wanted: Wanted, port: str) -> Wanted:
        return also(
            wanted, [settings.name.strip(), *settings.rule.columns()]
        )  # its own: it must not be there yet

    def spread(self, settings: MarkRowsSettings, schemas: Mapping[str, pl.Schema]) -> Spread:
        return BY_ROWS

    def sentence(self, settings: MarkRowsSettings) -> str:
        return f"{settings.name} · yes where {settings.rule.words()}"
