"""Answers that people gave, for one step: a key (a spelling, a value, a column) and what it is."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterable, Iterator, Mapping
from functools import cached_property
from typing import Annotated, Any, NamedTuple

import xxhash
from pydantic import PlainSerializer, PlainValidator, WithJsonSchema

from updraft.core.problems import Problem

HEADER = ("key", "answer", "who", "when")


class Decision(NamedTuple):
    """One answer. `when` is UTC in ISO 8601; `who` and `when` do not change what it means."""

    key: str
    answer: str
    who: str = ""
    when: str = ""


class Decisions:
    """The answers of one step by their keys, in the order in which they were given. Never changed once
    made.
    """

    def __init__(self, rows: Iterable[Decision] = ()) -> None:
        self._rows = {row.key: row for row in rows}

    def __iter__(self) -> Iterator[Decision]:
        return iter(self._rows.values())

    def __len__(self) -> int:
        return len(self._rows)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Decisions) and self._rows == other._rows

    def __hash__(self) -> int:
        return hash(self.digest)

    @cached_property
    def answers(self) -> Mapping[str, str]:
        """Key → answer."""
        return {row.key: row.answer for row in self}

    @cached_property
    def digest(self) -> str:
        """Equal digests mean equal answers, whoever gave them."""
        found = xxhash.xxh3_128()
        for key, answer in sorted(self.answers.items()):
            found.update(f"{len(key)}:{key}{len(answer)}:{answer}".encode())
        return found.hexdigest()

    @cached_property
    def mark(self) -> str:
        """Equal marks mean equal rows: the same answers, given by the same people at the same times."""
        found = xxhash.xxh3_128()
        for cell in (cell for row in self for cell in row):
            found.update(f"{len(cell)}:{cell}".encode())
        return found.hexdigest()

    def with_rows(self, rows: Iterable[Decision]) -> Decisions:
        """These answers too, over those with the same keys."""
        fresh = list(rows)
        again = {row.key for row in fresh}
        return Decisions([*(row for row in self if row.key not in again), *fresh])

    def without(self, keys: Iterable[str]) -> Decisions:
        gone = set(keys)
        return Decisions(row for row in self if row.key not in gone)

    def to_csv(self) -> str:
        """The answers as CSV (RFC 4180) with a header."""
        text = io.StringIO()
        csv.writer(text).writerows([HEADER, *([_marked(cell) for cell in row] for row in self)])
        return text.getvalue()

    @classmethod
    def from_csv(cls, text: str) -> Decisions:
        """Answers from CSV with the columns key and answer, and perhaps who and when, in any order.

        Raises:
            Problem: a column is missing, or a key stands there twice with two answers.
        """
        rows = list(csv.reader(io.StringIO(text.lstrip("\ufeff"))))
        header = [name.strip().casefold() for name in rows[0]] if rows else []
        for name in HEADER[:2]:
            if name not in header:
                raise Problem(
                    "The list of decisions", f"it has no column “{name}”.",
                    "Let its first line be: key,answer", code="bad_decisions",
                )  # fmt: skip
        found: dict[str, Decision] = {}
        for number, row in enumerate(rows[1:], start=2):
            cells = dict(zip(header, row, strict=False))
            made = Decision(*(_bare(cells.get(name, "")) for name in HEADER))
            if made.key in found and found[made.key].answer != made.answer:
                raise Problem(
                    f"“{made.key}”", f"line {number} gives it another answer than a line before.",
                    "Keep one of the two lines.", code="bad_decisions",
                )  # fmt: skip
            if row:
                found[made.key] = made
        return cls(found.values())


# What a spreadsheet takes for a formula, also behind apostrophes, gets one more, to be taken off again.
_FORMULA = re.compile(r"'*[=+\-@\t\r]")


def _marked(cell: str) -> str:
    return f"'{cell}" if _FORMULA.match(cell) else cell


def _bare(cell: str) -> str:
    return cell[1:] if cell.startswith("'") and _FORMULA.match(cell) else cell


def _read(value: Any) -> Decisions:
    if isinstance(value, Decisions):
        return value
    if not isinstance(value, list | tuple):
        raise ValueError("decisions are a list of [key, answer, who, when]")
    rows = []
    for row in value:
        texts = isinstance(row, list | tuple) and all(isinstance(cell, str) for cell in row)
        if not texts or not 2 <= len(row) <= len(HEADER):
            raise ValueError("a decision is [key, answer, who, when], all of them texts")
        rows.append(Decision(*row))
    return Decisions(rows)


_ROW = {"type": "array", "items": {"type": "string"}, "minItems": 2, "maxItems": 4}
DecisionRows = Annotated[
    Decisions,
    PlainValidator(_read),
    PlainSerializer(lambda decisions: [list(row) for row in decisions], return_type=list),
    WithJsonSchema({"type": "array", "items": _ROW, "description": "[key, answer, who, when]"}),
]
