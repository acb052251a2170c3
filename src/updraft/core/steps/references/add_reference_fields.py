from __future__ import annotations

from typing import Literal

import polars as pl

from updraft.core.problems import Problem
from updraft.core.steps.asking import asked_reference
from updraft.core.steps.base import StepKind
from updraft.core.steps.choice import listed, need_new
from updraft.core.steps.counts import Count
from updraft.core.steps.given import Context, Result, Wanted, also
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.tables import Out, Tables
from updraft.core.steps.texts import text_of

_ID = "\0id"  # a name no file can bring


class Field(Settings):
    property: str = setting("Property", "of the reference", widget="property", default="")
    name: str = setting("Called", "empty takes the reference's name for it", widget="text", default="")


class AddFieldsSettings(Settings):
    connection: str = setting("Reference", widget="connection", default="", of="web")
    column: str = setting("Identifiers in", widget="column", default="", needs="one")
    fields: tuple[Field, ...] = setting("Bring", widget="items", default=(), one="property", begun=True)
    several: Literal["first", "joined"] = setting(
        "Of several values",
        widget="choice",
        default="joined",
        labels={"joined": "all, with ; between", "first": "the first"},
    )


class AddReferenceFields(StepKind):
    """Bring what a reference knows of the things whose identifiers stand in a column, by the open data
    extension service: a column for each property.
    """

    kind = "add_reference_fields"
    title = "Add reference fields"
    summary = "Bring what a reference knows of things, by their identifiers"
    words = ("extend", "enrich", "reconcile", "authority", "properties", "attributes", "wikidata", "augment")
    icon = "node-plus"
    needs = frozenset({"outside", "whole"})
    outputs = (Out(main=True), Out("unmatched", "Rows it knows nothing of"))
    Settings = AddFieldsSettings

    def apply(self, tables: Tables, settings: AddFieldsSettings, context: Context) -> Result:
        table = tables.main
        schema = table.collect_schema()
        key = text_of(settings.column, schema, field="column").str.strip_chars().replace("", None)
        wanted = [one for one in settings.fields if one.property]
        if not wanted:
            raise Problem(
                "The properties", "none is chosen yet.", "Choose one.", field="fields", code="unfinished"
            )
        keys = table.select(key.alias(_ID)).drop_nulls().unique(maintain_order=True).collect()[_ID].to_list()
        with asked_reference(context, settings.connection) as reference:
            meta, rows = reference.extend(keys, [one.property for one in wanted])
        titles = {term.id: term.name for term in meta}
        names: list[str] = []
        for one in wanted:
            taken, name = [*schema, *names], one.name.strip()
            if not name:  # a name that nobody gave gets out of the way, as in a join
                name = titles.get(one.property, one.property)
                while name in taken:
                    name += " 2"
            names.append(need_new(name, taken, field="fields"))
        known = [name for name in keys if any(rows.get(name, {}).values())]
        cells = {
            f"\0of {name}": [self._cell(rows[key].get(one.property, []), settings) for key in known]
            for one, name in zip(wanted, names, strict=True)
        }
        brought = pl.LazyFrame(
            {_ID: known, **cells}, schema_overrides=dict.fromkeys([_ID, *cells], pl.String)
        ).with_columns(pl.lit(True).alias("\0known"))
        met = table.with_columns(key.alias(_ID)).join(brought, on=_ID, how="left", maintain_order="left")
        unknown = met.filter(pl.col("\0known").is_null() & pl.col(_ID).is_not_null())
        counts = (
            Count(
                "unmatched", unknown.select(pl.len()), "{n} rows of whose thing it knows none of these",
                "warning", one="{n} row of whose thing it knows none of these", side="unmatched",
            ),
        )  # fmt: skip
        result = met.select(*schema, *(pl.col(f"\0of {name}").alias(name) for name in names))
        return Result(result, {"unmatched": unknown.select(schema.names())}, counts, (), tuple(names))

    def _cell(self, values: list[str], settings: AddFieldsSettings) -> str | None:
        if not values:
            return None
        return values[0] if settings.several == "first" else "; ".join(values)

    def reads(self, settings: AddFieldsSettings, wanted: Wanted, port: str) -> Wanted:
        return also(wanted, [settings.column])

    def sentence(self, settings: AddFieldsSettings) -> str:
        names = [one.name or one.property for one in settings.fields if one.property]
        return f"{listed(names) or 'no property yet'} of {settings.column or '…'}"
