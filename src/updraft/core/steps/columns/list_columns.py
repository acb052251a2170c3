import polars as pl

from updraft.core.steps.base import StepKind
from updraft.core.steps.given import Context, Result
from updraft.core.steps.settings import Settings
from updraft.core.steps.tables import Tables
from updraft.core.values import TITLES, is_blank, kind_of
from updraft.core.values.text import as_text


class ListColumnsSettings(Settings):
    pass


class ListColumns(StepKind):
    """Make a table of the table's columns: one row each, with its kind and its figures. Texts show what is
    in it.
    """

    kind = "list_columns"
    title = "List columns"
    summary = "A table of the columns themselves, with their types and figures"
    words = ("profile", "metadata", "schema", "describe", "column names", "field list", "data dictionary")
    icon = "list-columns"
    Settings = ListColumnsSettings

    def apply(self, tables: Tables, settings: ListColumnsSettings, context: Context) -> Result:
        table = tables.main
        rows = [
            _row(table, name, dtype, place)
            for place, (name, dtype) in enumerate(table.collect_schema().items(), start=1)
        ]
        empty = pl.LazyFrame(schema={"Place": pl.Int64, "Column": pl.String, "Type": pl.String})
        return Result(pl.concat(rows) if rows else empty)

    def sentence(self, settings: ListColumnsSettings) -> str:
        return "place, name, kind and figures of every column"


def _row(table: pl.LazyFrame, name: str, dtype: pl.DataType, place: int) -> pl.LazyFrame:
    column, nested = pl.col(name), dtype.is_nested()
    empty = is_blank(name, dtype).sum().cast(pl.Int64)
    figures = {"Smallest": column.min(), "Largest": column.max(), "First": column.drop_nulls().first()}
    nothing = pl.lit(None, dtype=pl.String)
    row = table.select(
        pl.lit(place, dtype=pl.Int64).alias("Place"),
        pl.lit(name).alias("Column"),
        pl.lit(TITLES[kind_of(dtype)]).alias("Type"),
        pl.len().cast(pl.Int64).alias("Rows"),
        empty.alias("Empty"),
        (pl.lit(None, dtype=pl.Int64) if nested else column.drop_nulls().n_unique().cast(pl.Int64)).alias(
            "Distinct"
        ),
        *((nothing if nested else figure).alias(called) for called, figure in figures.items()),
    )
    return row if nested else row.with_columns(as_text(called, dtype).alias(called) for called in figures)
