"""Two terms joined by a sign."""

from __future__ import annotations

import operator

import polars as pl

from updraft.core.formula.terms import DAYS, NUMBERS, Misfit, Term
from updraft.core.values import TITLES, Kind
from updraft.core.values.decimals import reckoned


def calculated(sign: str, left: Term, right: Term) -> Term:
    """Two terms joined by a sign. Dividing by zero gives an empty value, and so does a product too large."""
    kinds = (left.kind, right.kind)
    if sign == "+" and Kind.TEXT in kinds and all(kind in (Kind.TEXT, None) for kind in kinds):
        return Term(left.expr + right.expr, Kind.TEXT)
    if left.kind in DAYS and right.kind is Kind.WHOLE and sign in "+-":
        days = pl.duration(days=right.expr)
        return Term(left.expr + days if sign == "+" else left.expr - days, left.kind)
    if left.kind in DAYS and right.kind in DAYS and sign == "-":
        return Term((left.expr.cast(pl.Date) - right.expr.cast(pl.Date)).dt.total_days(), Kind.WHOLE)
    for term in (left, right):
        if term.kind not in (*NUMBERS, None):
            said = TITLES[term.kind] if term.kind else ""
            raise Misfit(
                f"{said} cannot be calculated with by {sign}.",
                "Use number(…) to read a number from text, or joined(…) to put texts together.",
            )
    return _of_numbers(sign, left, right)


def _of_numbers(sign: str, left: Term, right: Term) -> Term:
    a, b = left.expr, right.expr
    whole = left.kind is Kind.WHOLE and right.kind is Kind.WHOLE
    kind = Kind.WHOLE if whole else Kind.NUMBER
    if not whole:
        a, b = left.as_number(), right.as_number()
    match sign:
        case "*" if whole:
            return Term((a.cast(pl.Int128) * b).cast(pl.Int64, strict=False), kind)
        case "+" | "-" | "*":
            return Term(_SIGNS[sign](a, b) if whole else reckoned(sign, a, b), kind)
        case "**":
            power = reckoned(sign, left.as_number(), right.as_number())
            return Term(pl.when(power.is_finite()).then(power), Kind.NUMBER)
    safe = b if right.is_constant and right.constant else pl.when(b != 0).then(b)
    if sign == "/" or not whole:
        return Term(reckoned(sign, left.as_number(), safe.cast(pl.Float64)), Kind.NUMBER)
    return Term(_SIGNS[sign](a, safe), kind)


_SIGNS = {"+": operator.add, "-": operator.sub, "//": operator.floordiv, "%": operator.mod}
