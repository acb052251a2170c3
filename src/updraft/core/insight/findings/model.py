"""What a finding is: a sentence with its evidence, and the repairs proposed for it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import polars as pl

Step = dict[str, Any]


@dataclass(frozen=True)
class Repair:
    """Steps that mend a finding: each a `kind` with its `settings`, applied one after another to the table itself."""

    sentence: str
    steps: tuple[Step, ...]


@dataclass(frozen=True)
class Finding:
    """Something that looks wrong in a table.

    Args:
        code: a stable word for what it is.
        columns: the columns it is about; none for whole rows.
        count: how many rows (or columns, for those that are blank or are values) it concerns.
        sentence: what is wrong, in plain words.
        why: why it matters, and the threshold at which it is said.
        examples: values as they stand.
        rows: numbers of the rows from 0, in order.
        repairs: the one to take first comes first.
        rule: conditions that hold in just these rows, where such a rule exists.
        open: a person decides; where it is not set, the first repair cannot harm (see `safe`).
        verified: the evidence is arithmetic, not likeness.
        weight: how serious it is, 0 to 100.
    """

    code: str
    columns: tuple[str, ...]
    count: int
    sentence: str
    why: str
    examples: tuple[str, ...] = ()
    rows: pl.Series = field(default_factory=lambda: pl.Series([], dtype=pl.UInt32))
    repairs: tuple[Repair, ...] = ()
    rule: Mapping[str, Any] | None = None
    open: bool = False
    verified: bool = True
    weight: float = 50.0

    @property
    def key(self) -> str:
        """Names the finding within a table, from one look to the next."""
        return f"{self.code}:{','.join(self.columns)}"

    def as_dict(self) -> dict[str, Any]:
        """All of it as plain data; of the rows the first 100 numbers."""
        return {
            "code": self.code,
            "columns": list(self.columns),
            "count": self.count,
            "sentence": self.sentence,
            "why": self.why,
            "examples": list(self.examples),
            "rows": self.rows.head(100).to_list(),
            "rule": self.rule,
            "open": self.open,
            "key": self.key,
            "repairs": [{"sentence": r.sentence, "steps": [dict(s) for s in r.steps]} for r in self.repairs],
        }


def step(kind: str, **settings: Any) -> Step:
    """A step of a repair."""
    return {"kind": kind, "settings": settings}


def chosen(names: Sequence[str]) -> dict[str, Any]:
    """A column choice by names, as settings hold it."""
    return {"by": "names", "names": list(names)}


def recode(column: str, changes: Mapping[str, str]) -> Step:
    return step(
        "recode_values", column=column, changes=[{"old": old, "new": new} for old, new in changes.items()]
    )


def where(column: str, test: str, **more: Any) -> dict[str, Any]:
    """A rule of one condition, as settings hold it."""
    return {"match": "all", "of": [{"column": column, "test": test, **more}]}


def plural(number: int, one: str, many: str) -> str:
    return f"{number:,} {one if number == 1 else many}"


def short(values: Iterable[Any], most: int = 5) -> tuple[str, ...]:
    """Example values as text, none of them long."""
    texts = (str(value) for value in values)
    return tuple(text if len(text) <= 80 else text[:79] + "…" for text in list(texts)[:most])
