from collections.abc import Mapping
from typing import Literal

import polars as pl

from updraft.core.problems import Problem
from updraft.core.steps.base import Context, Count, Result, Settings, StepKind, Wanted, setting
from updraft.core.steps.choice import ColumnChoice, listed
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
        cells = [
            pl.struct(pl.lit(name).alias("\0name"), pl.col(name).cast(dtype).alias("\0value"))
            for name in chosen
        ]
        # A list of pairs for each row, exploded: the rows of one row stay together.
        long = table.select(*stay, pl.concat_list(cells).alias("\0cells")).explode(
            "\0cells", empty_as_null=True
        )
        names = {"\0name": settings.name.strip(), "\0value": settings.value.strip()}
        done = long.unnest("\0cells").rename(names)
        if settings.empty == "leave_out":
            done = done.filter(pl.col(names["\0value"]).is_not_null())
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
