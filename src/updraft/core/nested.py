"""Lists and records as text."""

from __future__ import annotations

import json

import polars as pl


def as_json(values: pl.Series) -> pl.Series:
    """Each value as JSON; empty cells stay empty."""
    texts = [
        None if item is None else json.dumps(item, default=str, ensure_ascii=False)
        for item in values.to_list()
    ]
    return pl.Series(values.name, texts, pl.String)
