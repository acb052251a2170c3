from typing import Literal

import polars as pl

from updraft.core.problems import Problem
from updraft.core.steps.base import Context, Count, Result, Settings, StepKind, Wanted, also, setting
from updraft.core.steps.choice import need_columns
from updraft.core.steps.tables import Tables
from updraft.core.values import TITLES, converted, kind_of


class Change(Settings):
    old: str = setting("Old value", default="")
    new: str = setting("New value", "nothing makes it empty", default="")


class RecodeSettings(Settings):
    column: str = setting("Column", widget="column")
    changes: tuple[Change, ...] = setting(
        "Changes", "type them, or paste two columns from a spreadsheet", widget="changes", default=()
    )
    ignore_case: bool = setting("Ignore case", widget="flag", default=False)
    ignore_blanks: bool = setting("Ignore blanks at the ends", widget="flag", default=False)
    others: Literal["keep", "empty"] = setting(
        "Other values", widget="choice", default="keep", labels={"keep": "stay", "empty": "become empty"}
    )


class RecodeValues(StepKind):
    """Replace whole values by a list of old and new. An old value that stands there twice must say the
    same.
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
    Settings = RecodeSettings

    def apply(self, tables: Tables, settings: RecodeSettings, context: Context) -> Result:
        table, name = tables.main, settings.column
        schema = table.collect_schema()
        need_columns([name], schema, field="column")
        changes = self._changes(settings)
        old = pl.Series(list(changes), dtype=pl.String)
        new = _as_kind(
            pl.Series(name, [text or None for text in changes.values()], dtype=pl.String), schema[name]
        )
        keys = self._key(pl.col(name), settings, schema[name].is_float()).unique()
        return Result.by_value(
            table,
            {name: lambda values: self._replaced(values, settings, old, new, schema[name])},
            Count(
                "unused_changes",
                tables.values(name).select(pl.lit(len(changes)) - keys.is_in(old.implode()).sum()),
                f"{{n}} of {len(changes)} old values do not occur in {name}",
                one=f"{{n}} of {len(changes)} old values does not occur in {name}",
            ),
        )

    def reads(self, settings: RecodeSettings, wanted: Wanted, port: str) -> Wanted:
        return also(wanted, [settings.column])

    def _key(self, column: pl.Expr, settings: RecodeSettings, number: bool) -> pl.Expr:
        key = (
            column.cast(pl.String).str.strip_suffix(".0") if number else column.cast(pl.String)
        )  # 9999, as it is shown
        key = key.str.strip_chars() if settings.ignore_blanks else key
        return key.str.to_lowercase() if settings.ignore_case else key

    def _replaced(
        self, column: pl.Expr, settings: RecodeSettings, old: pl.Series, new: pl.Series, dtype: pl.DataType
    ) -> pl.Expr:
        others = column if settings.others == "keep" else None
        return self._key(column, settings, dtype.is_float()).replace_strict(
            old, new, default=others, return_dtype=dtype
        )

    def _changes(self, settings: RecodeSettings) -> dict[str, str]:
        found: dict[str, str] = {}
        for change in settings.changes:
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

    def sentence(self, settings: RecodeSettings) -> str:
        many = len(settings.changes)
        if many == 1:
            return f"{settings.column} · {settings.changes[0].old} → {settings.changes[0].new or 'empty'}"
        return f"{settings.column} · {many:,} values"


def _as_kind(new: pl.Series, dtype: pl.DataType) -> pl.Series:
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
