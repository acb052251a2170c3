"""Columns of countries: what names one country is one, in whatever language; what names two is two."""

from __future__ import annotations

from collections.abc import Mapping

import polars as pl

_LOOKED_AT = 60  # values that tell whether a column may be one of countries
_SOME = 0.3  # of those that name one, if it may
_COUNTRIES = 0.6  # of all its values, if it is
_FEWEST = 3


def told_countries(values: pl.Series) -> dict[str, str]:
    """The country (two letters) of each value that names one, if most values of the column do; else none.

    Args:
        values: text, each once.
    """
    from updraft.core.values.countries import countries

    some = values.gather_every(values.len() // _LOOKED_AT + 1).to_list()
    if sum(one is not None for one in countries(some)) < _SOME * len(some):
        return {}
    texts = values.to_list()
    told = {text: code for text, code in zip(texts, countries(texts), strict=True) if code}
    return told if len(told) >= max(_FEWEST, _COUNTRIES * len(texts)) else {}


def are_two(told: Mapping[str, str], one: str, other: str) -> bool:
    """Whether two values name two countries."""
    return one in told and other in told and told[one] != told[other]
