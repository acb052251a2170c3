"""Functions that look at other rows: of the whole table, or of the rows that are equal in `by`."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import polars as pl

from updraft.core.formula.registry import function
from updraft.core.formula.terms import Misfit, Term
from updraft.core.values import Kind
from updraft.core.values.decimals import exactly, reckoned, tidied


def _over(expr: pl.Expr, by: list[Term] | None) -> pl.Expr:
    return expr.over([term.expr for term in by]) if by else expr


def _added(kind: Kind | None, add: Callable[[pl.Expr], pl.Expr], number: pl.Expr) -> pl.Expr:
    return exactly(number, add) if kind is Kind.NUMBER else add(number)


def _filled(number: Term, make: Callable[[pl.Expr], pl.Expr], by: list[Term] | None) -> pl.Expr:
    """A figure of a column's filled cells; empty where there is none."""
    return pl.when(_over(number.expr.count(), by) > 0).then(_over(make(number.expr), by))


@function("number: number, by: any @", "the sum of all rows", "", "")
def total(number: Term, by: list[Term] | None) -> Term:
    return Term(_filled(number, partial(_added, number.kind, pl.Expr.sum), by), number.kind)


@function("number: number, by: any @", "the mean of all rows", "", "")
def average(number: Term, by: list[Term] | None) -> Term:
    mean = _over(number.expr.mean(), by)
    return Term(tidied(mean), Kind.NUMBER)


@function("number: number, by: any @", "the middle of all rows' values", "", "")
def median(number: Term, by: list[Term] | None) -> Term:
    return Term(_over(number.expr.median(), by), Kind.NUMBER)


@function("value: any, by: any @", "the smallest of all rows", "", "")
def lowest(value: Term, by: list[Term] | None) -> Term:
    return Term(_over(value.expr.min(), by), value.kind)


@function("value: any, by: any @", "the largest of all rows", "", "")
def highest(value: Term, by: list[Term] | None) -> Term:
    return Term(_over(value.expr.max(), by), value.kind)


@function("value: any, by: any @", "how many rows have a value", "", "")
def count(value: Term, by: list[Term] | None) -> Term:
    return Term(_over(value.expr.count(), by).cast(pl.Int64), Kind.WHOLE)


@function("value: any, by: any @", "how many different values the rows have", "", "")
def distinct(value: Term, by: list[Term] | None) -> Term:
    return Term(_over(value.expr.drop_nulls().n_unique(), by).cast(pl.Int64), Kind.WHOLE)


@function("number: number, by: any @", "its part of the sum of all rows", "", "")
def share(number: Term, by: list[Term] | None) -> Term:
    whole = _over(_added(number.kind, pl.Expr.sum, number.expr), by).cast(pl.Float64)
    return Term(pl.when(whole != 0).then(reckoned("/", number.as_number(), whole)), Kind.NUMBER)


@function("number: number, by: any @", "the sum up to this row", "", "")
def running_total(number: Term, by: list[Term] | None) -> Term:
    return Term(_over(_added(number.kind, pl.Expr.cum_sum, number.expr.fill_null(0)), by), number.kind)


@function("value: any, by: any @", "its place by size, the largest first; equal ones share it", "", "")
def rank(value: Term, by: list[Term] | None) -> Term:
    return Term(_over(value.expr.rank("min", descending=True), by).cast(pl.Int64), Kind.WHOLE)


@function(
    "value: any, steps: whole! = 1, by: any @", "the value of the row before, or of one further up", "", ""
)
def previous(value: Term, steps: Term, by: list[Term] | None) -> Term:
    return _moved(value, steps, by, 1)


@function(
    "value: any, steps: whole! = 1, by: any @", "the value of the row after, or of one further down", "", ""
)
def following(value: Term, steps: Term, by: list[Term] | None) -> Term:
    return _moved(value, steps, by, -1)


def _moved(value: Term, steps: Term, by: list[Term] | None, way: int) -> Term:
    if int(steps.constant) < 1:
        raise Misfit("the number of rows must be 1 or more.", "Use the other function to go the other way.")
    return Term(_over(value.expr.shift(way * int(steps.constant)), by), value.kind)


@function("by: any @", "the number of the row, from 1", "", "")
def row_number(by: list[Term] | None) -> Term:
    return Term(_over(pl.int_range(1, pl.len() + 1, dtype=pl.Int64), by), Kind.WHOLE)


@function("value: any, by: any @", "its place by size, the smallest first; equal ones share it", "", "")
def rank_up(value: Term, by: list[Term] | None) -> Term:
    return Term(_over(value.expr.rank("min"), by).cast(pl.Int64), Kind.WHOLE)


@function("value: any, by: any @", "how many rows with a value there are up to this one", "", "")
def running_count(value: Term, by: list[Term] | None) -> Term:
    return Term(_over(value.expr.is_not_null().cast(pl.Int64).cum_sum(), by), Kind.WHOLE)


@function("value: any, by: any @", "the largest up to this row", "", "")
def running_highest(value: Term, by: list[Term] | None) -> Term:
    return Term(_over(value.expr.cum_max(), by), value.kind)


@function(
    "number: number, rows: whole!, by: any @",
    "the mean of this row and those before it, so many in all",
    "",
    "",
)
def moving_average(number: Term, rows: Term, by: list[Term] | None) -> Term:
    many = int(rows.constant)
    if not 1 <= many <= 100_000:
        raise Misfit("the number of rows must be 1 or more.", "Use such as 7.")
    mean = _over(number.as_number().rolling_mean(many, min_samples=1), by)
    return Term(tidied(mean), Kind.NUMBER)


@function("number: number, by: any @", "how much more than in the row before", "", "")
def difference(number: Term, by: list[Term] | None) -> Term:
    return Term(_over(number.expr - number.expr.shift(1), by), number.kind)


@function("number: number, by: any @", "how much more than in the row before, as a part of that", "", "")
def growth(number: Term, by: list[Term] | None) -> Term:
    before = number.as_number().shift(1)
    return Term(_over(pl.when(before != 0).then(number.as_number() / before - 1), by), Kind.NUMBER)


@function("number: number, by: any @", "the standard deviation of all rows, of a sample", "", "")
def deviation(number: Term, by: list[Term] | None) -> Term:
    return Term(_over(number.as_number().std(), by), Kind.NUMBER)


@function(
    "number: number, percent: number!, by: any @",
    "the value that so many percent of the rows do not exceed",
    "",
    "",
)
def percentile(number: Term, percent: Term, by: list[Term] | None) -> Term:
    part = float(percent.constant) / 100
    if not 0 <= part <= 1:
        raise Misfit("the percentage must lie between 0 and 100.", "Use such as 90.")
    return Term(_over(number.as_number().quantile(part, "linear"), by), Kind.NUMBER)


@function("value: any, by: any @", "the first value of the rows, empty ones left out", "", "")
def first_of(value: Term, by: list[Term] | None) -> Term:
    return Term(_over(value.expr.drop_nulls().first(), by), value.kind)


@function("value: any, by: any @", "the last value of the rows, empty ones left out", "", "")
def last_of(value: Term, by: list[Term] | None) -> Term:
    return Term(_over(value.expr.drop_nulls().last(), by), value.kind)


@function("value: any, by: any @", "the most frequent value of the rows; of equal ones the smallest", "", "")
def most_common(value: Term, by: list[Term] | None) -> Term:
    if value.kind in (Kind.LIST, Kind.RECORD):
        raise Misfit("lists and records cannot be counted.", "Take an item or a field of it.")
    return Term(_over(value.expr.drop_nulls().mode().min(), by), value.kind)


@function("value: any, by: any @", "the value of the last row above that has one", "", "")
def carried(value: Term, by: list[Term] | None) -> Term:
    return Term(_over(value.expr.forward_fill(), by), value.kind)
