"""Rows of plain Python values as a table, block by block, so that a large file is never in memory as Python
objects.
"""

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import orjson
import polars as pl

from updraft.core.problems import Problem

MOST_COLUMNS = 5000
_BLOCK = 4_000  # rows
_EXACT, _LARGEST = 2**53, 2**63  # integers that a fraction holds exactly; that 64 bits hold

_ENCODE = json.JSONEncoder(ensure_ascii=False).encode
_TYPES = {bool: "yes/no", int: "numbers", float: "numbers", str: "texts", list: "lists", dict: "records"}


def text_of(value: Any) -> str | None:
    """A value as text: texts as they are, everything else as JSON."""
    return value if value is None or isinstance(value, str) else _ENCODE(value)


@dataclass(frozen=True)
class _Part:
    """One column of one block: its values in the narrowest form that loses nothing."""

    types: frozenset[type]
    values: pl.Series
    fits: bool  # whole numbers fit 64 bits
    exact: bool  # whole numbers are exact as fractions

    @staticmethod
    def of(values: list[Any]) -> _Part:
        types = frozenset(type(value) for value in values) - {type(None)}
        whole = [v for v in values if type(v) is int] if int in types else []
        fits = all(-_LARGEST <= v < _LARGEST for v in whole)
        dtype = (
            {bool: pl.Boolean, int: pl.Int64, float: pl.Float64, str: pl.String}.get(next(iter(types)))
            if len(types) == 1
            else None
        )
        if not types:
            series = pl.Series(values, dtype=pl.Null)
        elif dtype is not None and fits:
            series = pl.Series(values, dtype=dtype)
        elif types == {
            list
        }:  # as JSON, opened again at the end, when it is known whether the column has nothing but lists
            series, fits = _packed(values)
        else:
            series = pl.Series([text_of(v) for v in values], dtype=pl.String)
        return _Part(types, series, fits, all(abs(v) < _EXACT for v in whole))

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
        if self.types == {list}:
            return pl.Series([text_of(v) for v in self._opened()], dtype=pl.String)
        if values.dtype in (pl.Null, pl.Int64, pl.String):
            return values.cast(pl.String)
        return pl.Series([text_of(v) for v in values], dtype=pl.String)

    def _opened(self) -> Iterator[Any]:
        loads = orjson.loads if self.fits else json.loads
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
        self._blocks: list[tuple[int, dict[str, _Part]]] = []
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
        names = self._names
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
        self._blocks.append((len(rows), {name: _Part.of([row.get(name) for row in rows]) for name in names}))

    def _column(self, name: str, said: list[str]) -> pl.Series:
        none = frozenset[type]()
        parts = [
            block.pop(name)
            if name in block
            else _Part(none, pl.Series([None]).new_from_index(0, height), True, True)
            for height, block in self._blocks
        ]  # taken out, so that the memory is free again
        types = none.union(*(part.types for part in parts))
        fits, exact = all(part.fits for part in parts), all(part.exact for part in parts)
        if types and types <= {bool}:
            made = [part.values.cast(pl.Boolean) for part in parts]
        elif types == {int} and fits:
            made = [part.values.cast(pl.Int64) for part in parts]
        elif types and types <= {int, float} and exact:
            made = [part.as_fractions() for part in parts]
        elif types == {list}:
            made = [part.as_lists() for part in parts]
        else:
            if len(types) > 1:
                kinds = " and ".join(sorted({_TYPES.get(t, "values") for t in types}))
                said.append(f"“{name}” holds {kinds}; all of it is text.")
            made = [part.as_text() for part in parts]
            made = [s.set(s == "", None) for s in made]
        return pl.concat(made, rechunk=False).alias(name)
