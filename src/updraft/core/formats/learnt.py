"""Records that are gone through twice: once to learn their columns, and once to be made part by part."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import replace
from typing import Any

import polars as pl
from polars.io.plugins import register_io_source

from updraft.core.formats.growing import Part, Told, in_blocks, named, none
from updraft.core.formats.header import sound_names
from updraft.core.formats.options import Detected, Scan


class Learnt:
    """What `Growing` would make of rows that come twice: gone through to learn their columns, and then made
    block by block, so that only one block is in memory.

    Args:
        rows: gives them anew.

    Raises:
        Problem: as `Growing.table`.
    """

    def __init__(self, rows: Callable[[], Iterable[dict[str, Any]]]) -> None:
        self._rows = rows
        names: dict[str, None] = {}
        told: dict[str, Told] = {}
        for block in in_blocks(rows()):
            for name in named(names, block):
                told[name] = told.get(name, Told()) | Told.of([row.get(name) for row in block])
        self.said = [text for name in names for text in told[name].said(name)]
        forms = {name: told[name].form for name in names}
        self.schema = pl.DataFrame([none(0).made(form).alias(name) for name, form in forms.items()]).schema
        # A field without a name gets one.
        self._made_of = dict(zip(self.schema, forms.items(), strict=True))

    def frames(self, columns: Sequence[str]) -> Iterator[pl.DataFrame]:
        """Some columns of the table, block by block."""
        chosen = {column: self._made_of[column] for column in columns}
        for block in in_blocks(self._rows()):
            yield pl.DataFrame(
                {
                    column: Part.of([row.get(name) for row in block]).made(form)
                    for column, (name, form) in chosen.items()
                }
            )


def scanned(learnt: Learnt, found: Detected, columns: frozenset[str] | None) -> Scan | None:
    """Records part by part; None where they have no column.

    Args:
        columns: those that are needed.
    """
    every = tuple(learnt.schema)
    sound, renamed = sound_names(list(every))
    names = [name for name in every if renamed or columns is None or name in columns] or every[:1]

    def frames(
        with_columns: list[str] | None, predicate: pl.Expr | None, n_rows: int | None, batch_size: int | None
    ) -> Iterator[pl.DataFrame]:
        left = n_rows
        for frame in learnt.frames(with_columns or names):
            some = frame if left is None else frame.head(left)
            yield some if predicate is None else some.filter(predicate)
            if left is not None and (left := left - some.height) <= 0:
                return

    if not every:
        return None
    query = register_io_source(frames, schema=pl.Schema({name: learnt.schema[name] for name in names}))
    return Scan(query, replace(found, columns=tuple(sound)), tuple(learnt.said))
