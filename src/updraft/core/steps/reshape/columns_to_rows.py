from collections.abc import Mapping
from typing import Literal

import polars as pl

from updraft.core.problems import Problem
from updraft.core.steps.base import StepKind
from updraft.core.steps.choice import ColumnChoice, listed
from updraft.core.steps.counts import Count
from updraft.core.steps.given import Context, Result, Wanted
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.spread import BY_ROWS, Spread
from updraft.core.steps.tables import Tables
from updraft.core.values.common import common_type


class ColumnsToRowsSettings(Settings):
    columns: ColumnChoice = setting("Columns that become rows", widget="columns", default=ColumnChoice())
    name: str = setting("Column for their names", widget="text", default="Name")
    value: str = setting("Column for their values", widget="text", default="Value")
    empty: Literal["keep", "leave_out"] = setting(
        "Empty cells",
        widget="choice",
        default="keep",
        labels={"keep": "make rows too", "leave_out": "are left out"},
    )


class ColumnsToRows(StepKind):
    """Turn columns into rows: one row for each cell, with the column's name beside its value.

    The rows of one row of before stand together, in the order of the columns. Columns of several kinds become
    text, unless all are numbers.
    """

    kind = "columns_to_rows"
    title = "Columns to rows"
    summary = "Turn columns such as months into rows, with their names as values"
    words = (
        "unpivot",
        "melt",
        "wide to long",
        "gather",
        "stack columns",
        "crosstab to list",
        "months in columns",
    )
    icon = "distribute-vertical"
    other_rows = True
    Settings = ColumnsToRowsSettings

    def apply(self, tables: Tables, settings: ColumnsToRowsSettings, context: Context) -> Result:
        table = tables.main
        schema = table.collect_schema()
        chosen = settings.columns.resolve(schema)
        if not chosen:
            raise Problem(
                "The columns",
                "none is chosen.",
                "Choose the columns that are to become rows.",
                field="columns",
                code="unfinished",
            )
        stay = [name for name in schema if name not in chosen]
        self._check_names(settings, stay)
        dtype = _common([schema[name] for name in chosen], chosen)
        done = _by_row(table, stay, chosen, dtype, settings.name.strip(), settings.value.strip())
        if settings.empty == "leave_out":
            done = done.filter(pl.col(settings.value.strip()).is_not_null())
        empty = table.select(pl.sum_horizontal(pl.col(name).null_count() for name in chosen))
        many, one = (
            ("{n} empty cells are left out", "{n} empty cell is left out")
            if settings.empty == "leave_out"
            else ("{n} rows have no value", "{n} row has no value")
        )
        return Result(done, counts=(Count("empty_cells", empty, many, one=one),))

    def _check_names(self, settings: ColumnsToRowsSettings, stay: list[str]) -> None:
        for field, name in (("name", settings.name.strip()), ("value", settings.value.strip())):
            if not name or name in stay or (field == "value" and name == settings.name.strip()):
                raise Problem(
                    f"“{name}”",
                    "the table would have two columns of this name." if name else "a new column has no name.",
                    "Give it another name.",
                    field=field,
                )

    def reads(self, settings: ColumnsToRowsSettings, wanted: Wanted, port: str) -> Wanted:
        return None

    def spread(self, settings: ColumnsToRowsSettings, schemas: Mapping[str, pl.Schema]) -> Spread:
        return BY_ROWS

    def sentence(self, settings: ColumnsToRowsSettings) -> str:
        return f"{settings.columns.words()} → {settings.name}, {settings.value}"


def _by_row(
    table: pl.LazyFrame, stay: list[str], chosen: list[str], dtype: pl.DataType, name: str, value: str
) -> pl.LazyFrame:
    """A row for each cell of the chosen columns, those of one row together."""
    many = len(chosen)
    place = pl.int_range(pl.len(), dtype=pl.UInt32)
    # Polars puts whole columns below each other: cell n is then the one of row n // many, column n % many.
    rows = (pl.len() // many).cast(pl.UInt32)
    values = table.select(pl.col(one).cast(dtype) for one in chosen).unpivot(chosen, value_name=value)
    values = values.select(pl.col(value).gather(place % many * rows + place // many))
    named = pl.lit(pl.Series(chosen, dtype=pl.String)).gather(place % many).alias(name)
    repeated = pl.int_range(pl.len() * many, dtype=pl.UInt32) // many
    if not stay:
        return values.select(named, value)
    beside = table.select(pl.col(one).gather(repeated) for one in stay)
    return pl.concat([beside, values.select(named, value)], how="horizontal")


def _common(dtypes: list[pl.DataType], names: list[str]) -> pl.DataType:
    found = common_type(dtypes)
    if found is None:
        raise Problem(
            listed(names),
            "some of them hold lists or records, and the others do not.",
            "Leave those columns out.",
            field="columns",
        )
    return found
