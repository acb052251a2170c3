from collections.abc import Mapping
from typing import Literal

import polars as pl

from updraft.core.problems import Problem
from updraft.core.similarity.nearest import comparable, nearest_entries
from updraft.core.steps.base import Context, Count, Result, Settings, StepKind, setting
from updraft.core.steps.choice import need_columns, need_kind
from updraft.core.steps.joins.keys import Brought
from updraft.core.steps.spread import BY_ROWS, Spread
from updraft.core.steps.tables import Out, Port, Tables
from updraft.core.values import Kind

_KEY, _ENTRY, _LIKENESS, _ROW = "\0key", "\0entry", "\0likeness", "\0row"  # names no file can bring


class LookUpAlikeSettings(Settings):
    column: str = setting("Column", widget="column", default="", needs="one")
    reference: str = setting(
        "Like the other table's", widget="column", default="", port="reference", needs="one"
    )
    least: int = setting(
        "Alike by at least",
        "percent of the letters in the same order",
        widget="number",
        default=85,
        minimum=1,
        maximum=100,
    )
    take: Literal["first", "best", "all"] = setting(
        "Of several",
        widget="choice",
        default="first",
        labels={"first": "first of the best", "best": "all of the best", "all": "all"},
    )
    bring: tuple[Brought, ...] = setting("Bring", widget="bring", default=(), port="reference", needs="some")
    missing: Literal["empty", "keep", "text"] = setting(
        "Without a match",
        widget="choice",
        default="empty",
        labels={"empty": "empty", "keep": "the value itself", "text": "a text"},
    )
    text: str = setting("Text", widget="text", default="not found", when={"missing": ["text"]})
    likeness: str = setting(
        "Name of a column for the likeness", "nothing makes none", widget="text", default="Likeness"
    )


class LookUpAlike(StepKind):
    """Bring columns from the rows of another table whose key is most like this one's. Case and blanks do not
    count. Without a match the first column brought is empty, the value itself, or a text.
    """

    kind = "look_up_alike"
    title = "Look up by likeness"
    summary = "Bring columns from another table by keys that are nearly the same"
    words = ("fuzzy lookup", "fuzzy join", "approximate match", "similar", "misspelt", "levenshtein")
    icon = "bullseye"
    needs = frozenset({"whole"})
    inputs = (Port(main=True), Port("reference", "Look up in"))
    outputs = (Out(main=True), Out("unmatched", "Rows without a match"))
    Settings = LookUpAlikeSettings

    def apply(self, tables: Tables, settings: LookUpAlikeSettings, context: Context) -> Result:
        table, other = tables.main, tables["reference"]
        schema, its = table.collect_schema(), other.collect_schema()
        way_out = "Choose a column of text."
        need_kind(settings.column, schema, [Kind.TEXT], field="column", way_out=way_out)
        need_kind(settings.reference, its, [Kind.TEXT], field="reference", way_out=way_out)
        need_columns([brought.column for brought in settings.bring], its, field="bring")
        names = [brought.called() for brought in settings.bring]
        likeness = settings.likeness.strip()
        self._check_names([*names, *([likeness] if likeness else [])], schema)
        near = self._near(table, other, settings)
        keyed = table.with_columns(comparable(pl.col(settings.column)).alias(_KEY)).with_row_index(_ROW)
        entries = other.select(
            comparable(pl.col(settings.reference)).alias(_ENTRY),
            *(pl.col(b.column).alias(name) for b, name in zip(settings.bring, names, strict=True)),
        )
        met = keyed.join(near, on=_KEY, how="left", maintain_order="left_right").join(
            entries if settings.take == "all" else entries.unique(_ENTRY, keep="first", maintain_order=True),
            on=_ENTRY, how="left", maintain_order="left_right",
        ).cache()  # fmt: skip
        missed = pl.col(_LIKENESS).is_null()
        filled = self._filled(settings, names[0], its[settings.bring[0].column], missed)
        told = [pl.col(_LIKENESS).alias(likeness)] if likeness else []
        unmatched = met.filter(missed)
        counts = (
            Count(
                "unmatched", unmatched.select(pl.len()), "{n} rows without a match", "warning",
                one="{n} row without a match", side="unmatched",
            ),
            Count(
                "unmatched_values", unmatched.select(_KEY).unique(), "{n} values without a match",
                "warning", one="{n} value without a match", each=True,
            ),
        )  # fmt: skip
        result = met.select(*schema, *filled, *(pl.col(name) for name in names[1:]), *told)
        sides = {"unmatched": unmatched.select(schema.names())}
        brought = (*names, *([likeness] if likeness else []))
        return Result(result, sides, counts, () if settings.take == "first" else None, brought)

    def _check_names(self, names: list[str], schema: pl.Schema) -> None:
        for name in names:
            if name in schema or names.count(name) > 1:
                raise Problem(
                    f"“{name}”", "the table would have two columns of this name.", "Give it another name.",
                    field="bring",
                )  # fmt: skip

    def _near(self, table: pl.LazyFrame, other: pl.LazyFrame, settings: LookUpAlikeSettings) -> pl.LazyFrame:
        """Keys of this table with the entries that they are like."""
        keys = (
            table.select(comparable(pl.col(settings.column)).alias(_KEY))
            .drop_nulls()
            .unique(maintain_order=True)
        )
        entries = other.select(comparable(pl.col(settings.reference)).alias(_ENTRY)).drop_nulls()
        texts, listed = pl.collect_all([keys, entries.unique(maintain_order=True)], engine="in-memory")
        found = nearest_entries(
            texts[_KEY].to_list(), listed[_ENTRY].to_list(), float(settings.least), settings.take
        )
        return pl.LazyFrame(
            {
                _KEY: texts[_KEY].gather([one.text for one in found]),
                _ENTRY: listed[_ENTRY].gather([one.entry for one in found]),
                _LIKENESS: pl.Series([one.score for one in found], dtype=pl.Float64),
            }
        )

    def _filled(
        self, settings: LookUpAlikeSettings, name: str, dtype: pl.DataType, missed: pl.Expr
    ) -> list[pl.Expr]:
        if settings.missing == "empty":
            return [pl.col(name)]
        if not isinstance(dtype, pl.String):
            raise Problem(
                f"“{name}”", "it holds no text, so nothing else can stand in it.",
                "Leave it empty without a match.", field="missing",
            )  # fmt: skip
        other = pl.col(settings.column) if settings.missing == "keep" else pl.lit(settings.text)
        return [pl.when(missed).then(other).otherwise(pl.col(name)).alias(name)]

    def spread(self, settings: LookUpAlikeSettings, schemas: Mapping[str, pl.Schema]) -> Spread:
        return BY_ROWS

    def sentence(self, settings: LookUpAlikeSettings) -> str:
        return f"{settings.column or '…'} like {settings.reference or '…'} · at least {settings.least} %"
