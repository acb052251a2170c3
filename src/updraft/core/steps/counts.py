"""Numbers that a step says about what it did."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from math import fsum, isfinite
from typing import Any, Literal

import polars as pl

Level = Literal["info", "warning", "hold", "stop"]

_DIGITS = 12  # of a sum that are told
_AGREE = 1e-9  # of what was added up, without its sign: by so much may two orders of adding up differ


@dataclass(frozen=True)
class Count:
    """A number worth saying, as a lazy frame of one cell; the engine computes it together with the table.

    `text` is a sentence that begins with `{n}`, `one` the same for a single thing; said when the number is
    not 0. Level `stop` fails the step then, with `way_out` as the advice. What it counts can be looked at:
    the rows of the output `side`, or those of the main output that a rule keeps (`conditions.rows_where`).

    Numbers of parts of a table are added up, but for what is the same for every part (`once`), and for things
    that several parts may have (`each`): of those the frame has a row for each. With `missing_of`, counted
    are those of so many things that it does not have.
    """

    code: str
    frame: pl.LazyFrame
    text: str
    level: Level = "info"
    way_out: str = ""
    one: str = ""
    side: str = ""
    rule: Mapping[str, Any] | None = None
    once: bool = False
    each: bool = False
    missing_of: int | None = None

    def number(self, counted: Sequence[pl.DataFrame]) -> int:
        """The number of all parts, from the frame of each of them."""
        if self.each or self.missing_of is not None:
            there = counted[0] if len(counted) == 1 else pl.concat(counted).unique()
            return there.height if self.missing_of is None else self.missing_of - there.height
        return int(counted[0].item() or 0) if self.once else sum(int(one.item() or 0) for one in counted)

    def told(self, counted: Sequence[pl.DataFrame]) -> tuple[str, int, str] | None:
        """The code, the number and the sentence, of each part; None where nothing is to be said."""
        number = self.number(counted)
        return (self.code, number, self.said(number)) if number else None

    def said(self, number: int) -> str:
        """The sentence for a number, in the singular where it is 1."""
        text = self.one if number == 1 and self.one else self.text
        return text.replace("{n}", f"{number:,}", 1)  # the first: a column may be called so, too


@dataclass(frozen=True)
class ControlTotal(Count):
    """What a column adds up to before a step and after it; `text` says why, where they differ.

    The frame has a row of three numbers: before, after, and what the column adds up to without signs.
    """

    def told(self, counted: Sequence[pl.DataFrame]) -> tuple[str, int, str] | None:
        before, after, size = (fsum(one.row(0)[n] or 0 for one in counted) for n in range(3))
        if not all(map(isfinite, (before, after, size))) or not size:
            return None
        column = self.code
        if abs(before - after) <= _AGREE * size:
            return f"total:{column}", 1, f"{column} adds up to {_told(after, size)} before and after"
        differ = f"{_told(before, size)} before and {_told(after, size)} after: {self.text}"
        return f"total:{column}", 1, f"{column} adds up to {differ}"


def control_total(
    column: str,
    table: pl.LazyFrame,
    after: pl.LazyFrame,
    made: pl.Expr,
    why: str,
    *,
    value: pl.Expr | None = None,
    size: pl.Expr | None = None,
) -> ControlTotal:
    """The control total of a column.

    Args:
        table, after: before and after the step.
        made: what `after` adds up to, over its rows.
        value, size: what is added up, and what without its sign; the column if not said.
    """
    value, size = (one if one is not None else pl.col(column) for one in (value, size))
    whole = table.select(value.alias("value")).collect_schema()["value"].is_integer()
    wide = pl.Int128 if whole else pl.Float64  # whole numbers add up to one that may need more digits
    before = table.select(
        value.cast(wide).sum().cast(pl.Float64).alias("before"),
        size.cast(wide).abs().sum().cast(pl.Float64).alias("size"),
    )
    frame = pl.concat([before, after.select(made.cast(pl.Float64).alias("after"))], how="horizontal")
    return ControlTotal(column, frame.select("before", "after", "size"), why)


def _told(number: float, size: float) -> str:
    """A sum with the places that are sure: what was added up, without its signs, says how large they were."""
    places = max(0, _DIGITS - len(f"{size:.0f}"))
    text = f"{round(number, places) + 0.0:,.{places}f}"  # and never −0
    return text.rstrip("0").rstrip(".") if "." in text else text
