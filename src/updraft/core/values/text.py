"""Values as the text a reader sees."""

from __future__ import annotations

import polars as pl

from updraft.core.nested import as_json


def as_text(name: str, dtype: pl.DataType) -> pl.Expr:
    """A column as the text a reader sees, as `shown` gives it for values at hand."""
    value = pl.col(name)
    if dtype.is_float():
        return value.cast(pl.String).str.strip_suffix(".0")
    if dtype == pl.Boolean:
        return pl.when(value).then(pl.lit("yes")).when(~value).then(pl.lit("no")).alias(name)
    if isinstance(dtype, pl.Datetime):
        return value.dt.to_string(_form(dtype))
    if isinstance(dtype, pl.Duration):
        return value.dt.to_string("polars")
    if dtype.is_nested():
        return value.map_batches(as_json, return_dtype=pl.String)
    return value.cast(pl.String, strict=False)


def _form(dtype: pl.Datetime) -> str:
    """Nothing of a time is left out: parts of a second where there are some, the offset of a zone."""
    return "%Y-%m-%d %H:%M:%S%.f" + ("%:z" if dtype.time_zone else "")


def shown(values: pl.Series) -> pl.Series:
    """Values as the text a reader sees: a whole number without a point, a date as YYYY-MM-DD."""
    if values.dtype.is_float():
        return values.cast(pl.String).str.strip_suffix(".0")
    if values.dtype == pl.Boolean:
        return values.replace_strict({True: "yes", False: "no"}, default=None, return_dtype=pl.String)
    if isinstance(values.dtype, pl.Datetime):
        return values.dt.to_string(_form(values.dtype))
    if isinstance(values.dtype, pl.Duration):
        return values.dt.to_string("polars")
    if values.dtype.is_nested():
        return as_json(values)
    return values.cast(pl.String, strict=False)
