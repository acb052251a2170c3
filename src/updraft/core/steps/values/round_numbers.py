from collections.abc import Mapping
from typing import Literal

import polars as pl

from updraft.core.steps.base import StepKind
from updraft.core.steps.choice import ColumnChoice
from updraft.core.steps.given import Context, Result, Wanted, also
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.spread import BY_ROWS, Spread
from updraft.core.steps.tables import Tables
from updraft.core.values import Kind, kind_of


class RoundNumbersSettings(Settings):
    columns: ColumnChoice = setting(
        "Columns",
        widget="columns",
        default=ColumnChoice(by="types", types=(Kind.NUMBER,)),
        kind="number",
        fits="numbers",
    )  # fmt: skip
    places: int = setting("Decimal places", widget="number", default=1, minimum=0, maximum=15)
    way: Literal["near", "down", "up"] = setting(
        "Way", widget="choice", default="near", labels={"near": "nearest", "down": "down", "up": "up"}
    )


class RoundNumbers(StepKind):
    """Round numbers: to the nearest (a half goes away from zero), down or up."""

    kind = "round_numbers"
    title = "Round numbers"
    summary = "Round numbers to so many decimal places"
    words = ("decimals", "digits", "precision", "floor", "ceiling", "truncate")
    icon = "bullseye"
    works_on = frozenset({Kind.NUMBER})
    Settings = RoundNumbersSettings

    def apply(self, tables: Tables, settings: RoundNumbersSettings, context: Context) -> Result:
        table = tables.main
        schema = table.collect_schema()
        columns = settings.columns.resolve(schema, only=Kind.NUMBER)
        rounded = [self._rounded(name, settings) for name in columns if kind_of(schema[name]) is Kind.NUMBER]
        return Result(table.with_columns(rounded), touched=tuple(columns))

    def _rounded(self, name: str, settings: RoundNumbersSettings) -> pl.Expr:
        # 2.345 lies a little below 2.345 in binary: fifteen figures say what was meant.
        number = pl.col(name).cast(pl.Float64)
        if settings.way == "near":  # a hair away from zero, less than the fifteenth figure
            return (number * (1 + 2.0**-50)).round(settings.places, mode="half_away_from_zero").alias(name)
        number, scale = number.round_sig_figs(15), 10.0**settings.places
        large = (number * scale).round_sig_figs(15)
        return ((large.floor() if settings.way == "down" else large.ceil()) / scale).alias(name)

    def reads(self, settings: RoundNumbersSettings, wanted: Wanted, port: str) -> Wanted:
        return also(wanted, settings.columns.names) if settings.columns.by == "names" else None

    def spread(self, settings: RoundNumbersSettings, schemas: Mapping[str, pl.Schema]) -> Spread:
        return BY_ROWS

    def sentence(self, settings: RoundNumbersSettings) -> str:
        return f"{settings.columns.words()} · {settings.places} places"
