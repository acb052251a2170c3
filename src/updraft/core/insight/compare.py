"""Compare a table with the one before the step: rows that are gone, rows that are new."""

from __future__ import annotations

import polars as pl


def gone_and_new(before: pl.DataFrame, after: pl.DataFrame) -> tuple[pl.Series, pl.Series]:
    """Numbers of the rows of `before` that `after` lacks, and of those of `after` that `before` lacks.

    Rows are compared in the columns that both have, of the same kind; a row that stands twice must be matched
    twice. Without a common column all rows are gone, and all are new.
    """
    both = [
        name
        for name, dtype in before.schema.items()
        if after.schema.get(name) == dtype and not dtype.is_nested()
    ]
    if not both:
        return _all(before), _all(after)
    old, new = (_turns(table.select(both)) for table in (before, after))
    return (
        old.join(new, on=["hash", "turn"], how="anti", maintain_order="left")["row"],
        new.join(old, on=["hash", "turn"], how="anti", maintain_order="left")["row"],
    )


def _turns(table: pl.DataFrame) -> pl.DataFrame:
    """Row numbers with the hash of each row and how many equal rows came before it."""
    hashes = pl.DataFrame(
        {"hash": table.hash_rows(5), "row": pl.int_range(table.height, dtype=pl.UInt32, eager=True)}
    )
    return hashes.with_columns(turn=pl.int_range(pl.len(), dtype=pl.UInt32).over("hash"))


def _all(table: pl.DataFrame) -> pl.Series:
    return pl.int_range(table.height, dtype=pl.UInt32, eager=True)
