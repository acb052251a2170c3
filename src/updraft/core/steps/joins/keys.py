"""What kinds that meet a second table share: pairs of key columns, and how values of keys are compared."""

from __future__ import annotations

from collections.abc import Iterable

import polars as pl

from updraft.core.problems import Problem
from updraft.core.steps.base import Settings, setting
from updraft.core.steps.choice import need_columns
from updraft.core.values import TITLES, Kind, kind_of

_NUMBERS = {Kind.WHOLE, Kind.NUMBER}


class KeyPair(Settings):
    column: str = setting("This table")
    reference: str = setting("Other table")


class Brought(Settings):
    column: str = setting("Column")
    name: str = setting("Name here", "nothing keeps the name", default="")

    def called(self) -> str:
        return self.name.strip() or self.column


def check_keys(pairs: Iterable[KeyPair], schema: pl.Schema, other: pl.Schema) -> None:
    """Raise the problem of keys that are not chosen, not there, or of kinds that never meet."""
    pairs = list(pairs)
    if not pairs:
        raise Problem(
            "The keys",
            "it is not said yet which columns must be equal.",
            "Choose a pair of columns.",
            field="keys",
            code="unfinished",
        )
    need_columns([pair.column for pair in pairs], schema, field="keys")
    need_columns([pair.reference for pair in pairs], other, field="keys")
    for pair in pairs:
        mine, its = kind_of(schema[pair.column]), kind_of(other[pair.reference])
        if mine is not its and {mine, its} != _NUMBERS:
            raise Problem(
                f"“{pair.column}” and “{pair.reference}”",
                f"one is of type {TITLES[mine]}, the other {TITLES[its]}, so they never meet.",
                "Set one of them to the other's kind first.",
                field="keys",
            )


def key_of(
    name: str, schema: pl.Schema, other: pl.DataType, *, case: bool = False, blanks: bool = False
) -> pl.Expr:
    """A key's value as it is compared with a key of the other table; `case` and `blanks` are left out of
    account.
    """
    key, kind = pl.col(name), kind_of(schema[name])
    if kind in _NUMBERS:
        return key.cast(pl.Int64 if kind is kind_of(other) is Kind.WHOLE else pl.Float64)
    if kind is not Kind.TEXT:
        return key
    key = key.str.strip_chars() if blanks else key
    return key.str.to_lowercase() if case else key
