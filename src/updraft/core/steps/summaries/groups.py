"""Groups that are made of a column: parts of a date, ranges of numbers, what a formula gives."""

from __future__ import annotations

from typing import Literal, NamedTuple

import polars as pl

from updraft.core.formula import compile_formula, names_in
from updraft.core.formula.registry import of_other_rows
from updraft.core.problems import Problem
from updraft.core.steps.behind import Condition, from_to, span_of
from updraft.core.steps.columns.bins import name_of, step_of
from updraft.core.steps.given import Context
from updraft.core.steps.settings import Settings, setting
from updraft.core.values import TITLES, Kind, kind_of

_DATES, _NUMBERS = {Kind.DATE, Kind.DATETIME}, {Kind.WHOLE, Kind.NUMBER}
_BY = {
    "year": "year",
    "quarter": "quarter",
    "month": "month",
    "week": "week",
    "day": "day",
    "month_number": "month of the year",
    "weekday": "day of the week, Monday 1",
    "hour": "hour of the day",
    "range": "ranges of one width",
    "formula": "what a formula gives",
}

_TITLES = {by: by for by in _BY} | {"month_number": "month of the year"}


class MadeGroup(Settings):
    """What rows are grouped by, made of a column or by a formula."""

    by: Literal[
        "year", "quarter", "month", "week", "day", "month_number", "weekday", "hour", "range", "formula"
    ] = setting("By", widget="pick_one", default="month", labels=_BY)
    column: str = setting(
        "of column", widget="column", default="", when={"by": [by for by in _BY if by != "formula"]}
    )
    width: float = setting("Width", widget="decimal", default=10.0, when={"by": ["range"]})
    formula: str = setting("Formula", widget="formula", default="", when={"by": ["formula"]})
    name: str = setting("Name", "nothing makes one", widget="text", default="")

    def called(self) -> str:
        if name := self.name.strip():
            return name
        return (
            self.formula.strip() or "Group" if self.by == "formula" else f"{self.column} {_TITLES[self.by]}"
        )

    def read(self) -> frozenset[str] | None:
        """The columns it is made of; None where only the table tells."""
        return names_in(self.formula)[0] if self.by == "formula" else frozenset({self.column})


class Keyed(NamedTuple):
    """What rows are grouped and ordered by, and what stands for it in the result."""

    name: str
    key: pl.Expr
    label: pl.Expr  # made of the key


def keyed(group: MadeGroup, schema: pl.Schema, context: Context | None, key: str) -> Keyed:
    """A group of rows as expressions; Problem where it cannot be had of this table.

    Args:
        key: the column that will hold the key when the label is made.
    """
    name = group.called()
    if group.by == "formula":
        kinds = {column: kind_of(dtype) for column, dtype in schema.items()}
        try:
            term = compile_formula(group.formula, kinds, context.parameter if context else None)
        except Problem as problem:
            code = "unfinished" if not group.formula.strip() else problem.code
            raise Problem(
                f"{name}: {problem.thing}", problem.reason, problem.way_out, field="made", code=code
            ) from None
        if of_other_rows(group.formula):
            raise Problem(
                name, "a group cannot be told by other rows.", "Calculate it in a step before.", field="made"
            )
        return Keyed(name, term.expr, pl.col(key))
    if not group.column:
        raise Problem(
            "A group", "it is not said yet what it is made of.", "Choose a column.",
            field="made", code="unfinished",
        )  # fmt: skip
    kind, column = kind_of(schema[group.column]), pl.col(group.column)
    if kind not in (_NUMBERS if group.by == "range" else _DATES):
        wanted = "numbers" if group.by == "range" else "dates"
        raise Problem(
            f"Column “{group.column}”",
            f"it is of type {TITLES[kind]}, and {_BY[group.by]} is made of {wanted}.",
            "Put a step “Set types” before this one.",
            field="made",
            code="not_a_number" if group.by == "range" else "not_a_date",
        )
    if group.by == "range":
        return _range(name, group, column, key)
    if group.by == "hour" and kind is Kind.DATE:
        raise Problem(
            f"Column “{group.column}”", "its days have no hours.", "Choose another part.", field="made"
        )
    return Keyed(name, *_parts(column, pl.col(key))[group.by])


def rows_of(group: MadeGroup, values: pl.Series, row: int) -> list[Condition] | None:
    """Conditions of the rows of a group, by what it is called in the result; None where none tells."""
    label = values[row]
    if group.by == "formula":
        return None
    if label is None:
        return [{"column": group.column, "test": "empty"}]
    if group.by == "range":
        low, high = str(label).split(" to ")
        return from_to(group.column, low, high)
    span = span_of(group.by, label)
    return None if span is None else from_to(group.column, *span)


def _parts(column: pl.Expr, made: pl.Expr) -> dict[str, tuple[pl.Expr, pl.Expr]]:
    day = column.dt.date()
    quarter = pl.concat_str(made.dt.to_string("%Y-Q"), made.dt.quarter().cast(pl.String))
    return {
        "year": (column.dt.year().cast(pl.Int64), made),
        "quarter": (day.dt.truncate("1q"), quarter),
        "month": (day.dt.truncate("1mo"), made.dt.to_string("%Y-%m")),
        "week": (day.dt.truncate("1w"), made.dt.to_string("%G-W%V")),
        "day": (day, made),
        "month_number": (column.dt.month().cast(pl.Int64), made),
        "weekday": (column.dt.weekday().cast(pl.Int64), made),
        "hour": (column.dt.hour().cast(pl.Int64), made),
    }


def _range(name: str, group: MadeGroup, column: pl.Expr, key: str) -> Keyed:
    if not 0 < group.width < float("inf"):
        raise Problem("The width", "it is not above 0.", "Type how wide a range is.", field="made")
    number = column.cast(pl.Float64)
    number = pl.when(number.is_finite()).then(number)
    step = pl.col(key)
    return Keyed(name, step_of(number, group.width), name_of(step, group.width))
