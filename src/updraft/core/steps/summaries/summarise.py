from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

import polars as pl

from updraft.core.formula.functions.text import as_text
from updraft.core.formula.terms import Term
from updraft.core.problems import Problem
from updraft.core.steps.base import Context, Result, Settings, StepKind, Wanted, setting
from updraft.core.steps.choice import listed, need_columns
from updraft.core.steps.conditions import Rule, compiled
from updraft.core.steps.ordering import sort_keys
from updraft.core.steps.spread import WHOLE, Spread, by_columns
from updraft.core.steps.tables import Tables
from updraft.core.values import TITLES, Kind, kind_of
from updraft.core.values.common import names_like

FIGURES = {
    "rows": "rows",
    "filled": "filled values",
    "distinct": "distinct values",
    "sum": "sum",
    "mean": "mean",
    "median": "median",
    "percentile": "percentile",
    "deviation": "standard deviation",
    "min": "smallest",
    "max": "largest",
    "first": "first value",
    "last": "last value",
    "frequent": "most frequent value",
    "list": "list of values",
}
# Written out once more, since a type checker reads literals alone.
Name = Literal[
    "rows",
    "filled",
    "distinct",
    "sum",
    "mean",
    "median",
    "percentile",
    "deviation",
    "min",
    "max",
    "first",
    "last",
    "frequent",
    "list",
]
_RECKONED = ("sum", "mean", "median", "percentile", "deviation")  # of numbers alone
_BY_PLACE = ("first", "last")


# What the desk offers: the figure, and the words before the column's name.
FIGURE_WORDS = [["rows", "number of rows"]] + [
    [figure, words if figure in ("min", "max") else f"{words} of"]
    for figure, words in FIGURES.items()
    if figure != "rows"
]


class Figure(Settings):
    """`share` is the part of the values, in %, at or below a percentile; `along` a column in whose order
    there is a first and a last value; `where` a rule that rows must meet to count.
    """

    figure: Name = setting("Figure", default="sum")
    column: str = setting("of", default="")
    name: str = setting("Name", "nothing makes one", default="")
    share: float = setting("of 100", default=90.0, ge=0, le=100)
    along: str = setting("In the order of", "none: as the rows stand", default="", holds="columns")
    where: Rule = setting("Only rows where", "none: all rows", widget="rule", default=Rule())

    def called(self) -> str:
        if name := self.name.strip():
            return name
        words = (
            f"{self.share:g} % {FIGURES[self.figure]}"
            if self.figure == "percentile"
            else FIGURES[self.figure]
        )
        made = "Rows" if self.figure == "rows" else f"{words[0].upper()}{words[1:]} of {self.column}"
        return f"{made} where {self.where.words()}" if self.where.of else made

    def read(self) -> list[str]:
        """The columns it is made of."""
        along = self.along if self.figure in _BY_PLACE else ""
        return [name for name in (self.column, along, *self.where.columns()) if name]


class FigureOfSome(Figure):
    """A figure of one column, or of each column whose name is like something."""

    like: str = setting(
        "of each column like", "* stands for any characters; in the name, for the column", default=""
    )

    def each(self, schema: pl.Schema) -> list[FigureOfSome]:
        """One figure for each column that it is of."""
        if not self.like.strip() or self.figure == "rows":
            return [self]
        found = names_like(schema, self.like.strip())
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
        "percentile",
        "quantile",
        "standard deviation",
    )
    icon = "collection"
    other_rows = True
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
        return frozenset([*settings.by, *(name for figure in settings.figures for name in figure.read())])

    def spread(self, settings: SummariseSettings, schemas: Mapping[str, pl.Schema]) -> Spread:
        if not settings.by:
            return WHOLE
        order = settings.by if settings.order == "groups" else ()
        return by_columns(settings.by, stands="group", order=order)

    def sentence(self, settings: SummariseSettings) -> str:
        figures = listed([figure.called().lower() for figure in settings.figures])
        return (
            f"{figures or 'groups'} by {listed(settings.by)}" if settings.by else figures or "no figure yet"
        )


def expression(figure: Figure, schema: pl.Schema, field: str = "figures") -> pl.Expr:
    """A figure over the rows of a group. Raises Problem, at a field of the settings, where it cannot be
    had.

    Texts are in natural order. The deviation is that of a sample (n − 1); a percentile lies between the two
    nearest values in proportion (Hyndman and Fan 1996, type 7).
    """
    meets = compiled(figure.where, schema) if figure.where.of else None
    if figure.figure == "rows":
        return (pl.len() if meets is None else meets.sum()).cast(pl.Int64)
    if not figure.column:
        raise Problem(
            "A figure",
            f"it is not said yet what the {FIGURES[figure.figure]} is of.",
            "Choose a column.",
            field=field,
            code="unfinished",
        )
    along = figure.along if figure.figure in _BY_PLACE else ""
    need_columns([figure.column, *([along] if along else [])], schema, field=field)
    column, kind = pl.col(figure.column), kind_of(schema[figure.column])
    if figure.figure in _RECKONED and kind not in (Kind.WHOLE, Kind.NUMBER, Kind.YES_NO):
        raise Problem(
            f"Column “{figure.column}”",
            f"it is of type {TITLES[kind]}, which cannot be added up.",
            "Put a step “Set types” before this one.",
            field=field,
            code="not_a_number",
        )
    if figure.figure == "list" and kind in (Kind.LIST, Kind.RECORD):
        raise Problem(
            f"Column “{figure.column}”",
            f"it holds {TITLES[kind]}s, which cannot be put together as text.",
            "Take their values out first, or choose another figure.",
            field=field,
            code="no_text",
        )
    if along and schema[along].is_nested():
        raise Problem(
            f"Column “{along}”",
            "it holds lists or records, which have no order.",
            "Choose another column.",
            field=field,
            code="no_order",
        )
    by = along or (figure.column if kind is Kind.TEXT and figure.figure in ("min", "max") else "")
    order = sort_keys(by, schema[by]) if by else []
    # Of an order, only rows that have a value and a place in it.
    counts = [column.is_not_null(), order[0].is_not_null()] if order else []
    counts = counts if meets is None else [*counts, meets]
    if counts:
        column, order = (
            column.filter(pl.all_horizontal(counts)),
            [key.filter(pl.all_horizontal(counts)) for key in order],
        )
    return _made(figure, column, kind, order)


def _made(figure: Figure, column: pl.Expr, kind: Kind, order: list[pl.Expr]) -> pl.Expr:
    """The figure over the values that count, in an order where there is one."""
    match figure.figure:
        case "first" | "min" if order:
            return column.sort_by(order, maintain_order=True).first()
        case "last" | "max" if order:
            return column.sort_by(order, maintain_order=True).last()
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
        case "percentile":
            return column.cast(pl.Float64).quantile(figure.share / 100, "linear")
        case "deviation":
            return column.cast(pl.Float64).std()
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
