import re
from collections.abc import Iterator, Mapping, Sequence
from typing import Literal

import polars as pl

from updraft.core.problems import Problem
from updraft.core.steps.base import StepKind
from updraft.core.steps.choice import listed
from updraft.core.steps.counts import Count, Level, control_total
from updraft.core.steps.figures import FIGURE_WORDS, OF_ALL, Figure, added_up, expression
from updraft.core.steps.given import Context, Result, Wanted
from updraft.core.steps.opening import questions
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.spread import WHOLE, Spread, by_columns
from updraft.core.steps.tables import Out, Tables
from updraft.core.values.decimals import in_millionths
from updraft.core.values.text import shown

MOST = 2000  # columns made; beyond that a column of names was surely chosen by mistake
EMPTY = "(empty)"
TAKE, LEAVE_OUT = "take", "leave out"  # the answers
_NAME, _ONE, _ROW, _VALUE = "\0name", "\0one", "\0row", "\0value"  # names no file can bring
_COUNTING = ("rows", "filled", "distinct")


class RowsToColumnsSettings(Settings):
    names: str = setting(
        "Names come from", "each of its values becomes a column", widget="column", default="", needs="one"
    )
    stay: tuple[str, ...] = setting("A row for each", widget="names", default=())
    values: tuple[Figure, ...] = setting(
        "Cells hold", widget="figures", default=(), figures=FIGURE_WORDS, needs="more"
    )
    order: Literal["name", "first"] = setting(
        "New columns come",
        widget="choice",
        default="name",
        labels={"name": "by name", "first": "as they first come"},
    )
    new: Literal["go_on", "hold", "stop"] = setting(
        "A name that was not there before",
        "once the names are settled",
        widget="choice",
        default="go_on",
        labels={"go_on": "becomes a column", "hold": "holds the run", "stop": "stops it"},
    )


class RowsToColumns(StepKind):
    """Turn the values of a column into columns, one row for each group, cells made by figures.

    Once the names are settled, a name that was not there before is an open question: whether it becomes a
    column or is left out. Names that are settled keep their column, empty where no row has them. An empty
    name is told as “(empty)”.
    """

    kind = "rows_to_columns"
    version = 2
    title = "Rows to columns"
    summary = "Turn the values of a column, such as months, into columns of figures"
    words = ("pivot", "crosstab", "long to wide", "spread", "cast", "cross table", "transpose groups")
    icon = "distribute-horizontal"
    other_rows = True
    needs = frozenset({"decisions", "whole"})
    answers = (TAKE, LEAVE_OUT)
    outputs = (Out(main=True), Out("open", "Open questions"))
    Settings = RowsToColumnsSettings

    def apply(self, tables: Tables, settings: RowsToColumnsSettings, context: Context) -> Result:
        schema = tables.main.collect_schema()
        self._check(settings, schema)
        values = context.learnt(("names", settings.names), lambda: _values(tables.main, settings.names))
        found = values.group_by("Name", maintain_order=True).agg(pl.col("Rows").sum())
        decided = context.decisions
        fresh = found.filter(~pl.col("Name").is_in(list(decided)))
        names = self._columns(found["Name"].to_list(), decided, settings)

        def wide(table: pl.DataFrame) -> pl.DataFrame:
            return self._wide(_named(table, settings.names, values), names, settings)

        made = tables.main.map_batches(
            wide,
            schema=wide(pl.DataFrame(schema=schema)).schema,
            predicate_pushdown=False,
            projection_pushdown=False,
            slice_pushdown=False,
        ).cache()
        counts = self._counts(fresh, found, decided, settings)
        totals = self._agreeing(tables.main, made, names, settings)
        return Result(made, {"open": questions(fresh).lazy()}, (*counts, *totals))

    def _agreeing(
        self, table: pl.LazyFrame, made: pl.LazyFrame, names: Sequence[str], settings: RowsToColumnsSettings
    ) -> Iterator[Count]:
        """Whether sums are the same before and after; names that are left out take theirs along."""
        cells = [str(n) for n in range(len(settings.values))]
        titles = self._titles(names, cells, settings)
        for n, figure in enumerate(settings.values):
            new = [title for _, cell, title in titles if cell == str(n)]
            if figure.figure == "sum" and new:
                why = "what is left out, or meets no condition, is in no column"
                yield control_total(figure.column, table, made, pl.sum_horizontal(pl.col(new).sum()), why)

    def _wide(
        self, table: pl.DataFrame, names: Sequence[str], settings: RowsToColumnsSettings
    ) -> pl.DataFrame:
        """One row a group, one column for each name and figure, in the order of the names."""
        keys = list(dict.fromkeys(settings.stay)) or [_ONE]
        codes = {name: f"\0{number}" for number, name in enumerate(names)}
        fine = in_millionths(table.lazy(), added_up(settings.values, table.schema))
        figures = {
            f"\0f{n}": expression(figure, table.schema, "values", fine)
            for n, figure in enumerate(settings.values)
        }
        table = table.with_columns(pl.lit(0).alias(_ONE)).with_row_index(_ROW)
        first = pl.col(_ROW).min()
        cells = table.group_by([*keys, _NAME]).agg(first, *(f.alias(n) for n, f in figures.items()))
        # A group whose names are all left out stays.
        wide = cells.group_by(keys).agg(first).sort(_ROW).drop(_ROW)
        cells = cells.sort(_ROW).filter(pl.col(_NAME).is_in(names))
        cells = cells.with_columns(pl.col(_NAME).replace_strict(codes, return_dtype=pl.String))
        for cell, figure in zip(figures, settings.values, strict=True):
            part = cells.pivot(_NAME, index=keys, values=cell)
            part = part.rename({code: f"{cell}{code}" for code in codes.values() if code in part.columns})
            wide = wide.join(part, on=keys, how="left", nulls_equal=True, maintain_order="left")
            lost = [f"{cell}{code}" for code in codes.values() if f"{cell}{code}" not in wide.columns]
            wide = wide.with_columns(pl.lit(None, cells.schema[cell]).alias(name) for name in lost)
            if figure.figure in _COUNTING:
                wide = wide.with_columns(pl.col(f"{cell}{code}").fill_null(0) for code in codes.values())
        titles = self._titles(names, list(figures), settings)
        made = [pl.col(f"{cell}{codes[name]}").alias(title) for name, cell, title in titles]
        return wide.select(*dict.fromkeys(settings.stay), *made)

    def _titles(
        self, names: Sequence[str], cells: Sequence[str], settings: RowsToColumnsSettings
    ) -> list[tuple[str, str, str]]:
        """Name, figure and title of every new column. Problem where two would be called the same."""
        one, taken = len(settings.values) == 1, set(settings.stay)
        made = [
            (name, cell, name if one else f"{name} {figure.called()}")
            for name in names
            for cell, figure in zip(cells, settings.values, strict=True)
        ]
        for _, _, title in made:
            if title in taken:
                raise Problem(
                    f"“{title}”",
                    "two columns would have this name.",
                    "Rename one before this step.",
                    field="names",
                )
            taken.add(title)
        return made

    def _columns(
        self, found: Sequence[str], decided: Mapping[str, str], settings: RowsToColumnsSettings
    ) -> list[str]:
        """The new columns: those settled, then what is new, without what is left out."""
        names = [name for name in dict.fromkeys([*decided, *found]) if decided.get(name) != LEAVE_OUT]
        if settings.order == "name":
            names.sort(key=_natural)
        if len(names) > MOST:
            raise Problem(
                f"Column “{settings.names}”",
                f"it has {len(names):,} different values, and a table of that many columns helps nobody.",
                "Choose another column, or keep fewer rows first.",
                field="names",
                code="too_many",
            )
        return names

    def _counts(
        self,
        fresh: pl.DataFrame,
        found: pl.DataFrame,
        decided: Mapping[str, str],
        settings: RowsToColumnsSettings,
    ) -> tuple[Count, ...]:
        levels: dict[str, Level] = {"go_on": "warning", "hold": "hold", "stop": "stop"}
        known = set(found["Name"])
        gone = [name for name, answer in decided.items() if answer != LEAVE_OUT and name not in known]
        named, lost = listed(fresh["Name"]), listed(gone)
        return (
            Count(
                "open_questions",
                pl.LazyFrame({"n": [fresh.height if decided else 0]}),
                f"{{n}} names of {settings.names} were not there before: {named}",
                levels[settings.new],
                "Say in the panel whether each becomes a column or is left out.",
                f"{{n}} name of {settings.names} was not there before: {named}",
                side="open",
                once=True,
            ),
            Count(
                "gone",
                pl.LazyFrame({"n": [len(gone)]}),
                f"{{n}} names have no row any more: {lost}",
                one=f"{{n}} name has no row any more: {lost}",
                once=True,
            ),
        )

    def _check(self, settings: RowsToColumnsSettings, schema: pl.Schema) -> None:
        if settings.names in settings.stay:
            raise Problem(
                f"“{settings.names}”",
                "it cannot both become columns and stay.",
                "Take it out of one.",
                field="stay",
            )

    def reads(self, settings: RowsToColumnsSettings, wanted: Wanted, port: str) -> Wanted:
        return frozenset(
            [settings.names, *settings.stay, *(name for figure in settings.values for name in figure.read())]
        )

    def spread(self, settings: RowsToColumnsSettings, schemas: Mapping[str, pl.Schema]) -> Spread:
        stay = dict.fromkeys(settings.stay)
        if not stay or any(figure.figure in OF_ALL for figure in settings.values):
            return WHOLE
        return by_columns([*stay], stands="group", learns=True, same=frozenset({"open"}))

    def sentence(self, settings: RowsToColumnsSettings) -> str:
        figures = listed(figure.called().lower() for figure in settings.values) or "no figure yet"
        return f"{settings.names or '…'} → columns · {figures}"


def _values(table: pl.LazyFrame, column: str) -> pl.DataFrame:
    """The values of a column (`_VALUE`) as they first come, the name of each, and how many rows have it."""
    values = table.select(pl.col(column).alias(_VALUE))
    counted = values.group_by(_VALUE, maintain_order=True).len("Rows").collect()
    return counted.with_columns(shown(counted[_VALUE]).fill_null(EMPTY).alias("Name"))


def _named(table: pl.DataFrame, column: str, values: pl.DataFrame) -> pl.DataFrame:
    """The table with the values of a column as names (`_NAME`)."""
    if table.schema[column] == pl.String and column != _NAME:
        name = pl.col(column).fill_null(EMPTY).alias(_NAME)  # texts are shown as they are
        return table.with_columns(name)
    names = values.select(_VALUE, pl.col("Name").alias(_NAME))
    return table.join(
        names, left_on=column, right_on=_VALUE, how="left", nulls_equal=True, maintain_order="left"
    )


def _natural(name: str) -> list[tuple[int, int, str]]:
    """Sorts numbers inside text by their value."""
    parts = re.split(r"(\d+)", name.casefold())
    return [(0, int(part), "") if part.isdecimal() else (1, 0, part) for part in parts if part]
