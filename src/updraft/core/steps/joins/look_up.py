from collections.abc import Mapping
from typing import Literal

import polars as pl

from updraft.core.steps.base import StepKind
from updraft.core.steps.choice import listed, need_free
from updraft.core.steps.counts import Count
from updraft.core.steps.given import Context, Result, Wanted, also
from updraft.core.steps.joins.keys import (
    Brought,
    KeyPair,
    check_keys,
    digits_as_numbers,
    key_of,
    missed_counts,
)
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.spread import Spread
from updraft.core.steps.tables import Out, Port, Tables

_HIT = "\0hit"  # a name no file can bring


class LookUpSettings(Settings):
    keys: tuple[KeyPair, ...] = setting(
        "Where", "all pairs must be equal", widget="keys", default=(), port="reference"
    )
    bring: tuple[Brought, ...] = setting("Bring", widget="bring", default=(), port="reference", needs="some")
    many: Literal["stop", "first", "last", "repeat"] = setting(
        "Several rows for one key",
        widget="choice",
        default="stop",
        labels={"stop": "stop", "first": "take first", "last": "take last", "repeat": "repeat row"},
    )
    ignore_case: bool = setting("Ignore case", widget="flag", default=False)
    ignore_blanks: bool = setting("Ignore blanks at the ends", widget="flag", default=False)
    ignore_accents: bool = setting("Ignore accents", widget="flag", default=False)
    as_numbers: bool = digits_as_numbers()


class LookUp(StepKind):
    """Bring columns from another table by equal keys. Every row stays; empty keys match nothing."""

    kind = "look_up"
    title = "Look up"
    summary = "Bring columns from another table by one or more keys"
    words = ("vlookup", "join", "left join", "merge tables", "enrich", "match", "reference")
    icon = "signpost-split"
    inputs = (Port(main=True), Port("reference", "Look up in"))
    outputs = (
        Out(main=True),
        Out("unmatched", "Rows without a match"),
        Out("shared", "Rows of the other table that share a key"),
    )
    Settings = LookUpSettings

    def apply(self, tables: Tables, settings: LookUpSettings, context: Context) -> Result:
        table, other = tables.main, tables["reference"]
        schema, other_schema = table.collect_schema(), other.collect_schema()
        self._check(settings, schema, other_schema)
        names = [f"\0key{n}" for n in range(len(settings.keys))]
        left = [
            self._key(pair.column, schema, other_schema[pair.reference], settings).alias(n)
            for pair, n in zip(settings.keys, names, strict=True)
        ]
        right = [
            self._key(pair.reference, other_schema, schema[pair.column], settings).alias(n)
            for pair, n in zip(settings.keys, names, strict=True)
        ]
        brought = {b.column: b.called() for b in settings.bring}
        reference = other.select(
            *right, *(pl.col(old).alias(new) for old, new in brought.items()), pl.lit(True).alias(_HIT)
        ).drop_nulls(names)
        there = list(dict.fromkeys([*(pair.reference for pair in settings.keys), *brought]))
        shared = (
            other.select(*there, *right)
            .drop_nulls(names)
            .filter(pl.struct(names).is_duplicated())
            .select(there)
        )
        counts = [
            Count(
                "double_keys",
                shared.select(pl.len()),
                "{n} rows of the other table share their key with another one",
                "stop" if settings.many == "stop" else "info",
                "Choose which of them to take, or remove the duplicates there.",
                "{n} row of the other table shares its key with another one",
                side="shared",
                once=True,
            )
        ]
        if settings.many in ("first", "last"):
            keep: Literal["first", "last"] = "first" if settings.many == "first" else "last"
            reference = reference.unique(subset=names, keep=keep, maintain_order=True)
        if settings.many == "stop":
            counts = [*counts[:1]]
            reference = reference.unique(subset=names, keep="first", maintain_order=True)
        joined = (
            table.with_columns(left)
            .join(reference, on=names, how="left", maintain_order="left_right")
            .cache()
        )
        unmatched = joined.filter(pl.col(_HIT).is_null())
        keys = listed(pair.column for pair in settings.keys)
        counts += [*missed_counts(unmatched.select(names), keys)]
        extra = [*names, _HIT]
        return Result(
            joined.drop(extra),
            {"unmatched": unmatched.select(schema.names()), "shared": shared},
            tuple(counts),
            () if settings.many != "repeat" else None,
            tuple(brought.values()),
        )

    def _check(self, settings: LookUpSettings, schema: pl.Schema, other: pl.Schema) -> None:
        check_keys(settings.keys, schema, other, numbers=settings.as_numbers)
        names = [b.called() for b in settings.bring]
        way_out = "Give the column you bring another name."
        need_free(names, schema, field="bring", way_out=way_out)

    def _key(self, name: str, schema: pl.Schema, other: pl.DataType, settings: LookUpSettings) -> pl.Expr:
        case, blanks = settings.ignore_case, settings.ignore_blanks
        numbers, accents = settings.as_numbers, settings.ignore_accents
        return key_of(name, schema, other, case=case, blanks=blanks, numbers=numbers, accents=accents)

    def reads(self, settings: LookUpSettings, wanted: Wanted, port: str) -> Wanted:
        if port == "reference":
            return frozenset([*(k.reference for k in settings.keys), *(b.column for b in settings.bring)])
        return also(wanted, [*(k.column for k in settings.keys), *(b.called() for b in settings.bring)])

    def spread(self, settings: LookUpSettings, schemas: Mapping[str, pl.Schema]) -> Spread:
        schema, its = schemas["table"], schemas["reference"]
        there = all(k.column in schema and k.reference in its for k in settings.keys)
        pairs = settings.keys if there else ()
        mine = [self._key(k.column, schema, its[k.reference], settings) for k in pairs]
        theirs = [self._key(k.reference, its, schema[k.column], settings) for k in pairs]
        keys = {"table": mine, "reference": theirs} if pairs else {}
        return Spread("rows", keys, empty_apart=True, same=frozenset({"shared"}))

    def sentence(self, settings: LookUpSettings) -> str:
        by = listed(pair.column for pair in settings.keys)
        return f"{listed(b.name or b.column for b in settings.bring) or 'no columns yet'} · by {by or '…'}"
