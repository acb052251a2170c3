from collections.abc import Mapping
from typing import Literal

import polars as pl

from updraft.core.problems import Problem
from updraft.core.steps.base import StepKind
from updraft.core.steps.counts import Count
from updraft.core.steps.given import Context, Result
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.spread import BY_ROWS, WHOLE, Spread
from updraft.core.steps.tables import Tables
from updraft.core.values import Kind, kind_of

MOST = 500  # columns that lists may become


class ExpandListsSettings(Settings):
    column: str = setting("Column", widget="column", default="", needs="one", fits="nested")
    into: Literal["rows", "columns", "text", "count"] = setting(
        "Lists become",
        widget="choice",
        default="rows",
        labels={
            "rows": "a row for each",
            "columns": "a column for each",
            "text": "text",
            "count": "their number",
        },
    )
    mark: str = setting("Between them", widget="text", default=", ", when={"into": ["text"]})
    empty: bool = setting(
        "Keep rows without any", "their cell is empty", widget="flag", default=True, when={"into": ["rows"]}
    )


class ExpandLists(StepKind):
    """Open a column of lists or records: a row for each item, or all of them as text. Records become columns,
    named after the column and their field.
    """

    kind = "expand_lists"
    title = "Expand lists"
    summary = "Open lists into rows or text, and records into columns"
    words = ("explode", "unnest", "flatten", "array", "struct", "nested", "json")
    icon = "arrows-expand"
    other_rows = True
    needs = frozenset({"whole"})  # which columns records become is known of the table alone
    works_on = frozenset({Kind.LIST, Kind.RECORD})
    Settings = ExpandListsSettings

    def apply(self, tables: Tables, settings: ExpandListsSettings, context: Context) -> Result:
        table, name = tables.main, settings.column
        schema = table.collect_schema()
        if kind_of(schema[name]) is Kind.RECORD:
            return self._records(table, name, schema)
        items = pl.col(name)
        if settings.into == "count":
            return Result(table.with_columns(items.list.len().cast(pl.Int64)), touched=(name,))
        if settings.into == "text":
            texts = items.cast(pl.List(pl.String)).list.join(settings.mark, ignore_nulls=True)
            return Result(table.with_columns(texts), touched=(name,))
        if settings.into == "columns":
            return _columns(table, name, schema)
        none = items.is_null() | (items.list.len() == 0)
        kept = table if settings.empty else table.filter(~none)
        count = Count(
            "without",
            table.select(none.sum()),
            f"{{n}} rows have no item in {name}",
            one=f"{{n}} row has no item in {name}",
        )
        return Result(kept.explode(name, empty_as_null=True), counts=(count,))

    def _records(self, table: pl.LazyFrame, name: str, schema: pl.Schema) -> Result:
        record = schema[name]
        assert isinstance(record, pl.Struct)
        others = [other for other in schema if other != name]
        fields: dict[str, str] = {}
        for field in record.fields:
            fresh = f"{name}.{field.name}"
            while fresh in others or fresh in fields.values():
                fresh += "_"
            fields[field.name] = fresh
        opened = [pl.col(name).struct.field(field).alias(fresh) for field, fresh in fields.items()]
        order = [new for other in schema for new in (fields.values() if other == name else [other])]
        return Result(table.with_columns(opened).select(order), touched=())

    def spread(self, settings: ExpandListsSettings, schemas: Mapping[str, pl.Schema]) -> Spread:
        records = isinstance(schemas["table"].get(settings.column), pl.Struct)
        return BY_ROWS if records or settings.into != "columns" else WHOLE

    def sentence(self, settings: ExpandListsSettings) -> str:
        how = {
            "rows": "a row for each",
            "columns": "a column for each",
            "text": f"text with “{settings.mark}”",
            "count": "their number",
        }
        return f"{settings.column or '…'} · {how[settings.into]}"


def _columns(table: pl.LazyFrame, name: str, schema: pl.Schema) -> Result:
    most = table.select(pl.col(name).list.len().max()).collect().item() or 1
    if most > MOST:
        raise Problem(
            f"Column “{name}”", f"it would become {most:,} columns; {MOST:,} are the most.",
            "Open it into rows.", field="into", code="too_many",
        )  # fmt: skip
    others, opened = [other for other in schema if other != name], []
    for number in range(most):
        fresh = f"{name} {number + 1}"
        while fresh in others:
            fresh += "_"
        opened.append(pl.col(name).list.get(number, null_on_oob=True).alias(fresh))
    order = [one for other in schema for one in (opened if other == name else [pl.col(other)])]
    return Result(table.select(order), touched=())
