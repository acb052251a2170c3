"""A column choice: which columns a step works on, resolved against the table at hand."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Literal

import polars as pl

from updraft.core.problems import Problem, missing_column, wrong_pattern
from updraft.core.steps.settings import Settings, setting
from updraft.core.values import DTYPES, TITLES, Kind, kind_of
from updraft.core.values.common import names_like


class ColumnChoice(Settings):
    """Columns by name, by a pattern of their names, by kind, or all; always less those in `but`.

    Only columns chosen by name must be there: the other ways take what the table has.
    """

    by: Literal["names", "pattern", "types", "all"] = setting("Choose by", default="names")
    names: tuple[str, ...] = setting("Columns", default=())
    pattern: str = setting("Name matches", "* stands for any characters; or a regular expression", default="")
    types: tuple[Kind, ...] = setting("Types", default=())
    but: tuple[str, ...] = setting("All but", default=())

    def resolve(self, schema: pl.Schema, only: Kind | None = None) -> list[str]:
        """The chosen columns in the table's order.

        Args:
            only: keep the columns of this kind, where they were not chosen by name.

        Raises:
            Problem: a column chosen by name is missing, or the pattern is not a regular expression.
        """
        need_columns(self.names if self.by == "names" else (), schema, field="columns")
        if self.by == "names":
            return [name for name in schema if name in self.names and name not in self.but]
        if self.by == "pattern":
            try:
                found = names_like(schema, self.pattern)
            except pl.exceptions.PolarsError:
                raise Problem(
                    f"Pattern “{self.pattern}”",
                    f"it is not a regular expression: {wrong_pattern(self.pattern)}.",
                    "Mend it, or choose columns by name.",
                    field="columns",
                ) from None
        elif self.by == "types":
            found = [name for name, dtype in schema.items() if kind_of(dtype) in self.types]
        else:
            found = list(schema)
        return [
            name for name in found if name not in self.but and (only is None or kind_of(schema[name]) is only)
        ]

    def words(self) -> str:
        """The choice in a few words."""
        text = {
            "names": listed(self.names) or "no columns yet",
            "pattern": f"columns like {self.pattern}",
            "types": f"{listed([k.value.replace('_', '/') for k in self.types])} columns",
            "all": "all columns",
        }[self.by]
        return f"{text} but {listed(self.but)}" if self.but else text


class Order(Settings):
    """A column that rows are put in order by; `down` puts the largest first."""

    column: str = setting("Column", widget="column")
    down: bool = setting("Largest first", default=False)

    def words(self) -> str:
        return f"{self.column} down" if self.down else self.column


def need_columns(names: Iterable[str], schema: Iterable[str], *, field: str = "") -> None:
    """Raise the problem of the first name that the table lacks."""
    known = list(schema)
    for name in names:
        if name not in known:
            raise missing_column(name, known, field=field)


def listed(names: Iterable[str], most: int = 3) -> str:
    """Names as a short list: “Variety, Region and 4 more”."""
    names = list(names)
    if len(names) <= most:
        return ", ".join(names)
    return f"{', '.join(names[:most])} and {len(names) - most} more"


def need_new(name: str, known: Iterable[str], *, field: str) -> str:
    """A new column's name without blanks around it; the problem where it is empty or taken."""
    name = name.strip()
    if name and name not in list(known):
        return name
    raise Problem(
        f"“{name}”" if name else "The new column",
        "the table has a column of this name already." if name else "it has no name yet.",
        "Give it another name." if name else "Type one.",
        field=field,
        code="problem" if name else "unfinished",
    )


def need_free(names: Sequence[str], known: Iterable[str], *, field: str, way_out: str) -> None:
    """Raise the problem of a new column whose name is taken, or comes twice."""
    taken = set(known)
    for name in names:
        if name in taken or names.count(name) > 1:
            reason = "the table would have two columns of this name."
            raise Problem(f"“{name}”", reason, way_out, field=field)


def need_kind(name: str, schema: pl.Schema, kinds: Iterable[Kind], *, field: str, way_out: str) -> Kind:
    """The kind of a column that must be there and be one of these."""
    need_columns([name], schema, field=field)
    found, kinds = kind_of(schema[name]), list(kinds)
    if found in kinds:
        return found
    raise Problem(
        f"Column “{name}”",
        f"it is of type {TITLES[found]}, and {' or '.join(TITLES[kind] for kind in kinds)} is needed.",
        way_out,
        field=field,
        code="wrong_kind",
    )


def need_typed(name: str, dtype: pl.DataType, *, field: str = "") -> None:
    """Raise a problem where the values of a column are of a kind that nobody can type in."""
    kind = kind_of(dtype)
    if kind not in DTYPES and kind is not Kind.TEXT:
        raise Problem(
            f"Column “{name}”",
            f"it is of type {TITLES[kind]}, and no such value can be typed in.",
            "Take its values out first, or choose a column of text, numbers or dates.",
            field=field,
        )
