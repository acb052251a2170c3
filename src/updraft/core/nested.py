"""Lists and records as text."""

from __future__ import annotations

import json
from typing import Any

import orjson
import polars as pl


def as_json(values: pl.Series) -> pl.Series:
    """Each value as JSON; empty cells stay empty."""
    texts = [
        None if item is None else json.dumps(item, default=str, ensure_ascii=False)
        for item in values.to_list()
    ]
    return pl.Series(values.name, texts, pl.String)


def json_text(value: Any) -> str:
    """A value with all that is in it as JSON: dates as ISO 8601, what JSON has no word for as text."""
    return orjson.dumps(value, default=str, option=orjson.OPT_INDENT_2).decode()
