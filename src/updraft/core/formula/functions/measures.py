"""More of numbers: logarithms, angles, steps, units, figures over several values."""

from __future__ import annotations

import math

import polars as pl

from updraft.core.formula.functions.numbers import _across, _any_filled, _meant
from updraft.core.formula.functions.text import as_text
from updraft.core.formula.registry import function
from updraft.core.formula.terms import Misfit, Term
from updraft.core.values import Kind
from updraft.core.values.dressed import UNITS
from updraft.core.values.units import brought, scale_of


def _number(expr: pl.Expr) -> Term:
    return Term(pl.when(expr.is_finite()).then(expr), Kind.NUMBER)


@function("number: number", "-1, 0 or 1", "sign(-2.5)", "-1")
def sign(number: Term) -> Term:
    return Term(number.expr.sign().cast(pl.Int64), Kind.WHOLE)


@function("number: number", "what stands before the point", "cut_off(-2.7)", "-2")
def cut_off(number: Term) -> Term:
    return Term(_meant(number).truncate().cast(pl.Int64, strict=False), Kind.WHOLE)


@function("number: number", "what stands behind the point", "fraction(2.75)", "0.75")
def fraction(number: Term) -> Term:
    return Term((number.as_number() - _meant(number).truncate()).round_sig_figs(15), Kind.NUMBER)


@function("number: number, step: number!", "to the nearest multiple of a step", "round_to(137, 25)", "125")
def round_to(number: Term, step: Term) -> Term:
    if not float(step.constant) > 0:
        raise Misfit("the step must be above 0.", "Use such as 25.")
    many = (_meant(number) / float(step.constant)).round_sig_figs(15).round(0, mode="half_away_from_zero")
    return Term((many * float(step.constant)).round_sig_figs(15), Kind.NUMBER)


@function("number: number, width: number!", "where its bin of a width begins", "bin(137, 25)", "125")
def bin(number: Term, width: Term) -> Term:
    if not float(width.constant) > 0:
        raise Misfit("the width must be above 0.", "Use such as 25.")
    step = (number.as_number() / float(width.constant)).round_sig_figs(15).floor()
    return Term((step * float(width.constant)).round_sig_figs(15), Kind.NUMBER)


@function("number: number", "the number e to its power", "exp(0)", "1")
def exp(number: Term) -> Term:
    return _number(number.as_number().exp())


@function(
    "number: number, base: number! = 0", "its logarithm: the natural one, or to a base", "log(8, 2)", "3"
)
def log(number: Term, base: Term) -> Term:
    value, to = number.as_number(), float(base.constant)
    if to and (to <= 0 or to == 1):
        raise Misfit("the base must be above 0, and not 1.", "Use such as 2.")
    found = value.log(to) if to else value.log()
    return Term(pl.when(value > 0).then(found.round_sig_figs(15)), Kind.NUMBER)


@function("", "the number pi", "round(pi(), 4)", "3.1416")
def pi() -> Term:
    return Term(pl.lit(math.pi), Kind.NUMBER)


@function("degrees: number", "degrees as radians", "round(radians(180), 4)", "3.1416")
def radians(degrees: Term) -> Term:
    return Term(degrees.as_number() * (math.pi / 180), Kind.NUMBER)


@function("angle: number", "the sine of an angle in radians", "sin(0)", "0")
def sin(angle: Term) -> Term:
    return _number(angle.as_number().sin())


@function("angle: number", "the cosine of an angle in radians", "cos(0)", "1")
def cos(angle: Term) -> Term:
    return _number(angle.as_number().cos())


@function("angle: number", "the tangent of an angle in radians", "tan(0)", "0")
def tan(angle: Term) -> Term:
    return _number(angle.as_number().tan())


@function(
    "lat: number, lon: number, lat2: number, lon2: number",
    "kilometres between two places given in degrees, on a globe",
    "round(distance(52.52, 13.41, 48.86, 2.35), 0)",
    "878",
)
def distance(lat: Term, lon: Term, lat2: Term, lon2: Term) -> Term:
    one, other, a, b = (term.as_number() * (math.pi / 180) for term in (lat, lat2, lon, lon2))
    half = ((other - one) / 2).sin().pow(2) + one.cos() * other.cos() * ((b - a) / 2).sin().pow(2)
    return Term(half.sqrt().clip(0, 1).arcsin() * 2 * 6371.0088, Kind.NUMBER)  # haversine; mean radius, IUGG


@function("number: number, low: number, high: number", "whether it lies between two bounds, both included",
          "is_between(5, 1, 5)", "yes")  # fmt: skip
def is_between(number: Term, low: Term, high: Term) -> Term:
    value = number.as_number()
    return Term((value >= low.as_number()) & (value <= high.as_number()), Kind.YES_NO)


@function("number: number, places: whole! = 0", "a share as percent, as text", "percent(0.256, 1)", "25.6 %")
def percent(number: Term, places: Term) -> Term:
    at = min(max(int(places.constant), 0), 12)
    return Term(
        as_text(Term((_meant(number) * 100).round_sig_figs(15).round(at), Kind.NUMBER)) + " %", Kind.TEXT
    )


@function(
    "number: number, unit: text!, to: text!",
    "brought from one unit to another",
    "convert(1.5, 'kg', 'g')",
    "1500",
)
def convert(number: Term, unit: Term, to: Term) -> Term:
    one, other = scale_of(str(unit.constant)), scale_of(str(to.constant))
    for term, scale in ((unit, one), (to, other)):
        if scale is None:
            raise Misfit(
                f"“{term.constant}” is no unit that is known here.", "Use such as 'g', 'ml' or 'ha'."
            )
    assert one is not None
    assert other is not None
    if one.measure != other.measure:
        raise Misfit(
            f"one is a unit of {one.measure}, the other of {other.measure}.", "Use two of one measure."
        )
    return Term(brought(number.expr, one.size, one.zero, other), Kind.NUMBER)


@function("*values: any", "how many of these are filled", "filled(1, None, 2)", "2")
def filled(values: list[Term]) -> Term:
    if not values:
        raise Misfit("there is nothing to count.", "Name the values.")
    return Term(pl.sum_horizontal([one.expr.is_not_null().cast(pl.Int64) for one in values]), Kind.WHOLE)


@function("*values: number", "the middle of these, empty ones left out", "middle_of(1, 9, None, 2)", "2")
def middle_of(values: list[Term]) -> Term:
    if not values:
        raise Misfit("there is nothing to compare.", "Name the values.")
    return Term(pl.concat_list([one.as_number() for one in values]).list.median(), Kind.NUMBER)


@function("*values: number", "the largest less the smallest of these", "range_of(1, 9, None, 2)", "8")
def range_of(values: list[Term]) -> Term:
    high, low = _across(values, pl.max_horizontal), _across(values, pl.min_horizontal)
    return Term(pl.when(_any_filled(values)).then(high.expr - low.expr), high.kind)


@function(
    "text: text, unit: text!",
    "an amount such as 12 x 5 g or 1.5 kg, all of it, in a unit; empty where it says no such amount",
    "measure('6 × 250 mg', 'g')",
    "1.5",
)
def measure(text: Term, unit: Term) -> Term:
    target = UNITS.get(str(unit.constant).strip().lower())
    if target is None:
        raise Misfit(f"“{unit.constant}” is no unit that is known here.", "Use such as 'g', 'ml' or 'cm'.")
    known = {name: size for name, (of, size) in UNITS.items() if of == target[0]}
    written = text.expr.str.strip_chars().str.extract_groups(
        r"^(?:(\d+)\s*[xX×*]\s*)?(\d+(?:[.,]\d+)?)\s*([a-zA-Z]+)\.?$"
    )
    packs = written.struct.field("1").cast(pl.Float64).fill_null(1)
    each = written.struct.field("2").str.replace(",", ".", literal=True).cast(pl.Float64)
    size = (
        written.struct.field("3")
        .str.to_lowercase()
        .replace_strict(list(known), list(known.values()), default=None, return_dtype=pl.Float64)
    )
    return Term((packs * each * size / target[1]).round_sig_figs(15), Kind.NUMBER)
