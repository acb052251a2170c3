import polars as pl

from updraft.core.problems import Problem
from updraft.core.steps.base import Context, Result, Settings, StepKind, Wanted, also, setting
from updraft.core.steps.choice import listed, need_columns, need_new
from updraft.core.steps.tables import Tables
from updraft.core.steps.texts import text_of


class CombineColumnsSettings(Settings):
    columns: tuple[str, ...] = setting("Columns", "in their order", widget="names", default=())
    mark: str = setting("Between them", widget="text", default=" ")
    into: str = setting("Name of the new column", widget="text", default="Combined")
    empty: bool = setting(
        "Keep the place of empty cells", "its mark stands all the same", widget="flag", default=False
    )
    keep: bool = setting("Keep the columns themselves", widget="flag", default=True)


class CombineColumns(StepKind):
    """Put columns together as text. Empty cells are left out; where all are empty, so is the result."""

    kind = "combine_columns"
    title = "Combine columns"
    summary = "Put several columns together into one, with a mark between"
    words = ("concatenate", "merge columns", "join text", "concat", "full name")
    icon = "union"
    Settings = CombineColumnsSettings

    def apply(self, tables: Tables, settings: CombineColumnsSettings, context: Context) -> Result:
        table = tables.main
        schema = table.collect_schema()
        need_columns(settings.columns, schema, field="columns")
        if len(settings.columns) < 2:
            raise Problem(
                "The columns", "two at least are needed.", "Choose them.", field="columns", code="unfinished"
            )
        gone = () if settings.keep else settings.columns
        into = need_new(settings.into, [name for name in schema if name not in gone], field="into")
        parts = [text_of(name, schema, field="columns") for name in settings.columns]
        filled = [part.fill_null("") for part in parts] if settings.empty else parts
        together = pl.concat_str(filled, separator=settings.mark, ignore_nulls=True)
        some = pl.any_horizontal([part.is_not_null() for part in parts])
        at = list(schema).index(settings.columns[0])
        before = [name for name in list(schema)[:at] if name not in gone]
        after = [name for name in list(schema)[at:] if name not in gone]
        made = pl.when(some).then(together).alias(into)
        return Result(table.select(*before, made, *after) if gone else table.with_columns(made), touched=())

    def reads(self, settings: CombineColumnsSettings, wanted: Wanted, port: str) -> Wanted:
        return also(wanted, [*settings.columns, settings.into.strip()])  # new: it must not be there yet

    def sentence(self, settings: CombineColumnsSettings) -> str:
        return f"{listed(settings.columns) or 'no columns yet'} → {settings.into}"
