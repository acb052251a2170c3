"""Words that people and programs put where nothing is known."""

from __future__ import annotations

import polars as pl

_SURE = (
    "n/a",
    "#n/a",
    "n.a.",
    "null",
    "(null)",
    "-",
    "--",
    "---",
    "–",
    "—",
    "?",
    "??",
    "???",
    "..",
    "#ref!",
    "#value!",
    "#div/0!",
    "#name?",
    "#num!",
    "nan",
    "tbc",
    "tbd",
    "t.b.d.",
    "(blank)",
    "(empty)",
    "not available",
    "not known",
    "missing",
    "unknown",
    "n/k",
)
_LISTED = pl.Series(_SURE)


def is_placeholder(text: pl.Expr) -> pl.Expr:
    """Whether a tidied text is a word that surely stands for no value."""
    return text.str.to_lowercase().is_in(_LISTED.implode())
