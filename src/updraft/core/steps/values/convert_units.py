from collections.abc import Mapping
from typing import Literal

import polars as pl

from updraft.core.problems import Problem, did_you_mean
from updraft.core.steps.base import StepKind
from updraft.core.steps.choice import ColumnChoice
from updraft.core.steps.counts import Count
from updraft.core.steps.given import Context, Result, Wanted, also
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.spread import BY_ROWS, Spread
from updraft.core.steps.tables import Tables
from updraft.core.steps.texts import text_of
from updraft.core.values import Kind, kind_of
from updraft.core.values.units import Scale, brought, known_units, scale_of


class FurtherUnit(Settings):
    unit: str = setting("Unit", widget="text", default="")
    times: float = setting("is so many", "of the unit they are brought to", widget="decimal", default=1.0)


class ConvertUnitsSettings(Settings):
    columns: ColumnChoice = setting(
        "Columns", widget="columns", default=ColumnChoice(), kind="number", fits="measures"
    )
    by: Literal["one", "column"] = setting(
        "They are in",
        widget="choice",
        default="one",
        labels={"one": "one unit", "column": "units of another column"},
    )
    unit: str = setting("Unit", "such as kg", widget="text", default="", when={"by": ["one"]}, needs="text")
    unit_column: str = setting(
        "Column of the units", widget="column", default="", when={"by": ["column"]}, needs="one"
    )
    to: str = setting("Bring to", "such as g", widget="text", default="", needs="text")
    further: tuple[FurtherUnit, ...] = setting(
        "Further units",
        "usual ones are known",
        widget="items",
        default=(),
        one="unit",
        when={"by": ["column"]},
    )


class ConvertUnits(StepKind):
    """Bring numbers from one unit to another: mass, length, area, volume, time, temperature. With a column of
    units every row is brought from its own, and says the new one; a unit that is not known leaves the row as
    it is, and is counted.
    """

    kind = "convert_units"
    title = "Convert units"
    summary = "Bring numbers from one unit to another, or from many to one"
    words = ("kg to g", "grams", "ounces", "inches", "celsius", "fahrenheit", "measure", "metric", "hectares")
    icon = "rulers"
    works_on = frozenset({Kind.WHOLE, Kind.NUMBER})
    Settings = ConvertUnitsSettings

    def apply(self, tables: Tables, settings: ConvertUnitsSettings, context: Context) -> Result:
        table = tables.main
        schema = table.collect_schema()
        columns = self._columns(schema, settings)
        target = self._scale(settings.to, "to")
        if settings.by == "one":
            scale = self._scale(settings.unit, "unit")
            if scale.measure != target.measure:
                raise Problem(
                    f"“{settings.unit}” and “{settings.to}”",
                    f"one is a unit of {scale.measure}, the other of {target.measure}.",
                    "Choose two units of one measure.",
                    field="to",
                )
            made = [brought(pl.col(name), scale.size, scale.zero, target) for name in columns]
            return Result(table.with_columns(made), touched=tuple(columns))
        return self._by_column(table, schema, columns, target, settings)

    def _by_column(
        self,
        table: pl.LazyFrame,
        schema: pl.Schema,
        columns: list[str],
        target: Scale,
        settings: ConvertUnitsSettings,
    ) -> Result:
        name = settings.unit_column
        unit = text_of(name, schema, field="unit_column").str.strip_chars().str.to_lowercase()
        scales = {unit: scale for unit, scale in known_units().items() if scale.measure == target.measure}
        scales |= {
            one.unit.strip().lower(): Scale(target.measure, one.times * target.size)
            for one in settings.further
        }
        size = unit.replace_strict(list(scales), [s.size for s in scales.values()], default=None)
        zero = unit.replace_strict(list(scales), [s.zero for s in scales.values()], default=None)
        known = size.is_not_null()
        made = [
            pl.when(known)
            .then(brought(pl.col(column), size, zero, target))
            .otherwise(pl.col(column))
            .alias(column)
            for column in columns
        ]
        told = pl.when(known).then(pl.lit(settings.to.strip())).otherwise(pl.col(name)).alias(name)
        some = pl.any_horizontal([pl.col(column).is_not_null() for column in columns])
        count = Count(
            "unit_unknown",
            table.select((some & ~known).sum()),
            f"{{n}} rows have no unit that can be brought to {settings.to.strip()}",
            "warning",
            one=f"{{n}} row has no unit that can be brought to {settings.to.strip()}",
        )
        changed = (*columns, name)
        return Result(table.with_columns(*made, told), touched=changed, counts=(count,))

    def _columns(self, schema: pl.Schema, settings: ConvertUnitsSettings) -> list[str]:
        numbers = [Kind.WHOLE, Kind.NUMBER]
        found = settings.columns.resolve(schema)
        if settings.columns.by != "names":
            found = [name for name in found if kind_of(schema[name]) in numbers]
        if not found:
            raise Problem(
                "The columns", "none is chosen yet.", "Choose one.", field="columns", code="unfinished"
            )
        return found

    def _scale(self, unit: str, field: str) -> Scale:
        scale = scale_of(unit)
        if scale is None:
            near = did_you_mean(unit.strip(), known_units())
            raise Problem(
                f"“{unit}”", "it is no unit that is known here.", near or "Type one such as g.", field=field
            )
        return scale

    def reads(self, settings: ConvertUnitsSettings, wanted: Wanted, port: str) -> Wanted:
        if settings.columns.by != "names":
            return None
        return also(
            wanted, [*settings.columns.names, *([settings.unit_column] if settings.by == "column" else [])]
        )

    def spread(self, settings: ConvertUnitsSettings, schemas: Mapping[str, pl.Schema]) -> Spread:
        return BY_ROWS

    def sentence(self, settings: ConvertUnitsSettings) -> str:
        unit = settings.unit if settings.by == "one" else f"the units in {settings.unit_column or '…'}"
        return f"{settings.columns.words()} · {unit or '…'} → {settings.to or '…'}"
