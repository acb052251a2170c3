"""Functions of empty values and choices."""

from __future__ import annotations

import polars as pl

from updraft.core.formula.registry import function
from updraft.core.formula.terms import Misfit, Term, cast, compared, same_kind
from updraft.core.values import Kind


@function(
    "*values: any", "the first of these that is not empty; else the last", "if_empty(None, 'Fen')", "Fen"
)
def if_empty(values: list[Term]) -> Term:
    if not values:
        raise Misfit("there is nothing to choose from.", "Name the value, and what stands in for it.")
    kind = same_kind(values)
    *first, last = [cast(value, kind) for value in values]
    if kind is Kind.TEXT:  # as is_empty: blanks alone are none
        first = [pl.when(value.str.strip_chars() != "").then(value) for value in first]
    return Term(pl.coalesce([*first, last]), kind)


@function("value: any", "whether there is no value; blanks alone are none", "is_empty('  ')", "yes")
def is_empty(value: Term) -> Term:
    none = value.expr.is_null()
    if value.kind is Kind.TEXT:
        none = none | (value.expr.str.strip_chars() == "").fill_null(True)
    return Term(none, Kind.YES_NO)


@function("value: any, *unwanted: any", "empty where it is one of these", "empty_if('n/a', 'n/a', '-')", "")
def empty_if(value: Term, unwanted: list[Term]) -> Term:
    kind = same_kind([value, *unwanted])
    mine = cast(value, kind)
    found = pl.any_horizontal([pl.lit(False), *(compared("==?", mine, cast(one, kind)) for one in unwanted)])
    return Term(pl.when(~found).then(mine), kind)


@function(
    "*pairs: any",
    "condition, value, condition, value, …, otherwise",
    "choose(1 > 2, 'a', 3 > 2, 'b', 'c')",
    "b",
)
def choose(pairs: list[Term]) -> Term:
    if len(pairs) < 2:
        raise Misfit("a condition and a value are needed.", "Write choose(condition, value, otherwise).")
    tests, values = pairs[0 : len(pairs) // 2 * 2 : 2], pairs[1::2]
    otherwise = pairs[-1] if len(pairs) % 2 else Term(pl.lit(None), None)
    for test in tests:
        if test.kind not in (Kind.YES_NO, None):
            raise Misfit(
                "every second thing must be a condition.", "Write condition, value, condition, value."
            )
    kind = same_kind([*values, otherwise])
    chosen = cast(otherwise, kind)
    for test, value in reversed(list(zip(tests, values, strict=True))):
        chosen = pl.when(test.expr).then(cast(value, kind)).otherwise(chosen)
    return Term(chosen, kind)
