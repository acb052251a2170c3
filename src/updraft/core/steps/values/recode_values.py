from collections.abc import Iterable, Mapping
from dataclasses import replace
from typing import Literal

import polars as pl

from updraft.core.problems import Problem
from updraft.core.steps.base import StepKind
from updraft.core.steps.choice import need_new, need_typed
from updraft.core.steps.counts import Count
from updraft.core.steps.given import Context, Result, Wanted, also
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.spread import Spread
from updraft.core.steps.tables import TIMES, Out, Port, Tables
from updraft.core.steps.texts import text_of
from updraft.core.values import TITLES, converted, kind_of

_UNKNOWN = "\0unknown"  # a name no file can bring


class Change(Settings):
    old: str = setting("Old value", default="")
    new: str = setting("New value", "nothing makes it empty", default="")


class RecodeSettings(Settings):
    column: str = setting("Column", widget="column")
    by: Literal["typed", "table"] = setting(
        "The list", widget="choice", default="typed", labels={"typed": "stands here", "table": "is a table"}
    )
    changes: tuple[Change, ...] = setting(
        "Changes", "type them, or paste two columns from a spreadsheet", widget="changes", default=(),
        when={"by": ["typed"]},
    )  # fmt: skip
    old: str = setting(
        "Old values in", widget="column", default="", port="list", when={"by": ["table"]}, needs="one"
    )
    new: str = setting(
        "New values in", widget="column", default="", port="list", when={"by": ["table"]}, needs="one"
    )
    ignore_case: bool = setting("Ignore case", widget="flag", default=False)
    ignore_blanks: bool = setting("Ignore blanks at the ends", widget="flag", default=False)
    others: Literal["keep", "empty", "mark", "reject"] = setting(
        "Other values",
        widget="choice",
        default="keep",
        labels={"keep": "stay", "empty": "become empty", "mark": "are marked", "reject": "are rejected"},
    )
    mark: str = setting(
        "Name of the mark's column", widget="text", default="Not in the list", when={"others": ["mark"]}
    )


class RecodeValues(StepKind):
    """Replace whole values by a list of old and new, typed or from another table. An old value that stands
    there twice must say the same. Values that are not in the list are a table of their own.
    """

    kind = "recode_values"
    title = "Recode values"
    summary = "Replace values by a list of old and new"
    words = (
        "replace",
        "map",
        "find and replace",
        "substitute",
        "rename values",
        "correct",
        "spelling",
        "mapping",
    )
    icon = "arrow-left-right"
    desk = "recode"
    made_for = "values"
    inputs = (Port(main=True), Port("list", "List of values"))
    outputs = (Out(main=True), Out("others", "Values not in the list"), Out("rejected", "Rejected rows"))
    Settings = RecodeSettings

    def ports(self, settings: RecodeSettings) -> tuple[Port, ...]:
        return self.inputs if settings.by == "table" else self.inputs[:1]

    def apply(self, tables: Tables, settings: RecodeSettings, context: Context) -> Result:
        table, name = tables.main, settings.column
        schema = table.collect_schema()
        pairs = settings.changes if settings.by == "typed" else _listed(tables["list"], settings)
        changes = self._changes(pairs, settings)
        old = pl.Series(list(changes), dtype=pl.String)
        new = _as_kind(
            pl.Series(name, [text or None for text in changes.values()], dtype=pl.String), schema[name]
        )
        key = self._key(pl.col(name), settings, schema[name].is_float())
        unknown = pl.col(name).is_not_null() & ~key.is_in(old.implode()).fill_null(False)
        alone = settings.by == "typed" and settings.others == "keep"
        counts = self._counts(tables, name, key, old)
        if alone:
            counts = counts[:1]  # a few values are recoded, and the others are no news
        sides = {} if alone else {"others": _others(tables.values(name), name, unknown)}
        fresh = {name: lambda values: self._replaced(values, settings, old, new, schema[name])}
        if settings.others in ("mark", "reject"):
            marked = table.with_columns(fresh[name](pl.col(name)).alias(name), unknown.alias(_UNKNOWN))
            if settings.others == "reject":
                kept = marked.filter(~pl.col(_UNKNOWN)).drop(_UNKNOWN)
                return Result(kept, sides | {"rejected": table.filter(unknown)}, counts)
            mark = need_new(settings.mark, schema, field="mark")
            return Result(marked.rename({_UNKNOWN: mark}), sides, counts, (name,))
        return replace(Result.by_value(table, fresh, *counts), sides=sides)

    def _counts(self, tables: Tables, name: str, key: pl.Expr, old: pl.Series) -> tuple[Count, ...]:
        many, keys = old.len(), tables.values(name).select(key.alias("\0key")).drop_nulls().unique()
        listed = pl.col("\0key").is_in(old.implode())
        return (
            Count(
                "unused_changes",
                keys.filter(listed),
                f"{{n}} of {many} old values do not occur in {name}",
                one=f"{{n}} of {many} old values does not occur in {name}",
                missing_of=many,
            ),
            Count(
                "not_listed",
                keys.filter(~listed),
                f"{{n}} values of {name} are not in the list",
                one=f"{{n}} value of {name} is not in the list",
                each=True,
                side="others",
            ),
        )

    def outs(self, settings: RecodeSettings) -> tuple[Out, ...]:
        if settings.others == "reject":
            return self.outputs
        return self.outputs[:1] if settings.by == "typed" and settings.others == "keep" else self.outputs[:2]

    def reads(self, settings: RecodeSettings, wanted: Wanted, port: str) -> Wanted:
        if port == "list":
            return frozenset({settings.old, settings.new})
        return also(wanted, [settings.column, *([settings.mark] if settings.others == "mark" else [])])

    def _key(self, column: pl.Expr, settings: RecodeSettings, number: bool) -> pl.Expr:
        key = (
            column.cast(pl.String).str.strip_suffix(".0") if number else column.cast(pl.String)
        )  # 9999, as it is shown
        key = key.str.strip_chars() if settings.ignore_blanks else key
        return key.str.to_lowercase() if settings.ignore_case else key

    def _replaced(
        self, column: pl.Expr, settings: RecodeSettings, old: pl.Series, new: pl.Series, dtype: pl.DataType
    ) -> pl.Expr:
        others = None if settings.others == "empty" else column
        return self._key(column, settings, dtype.is_float()).replace_strict(
            old, new, default=others, return_dtype=dtype
        )

    def _changes(self, pairs: Iterable[Change], settings: RecodeSettings) -> dict[str, str]:
        found: dict[str, str] = {}
        for change in pairs:
            key = change.old.strip() if settings.ignore_blanks else change.old
            key = key.lower() if settings.ignore_case else key
            if found.get(key, change.new) != change.new:
                raise Problem(
                    f"“{change.old}”",
                    f"it is to become both “{found[key]}” and “{change.new}”.",
                    "Remove one of the two lines.",
                    field="changes",
                )
            found[key] = change.new
        return found

    def spread(self, settings: RecodeSettings, schemas: Mapping[str, pl.Schema]) -> Spread:
        return Spread("rows", undivided=frozenset({"others"}))

    def sentence(self, settings: RecodeSettings) -> str:
        if settings.by == "table":
            return f"{settings.column} · {settings.old or '…'} → {settings.new or '…'}, by the list"
        many = len(settings.changes)
        if many == 1:
            return f"{settings.column} · {settings.changes[0].old} → {settings.changes[0].new or 'empty'}"
        return f"{settings.column} · {many:,} values"


def _as_kind(new: pl.Series, dtype: pl.DataType) -> pl.Series:
    need_typed(new.name, dtype)
    read = new.to_frame().select(converted(new.name, pl.String(), kind_of(dtype))).to_series()
    if read.null_count() > new.null_count():
        odd = new.filter(read.is_null() & new.is_not_null())[0]
        raise Problem(
            f"“{odd}”",
            f"column “{new.name}” is of type {TITLES[kind_of(dtype)]}, and this is not one.",
            "Change the new value, or set the column to text first.",
            field="changes",
        )
    return read.cast(dtype)


def _listed(table: pl.LazyFrame, settings: RecodeSettings) -> list[Change]:
    schema = table.collect_schema()
    texts = [
        text_of(name, schema, field=field) for field, name in (("old", settings.old), ("new", settings.new))
    ]
    pairs = table.select(texts[0].alias("old"), texts[1].fill_null("").alias("new")).drop_nulls("old")
    return [Change(old=old, new=new) for old, new in pairs.unique(maintain_order=True).collect().iter_rows()]


def _others(values: pl.LazyFrame, name: str, unknown: pl.Expr) -> pl.LazyFrame:
    rows = pl.col(TIMES).cast(pl.Int64).sum().alias("Rows")
    counted = values.filter(unknown).group_by(pl.col(name).alias("Value")).agg(rows)
    return counted.sort("Rows", "Value", descending=[True, False])
