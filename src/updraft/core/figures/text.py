"""Values as the text a reader sees."""

from __future__ import annotations

import json

import polars as pl


def shown(values: pl.Series) -> pl.Series:
    """Values as the text a reader sees: a whole number without a point, a date as YYYY-MM-DD."""
    if values.dtype.is_float():
        return values.cast(pl.String).str.strip_suffix(".0")
    if values.dtype == pl.Boolean:
        return values.replace_strict({True: "yes", False: "no"}, default=None, return_dtype=pl.String)
    if isinstance(values.dtype, pl.Datetime):
        return values.dt.to_string("%Y-%m-%d %H:%M:%S")
    if values.dtype.is_nested():
        texts = [
            None if item is None else json.dumps(item, default=str, ensure_ascii=False)
            for item in values.to_list()
        ]
        return pl.Series(values.name, texts, pl.String)
    return values.cast(pl.String, strict=False)
