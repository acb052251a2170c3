"""Rows of plain Python values as a table, block by block, so that a large file is never in memory as Python
objects.
"""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from functools import reduce
from itertools import islice
from operator import or_
from typing import Any, Literal

import orjson
import polars as pl

from updraft.core.problems import Problem

MOST_COLUMNS = 5000
_BLOCK = 4_000  # rows
_EXACT, _LARGEST = 2**53, 2**63  # integers that a fraction holds exactly; that 64 bits hold

_ENCODE = json.JSONEncoder(ensure_ascii=False).encode
_DTYPES: dict[type | None, Any] = {bool: pl.Boolean, int: pl.Int64, float: pl.Float64, str: pl.String}
_TYPES = {bool: "yes/no", int: "numbers", float: "numbers", str: "texts", list: "lists", dict: "records"}


def text_of(value: Any) -> str | None:
    """A value as text: texts as they are, everything else as JSON."""
    return value if value is None or isinstance(value, str) else _ENCODE(value)


Form = Literal["yes_no", "whole", "number", "lists", "text"]


@dataclass(frozen=True)
class Told:
    """What is known of the values of a column.

    Args:
        fits: whole numbers fit 64 bits.
        exact: whole numbers are exact as fractions.
    """

    types: frozenset[type] = frozenset()
    fits: bool = True
    exact: bool = True

    @staticmethod
    def of(values: list[Any]) -> Told:
        types = frozenset(map(type, values)) - {type(None)}
        whole = [v for v in values if type(v) is int] if int in types else []
        return Told(types, all(-_LARGEST <= v < _LARGEST for v in whole), all(abs(v) < _EXACT for v in whole))

    def __or__(self, other: Told) -> Told:
        return Told(self.types | other.types, self.fits and other.fits, self.exact and other.exact)

    @property
    def form(self) -> Form:
        """The narrowest that loses nothing."""
        types = self.types
        if types == {bool}:
            return "yes_no"
        if types == {int} and self.fits:
            return "whole"
        if types and types <= {int, float} and self.exact:
            return "number"
        return "lists" if types == {list} else "text"

    def said(self, name: str) -> list[str]:
        """That the values are of several kinds, where they become text for that."""
        if self.form != "text" or len(self.types) < 2:
            return []
        kinds = " and ".join(sorted({_TYPES.get(one, "values") for one in self.types}))
        return [f"“{name}” holds {kinds}; all of it is text."]


@dataclass(frozen=True)
class Part:
    """One column of one block: its values in the narrowest form that loses nothing."""

    told: Told
    values: pl.Series
    sound: bool = True  # whole numbers within lists fit 64 bits

    @staticmethod
    def of(values: list[Any]) -> Part:
        told = Told.of(values)
        only = next(iter(told.types)) if len(told.types) == 1 else None
        if not told.types:
            return Part(told, pl.Series(values, dtype=pl.Null))
        if only in _DTYPES and told.fits:
            return Part(told, pl.Series(values, dtype=_DTYPES[only]))
        if only is list:  # as JSON, opened again when it is known whether the column has nothing but lists
            return Part(told, *_packed(values))
        return Part(told, pl.Series([text_of(v) for v in values], dtype=pl.String))

    def made(self, form: Form) -> pl.Series:
        """The values in the form that those of all blocks have."""
        match form:
            case "yes_no":
                return self.values.cast(pl.Boolean)
            case "whole":
                return self.values.cast(pl.Int64)
            case "number":
                return self.as_fractions()
            case "lists":
                return self.as_lists()
        text = self.as_text()
        return text.set(text == "", None)

    def as_fractions(self) -> pl.Series:
        if self.values.dtype == pl.String:
            return pl.Series([None if v is None else float(v) for v in self.values], dtype=pl.Float64)
        return self.values.cast(pl.Float64)

    def as_lists(self) -> pl.Series:
        dtype = pl.List(pl.String)
        if self.values.dtype == pl.Null:
            return pl.Series([None], dtype=dtype).new_from_index(0, len(self.values))
        return pl.Series([v if v is None else [text_of(e) for e in v] for v in self._opened()], dtype=dtype)

    def as_text(self) -> pl.Series:
        values = self.values
        if self.told.types == {list}:
            return pl.Series([text_of(v) for v in self._opened()], dtype=pl.String)
        if values.dtype in (pl.Null, pl.Int64, pl.String):
            return values.cast(pl.String)
        return pl.Series([text_of(v) for v in values], dtype=pl.String)

    def _opened(self) -> Iterator[Any]:
        loads = orjson.loads if self.sound else json.loads
        return (v if v is None else loads(v) for v in self.values)


def _packed(values: list[Any]) -> tuple[pl.Series, bool]:
    """Lists as JSON, and whether all whole numbers in them fit 64 bits."""
    try:
        return pl.Series(
            [v if v is None else orjson.dumps(v).decode() for v in values], dtype=pl.String
        ), True
    except (TypeError, UnicodeEncodeError):
        return pl.Series([v if v is None else json.dumps(v) for v in values], dtype=pl.String), False


class Growing:
    """A table that grows by rows; columns are those of all rows, in the order in which they came."""

    def __init__(self) -> None:
        self._rows: list[dict[str, Any]] = []
        self._blocks: list[tuple[int, dict[str, Part]]] = []
        self._names: dict[str, None] = {}

    def add(self, row: dict[str, Any]) -> None:
        self._rows.append(row)
        if len(self._rows) >= _BLOCK:
            self._close()

    def table(self) -> tuple[pl.DataFrame, list[str]]:
        """The table, and sentences about columns of several kinds.

        Raises:
            Problem: the rows have more than 5,000 different columns.
        """
        self._close()
        said: list[str] = []
        columns = [self._column(name, said) for name in self._names]
        return pl.DataFrame(columns), said

    def _close(self) -> None:
        rows, self._rows = self._rows, []
        if not rows:
            return
        names = named(self._names, rows)
        self._blocks.append((len(rows), {name: Part.of([row.get(name) for row in rows]) for name in names}))

    def _column(self, name: str, said: list[str]) -> pl.Series:
        parts = [
            block.pop(name) if name in block else none(height) for height, block in self._blocks
        ]  # taken out, so that the memory is free again
        told = reduce(or_, (part.told for part in parts), Told())
        said += told.said(name)
        return pl.concat([part.made(told.form) for part in parts], rechunk=False).alias(name)


def named(names: dict[str, None], rows: Sequence[dict[str, Any]]) -> dict[str, None]:
    """The names, with those that the rows add. Problem where they are more than 5,000."""
    for row in rows:
        if row.keys() - names.keys():
            names.update(dict.fromkeys(row))
    if len(names) > MOST_COLUMNS:
        raise Problem(
            "The records",
            f"they have {len(names):,} different fields.",
            "Choose records deeper inside, or read them in long form.",
            field="records",
            code="too_wide",
        )
    return names


def in_blocks(rows: Iterable[dict[str, Any]]) -> Iterator[list[dict[str, Any]]]:
    """So many rows at a time as may be Python objects."""
    each = iter(rows)
    while block := list(islice(each, _BLOCK)):
        yield block


def none(height: int) -> Part:
    """The values of a column that no row has."""
    return Part(Told(), pl.Series([None]).new_from_index(0, height))
