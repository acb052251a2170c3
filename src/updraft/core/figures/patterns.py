"""Patterns: the shape of text, with letters and digits generalised.

A coarse pattern makes every run of letters one `a` and every run of digits one `9`; a fine one keeps how many
there are. All other signs stay as they are.
"""

from __future__ import annotations

from itertools import groupby

import polars as pl

LONGEST = 120  # signs of a text that make its pattern
USUAL = 0.95  # share of cells that one pattern must have for the others to be odd


def pattern_of_text(text: pl.Expr, fine: bool = False) -> pl.Expr:
    """The pattern of a text."""
    some = text.str.slice(0, LONGEST)
    if fine:
        return some.str.replace_all(r"[\p{L}\p{M}]", "a").str.replace_all(r"\p{Nd}", "9")
    return some.str.replace_all(r"[\p{L}\p{M}]+", "a").str.replace_all(r"\p{Nd}+", "9")


def pattern_counts(counts: pl.DataFrame, fine: bool = False) -> pl.DataFrame:
    """Patterns of distinct texts.

    Args:
        counts: `value` and `n`.

    Returns:
        `pattern`, `n` (cells), `values` (distinct texts) and `example`; the rarest first, then in order.
    """
    shaped = counts.lazy().select(pattern_of_text(pl.col("value"), fine).alias("pattern"), "value", "n")
    found = shaped.group_by("pattern").agg(
        pl.col("n").sum(), pl.len().alias("values"), pl.col("value").min().alias("example")
    )
    return found.sort(["n", "pattern"]).collect()


def pattern_words(pattern: str, fine: bool = False) -> str:
    """A pattern in words: “4 letters - 5 digits”; signs stand as they are, blanks as “blank”."""
    parts = []
    for sign, run in groupby(pattern):
        many = len(list(run))
        if sign in "a9":
            name = {"a": "letter", "9": "digit"}[sign]
            parts.append((f"{many} {name}" + ("s" if many > 1 else "")) if fine else f"{name}s")
        else:
            parts += ["blank"] * many if sign == " " else [sign * many]
    return " ".join(parts) or "nothing"
