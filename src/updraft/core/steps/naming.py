"""The columns that settings name: they must be there, and of a type that the step can work on."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any, NamedTuple

from updraft.core.steps.choice import need_columns, need_kind
from updraft.core.steps.settings import Settings
from updraft.core.steps.tables import Tables
from updraft.core.values import Kind


class Named(NamedTuple):
    """A column that a setting names.

    Args:
        field: the setting of the step, also where it stands in a line of it.
        port: of the table that must have it; "" is the main one.
        kinds, way_out: what types it may have, and what to do about another one; no types: any.
    """

    field: str
    column: str
    port: str = ""
    kinds: Sequence[Kind] = ()
    way_out: str = ""


def named(settings: Settings) -> Iterator[Named]:
    """The columns that settings name, in their order, of those settings that count for what is chosen."""
    for name, info in type(settings).model_fields.items():
        hints = info.json_schema_extra
        if not isinstance(hints, dict) or "free" in hints:
            continue
        when: Any = hints.get("when", {})
        if not all(getattr(settings, other) in chosen for other, chosen in when.items()):
            continue
        for one in _in(getattr(settings, name), hints):
            yield one._replace(field=name)


def _in(value: Any, hints: dict[str, Any]) -> Iterator[Named]:
    """What the value of one setting names."""
    port, kinds, way_out = hints.get("port", ""), hints.get("kinds", ()), hints.get("way_out", "")
    columns = value
    if hints.get("widget") == "columns":
        columns = value.names if value.by == "names" else ()
    if hints.get("widget") == "column":
        columns = (value,) if value else ()
    for one in columns if isinstance(columns, tuple) else ():
        if isinstance(one, Settings):
            yield from named(one)
        elif hints.get("widget") in ("column", "columns", "names"):
            yield Named("", one, port, [Kind(kind) for kind in kinds], way_out)


def check_named(settings: Settings, tables: Tables) -> None:
    """The problem of the first column that settings name and its table lacks, or has of another type."""
    for one in named(settings):
        schema = tables.schema(one.port)
        if schema is None:
            continue
        if one.kinds:
            need_kind(one.column, schema, one.kinds, field=one.field, way_out=one.way_out)
        else:
            need_columns([one.column], schema, field=one.field)
