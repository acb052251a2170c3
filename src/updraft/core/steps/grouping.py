"""Groups of rows, taken apart only once it is known that they are not too many."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from updraft.core.problems import Problem


def groups_of(
    table: pl.DataFrame, by: Sequence[str], most: int, *, thing: str, first: int | None = None
) -> list[pl.DataFrame]:
    """Rows equal in all columns of `by`, groups in the order in which they come; no column makes one of all.

    Args:
        thing: what each group becomes, for the message.
        first: only so many groups.

    Raises:
        Problem: there would be more than `most`.
    """
    if not by:
        return [table]
    keys = table.select(by).unique(maintain_order=True)
    if first is not None:
        keys = keys.head(first)
        table = table.join(keys, on=list(by), how="semi", nulls_equal=True, maintain_order="left")
    if keys.height > most:
        raise Problem(
            thing,
            f"there would be {keys.height:,}; {most:,} are the most.",
            "Group by a column of fewer values, or take fewer rows before.",
            field="by",
            code="too_many",
        )
    return table.partition_by(by, maintain_order=True)
