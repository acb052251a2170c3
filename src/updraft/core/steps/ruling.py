"""Rules that fill a column: the first that holds says the value."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from typing import Any, NamedTuple

import polars as pl

from updraft.core.formula import Term, compile_formula, names_in
from updraft.core.formula.parsing import grouped_by
from updraft.core.formula.registry import of_other_rows
from updraft.core.formula.terms import Misfit
from updraft.core.problems import Problem
from updraft.core.steps.conditions import Rule, compiled, value_of
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.spread import BY_ROWS, WHOLE, Spread, by_columns
from updraft.core.values import DTYPES, TITLES, Kind, kind_of


class OneRule(Settings):
    when: Rule = setting("If", widget="rule", default=Rule())
    then: str = setting("then", "nothing makes it empty", widget="text", default="")
    calculated: bool = setting("It is a formula", widget="flag", default=False)

    def gives(self) -> str:
        """What it gives, in words."""
        return self.then or "empty"


class Ruled(NamedTuple):
    """Rules made ready.

    Args:
        first: the number of the first rule that holds in a row, from 1; 0 where none does.
        results: what each rule gives.
    """

    first: pl.Expr
    results: list[pl.Expr]

    def chosen(self, place: pl.Expr, otherwise: pl.Expr) -> pl.Expr:
        """The value of every row, once `first` stands in a column `place`."""
        value = otherwise
        for number, result in enumerate(self.results, 1):
            value = pl.when(place == number).then(result).otherwise(value)
        return value


def ruled(
    rules: Sequence[OneRule],
    schema: pl.Schema,
    kind: Kind,
    name: str,
    parameter: Callable[[str], Any] | None,
    field: str = "rules",
) -> Ruled:
    """Make rules ready for a column of a kind; Problem, naming the rule, where one does not fit."""
    tests, results = [], []
    for number, rule in enumerate(rules, 1):
        try:
            tests.append(compiled(rule.when, schema))
            results.append(value_or_formula(rule.then, rule.calculated, kind, name, schema, parameter))
        except Problem as problem:
            raise Problem(
                f"Rule {number}: {problem.thing}", problem.reason, problem.way_out, field=field,
                code=problem.code,
            ) from None  # fmt: skip
    first = pl.lit(0, pl.UInt16)
    for number in range(len(tests), 0, -1):
        first = pl.when(tests[number - 1]).then(pl.lit(number, pl.UInt16)).otherwise(first)
    return Ruled(first, results)


def value_or_formula(
    text: str,
    calculated: bool,
    kind: Kind,
    name: str,
    schema: pl.Schema,
    parameter: Callable[[str], Any] | None,
) -> pl.Expr:
    """What a rule gives: a typed value, or the result of a formula, as the kind of its column."""
    if not calculated:
        return _value(text, kind, name)
    term = compile_formula(text, {column: kind_of(dtype) for column, dtype in schema.items()}, parameter)
    return as_kind(term, kind, name)


def as_kind(term: Term, kind: Kind, name: str) -> pl.Expr:
    """A formula's result as a kind; Problem where the one cannot become the other."""
    from updraft.core.formula.functions.dates import date
    from updraft.core.formula.functions.numbers import whole
    from updraft.core.formula.functions.text import number, text
    from updraft.core.formula.terms import constant

    if term.kind in (kind, None):
        return term.expr.cast(DTYPES[kind])
    try:
        match kind:
            case Kind.TEXT:
                return text(term, constant("")).expr
            case Kind.NUMBER:
                return number(term, constant(1)).expr
            case Kind.WHOLE:
                return whole(term).expr
            case Kind.DATE:
                return date(term, constant("")).expr
            case Kind.DATETIME if term.kind is Kind.DATE:
                return term.expr.cast(DTYPES[kind])
    except Misfit as misfit:
        raise Problem(f"Column “{name}”", misfit.reason, misfit.way_out, field="columns") from None
    raise Problem(
        f"Column “{name}”",
        f"its formula gives {TITLES[term.kind or Kind.TEXT]}, which is no {TITLES[kind]}.",
        "State another type, or none.",
        field="columns",
    )


def columns_of(rules: Sequence[OneRule]) -> set[str] | None:
    """The columns that rules read; None where only a table tells."""
    read = {name for rule in rules for name in rule.when.columns()}
    for rule in rules:
        if rule.calculated:
            names, _ = names_in(rule.then)
            if names is None:
                return None
            read |= names
    return read


def spread_by(rules: Sequence[OneRule], formulas: Sequence[str] = (), schema: Iterable[str] = ()) -> Spread:
    """How work may be spread that follows rules and formulas: by rows, unless one looks at others; then by
    the columns in which all of them look at equal ones alone, of those that `schema` has.
    """
    texts = [*formulas, *(rule.then for rule in rules if rule.calculated)]
    far = [text for text in texts if of_other_rows(text)]
    if not far:
        return BY_ROWS
    groups = [grouped_by(text) for text in far]
    if any(group is None for group in groups):
        return WHOLE
    keys = frozenset(schema).intersection(*(group for group in groups if group is not None))
    return by_columns(sorted(keys)) if keys else WHOLE


def parameters_of_rules(rules: Sequence[OneRule]) -> set[str]:
    """The parameters that their formulas use."""
    return {name for rule in rules if rule.calculated for name in names_in(rule.then)[1]}


def _value(text: str, kind: Kind, name: str) -> pl.Expr:
    if not text.strip():
        return pl.lit(None, dtype=DTYPES[kind])
    try:
        found = text if kind is Kind.TEXT else value_of(text, kind, name)
    except Problem as problem:
        raise Problem(problem.thing, problem.reason, problem.way_out, field="rules") from None
    if kind is Kind.WHOLE and not isinstance(found, int):
        raise Problem(
            f"“{text}”", f"column “{name}” is of type {TITLES[kind]}, and this has decimals.",
            "Type a whole number, or choose kind number.", field="rules",
        )  # fmt: skip
    return pl.lit(found, dtype=DTYPES[kind])
