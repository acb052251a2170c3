from typing import Any, Literal

import polars as pl

from updraft.core.problems import Problem
from updraft.core.steps.base import StepKind
from updraft.core.steps.choice import listed, need_kind, need_new
from updraft.core.steps.counts import Count
from updraft.core.steps.given import Context, Result
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.tables import Out, Tables
from updraft.core.values import Kind, kind_of

MOST = 5_000_000  # rows that are added; more of them are a mistake
_NEW, _FIRST, _LAST = "\0new", "\0first", "\0last"  # names no file can bring
_UNITS = {"day": "1d", "week": "1w", "month": "1mo", "quarter": "1q", "year": "1y"}
_NUMBERS = (Kind.WHOLE, Kind.NUMBER)


class AddMissingRowsSettings(Settings):
    by: Literal["steps", "combinations"] = setting(
        "Missing are",
        widget="choice",
        default="steps",
        labels={"steps": "days or numbers", "combinations": "combinations"},
    )
    column: str = setting("In column", widget="column", default="", when={"by": ["steps"]})
    unit: Literal["day", "week", "month", "quarter", "year", "number"] = setting(
        "One for each",
        widget="pick_one",
        default="day",
        labels={**{unit: unit for unit in _UNITS}, "number": "number"},
        when={"by": ["steps"]},
    )
    width: float = setting(
        "Numbers this far apart", widget="decimal", default=1.0, when={"by": ["steps"], "unit": ["number"]}
    )
    within: tuple[str, ...] = setting(
        "In each group of", "none: in the whole table", widget="names", default=(), when={"by": ["steps"]}
    )
    whole: bool = setting(
        "All groups from the first to the last of the table",
        widget="flag",
        default=False,
        when={"by": ["steps"]},
    )
    columns: tuple[str, ...] = setting(
        "Combinations of", widget="names", default=(), when={"by": ["combinations"]}
    )
    zero: bool = setting("Numbers of added rows are 0", "else empty", widget="flag", default=False)
    mark: str = setting("Name of a column that marks them", "nothing makes none", widget="text", default="")


class AddMissingRows(StepKind):
    """Add the rows that are missing between the first and the last day or number, or for each combination of
    values that some columns have. Other cells of added rows are empty, or 0 where they are numbers.

    The table is ordered by the groups and the days, or by the columns that are combined. Rows without a day
    stay, behind their group. Days are counted from the first: a month from the same day of the month, or the
    last one that it has.
    """

    kind = "add_missing_rows"
    title = "Add missing rows"
    summary = "Add rows for days without one, or for combinations that no row has"
    words = (
        "missing dates",
        "date range",
        "calendar",
        "gaps in a series",
        "complete",
        "combinations",
        "fill in dates",
        "zero rows",
    )
    icon = "calendar-plus"
    needs = frozenset({"whole"})
    outputs = (Out(main=True), Out("added", "Added rows"))
    Settings = AddMissingRowsSettings

    def apply(self, tables: Tables, settings: AddMissingRowsSettings, context: Context) -> Result:
        table = tables.main
        schema = table.collect_schema()
        mark = need_new(settings.mark, schema, field="mark") if settings.mark.strip() else ""
        if settings.by == "combinations":
            names = self._combined(settings, schema)
            every = _combinations(table, names)
        else:
            names = self._stepped(settings, schema)
            every = _steps(table, settings, schema)
        missing = every.lazy().join(table, on=names, how="anti", nulls_equal=True)
        made = {
            name: pl.lit(0).cast(dtype)
            if settings.zero and kind_of(dtype) in _NUMBERS
            else pl.lit(None, dtype)
            for name, dtype in schema.items()
        }
        added = missing.select(
            *(pl.col(n) if n in names else value.alias(n) for n, value in made.items()),
            pl.lit(True).alias(_NEW),
        )
        both = pl.concat([table.with_columns(pl.lit(False).alias(_NEW)), added])
        # Polars keeps equal rows in their order: rows of before stand as they stood.
        done = both.sort(names, nulls_last=True, maintain_order=True).cache()
        marked = [pl.col(_NEW).alias(mark)] if mark else []
        new = done.filter(_NEW).select(schema.names())
        count = Count("added", new.select(pl.len()), "{n} rows added", one="{n} row added", side="added")
        return Result(done.select(*schema.names(), *marked), {"added": new}, (count,))

    def _combined(self, settings: AddMissingRowsSettings, schema: pl.Schema) -> list[str]:
        names = list(dict.fromkeys(settings.columns))
        if len(names) < 2:
            raise Problem(
                "Combinations of",
                "they are of two columns at least.",
                "Choose another one.",
                field="columns",
                code="unfinished",
            )
        return names

    def _stepped(self, settings: AddMissingRowsSettings, schema: pl.Schema) -> list[str]:
        numbers = settings.unit == "number"
        fits = list(_NUMBERS) if numbers else [Kind.DATE]
        way_out = (
            "Choose a column of numbers, or days as what is stepped by."
            if numbers
            else "Choose a column of dates, or put a step “Set types” before this one."
        )
        need_kind(settings.column, schema, fits, field="column", way_out=way_out)
        if settings.column in settings.within:
            raise Problem(
                f"“{settings.column}”", "it cannot be its own group.", "Take it out.", field="within"
            )
        if numbers and not 0 < settings.width < float("inf"):
            raise Problem("The width", "it is not above 0.", "Type how far apart they are.", field="width")
        return [*dict.fromkeys(settings.within), settings.column]

    def sentence(self, settings: AddMissingRowsSettings) -> str:
        if settings.by == "combinations":
            return f"combinations of {listed(settings.columns) or '…'}"
        within = f" in each {listed(settings.within)}" if settings.within else ""
        step = f"{settings.width:g}" if settings.unit == "number" else settings.unit
        return f"{settings.column or '…'} every {step}{within}"


def _combinations(table: pl.LazyFrame, names: list[str]) -> pl.DataFrame:
    """All combinations of the values that the columns have."""
    values = pl.collect_all([table.select(pl.col(name).unique()) for name in names])
    many = 1
    for one in values:
        many *= one.height
    _check(many)
    found = values[0]
    for one in values[1:]:
        found = found.join(one, how="cross")
    return found


def _steps(table: pl.LazyFrame, settings: AddMissingRowsSettings, schema: pl.Schema) -> pl.DataFrame:
    """Every day or number of every group, from its first to its last."""
    name, within = settings.column, list(dict.fromkeys(settings.within))
    value = pl.col(name)
    if schema[name].is_float():
        value = pl.when(value.is_finite()).then(value)
    ends = [value.min().alias(_FIRST), value.max().alias(_LAST)]
    groups = (table.group_by(within).agg(ends) if within else table.select(ends)).collect()
    if settings.whole and within:
        groups = groups.with_columns(pl.col(_FIRST).min(), pl.col(_LAST).max())
    groups = groups.drop_nulls([_FIRST])
    if settings.unit == "number":
        steps = ((pl.col(_LAST) - pl.col(_FIRST)) / settings.width).round_sig_figs(15).floor()
        _check(int(groups.select((steps.cast(pl.Float64).clip(0, 1e15) + 1).sum()).item() or 0))
        groups = groups.with_columns(pl.int_ranges(0, steps.cast(pl.Int64) + 1).alias(name)).explode(name)
        made = (pl.col(_FIRST) + pl.col(name) * settings.width).round_sig_figs(15)
        return groups.select(*within, made.cast(schema[name]).alias(name))
    days = {"day": 1, "week": 7, "month": 28, "quarter": 89, "year": 365}[settings.unit]
    _check(
        int(groups.select(((pl.col(_LAST) - pl.col(_FIRST)).dt.total_days() // days + 1).sum()).item() or 0)
    )
    made = pl.date_ranges(_FIRST, _LAST, interval=_UNITS[settings.unit]).alias(name)
    return groups.with_columns(made).explode(name).select(*within, pl.col(name).cast(schema[name]))


def _check(rows: Any) -> None:
    if rows > MOST:
        raise Problem(
            "The missing rows",
            f"there would be up to {rows:,}; {MOST:,} are the most.",
            "Choose wider steps, or fewer columns.",
            field="unit",
            code="too_many",
        )
