from functools import partial

import polars as pl

from updraft.core.steps.base import StepKind
from updraft.core.steps.choice import need_new
from updraft.core.steps.counts import Count
from updraft.core.steps.given import Context, Result, Wanted, also
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.tables import Tables
from updraft.core.values import Kind, by_value
from updraft.core.values.convert import INDIAN, converted
from updraft.core.values.dressed import UNITS, undressed


class UnitFactor(Settings):
    unit: str = setting("Unit", widget="text", default="")
    times: float = setting("counts", "of the unit they are all brought to", widget="decimal", default=1.0)


class NumberAndUnitSettings(Settings):
    column: str = setting("Column", widget="column", default="", needs="one", fits="text")
    number: str = setting("Name of the number's column", widget="text", default="Amount")
    unit: str = setting("Name of the unit's column", widget="text", default="Unit")
    to: str = setting(
        "Bring all to", "a unit such as g; nothing leaves them as they are", widget="text", default=""
    )
    known: tuple[UnitFactor, ...] = setting(
        "Further units", "usual ones are known", widget="items", default=(), one="unit"
    )
    without: str = setting(
        "Without a unit it is", "a unit such as g; nothing leaves it open", widget="text", default=""
    )
    comma: bool = setting("Numbers are written 1.234,5", widget="flag", default=False)


class NumberAndUnit(StepKind):
    """Take text such as “1.5 kg” apart into a number and its unit, and bring all to one unit if asked. A unit
    that is not known, or of another measure, leaves the number empty, and is counted.
    """

    kind = "number_and_unit"
    title = "Number and unit"
    summary = "Take “1.5 kg” apart into a number and a unit, all brought to one unit"
    words = ("convert units", "weight", "measure", "grams", "kilograms", "quantity", "amount")
    icon = "rulers"
    needs = frozenset({"whole"})
    version = 3
    works_on = frozenset({Kind.TEXT})
    Settings = NumberAndUnitSettings

    def apply(self, tables: Tables, settings: NumberAndUnitSettings, context: Context) -> Result:
        table, name = tables.main, settings.column
        schema = table.collect_schema()
        number = need_new(settings.number, schema, field="number")
        unit = need_new(settings.unit, [*schema, number], field="unit")
        # Worked out here and not within the query: the counts share it, and a query that is shared must not
        # begin another one, which could wait for it.
        frame = table.collect()
        taken = by_value(frame[name], partial(_taken, comma=settings.comma)).struct
        numbers, units = _whole(taken.field("number"), settings), taken.field("unit")
        if settings.without.strip():
            own = pl.when(pl.col("u").is_null() & pl.col("n").is_not_null()).then(
                pl.lit(settings.without.strip())
            )
            units = pl.DataFrame({"n": numbers, "u": units}).select(own.otherwise(pl.col("u"))).to_series()
        table = frame.lazy().with_columns(pl.lit(numbers).alias(number), pl.lit(units).alias(unit))
        counts = [
            self._count(
                table, name, number, "no_number", "hold no number with a unit", "holds no number with a unit"
            )
        ]
        if settings.to.strip():
            table, unknown = self._brought(table, number, unit, settings)
            counts.append(unknown)
        return Result(table, touched=(), counts=tuple(counts))

    def _count(self, table: pl.LazyFrame, name: str, number: str, code: str, many: str, one: str) -> Count:
        missed = table.select((pl.col(number).is_null() & pl.col(name).is_not_null()).sum())
        return Count(
            code,
            missed,
            f"{{n}} filled cells of {name} {many}",
            "warning",
            one=f"{{n}} filled cell of {name} {one}",
        )

    def _brought(
        self, table: pl.LazyFrame, number: str, unit: str, settings: NumberAndUnitSettings
    ) -> tuple[pl.LazyFrame, Count]:
        to = settings.to.strip()
        factors = factors_to(to, {known.unit.strip().lower(): known.times for known in settings.known})
        times = pl.col(unit).replace_strict(
            list(factors), list(factors.values()), default=None, return_dtype=pl.Float64
        )
        strange = pl.col(number).is_not_null() & times.is_null()
        count = Count(
            "unit_unknown",
            table.select(strange.sum()),
            f"{{n}} numbers have no unit that can be brought to {to}",
            "warning",
            one=f"{{n}} number has no unit that can be brought to {to}",
        )
        # 0.07 · 100 is 7.000000000000001 in binary: fifteen figures are what a float holds for sure.
        brought = (pl.col(number) * times).round_sig_figs(15).alias(number)
        known = pl.when(times.is_not_null()).then(pl.lit(to)).otherwise(pl.col(unit)).alias(unit)
        return table.with_columns(brought, known), count

    def reads(self, settings: NumberAndUnitSettings, wanted: Wanted, port: str) -> Wanted:
        return also(wanted, [settings.column, settings.number.strip(), settings.unit.strip()])

    def sentence(self, settings: NumberAndUnitSettings) -> str:
        to = f" in {settings.to.strip()}" if settings.to.strip() else ""
        return f"{settings.column or '…'} → {settings.number}{to}, {settings.unit}"


def _whole(numbers: pl.Series, settings: NumberAndUnitSettings) -> pl.Series:
    """Numbers that are all whole, as such, where nothing is brought to another unit."""
    if settings.to.strip() or not numbers.count():
        return numbers
    whole = numbers.cast(pl.Int64, strict=False)
    return whole if whole.null_count() == numbers.null_count() and (whole == numbers).all() else numbers


def _taken(text: pl.Expr, comma: bool) -> pl.Expr:
    bare, negative, unit = undressed(text)
    forms = ["1.234,5", "1 234,5"] if comma else ["1,234.5", "1'234.5", INDIAN]
    value = converted(bare, pl.String(), Kind.NUMBER, forms)
    signed = pl.when(negative).then(-value).otherwise(value)
    return pl.struct(signed.alias("number"), pl.when(unit != "").then(unit).alias("unit"))


def factors_to(to: str, further: dict[str, float]) -> dict[str, float]:
    """What a number in each unit is multiplied by to be in the unit `to`: units of its measure, and further
    ones that say themselves how many of it they are.
    """
    found = UNITS.get(to.lower())
    same = {unit: size / found[1] for unit, (measure, size) in UNITS.items() if found and measure == found[0]}
    return {**same, to.lower(): 1.0, **further}
