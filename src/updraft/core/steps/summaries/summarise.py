from __future__ import annotations

import fnmatch
import re
from typing import Literal

import polars as pl

from updraft.core.formula.functions.text import as_text
from updraft.core.formula.terms import Term
from updraft.core.problems import Problem
from updraft.core.steps.base import Context, Result, Settings, StepKind, Wanted, setting
from updraft.core.steps.choice import listed, need_columns
from updraft.core.steps.tables import Tables
from updraft.core.values import TITLES, Kind, kind_of

FIGURES = {
    "rows": "rows",
    "filled": "filled values",
    "distinct": "distinct values",
    "sum": "sum",
    "mean": "mean",
    "median": "median",
    "min": "smallest",
    "max": "largest",
    "first": "first value",
    "last": "last value",
    "frequent": "most frequent value",
    "list": "list of values",
}
# Written out once more, since a type checker reads literals alone.
Name = Literal[
    "rows", "filled", "distinct", "sum", "mean", "median", "min", "max", "first", "last", "frequent", "list"
]


# What the desk offers: the figure, and the words before the column's name.
FIGURE_WORDS = [["rows", "number of rows"]] + [
    [figure, words if figure in ("min", "max") else f"{words} of"]
    for figure, words in FIGURES.items()
    if figure != "rows"
]


class Figure(Settings):
    figure: Name = setting("Figure", default="sum")
    column: str = setting("of", default="")
    name: str = setting("Name", "nothing makes one", default="")

    def called(self) -> str:
        return self.name.strip() or (
            "Rows" if self.figure == "rows" else f"{FIGURES[self.figure].capitalize()} of {self.column}"
        )


class FigureOfSome(Figure):
    """A figure of one column, or of each column whose name is like something."""

    like: str = setting(
        "of each column like", "* stands for any signs; in the name, for the column", default=""
    )

    def each(self, schema: pl.Schema) -> list[FigureOfSome]:
        """One figure for each column that it is of."""
        if not self.like.strip() or self.figure == "rows":
            return [self]
        fits = re.compile(fnmatch.translate(self.like.strip()))
        found = [name for name in schema if fits.match(name)]
        if not found:
            raise Problem(
                f"“{self.like}”",
                "no column's name is like this.",
                "Change it, or choose one column.",
                field="figures",
                code="missing_column",
            )
        return [
            self.model_copy(update={"column": name, "like": "", "name": self.name.replace("*", name)})
            for name in found
        ]


class SummariseSettings(Settings):
    by: tuple[str, ...] = setting(
        "For each", "no column makes one row for the whole table", widget="names", default=()
    )
    figures: tuple[FigureOfSome, ...] = setting("Figures", widget="figures", default=(), figures=FIGURE_WORDS)
    order: Literal["groups", "first"] = setting(
        "Order",
        widget="choice",
        default="groups",
        labels={"groups": "by group", "first": "as they first come"},
    )


class Summarise(StepKind):
    """One row for each group, with figures. Empty values form a group of their own and count in no figure
    but rows.
    """

    kind = "summarise"
    title = "Summarise"
    summary = "Group rows and count, add up or average them"
    words = (
        "group by",
        "aggregate",
        "sum",
        "count",
        "total",
        "average",
        "mean",
        "min",
        "max",
        "pivot",
        "subtotal",
        "distinct",
        "sumif",
        "countif",
    )
    icon = "collection"
    Settings = SummariseSettings

    def apply(self, tables: Tables, settings: SummariseSettings, context: Context) -> Result:
        table = tables.main
        schema = table.collect_schema()
        need_columns(settings.by, schema, field="by")
        if not settings.figures and not settings.by:
            raise Problem(
                "The summary",
                "it has no figure yet.",
                "Choose a figure such as the number of rows.",
                field="figures",
                code="unfinished",
            )
        asked = [one for figure in settings.figures for one in figure.each(schema)]
        names = [*settings.by, *(figure.called() for figure in asked)]
        double = next((name for name in names if names.count(name) > 1), None)
        if double is not None:
            raise Problem(
                f"“{double}”",
                "two columns of the summary would have this name.",
                "Give one of the figures another name.",
                field="figures",
            )
        figures = [expression(figure, schema).alias(figure.called()) for figure in asked]
        if not settings.by:
            return Result(table.select(figures))
        if settings.order == "first":
            return Result(table.group_by(settings.by, maintain_order=True).agg(figures))
        return Result(table.group_by(settings.by).agg(figures).sort(settings.by, nulls_last=True))

    def reads(self, settings: SummariseSettings, wanted: Wanted, port: str) -> Wanted:
        if any(figure.like.strip() for figure in settings.figures):
            return None  # only the table tells which columns
        return frozenset([*settings.by, *(figure.column for figure in settings.figures if figure.column)])

    def sentence(self, settings: SummariseSettings) -> str:
        figures = listed([figure.called().lower() for figure in settings.figures])
        return (
            f"{figures or 'groups'} by {listed(settings.by)}" if settings.by else figures or "no figure yet"
        )


def expression(figure: Figure, schema: pl.Schema, field: str = "figures") -> pl.Expr:
    """A figure over the rows of a group. Raises Problem, at a field of the settings, where it cannot be
    had.
    """
    if figure.figure == "rows":
        return pl.len().cast(pl.Int64)
    if not figure.column:
        raise Problem(
            "A figure",
            f"it is not said yet what the {FIGURES[figure.figure]} is of.",
            "Choose a column.",
            field=field,
            code="unfinished",
        )
    need_columns([figure.column], schema, field=field)
    column, kind = pl.col(figure.column), kind_of(schema[figure.column])
    if figure.figure in ("sum", "mean", "median") and kind not in (Kind.WHOLE, Kind.NUMBER, Kind.YES_NO):
        raise Problem(
            f"Column “{figure.column}”",
            f"it is of type {TITLES[kind]}, which cannot be added up.",
            "Put a step “Set types” before this one.",
            field=field,
            code="not_a_number",
        )
    match figure.figure:
        case "filled":
            return column.count().cast(pl.Int64)
        case "distinct":
            return column.drop_nulls().n_unique().cast(pl.Int64)
        case "sum":
            return pl.when(column.count() > 0).then(column.sum())
        case "mean":
            return column.mean()
        case "median":
            return column.median()
        case "frequent":
            # Of several that are as frequent, the one that comes first.
            return column.drop_nulls().mode(maintain_order=True).first()
        case "list":
            texts = as_text(Term(column.drop_nulls().unique(maintain_order=True), kind))
            return pl.when(column.count() > 0).then(texts.str.join(", "))
        case "min":
            return column.min()
        case "first":
            return column.drop_nulls().first()
        case "last":
            return column.drop_nulls().last()
        case _:
            return column.max()
