"""Words that people and programs put where nothing is known."""

from __future__ import annotations

import polars as pl

from updraft.core.values.languages import ERRORS, UNKNOWN

SURE = (
    "n/a",
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
    "*",
    "**",
    "***",
    "n.d.",
    "n/d",
    "???",
    "..",
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
_LISTED = pl.Series(sorted({*SURE, *ERRORS, *UNKNOWN}))


def is_placeholder(text: pl.Expr) -> pl.Expr:
    """Whether a tidied text is a word that surely stands for no value."""
    return text.str.to_lowercase().is_in(_LISTED.implode())
