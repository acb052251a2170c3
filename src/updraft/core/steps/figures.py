"""Figures over the rows of a group: what can be asked for, and how each is computed."""

from __future__ import annotations

from collections.abc import Callable, Container, Iterable
from functools import partial
from typing import Literal

import polars as pl

from updraft.core.formula.functions.text import as_text
from updraft.core.formula.terms import Term
from updraft.core.problems import Problem
from updraft.core.steps.choice import need_columns
from updraft.core.steps.conditions import Rule, compiled
from updraft.core.steps.ordering import sort_keys
from updraft.core.steps.settings import Settings, setting
from updraft.core.values import TITLES, Kind, kind_of
from updraft.core.values.common import names_like
from updraft.core.values.decimals import exactly, exactly_whole, mean_of, reckoned

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
    "range": "range",
    "weighted": "weighted mean",
    "share": "share of the sum",
    "rows_share": "share of rows",
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
    "range",
    "weighted",
    "share",
    "rows_share",
]
# Of numbers alone.
_RECKONED = ("sum", "mean", "median", "percentile", "deviation", "range", "weighted", "share")
_SUMMED = ("sum", "mean", "share")
_ADDED = (Kind.WHOLE, Kind.NUMBER, Kind.YES_NO)
_OF_ROWS = ("rows", "rows_share")  # of no column
OF_ALL = ("share", "rows_share")  # to be divided by what all groups have together
_EMPTY = "(empty)"
_BY_PLACE = ("first", "last")


# What the desk offers: the figure, and the words before the column's name.
FIGURE_WORDS = [["rows", "number of rows"]] + [
    [figure, words if figure in ("min", "max") else f"{words} of"]
    for figure, words in FIGURES.items()
    if figure not in _OF_ROWS
]
FIGURE_WORDS.append(["rows_share", "share of all rows"])


class Figure(Settings):
    """`share` is the part of the values, in %, at or below a percentile; `along` a column in whose order
    there is a first and a last value; `where` a rule that rows must meet to count; `weight` a column of
    numbers by which a mean is weighted. `empty`: empty cells count as 0 in figures of numbers, and else as a
    value. Of a list, `sorted` and `every`: in order, and with values that come again.
    """

    figure: Name = setting("Figure", default="sum")
    column: str = setting("of", default="")
    name: str = setting("Name", "nothing makes one", default="")
    share: float = setting("of 100", default=90.0, ge=0, le=100)
    along: str = setting("In the order of", "none: as the rows stand", default="", holds="columns")
    weight: str = setting("Weighted by", default="", holds="columns")
    empty: bool = setting("Empty cells count", default=False)
    sorted: bool = setting("In order", default=False)
    every: bool = setting("Each as often as it comes", default=False)
    where: Rule = setting("Only rows where", "none: all rows", widget="rule", default=Rule())

    def called(self) -> str:
        if name := self.name.strip():
            return name
        words = (
            f"{self.share:g} % {FIGURES[self.figure]}"
            if self.figure == "percentile"
            else FIGURES[self.figure]
        )
        made = f"{words[0].upper()}{words[1:]}" + ("" if self.figure in _OF_ROWS else f" of {self.column}")
        return f"{made} where {self.where.words()}" if self.where.of else made

    def read(self) -> list[str]:
        """The columns it is made of."""
        along = self.along if self.figure in _BY_PLACE else ""
        weight = self.weight if self.figure == "weighted" else ""
        return [name for name in (self.column, along, weight, *self.where.columns()) if name]


class FigureOfSome(Figure):
    """A figure of one column, or of each column whose name is like something."""

    like: str = setting(
        "of each column like",
        "* stands for any characters; in the name, for the column. Sums and means are of numbers alone",
        default="",
    )

    def each(self, schema: pl.Schema) -> list[FigureOfSome]:
        """One figure for each column that it is of."""
        if not self.like.strip() or self.figure in _OF_ROWS:
            return [self]
        found = names_like(schema, self.like.strip())
        if self.figure in _RECKONED:  # of all columns of numbers, where all columns are meant
            found = [name for name in found if kind_of(schema[name]) in _ADDED] or found
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


def leaves_out_empty(figure: Figure) -> bool:
    """Whether it is a figure of numbers in which empty cells do not count."""
    return figure.figure in _RECKONED and not figure.empty


def added_up(figures: Iterable[Figure], schema: pl.Schema) -> list[str]:
    """The columns of decimals that the figures add up."""
    adding = dict.fromkeys(figure.column for figure in figures if figure.figure in _SUMMED)
    return [name for name in adding if schema.get(name) == pl.Float64]


def expression(
    figure: Figure, schema: pl.Schema, field: str = "figures", fine: Container[str] = ()
) -> pl.Expr:
    """A figure over the rows of a group. Raises Problem, at a field of the settings, where it cannot be
    had.

    Args:
        fine: columns of decimals that can be added up as whole millionths.

    Texts are in natural order. The deviation is that of a sample (n − 1); a percentile lies between the two
    nearest values in proportion (Hyndman and Fan 1996, type 7).
    """
    meets = compiled(figure.where, schema) if figure.where.of else None
    if figure.figure in _OF_ROWS:
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
    weight = _weight(figure, schema, field) if figure.figure == "weighted" else None
    need_columns([figure.column, *([along] if along else [])], schema, field=field)
    column, kind = pl.col(figure.column), kind_of(schema[figure.column])
    if figure.figure in _RECKONED and kind not in _ADDED:
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
    if figure.empty and figure.figure in (*_RECKONED, "min", "max") and kind in _ADDED:
        column = column.fill_null(0)
    if weight is not None:
        both = column.is_not_null() & weight.is_not_null()
        both = both if meets is None else both & meets
        whole = weight.filter(both).sum()
        return pl.when(whole != 0).then((column * weight).filter(both).sum() / whole)
    if counts:
        column, order = (
            column.filter(pl.all_horizontal(counts)),
            [key.filter(pl.all_horizontal(counts)) for key in order],
        )
    add = exactly_whole if figure.column in fine else partial(exactly, add=pl.Expr.sum)
    return _made(figure, column, kind, order, add if kind is Kind.NUMBER else pl.Expr.sum)


def _weight(figure: Figure, schema: pl.Schema, field: str) -> pl.Expr:
    if not figure.weight:
        raise Problem(
            "A weighted mean",
            "it is not said yet by what it is weighted.",
            "Choose a column of numbers.",
            field=field,
            code="unfinished",
        )
    need_columns([figure.weight], schema, field=field)
    if (kind := kind_of(schema[figure.weight])) not in _ADDED:
        raise Problem(
            f"Column “{figure.weight}”",
            f"it is of type {TITLES[kind]}, by which nothing can be weighted.",
            "Choose a column of numbers.",
            field=field,
            code="not_a_number",
        )
    return pl.col(figure.weight).cast(pl.Float64)


def _made(
    figure: Figure, column: pl.Expr, kind: Kind, order: list[pl.Expr], add: Callable[[pl.Expr], pl.Expr]
) -> pl.Expr:
    """The figure over the values that count, in an order where there is one, added up in some way."""
    match figure.figure:
        case "first" | "min" if order:
            return column.sort_by(order, maintain_order=True).first()
        case "last" | "max" if order:
            return column.sort_by(order, maintain_order=True).last()
        case "filled":
            return column.count().cast(pl.Int64)
        case "distinct":
            return (column if figure.empty else column.drop_nulls()).n_unique().cast(pl.Int64)
        case "sum" | "share":
            return pl.when(column.count() > 0).then(add(column))
        case "mean":
            if kind is not Kind.NUMBER:
                return column.mean()
            many = column.count()
            return pl.when(many > 0).then(mean_of(add(column), many))
        case "median":
            return column.median()
        case "percentile":
            return column.cast(pl.Float64).quantile(figure.share / 100, "linear")
        case "deviation":
            return column.cast(pl.Float64).std()
        case "range" if kind is Kind.NUMBER:
            return reckoned("-", column.max(), column.min())
        case "range":
            return column.max() - column.min()
        case "frequent":
            # Of several that are as frequent, the one that comes first.
            return (column if figure.empty else column.drop_nulls()).mode(maintain_order=True).first()
        case "list":
            return _list(figure, column, kind)
        case "min":
            return column.min()
        case "first":
            return (column if figure.empty else column.drop_nulls()).first()
        case "last":
            return (column if figure.empty else column.drop_nulls()).last()
        case _:
            return column.max()


def _list(figure: Figure, column: pl.Expr, kind: Kind) -> pl.Expr:
    values = column if figure.empty else column.drop_nulls()
    values = values if figure.every else values.unique(maintain_order=True)
    values = values.sort(nulls_last=True) if figure.sorted else values
    texts = as_text(Term(values, kind)).fill_null(_EMPTY)
    return pl.when(values.len() > 0).then(texts.str.join(", "))
