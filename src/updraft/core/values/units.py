"""Units of trade and of science, and how to bring one to another."""

from __future__ import annotations

from functools import cache
from typing import NamedTuple

import polars as pl

from updraft.core.values.dressed import UNITS


class Scale(NamedTuple):
    """A unit: a number in it, times `size`, plus `zero`, is in the base unit of its measure."""

    measure: str
    size: float
    zero: float = 0.0


# More than are looked for behind numbers in text, where a short word may be anything. SI Brochure 9 (2019),
# and the international yard and pound agreement of 1959.
_MORE: dict[str, tuple[Scale, str]] = {
    "µg": (Scale("mass", 1e-6), "ug mcg microgram micrograms"),
    "mg": (Scale("mass", 0.001), "milligram milligrams"),
    "kg": (Scale("mass", 1000.0), "kilogram kilograms"),
    "t": (Scale("mass", 1e6), "tonne tonnes"),
    "oz": (Scale("mass", 28.349523125), "ounce ounces"),
    "lb": (Scale("mass", 453.59237), "pound pounds"),
    "st": (Scale("mass", 6350.29318), "stone stones"),
    "cwt": (Scale("mass", 50802.34544), "hundredweight"),
    "ml": (Scale("volume", 0.001), "millilitre millilitres milliliter milliliters"),
    "l": (Scale("volume", 1.0), "liter liters"),
    "hl": (Scale("volume", 100.0), "hectolitre hectolitres"),
    "m³": (Scale("volume", 1000.0), "m3 cbm"),
    "cm³": (Scale("volume", 0.001), "cm3 ccm"),
    "gal": (Scale("volume", 3.785411784), "gallon gallons"),
    "pt": (Scale("volume", 0.56826125), "pint pints"),
    "floz": (Scale("volume", 0.0295735295625), "fl.oz"),
    "m": (Scale("length", 1.0), "metre metres meter meters"),
    "cm": (Scale("length", 0.01), "centimetre centimetres centimeter centimeters"),
    "mm": (Scale("length", 0.001), "millimetre millimetres millimeter millimeters"),
    "km": (Scale("length", 1000.0), "kilometre kilometres kilometer kilometers"),
    "in": (Scale("length", 0.0254), "inch inches"),
    "ft": (Scale("length", 0.3048), "foot feet"),
    "yd": (Scale("length", 0.9144), "yard yards"),
    "mi": (Scale("length", 1609.344), "mile miles"),
    "m²": (Scale("area", 1.0), "m2 sqm"),
    "cm²": (Scale("area", 1e-4), "cm2"),
    "km²": (Scale("area", 1e6), "km2"),
    "a": (Scale("area", 100.0), "are ares"),
    "ha": (Scale("area", 10000.0), "hectare hectares"),
    "ac": (Scale("area", 4046.8564224), "acre acres"),
    "ft²": (Scale("area", 0.09290304), "ft2 sqft"),
    "s": (Scale("time", 1.0), "sec second seconds"),
    "min": (Scale("time", 60.0), "minute minutes"),
    "h": (Scale("time", 3600.0), "hour hours hr"),
    "d": (Scale("time", 86400.0), ""),
    "week": (Scale("time", 604800.0), "weeks wk"),
    "k": (Scale("temperature", 1.0), "kelvin"),
    "°c": (Scale("temperature", 1.0, 273.15), "c celsius degc"),
    "°f": (Scale("temperature", 5 / 9, 459.67 * 5 / 9), "f fahrenheit degf"),
}


@cache
def known_units() -> dict[str, Scale]:
    """Every way to write a unit, in small letters."""
    found = {unit: Scale(measure, size) for unit, (measure, size) in UNITS.items()}
    for unit, (scale, others) in _MORE.items():
        found |= dict.fromkeys([unit, *others.split()], scale)
    return found


def scale_of(unit: str) -> Scale | None:
    """A unit by any of its names, in any case; None where it is not known."""
    return known_units().get(unit.strip().lower().removesuffix("."))


def brought(number: pl.Expr, size: pl.Expr | float, zero: pl.Expr | float, target: Scale) -> pl.Expr:
    """Numbers of a scale (its size and zero) in the unit of another of the same measure."""
    # 0.07 · 100 is 7.000000000000001 in binary: fifteen figures are what a float holds for sure.
    return ((number.cast(pl.Float64) * size + zero - target.zero) / target.size).round_sig_figs(15)
