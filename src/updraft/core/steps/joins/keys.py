"""What kinds that meet a second table share: pairs of key columns, and how values of keys are compared."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import polars as pl

from updraft.core.letters import unmarked
from updraft.core.problems import Problem
from updraft.core.steps.counts import Count
from updraft.core.steps.settings import Settings, setting
from updraft.core.values import TITLES, Kind, kind_of
from updraft.core.values.text import as_text

_NUMBERS = {Kind.WHOLE, Kind.NUMBER}


class KeyPair(Settings):
    column: str = setting("This table", widget="column")
    reference: str = setting("Other table", widget="column", port="reference")


class Brought(Settings):
    column: str = setting("Column", widget="column", port="reference")
    name: str = setting("Name here", "nothing keeps the name", default="")

    def called(self) -> str:
        return self.name.strip() or self.column


def digits_as_numbers() -> Any:
    """The setting that lets text and numbers meet."""
    return setting(
        "Compare digits as numbers",
        "so that 00776 meets 776, as text or as a number",
        widget="flag",
        default=False,
    )


def check_keys(
    pairs: Iterable[KeyPair], schema: pl.Schema, other: pl.Schema, *, numbers: bool = False
) -> None:
    """Raise the problem of keys that are not chosen, not there, or of kinds that never meet.

    Args:
        numbers: digits are compared as numbers, so that text and numbers may meet.
    """
    pairs = list(pairs)
    if not pairs:
        raise Problem(
            "The keys",
            "it is not said yet which columns must be equal.",
            "Choose a pair of columns.",
            field="keys",
            code="unfinished",
        )
    for pair in pairs:
        mine, its = kind_of(schema[pair.column]), kind_of(other[pair.reference])
        mended = {mine, its} <= {*_NUMBERS, Kind.TEXT}
        if mine is not its and {mine, its} != _NUMBERS and not (numbers and mended):
            raise Problem(
                f"“{pair.column}” and “{pair.reference}”",
                f"one is of type {TITLES[mine]}, the other {TITLES[its]}, so they never meet.",
                "Choose “Compare digits as numbers”." if mended else "Set one to the other's type first.",
                field="keys",
                code="never_meet" if mended else "problem",
            )


def missed_counts(missed: pl.LazyFrame, words: str) -> tuple[Count, Count]:
    """How many values of the keys, and how many rows, are without a match.

    Args:
        missed: the keys of those rows alone.
        words: the columns, as a reader is told them.
    """
    return (
        Count(
            "unmatched_values",
            missed.unique(),
            f"{{n}} values of {words} without a match",
            "warning",
            one=f"{{n}} value of {words} without a match",
            each=True,
        ),
        Count(
            "unmatched",
            missed.select(pl.len()),
            "{n} rows without a match",
            "warning",
            one="{n} row without a match",
            side="unmatched",
        ),
    )


def key_of(
    name: str,
    schema: pl.Schema,
    other: pl.DataType,
    *,
    case: bool = False,
    blanks: bool = False,
    numbers: bool = False,
    accents: bool = False,
) -> pl.Expr:
    """A key's value as it is compared with a key of the other table; `case`, `blanks` and `accents` are left
    out of account, and with `numbers` the zeros before digits, whether they are text or not.
    """
    key, kind = pl.col(name), kind_of(schema[name])
    if numbers and kind in _NUMBERS and kind_of(other) is Kind.TEXT:
        return as_text(name, schema[name])
    if numbers and kind is Kind.TEXT:
        bare = key.str.strip_chars()
        bare = pl.when(bare.str.contains(r"^-?\d+(\.\d+)?$")).then(
            bare.str.replace(r"^(-?)0+(\d)", "$1$2").str.replace(r"\.0+$", "")
        )
        return pl.coalesce(bare, key_of(name, schema, other, case=case, blanks=blanks, accents=accents))
    if kind in _NUMBERS:
        return key.cast(pl.Int64 if kind is kind_of(other) is Kind.WHOLE else pl.Float64)
    if kind is not Kind.TEXT:
        return key
    key = key.str.strip_chars() if blanks else key
    key = unmarked(key) if accents else key
    return key.str.to_lowercase() if case else key
