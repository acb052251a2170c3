"""Texts with holes: `{Column}` stands for a row's value in that column."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable
from dataclasses import dataclass

import polars as pl

from updraft.core.problems import Problem, missing_column
from updraft.core.values.text import shown

_MARK = re.compile(r"\{\{|\}\}|\{([^{}]+)\}")  # from the left: a brace that is meant, or a hole


@dataclass(frozen=True)
class Template:
    """A text with holes; `{{` and `}}` stand for the braces themselves."""

    text: str

    @property
    def parts(self) -> list[tuple[bool, str]]:
        """Its parts in order: whether one is a hole, and the text or the column's name."""
        found: list[tuple[bool, str]] = []
        at, plain = 0, ""
        for mark in _MARK.finditer(self.text):
            plain += self.text[at : mark.start()]
            at = mark.end()
            if mark[1] is None:
                plain += mark[0][0]
                continue
            found += [(False, plain)] if plain else []
            found.append((True, mark[1]))
            plain = ""
        plain += self.text[at:]
        return [*found, (False, plain)] if plain else found

    @property
    def columns(self) -> list[str]:
        """The columns that it names, each once."""
        return list(dict.fromkeys(part for hole, part in self.parts if hole))

    def check(self, known: Iterable[str], *, field: str, thing: str = "The text") -> None:
        """Raise the problem of a text that is empty, or names a column that is not there.

        Args:
            thing: what the text is, as the problem names it.
        """
        if not self.text.strip():
            raise Problem(thing, "it is empty.", "Type one.", field=field, code="unfinished")
        known = list(known)
        for name in self.columns:
            if name not in known:
                raise missing_column(name, known, field=field)

    def filled(
        self, table: pl.DataFrame, encoded: Callable[[str, int], str] = lambda text, place: text
    ) -> list[str | None]:
        """The text of every row; None where a column that it names is empty.

        Args:
            encoded: changes what goes into a hole; gets the text and the place of the part, from 0.
        """
        cells: list[list[str | None]] = []
        for place, (hole, part) in enumerate(self.parts):
            texts = shown(table[part]).to_list() if hole else [part] * table.height
            cells.append([encoded(text, place) if hole and text else text for text in texts])
        if not cells:
            return [""] * table.height
        joined = []
        for row in zip(*cells, strict=True):
            there = [text for text in row if text]
            joined.append("".join(there) if len(there) == len(row) else None)
        return joined

    def of_first(self, table: pl.DataFrame) -> str:
        """The text of the first row, with nothing where a column is empty."""
        first = table.head(1)
        return "".join(
            (shown(first[part]).to_list() or [None])[0] or "" if hole else part for hole, part in self.parts
        )
