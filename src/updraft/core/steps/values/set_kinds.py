from typing import Literal

import polars as pl

from updraft.core.steps.base import Context, Count, Result, Settings, StepKind, Wanted, also, setting
from updraft.core.steps.choice import need_columns
from updraft.core.steps.tables import Out, Tables
from updraft.core.values import TITLES, Kind, converted, is_blank


class Unit(Settings):
    unit: str = setting("Unit")
    times: float = setting("Times", default=1.0)


class KindOfColumn(Settings):
    column: str = setting("Column")
    kind: Literal["text", "whole", "number", "yes_no", "date", "datetime"] = setting("Kind", default="text")
    formats: tuple[str, ...] = setting("Formats", "tried in this order", default=())
    dressed: bool = setting("With currency, percent, brackets or units", default=False)
    units: tuple[Unit, ...] = setting("Units", "each number is multiplied by its unit's factor", default=())

    def dress(self) -> dict[str, float] | None:
        return {unit.unit: unit.times for unit in self.units} if self.dressed else None


class SetKindsSettings(Settings):
    columns: tuple[KindOfColumn, ...] = setting("Columns", widget="kinds", default=())
    failing: Literal["empty", "reject", "stop"] = setting(
        "What does not convert",
        widget="choice",
        default="empty",
        labels={"empty": "is left empty", "reject": "row is rejected", "stop": "stops the run"},
    )


class SetKinds(StepKind):
    """Turn columns into another kind; what does not convert is counted and goes where the setting says."""

    kind = "set_kinds"
    title = "Set kinds"
    summary = "Turn text into numbers, dates or yes/no, with formats"
    words = ("type", "convert", "cast", "data type", "number", "date", "parse", "text to number", "format")
    icon = "123"
    outputs = (Out(main=True), Out("rejected", "Rejected values"))
    Settings = SetKindsSettings

    def apply(self, tables: Tables, settings: SetKindsSettings, context: Context) -> Result:
        table = tables.main
        schema = table.collect_schema()
        need_columns([c.column for c in settings.columns], schema, field="columns")
        fresh = {
            c.column: converted(c.column, schema[c.column], Kind(c.kind), c.formats, c.dress())
            for c in settings.columns
        }
        if any(c.kind == "text" and not isinstance(schema[c.column], pl.String) for c in settings.columns):
            fresh |= {
                c.column: pl.col(c.column).cast(pl.String) for c in settings.columns if c.kind == "text"
            }
        failed = {name: expr.is_null() & ~is_blank(name, schema[name]) for name, expr in fresh.items()}
        level: Literal["stop", "warning"] = "stop" if settings.failing == "stop" else "warning"
        counts = tuple(
            Count(
                f"not_converted:{c.column}",
                table.select(failed[c.column].sum()),
                f"{{n}} values of {c.column} are not a {TITLES[Kind(c.kind)]}",
                level,
                "Add a format, recode them, or choose what becomes of them.",
                f"{{n}} value of {c.column} is not a {TITLES[Kind(c.kind)]}",
                side="rejected" if settings.failing == "reject" else "",
            )
            for c in settings.columns
            if c.kind != "text"
        )
        any_failed = pl.any_horizontal([*failed.values(), pl.lit(False)])
        if settings.failing == "reject":
            done = table.filter(~any_failed).with_columns(**fresh)
            return Result(done, {"rejected": table.filter(any_failed)}, counts)
        return Result(
            table.with_columns(**fresh), {"rejected": table.filter(any_failed)}, counts, tuple(fresh)
        )

    def reads(self, settings: SetKindsSettings, wanted: Wanted, port: str) -> Wanted:
        return also(wanted, [column.column for column in settings.columns])

    def sentence(self, settings: SetKindsSettings) -> str:
        by_kind: dict[str, list[str]] = {}
        for column in settings.columns:
            by_kind.setdefault(TITLES[Kind(column.kind)], []).append(column.column)
        return (
            " · ".join(f"{', '.join(names)} → {kind}" for kind, names in by_kind.items()) or "no columns yet"
        )
