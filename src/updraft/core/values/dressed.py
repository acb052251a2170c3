"""Numbers as people write them in cells: with currency, percent, units, brackets for negatives, a minus
behind.
"""

from __future__ import annotations

import re
from collections.abc import Mapping

import polars as pl

from updraft.core.letters import western

# As they are written beside amounts: signs, codes of ISO 4217, and short names in their own languages.
CURRENCY = (
    r"(?:R\$|[€$£¥₹₺₽₴₩₪₸]|EUR|USD|GBP|CHF|JPY|SEK|NOK|DKK|PLN|CZK|HUF|RON|BGN|TRY|UAH|CAD|AUD|NZD|BRL|MXN|CNY|INR|ZAR"
    r"|zł|Kč|kr|Ft|lei|лв|руб|грн|Rs)"
)
SIGNS = {"€": "EUR", "$": "USD", "£": "GBP", "¥": "JPY"}  # where a sign and a code are likely one currency
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
_BLANKS = r"\u{a0}\u{202f} "
_DASHES = "[-−–]"
# Sign or bracket, currency, number, currency or percent or unit, bracket or minus.
SHAPE = (
    rf"^\(?\s*(?:{_DASHES}|\+)?\s*(?:{CURRENCY}\.?)?\s*{_DASHES}?\s*[\d.,'’{_BLANKS}]*\d\s*"
    rf"(?:{CURRENCY}\.?|%|[\p{{L}}µ]{{1,8}}\.?)?\s*\)?{_DASHES}?$"
)

# A power of ten behind a number, as machines write it: 1.2e+04, 4.1e-05 kg. A bare 12E5 may be a code.
_POWER = r"(\d[.,]\d+|\d)([eE][+-]\d{1,3})(\D|$)"

_NO_CENTS = r"(\d)[.,][-–—]{1,2}"  # 100.— and 100,-
_SHORTENED = r"^([^\d]*\p{L})\."  # Rs. 100
_PERCENT_FIRST = r"^([-−–]?)\s*%\s*([-−–\d.,]*\d)$"  # %5, as in Turkish


def undressed(text: pl.Expr) -> tuple[pl.Expr, pl.Expr, pl.Expr]:
    """A text taken apart: its bare number as text, whether it is negative, and its unit in lower case (empty
    for none).

    All three are null where the text is no number dressed this way. The shape is checked by one expression,
    and the parts are what is left when others are taken away: groups of such an expression would take a
    hundred times as long.
    """
    text = western(text).str.strip_chars()
    text = text.str.replace(_NO_CENTS, "$1").str.replace(_SHORTENED, "$1 ")
    text = text.str.replace(_PERCENT_FIRST, "$1$2%")
    power = text.str.extract(_POWER, 2).fill_null("")
    text = text.str.replace(_POWER, "$1$3")
    opened, closed = text.str.starts_with("("), text.str.contains(")", literal=True)
    whole = text.str.contains(SHAPE) & (opened == closed)
    number = text.str.replace(r"\D+$", "").str.replace_all(rf"[^\d.,'’{_BLANKS}]", "")
    behind = text.str.replace(r"^.*\d", "").str.replace_all(rf"\s|\)|{_DASHES}", "")
    unit = pl.when(~behind.str.contains(rf"^{CURRENCY}\.?$")).then(behind).otherwise(pl.lit(""))
    return (
        pl.when(whole).then(number.str.strip_chars() + power),
        pl.when(whole).then(opened | text.str.contains(_DASHES)),
        pl.when(whole).then(unit.str.strip_suffix(".").str.to_lowercase()),
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
