"""Columns of countries: what names one country is one, in whatever language; what names two is two."""

from __future__ import annotations

from collections.abc import Mapping

import polars as pl

_LOOKED_AT = 500  # values of a long column that tell whether it may be one of countries
_COUNTRIES = 0.6  # of its values name one
_FEWEST = 3


def told_countries(values: pl.Series) -> dict[str, str]:
    """The country (two letters) of each value that names one, if most values of the column do; else none.

    Args:
        values: text, each once.
    """
    from updraft.core.values.countries import countries

    if values.len() > 2 * _LOOKED_AT:
        some = values.gather_every(values.len() // _LOOKED_AT)
        if countries(some).count() < _COUNTRIES * some.len():
            return {}
    named = countries(values)
    known = named.is_not_null()
    if known.sum() < max(_FEWEST, _COUNTRIES * values.len()):
        return {}
    return dict(zip(values.filter(known), named.filter(known), strict=True))


def are_two(told: Mapping[str, str], one: str, other: str) -> bool:
    """Whether two values name two countries."""
    return one in told and other in told and told[one] != told[other]
