from collections.abc import Mapping
from typing import Literal

import polars as pl

from updraft.core.steps.base import StepKind
from updraft.core.steps.counts import Count
from updraft.core.steps.given import Context, Result, Wanted, also
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.spread import BY_ROWS, Spread
from updraft.core.steps.tables import Out, Tables
from updraft.core.values import DTYPES, TITLES, Kind, converted, is_blank
from updraft.core.values.text import as_text


class Unit(Settings):
    unit: str = setting("Unit")
    times: float = setting("Times", default=1.0)


class TypeOfColumn(Settings):
    column: str = setting("Column", widget="column")
    type: Literal["text", "whole", "number", "yes_no", "date", "datetime"] = setting("Type", default="text")
    formats: tuple[str, ...] = setting("Formats", "tried in this order", default=())
    dressed: bool = setting("With currency, percent, brackets or units", default=False)
    units: tuple[Unit, ...] = setting("Units", "each number is multiplied by its unit's factor", default=())

    def dress(self) -> dict[str, float] | None:
        return {unit.unit: unit.times for unit in self.units} if self.dressed else None


class SetTypesSettings(Settings):
    columns: tuple[TypeOfColumn, ...] = setting("Columns", widget="types", default=())
    failing: Literal["empty", "reject", "stop"] = setting(
        "What does not convert",
        widget="choice",
        default="empty",
        labels={"empty": "is left empty", "reject": "row is rejected", "stop": "stops the run"},
    )


class SetTypes(StepKind):
    """Turn columns into another type; what does not convert is counted and goes where the setting says."""

    kind = "set_types"
    title = "Set types"
    summary = "Turn text into numbers, dates or yes/no, with formats"
    words = ("type", "convert", "cast", "data type", "number", "date", "parse", "text to number", "format")
    icon = "123"
    makes_text = True
    outputs = (Out(main=True), Out("rejected", "Rejected values"))
    Settings = SetTypesSettings

    def apply(self, tables: Tables, settings: SetTypesSettings, context: Context) -> Result:
        table = tables.main
        schema = table.collect_schema()
        # What is of its type already cannot fail, and need not be looked at.
        columns = {c.column: c for c in settings.columns if schema[c.column] != DTYPES[Kind(c.type)]}
        fresh = {name: f"\0{name}" for name in columns}  # names that no file can bring
        # Kept within the query, since the table, the counts and the rejected rows all ask for it.
        read = table.with_columns(
            _converted(column, schema[name]).alias(fresh[name]) for name, column in columns.items()
        ).cache()
        failed = {
            name: pl.col(hidden).is_null() & ~is_blank(name, schema[name]) for name, hidden in fresh.items()
        }
        level: Literal["stop", "warning"] = "stop" if settings.failing == "stop" else "warning"
        counts = tuple(
            Count(
                f"not_converted:{c.column}",
                read.select(failed[c.column].sum()),
                f"{{n}} values of {c.column} are not a {TITLES[Kind(c.type)]}",
                level,
                "Add a format, recode them, or choose what becomes of them.",
                f"{{n}} value of {c.column} is not a {TITLES[Kind(c.type)]}",
                side="rejected" if settings.failing == "reject" else "",
            )
            for c in columns.values()
            if c.type != "text"
        )
        any_failed = pl.any_horizontal([*failed.values(), pl.lit(False)])
        rejected = {"rejected": read.filter(any_failed).select(schema.names())}
        kept = read.filter(~any_failed) if settings.failing == "reject" else read
        done = kept.select(pl.col(fresh.get(name, name)).alias(name) for name in schema.names())
        read_as = tuple(name for name, c in columns.items() if c.type != "text")  # a text is as it was shown
        return Result(done, rejected, counts, None if settings.failing == "reject" else read_as)

    def reads(self, settings: SetTypesSettings, wanted: Wanted, port: str) -> Wanted:
        return also(wanted, [column.column for column in settings.columns])

    def spread(self, settings: SetTypesSettings, schemas: Mapping[str, pl.Schema]) -> Spread:
        return BY_ROWS

    def sentence(self, settings: SetTypesSettings) -> str:
        by_type: dict[str, list[str]] = {}
        for column in settings.columns:
            by_type.setdefault(TITLES[Kind(column.type)], []).append(column.column)
        said = [f"{', '.join(names)} → {title}" for title, names in by_type.items()]
        return " · ".join(said) or "no columns yet"


def _converted(column: TypeOfColumn, source: pl.DataType) -> pl.Expr:
    if column.type == "text":
        return as_text(column.column, source)
    if source.is_nested():
        return pl.lit(None, pl.String).cast(DTYPES[Kind(column.type)])  # a list is no single value
    return converted(column.column, source, Kind(column.type), column.formats, column.dress())
