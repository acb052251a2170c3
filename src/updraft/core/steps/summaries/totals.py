"""Totals beside the groups of a summary: the same figures over fewer columns."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

GROUP, TOTAL = "group", "total"


def with_totals(
    table: pl.LazyFrame,
    keys: Sequence[str],
    names: Sequence[str],
    figures: Sequence[pl.Expr],
    level: str,
    *,
    of_each: bool,
) -> pl.LazyFrame:
    """The groups of rows equal in `keys`, in their order, with totals after what they are the totals of.

    Args:
        names: what the keys are called in the result, for the words that say what a total is of.
        level: column that says what a row stands for: “group”, “total of NAME”, “total”.
        of_each: not only of all rows, but of each first key, first two keys, and so on.
    """
    schema = table.select(keys).collect_schema()
    widths = range(len(keys), -1, -1) if of_each else [len(keys), 0]
    flags = [f"\0all{n}" for n in range(len(keys))]
    parts = []
    for width in dict.fromkeys(widths):
        some, others = keys[:width], keys[width:]
        grouped = table.group_by(some).agg(figures) if some else table.select(figures)
        said = GROUP if not others else f"{TOTAL} of {names[width - 1]}" if some else TOTAL
        made = grouped.with_columns(
            *(pl.lit(None, schema[name]).alias(name) for name in others),
            *(pl.lit(n >= width).alias(flag) for n, flag in enumerate(flags)),
            pl.lit(said).alias(level),
        )
        figured = [figure.meta.output_name() for figure in figures]
        parts.append(made.select(*keys, level, *figured, *flags))
    by = [column for pair in zip(flags, keys, strict=True) for column in pair]
    return pl.concat(parts).sort(by, nulls_last=True, maintain_order=True).drop(flags)
