"""What kinds that compare rows by several fields share: a field's settings, and rows made ready for it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import polars as pl

from updraft.core.linking import MEASURES, Field, Measure
from updraft.core.problems import Problem
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.texts import text_of


class FieldAlike(Settings):
    """A column of this table and of the other, as `linking.Field`."""

    column: str = setting("Column", widget="column", default="", needs="one")
    reference: str = setting(
        "Like the other table's", widget="column", default="", port="reference", needs="one"
    )
    measure: Measure = setting("Compared by", widget="choice", default="letters", labels=MEASURES)
    weight: float = setting("Counts", widget="number", default=1.0, gt=0, le=1000)


class OwnFieldAlike(Settings):
    """A column whose values are compared with each other."""

    column: str = setting("Column", widget="column", default="", needs="one")
    measure: Measure = setting("Compared by", widget="choice", default="spelling", labels=MEASURES)
    weight: float = setting("Counts", widget="number", default=1.0, gt=0, le=1000)


def least_alike(default: int) -> Any:
    """The setting of how alike is alike enough."""
    return setting(
        "Alike by at least",
        "percent: the mean over the fields, by how much they count",
        widget="likeness",
        default=default,
        minimum=1,
        maximum=100,
    )


def check_fields(fields: Sequence[FieldAlike | OwnFieldAlike]) -> None:
    """Raise the problem of a field that is not chosen yet."""
    for one in fields:
        for name, reason, way_out in one.open():
            raise Problem(one.titled(name), reason, way_out, field="fields", code="unfinished")


def linked(fields: Sequence[FieldAlike]) -> list[Field]:
    """Fields as columns `0`, `1`, … of both tables, as `texts` names them."""
    return [Field(str(n), str(n), one.measure, one.weight) for n, one in enumerate(fields)]


def texts(table: pl.LazyFrame, names: Sequence[str]) -> pl.LazyFrame:
    """Columns as text, called `0`, `1`, …; Problem where one is missing or holds lists."""
    schema = table.collect_schema()
    return table.select(text_of(name, schema, field="fields").alias(str(n)) for n, name in enumerate(names))
