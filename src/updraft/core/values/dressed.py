"""Numbers as people write them in cells: with currency, percent, units, brackets for negatives, a minus
behind.
"""

from __future__ import annotations

import re
from collections.abc import Mapping

import polars as pl

CURRENCY = r"(?:[€$£¥₹₺₽]|EUR|USD|GBP|CHF|JPY|SEK|NOK|DKK|PLN|CZK)"
# Unit → (what is measured, how many of the smallest unit listed). SI and customary units of trade.
UNITS: dict[str, tuple[str, float]] = {
    "mg": ("mass", 0.001),
    "g": ("mass", 1.0),
    "gr": ("mass", 1.0),
    "gram": ("mass", 1.0),
    "grams": ("mass", 1.0),
    "kg": ("mass", 1000.0),
    "kilo": ("mass", 1000.0),
    "kilos": ("mass", 1000.0),
    "t": ("mass", 1_000_000.0),
    "oz": ("mass", 28.349523125),
    "lb": ("mass", 453.59237),
    "lbs": ("mass", 453.59237),
    "ml": ("volume", 0.001),
    "cl": ("volume", 0.01),
    "dl": ("volume", 0.1),
    "l": ("volume", 1.0),
    "litre": ("volume", 1.0),
    "litres": ("volume", 1.0),
    "mm": ("length", 0.001),
    "cm": ("length", 0.01),
    "m": ("length", 1.0),
    "km": ("length", 1000.0),
    "min": ("time", 60.0),
    "h": ("time", 3600.0),
    "hrs": ("time", 3600.0),
    "days": ("time", 86400.0),
    "day": ("time", 86400.0),
    "pcs": ("count", 1.0),
    "pc": ("count", 1.0),
    "packets": ("count", 1.0),
    "packet": ("count", 1.0),
    "pkt": ("count", 1.0),
}
_NUMBER = r"[\d.,'\u{a0}\u{202f} ]*\d"
# sign or bracket, currency, number, currency or percent or unit, bracket or minus
_SHAPE = (
    rf"^(?P<open>\()?\s*(?P<sign>[-+−–])?\s*{CURRENCY}?\s*(?P<sign2>[-−–])?\s*(?P<number>{_NUMBER})\s*"
    rf"(?:{CURRENCY}|(?P<unit>%|[\p{{L}}µ]{{1,8}}\.?))?\s*(?P<close>\))?(?P<behind>[-−–])?$"
)


def undressed(text: pl.Expr) -> tuple[pl.Expr, pl.Expr, pl.Expr]:
    """A text taken apart: its bare number as text, whether it is negative, and its unit in lower case (empty
    for none).

    All three are null where the text is no number dressed this way.
    """
    parts = text.str.strip_chars().str.extract_groups(_SHAPE).struct
    number = parts.field("number").str.strip_chars()
    opened, closed = parts.field("open").is_not_null(), parts.field("close").is_not_null()
    signed = (
        parts.field("sign").is_in(["-", "−", "–"])
        | parts.field("sign2").is_not_null()
        | parts.field("behind").is_not_null()
    )
    whole = number.is_not_null() & (opened == closed)
    unit = parts.field("unit").fill_null("").str.strip_suffix(".").str.to_lowercase()
    return (
        pl.when(whole).then(number),
        pl.when(whole).then(opened | signed.fill_null(False)),
        pl.when(whole).then(unit),
    )


def factor(unit: pl.Expr, units: Mapping[str, float]) -> pl.Expr:
    """What a number with this unit is multiplied by: 1 for none, a hundredth for percent; null for a unit
    not listed.
    """
    known = {
        "": 1.0,
        "%": 0.01,
        **{re.sub(r"\.$", "", name.strip().lower()): times for name, times in units.items()},
    }
    return unit.replace_strict(list(known), list(known.values()), default=None, return_dtype=pl.Float64)
