"""Functions of numbers. Where a number is empty, so is the result."""

from __future__ import annotations

import polars as pl

from updraft.core.formula.registry import function
from updraft.core.formula.terms import NUMBERS, Misfit, Term, cast, same_kind
from updraft.core.values import Kind
from updraft.core.values.decimals import tidied

ROMAN_VALUES = {"M": 1000, "D": 500, "C": 100, "L": 50, "X": 10, "V": 5, "I": 1}
ROMAN_LESS = {
    "CM": 200,
    "CD": 200,
    "XC": 20,
    "XL": 20,
    "IX": 2,
    "IV": 2,
}  # what a pair has less than its two letters
ROMAN = "^M{0,3}(CM|CD|D?C{0,3})(XC|XL|L?X{0,3})(IX|IV|V?I{0,3})$"
_PLACES = (
    (1000, ("", "M", "MM", "MMM")),
    (100, ("", "C", "CC", "CCC", "CD", "D", "DC", "DCC", "DCCC", "CM")),
    (10, ("", "X", "XX", "XXX", "XL", "L", "LX", "LXX", "LXXX", "XC")),
    (1, ("", "I", "II", "III", "IV", "V", "VI", "VII", "VIII", "IX")),
)


def _like(number: Term, expr: pl.Expr) -> Term:
    return Term(expr, number.kind)


@function(
    "number: number, places: whole! = 0", "to so many places, half away from zero", "round(2.345, 2)", "2.35"
)
def round_(number: Term, places: Term) -> Term:
    at = int(places.constant)
    if number.kind is Kind.WHOLE and at >= 0:
        return number
    if at < 0:
        step = 10.0**-at
        return Term((number.as_number() / step).round(0, mode="half_away_from_zero") * step, Kind.NUMBER)
    rounded = _meant(number).round(at, mode="half_away_from_zero")
    # A little less than nothing is 0, not -0.
    return Term(pl.when(rounded == 0).then(0.0).otherwise(rounded), Kind.NUMBER)


def _meant(number: Term) -> pl.Expr:
    """2.345 lies a little below 2.345 in binary, 8.104 * 1000 / 0.5 below 16208: fifteen figures say what was
    meant."""
    return number.as_number().round_sig_figs(15)


@function("number: number", "the whole number below", "down(2.7)", "2")
def down(number: Term) -> Term:
    return Term(_meant(number).floor().cast(pl.Int64, strict=False), Kind.WHOLE)


@function("number: number", "the whole number above", "up(2.1)", "3")
def up(number: Term) -> Term:
    return Term(_meant(number).ceil().cast(pl.Int64, strict=False), Kind.WHOLE)


@function("number: any", "as a whole number; empty where it has decimals", "whole('12')", "12")
def whole(number: Term) -> Term:
    if number.kind is Kind.TEXT:
        found = number.expr.str.strip_chars().cast(pl.Float64, strict=False)
    elif number.kind in (*NUMBERS, Kind.YES_NO, None):
        found = number.as_number()
    else:
        raise Misfit("no whole number can be read from this.", "Use day(…), month(…) or year(…) for dates.")
    exact = found.cast(pl.Int64, strict=False)
    return Term(pl.when(exact.cast(pl.Float64) == found).then(exact), Kind.WHOLE)


@function("number: number", "without its sign", "abs(-3)", "3")
def abs_(number: Term) -> Term:
    return _like(number, number.expr.abs())


@function("number: number", "its square root; empty below zero", "root(9)", "3")
def root(number: Term) -> Term:
    value = number.as_number()
    return Term(pl.when(value >= 0).then(value.sqrt()), Kind.NUMBER)


@function("number: number", "its decimal logarithm; empty for zero and below", "log10(1000)", "3")
def log10(number: Term) -> Term:
    value = number.as_number()
    # The logarithm of 1000 is 2.9999999999999996 in binary.
    return Term(pl.when(value > 0).then(value.log10().round_sig_figs(15)), Kind.NUMBER)


@function("*values: any", "the smallest of these, empty ones left out", "smallest(3, None, 2)", "2")
def smallest(values: list[Term]) -> Term:
    return _across(values, pl.min_horizontal)


@function("*values: any", "the largest of these, empty ones left out", "largest(3, None, 2)", "3")
def largest(values: list[Term]) -> Term:
    return _across(values, pl.max_horizontal)


@function("*values: number", "these added, empty ones left out; empty where all are", "sum(1, None, 2)", "3")
def sum_(values: list[Term]) -> Term:
    found = _across(values, pl.sum_horizontal)
    added = tidied(found.expr, _sizes(values)) if found.kind is Kind.NUMBER else found.expr
    return Term(pl.when(_any_filled(values)).then(added), found.kind)


@function("*values: number", "the mean of these, empty ones left out", "mean(1, None, 2)", "1.5")
def mean(values: list[Term]) -> Term:
    return Term(tidied(_across(values, pl.mean_horizontal).expr, _sizes(values)), Kind.NUMBER)


def _sizes(values: list[Term]) -> pl.Expr:
    return pl.sum_horizontal([value.as_number().abs() for value in values])


def _any_filled(values: list[Term]) -> pl.Expr:
    return pl.any_horizontal([value.expr.is_not_null() for value in values])


def _across(values: list[Term], pick: object) -> Term:
    if not values:
        raise Misfit("there is nothing to compare.", "Name the values.")
    kind = same_kind(values)
    return Term(pick([cast(value, kind) for value in values]), kind)  # type: ignore[operator]


@function(
    "number: number, low: number, high: number", "kept between two bounds", "within(120, 0, 100)", "100"
)
def within(number: Term, low: Term, high: Term) -> Term:
    kind = same_kind([number, low, high])
    return Term(cast(number, kind).clip(cast(low, kind), cast(high, kind)), kind)


@function("text: text", "the number of Roman figures", "from_roman('XIV')", "14")
def from_roman(text: Term) -> Term:
    figures = text.expr.str.strip_chars().str.to_uppercase()
    letters = sum((figures.str.count_matches(one) * value for one, value in ROMAN_VALUES.items()), pl.lit(0))
    pairs = sum((figures.str.count_matches(pair) * less for pair, less in ROMAN_LESS.items()), pl.lit(0))
    number = (letters.cast(pl.Int64) - pairs.cast(pl.Int64)).cast(pl.Int64)
    return Term(pl.when(figures.str.contains(ROMAN) & (figures != "")).then(number), Kind.WHOLE)


@function("number: whole", "in Roman figures; empty outside 1 to 3999", "roman(14)", "XIV")
def roman(number: Term) -> Term:
    value = number.expr.cast(pl.Int64, strict=False)
    places = [
        (value // size % 10).replace_strict(dict(enumerate(written)), default="", return_dtype=pl.String)
        for size, written in _PLACES
    ]
    return Term(pl.when(value.is_between(1, 3999)).then(pl.concat_str(places)), Kind.TEXT)


@function("number: whole", "as people count in English", "ordinal(22)", "22nd")
def ordinal(number: Term) -> Term:
    value = number.expr.cast(pl.Int64, strict=False)
    tens, ones = value.abs() % 100, value.abs() % 10
    ending = (
        pl.when(tens.is_between(11, 13)).then(pl.lit("th"))
        .when(ones == 1).then(pl.lit("st"))
        .when(ones == 2).then(pl.lit("nd"))
        .when(ones == 3).then(pl.lit("rd"))
        .otherwise(pl.lit("th"))
    )  # fmt: skip
    return Term(value.cast(pl.String) + ending, Kind.TEXT)
