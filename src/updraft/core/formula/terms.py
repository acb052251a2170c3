"""What formulas are made of while they are put together: expressions that know their kind."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

import polars as pl

from updraft.core.problems import Problem
from updraft.core.values import DTYPES, TITLES, Kind

NUMBERS = (Kind.WHOLE, Kind.NUMBER)
DAYS = (Kind.DATE, Kind.DATETIME)
_UNSET = object()


@dataclass(frozen=True)
class Term:
    """A part of a formula.

    Args:
        expr: computes it for every row.
        kind: what it gives; None for an empty value, which fits anywhere.
        constant: its value where it is written in the formula, so that a function can look at it.
    """

    expr: pl.Expr
    kind: Kind | None
    constant: Any = _UNSET

    @property
    def is_constant(self) -> bool:
        return self.constant is not _UNSET

    def as_number(self) -> pl.Expr:
        """As a number with decimals."""
        return self.expr.cast(pl.Float64)


class FormulaError(Problem):
    """A formula that cannot be worked out.

    Args:
        place: where in the formula, counted in characters from 0.
    """

    def __init__(self, thing: str, reason: str, way_out: str, place: int = 0, length: int = 1) -> None:
        super().__init__(thing, reason, way_out, field="columns", code="bad_formula")
        self.place, self.length = place, length


class Misfit(Exception):  # noqa: N818
    """What a function got does not fit; the compiler adds where it stands."""

    def __init__(self, reason: str, way_out: str = "") -> None:
        super().__init__(reason)
        self.reason, self.way_out = reason, way_out


def constant(value: Any) -> Term:
    """A value written in a formula."""
    if value is None:
        return Term(pl.lit(None), None, None)
    kind = {bool: Kind.YES_NO, int: Kind.WHOLE, float: Kind.NUMBER, str: Kind.TEXT}[type(value)]
    return Term(pl.lit(value, dtype=DTYPES[kind]), kind, value)


def same_kind(terms: list[Term]) -> Kind | None:
    """The kind that all of them can be: numbers are one, days are one, an empty value is any."""
    kinds = {term.kind for term in terms if term.kind is not None}
    if len(kinds) <= 1:
        return next(iter(kinds), None)
    for family, widest in ((NUMBERS, Kind.NUMBER), (DAYS, Kind.DATETIME)):
        if kinds <= set(family):
            return widest
    said = " and ".join(sorted(TITLES[kind] for kind in kinds))
    raise Misfit(f"{said} cannot stand for each other.", "Turn one of them into the type of the other.")


def cast(term: Term, kind: Kind | None) -> pl.Expr:
    """A term as a kind that `same_kind` found."""
    return term.expr if kind is None or term.kind is kind else term.expr.cast(DTYPES[kind])


def compared(sign: str, a: pl.Expr, b: pl.Expr) -> pl.Expr:
    """Two expressions compared; `==?` takes two empty values for equal."""
    ways: dict[str, tuple[Callable[[pl.Expr, pl.Expr], pl.Expr], str]] = {
        "==": (lambda a, b: a == b, "=="),
        "!=": (lambda a, b: a != b, "!="),
        "<": (lambda a, b: a < b, ">"),
        "<=": (lambda a, b: a <= b, ">="),
        ">": (lambda a, b: a > b, "<"),
        ">=": (lambda a, b: a >= b, "<="),
        "==?": (lambda a, b: a.eq_missing(b), "==?"),
    }
    way, turned = ways[sign]
    if not a.meta.root_names() and b.meta.root_names():
        # Polars 2.1 gives one row where a constant on the left meets a choice alike in all rows.
        return ways[turned][0](b, a)
    return way(a, b)


Columns = Mapping[str, Kind]
