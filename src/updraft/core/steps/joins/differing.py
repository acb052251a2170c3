"""When two cells that should agree differ, and by how much."""

from __future__ import annotations

from typing import Literal, NamedTuple

import polars as pl

from updraft.core.problems import Problem
from updraft.core.steps.settings import Settings, setting
from updraft.core.values import TITLES, Kind, kind_of
from updraft.core.values.text import shown

_NUMBERS = (Kind.WHOLE, Kind.NUMBER)
_DAYS = (Kind.DATE, Kind.DATETIME)


class Allowed(Settings):
    """What a column may differ by, and what it is called in the other table."""

    column: str = setting("Column", widget="column", default="", needs="one")
    reference: str = setting(
        "Is there called", "the same, where none is chosen", widget="column", default="", port="reference"
    )
    within: float = setting("May differ by", widget="decimal", default=0.0, ge=0)
    unit: Literal["units", "percent", "days"] = setting(
        "of",
        widget="choice",
        default="units",
        labels={"units": "its unit", "percent": "percent of the greater", "days": "days"},
    )
    ignore_case: bool = setting("Ignore case", widget="flag", default=False)
    ignore_blanks: bool = setting("Ignore blanks at the ends", widget="flag", default=False)


class Pair(NamedTuple):
    """A column of each table that should agree, and how far they may not."""

    here: str
    there: str
    allowed: Allowed


def text_shown(name: str) -> pl.Expr:
    """A column as a reader sees its values."""
    return pl.col(name).map_batches(shown, return_dtype=pl.String, is_elementwise=True)


def differs(here: str, there: str, mine: pl.DataType, its: pl.DataType, allowed: Allowed) -> pl.Expr:
    """Whether two columns differ by more than is allowed; an empty cell differs from any other.

    Raises:
        Problem: what is allowed is of another kind than the columns.
    """
    a, b = pl.col(here), pl.col(there)
    kinds = kind_of(mine), kind_of(its)
    _check(allowed, kinds)
    if all(kind in _NUMBERS for kind in kinds):
        a, b = a.cast(pl.Float64), b.cast(pl.Float64)
        within = pl.lit(allowed.within)
        if allowed.unit == "percent":
            within = within / 100 * pl.max_horizontal(a.abs(), b.abs())
        far = _less(a, b).abs() > within if allowed.within else a != b
        return far.fill_null(False) | (a.is_null() != b.is_null())
    if allowed.unit == "days" and allowed.within:
        far = (a.cast(pl.Datetime("us")) - b.cast(pl.Datetime("us"))).abs() > pl.duration(
            microseconds=round(allowed.within * 86_400_000_000)
        )
        return far.fill_null(False) | (a.is_null() != b.is_null())
    if kinds[0] is not kinds[1]:
        a, b = text_shown(here), text_shown(there)
    if kinds[0] is not kinds[1] or kinds[0] is Kind.TEXT:
        a, b = _tidied(a, allowed), _tidied(b, allowed)
    return a.ne_missing(b)


def difference(here: str, there: str, mine: pl.DataType, its: pl.DataType) -> pl.Expr:
    """Here less there: of numbers, in the digits that they have, or of days in days; empty for others."""
    a, b = pl.col(here), pl.col(there)
    kinds = kind_of(mine), kind_of(its)
    if all(kind in _NUMBERS for kind in kinds):
        return _less(a.cast(pl.Float64), b.cast(pl.Float64))
    if all(kind in _DAYS for kind in kinds):
        apart = a.cast(pl.Datetime("us")) - b.cast(pl.Datetime("us"))
        return apart.dt.total_microseconds().cast(pl.Float64) / 86_400_000_000
    return pl.lit(None, pl.Float64)


def _less(a: pl.Expr, b: pl.Expr) -> pl.Expr:
    """a - b without what binary numbers add: 22.3 - 60.9 is -38.6. Fifteen digits of the greater count."""
    greater = pl.max_horizontal(a.abs(), b.abs())
    unit = pl.lit(10.0).pow(greater.log10().floor() - 14)
    rounded = ((a - b) / unit).round() * unit
    return pl.when(greater.is_finite() & (greater > 0)).then(rounded.round_sig_figs(15)).otherwise(a - b)


def has_difference(mine: pl.DataType, its: pl.DataType) -> bool:
    kinds = {kind_of(mine), kind_of(its)}
    return kinds <= {*_NUMBERS} or kinds <= {*_DAYS}


def _tidied(text: pl.Expr, allowed: Allowed) -> pl.Expr:
    text = text.str.strip_chars() if allowed.ignore_blanks else text
    text = pl.when(text != "").then(text) if allowed.ignore_blanks else text
    return text.str.to_lowercase() if allowed.ignore_case else text


def _check(allowed: Allowed, kinds: tuple[Kind, Kind]) -> None:
    if not allowed.within or not allowed.column:
        return
    fits = _DAYS if allowed.unit == "days" else _NUMBERS
    odd = next((kind for kind in kinds if kind not in fits), None)
    if odd is not None:
        what = "days" if allowed.unit == "days" else "numbers"
        raise Problem(
            f"Column “{allowed.column}”",
            f"it may differ by {allowed.within:g}, but it is of type {TITLES[odd]} in one of the tables.",
            f"Set it to {what} in both, or allow nothing.",
            field="allowed",
            code="never_meet",
        )
