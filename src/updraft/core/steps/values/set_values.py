from collections.abc import Mapping
from typing import Literal

import polars as pl

from updraft.core.problems import Problem
from updraft.core.steps.base import StepKind
from updraft.core.steps.choice import listed
from updraft.core.steps.conditions import Rule, compiled, value_of
from updraft.core.steps.counts import Count
from updraft.core.steps.given import Context, Result, Wanted, also
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.spread import BY_ROWS, Spread
from updraft.core.steps.tables import Tables
from updraft.core.values import TITLES, Kind, kind_of


class SetValuesSettings(Settings):
    columns: tuple[str, ...] = setting("Columns", widget="names", default=(), needs="some")
    to: Literal["value", "empty", "times"] = setting(
        "Becomes",
        widget="choice",
        default="value",
        labels={"value": "a value", "empty": "empty", "times": "times a number"},
    )
    value: str = setting("Value", widget="text", default="", when={"to": ["value"]})
    times: float = setting(
        "Times", "-1 turns the sign round", widget="decimal", default=1.0, when={"to": ["times"]}
    )
    rule: Rule = setting("Where", "no condition: in every row", widget="rule", default=Rule(), optional=True)


class SetValues(StepKind):
    """Give cells another value, empty them, or multiply them, in the rows that meet a rule."""

    kind = "set_values"
    title = "Set values"
    summary = "Set, empty or multiply cells in the rows that meet conditions"
    words = ("replace", "update", "clear", "correct", "conditional", "multiply", "scale", "overwrite", "null")
    icon = "pencil-square"
    Settings = SetValuesSettings

    def apply(self, tables: Tables, settings: SetValuesSettings, context: Context) -> Result:
        table = tables.main
        schema = table.collect_schema()
        here = compiled(settings.rule, schema) if settings.rule.of else pl.lit(True)
        fresh = {
            name: pl.when(here)
            .then(self._value(name, schema[name], settings))
            .otherwise(pl.col(name))
            .alias(name)
            for name in settings.columns
        }
        return Result(
            table.with_columns(**fresh),
            touched=tuple(fresh),
            counts=(
                Count(
                    "rows_met",
                    table.filter(here).select(pl.len()),
                    "{n} rows meet the conditions",
                    one="{n} row meets the conditions",
                ),
            ),
        )

    def _value(self, name: str, dtype: pl.DataType, settings: SetValuesSettings) -> pl.Expr:
        kind = kind_of(dtype)
        if settings.to == "empty" or (settings.to == "value" and not settings.value):
            return pl.lit(None, dtype=dtype)
        if settings.to == "times":
            if kind not in (Kind.WHOLE, Kind.NUMBER):
                raise Problem(
                    f"Column “{name}”",
                    f"it holds {TITLES[kind]}s, which cannot be multiplied.",
                    "Choose another column, or set this one to number first.",
                    field="columns",
                )
            product = pl.col(name) * settings.times
            # 0.07 · 1000 is 70.00000000000001 in binary: fifteen digits are what a float holds for sure.
            return product.round().cast(dtype) if kind is Kind.WHOLE else product.round_sig_figs(15)
        if kind in (Kind.LIST, Kind.RECORD, Kind.DURATION):
            raise Problem(
                f"Column “{name}”",
                f"it holds {TITLES[kind]}s, which cannot be typed here.",
                "Choose another column.",
                field="columns",
            )
        value = settings.value if kind is Kind.TEXT else value_of(settings.value, kind, name)
        if kind is Kind.WHOLE and not float(value).is_integer():
            raise Problem(
                f"“{settings.value}”",
                f"column “{name}” holds whole numbers.",
                "Type a whole number.",
                field="value",
            )
        return pl.lit(value).cast(dtype)

    def reads(self, settings: SetValuesSettings, wanted: Wanted, port: str) -> Wanted:
        return also(wanted, [*settings.columns, *settings.rule.columns()])

    def spread(self, settings: SetValuesSettings, schemas: Mapping[str, pl.Schema]) -> Spread:
        return BY_ROWS

    def sentence(self, settings: SetValuesSettings) -> str:
        to = {"value": settings.value or "empty", "empty": "empty", "times": f"times {settings.times:g}"}[
            settings.to
        ]
        where = f" where {settings.rule.words()}" if settings.rule.of else ""
        return f"{listed(settings.columns) or 'no columns yet'} → {to}{where}"
