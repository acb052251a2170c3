from collections.abc import Mapping
from typing import Literal

import polars as pl

from updraft.core.problems import Problem
from updraft.core.steps.base import StepKind
from updraft.core.steps.choice import listed
from updraft.core.steps.given import Context, Result, Wanted, also
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.spread import BY_ROWS, Spread
from updraft.core.steps.tables import Tables


class ChosenColumn(Settings):
    column: str = setting("Column", widget="column")
    name: str = setting("New name", "nothing keeps the name", default="")


class ChooseColumnsSettings(Settings):
    columns: tuple[ChosenColumn, ...] = setting(
        "Columns", "kept in this order; type a new name to rename", widget="chosen", default=()
    )
    drop: tuple[str, ...] = setting("Dropped", widget="hidden", default=(), holds="columns")
    others: Literal["keep", "drop"] = setting(
        "Columns not listed",
        "such as those that come with next month's file",
        widget="choice",
        default="keep",
        labels={"keep": "keep at the end", "drop": "drop"},
    )


class ChooseColumns(StepKind):
    """Keep, drop, reorder and rename columns in one place."""

    kind = "choose_columns"
    title = "Choose columns"
    summary = "Keep, drop, reorder and rename columns in one place"
    words = (
        "select",
        "rename",
        "reorder",
        "remove columns",
        "delete columns",
        "keep columns",
        "header",
        "order",
    )
    icon = "layout-three-columns"
    Settings = ChooseColumnsSettings

    def apply(self, tables: Tables, settings: ChooseColumnsSettings, context: Context) -> Result:
        table = tables.main
        schema = table.collect_schema()
        picked = {c.column: c.name.strip() or c.column for c in settings.columns}
        if settings.others == "keep":
            picked |= {name: name for name in schema if name not in picked and name not in settings.drop}
        if not picked:
            raise Problem(
                "The column list",
                "no column is left.",
                "Keep at least one.",
                field="columns",
                code="no_columns",
            )
        names = list(picked.values())
        double = next((name for name in names if names.count(name) > 1), None)
        if double is not None:
            raise Problem(
                f"“{double}”", "two columns would have this name.", "Rename one of them.", field="columns"
            )
        return Result(table.select(pl.col(old).alias(new) for old, new in picked.items()), touched=())

    def reads(self, settings: ChooseColumnsSettings, wanted: Wanted, port: str) -> Wanted:
        named = {name for chosen in settings.columns for name in (chosen.column, chosen.name.strip())}
        if settings.others == "drop":
            return frozenset(named)
        return also(wanted, named)

    def spread(self, settings: ChooseColumnsSettings, schemas: Mapping[str, pl.Schema]) -> Spread:
        return BY_ROWS

    def sentence(self, settings: ChooseColumnsSettings) -> str:
        renamed = [f"{c.column} → {c.name}" for c in settings.columns if c.name and c.name != c.column]
        parts = []
        if settings.others == "drop":
            parts.append(listed(c.name or c.column for c in settings.columns))
        elif settings.drop:
            parts.append(f"without {listed(settings.drop)}")
        parts += [listed(renamed)] if renamed and settings.others == "keep" else []
        return " · ".join(parts) or ("in another order" if settings.columns else "all columns")
