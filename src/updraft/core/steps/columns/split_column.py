from typing import Literal

import polars as pl

from updraft.core.problems import Problem
from updraft.core.steps.base import Context, Count, Result, Settings, StepKind, Wanted, also, setting
from updraft.core.steps.choice import need_columns
from updraft.core.steps.tables import Tables
from updraft.core.values import TITLES, Kind, kind_of


class SplitColumnSettings(Settings):
    column: str = setting("Column", widget="column")
    at: str = setting("At", "the sign or signs between the parts", widget="text", default=", ")
    into: Literal["columns", "rows"] = setting(
        "Parts become", widget="choice", default="columns", labels={"columns": "columns", "rows": "rows"}
    )
    names: tuple[str, ...] = setting(
        "Names of the new columns",
        "one a line; the last takes the rest",
        widget="lines",
        default=(),
        when={"into": ["columns"]},
    )
    keep: bool = setting("Keep the column itself", widget="flag", default=False, when={"into": ["columns"]})


class SplitColumn(StepKind):
    """Split text at a sign, into columns or into rows. Blanks around the parts go; a part without a
    character is empty.
    """

    kind = "split_column"
    title = "Split column"
    summary = "Split text at a sign into several columns or rows"
    words = (
        "text to columns",
        "delimiter",
        "separate",
        "explode",
        "parts",
        "comma separated",
        "split to rows",
    )
    icon = "scissors"
    works_on = frozenset({Kind.TEXT})
    Settings = SplitColumnSettings

    def apply(self, tables: Tables, settings: SplitColumnSettings, context: Context) -> Result:
        table = tables.main
        schema, name = table.collect_schema(), settings.column
        need_columns([name], schema, field="column")
        if kind_of(schema[name]) is not Kind.TEXT:
            raise Problem(
                f"Column “{name}”",
                f"it holds {TITLES[kind_of(schema[name])]}s, not text.",
                "Choose a column of text.",
                field="column",
            )
        if not settings.at:
            raise Problem(
                "The sign to split at",
                "there is none.",
                "Type the sign between the parts.",
                field="at",
                code="unfinished",
            )
        if settings.into == "rows":
            parts = pl.col(name).str.split(settings.at).list.eval(_part(pl.element()))
            more = table.select(pl.col(name).str.count_matches(settings.at, literal=True).sum())
            return Result(
                table.with_columns(parts.alias(name)).explode(name, empty_as_null=True),
                counts=(
                    Count(
                        "split",
                        more,
                        f"{{n}} rows more, one for each further part of {name}",
                        one=f"{{n}} row more, for the further part of {name}",
                    ),
                ),
            )
        return self._into_columns(table, schema, settings)

    def _into_columns(self, table: pl.LazyFrame, schema: pl.Schema, settings: SplitColumnSettings) -> Result:
        name, many = settings.column, len(settings.names)
        if many < 2:
            raise Problem(
                "The new columns",
                "two names at least are needed.",
                "Type one name a line.",
                field="names",
                code="unfinished",
            )
        others = [other for other in schema if settings.keep or other != name]
        for new in settings.names:
            if not new.strip() or new in others or settings.names.count(new) > 1:
                raise Problem(
                    f"“{new}”",
                    "the table would have two columns of this name, or one without.",
                    "Give the new columns names of their own.",
                    field="names",
                )
        whole = name if settings.keep else "\0whole"  # a part may take the name of the column it comes from
        parts = pl.col(whole).str.splitn(settings.at, many).struct
        fresh = [_part(parts.field(f"field_{n}")).alias(new) for n, new in enumerate(settings.names)]
        order = [
            out
            for other in schema
            for out in (
                (*((other,) if settings.keep else ()), *settings.names) if other == name else (other,)
            )
        ]
        kept = table if settings.keep else table.rename({name: whole})
        short = table.select((pl.col(name).str.count_matches(settings.at, literal=True) < many - 1).sum())
        return Result(
            kept.with_columns(fresh).select(order),
            touched=(),
            counts=(
                Count(
                    "short",
                    short,
                    f"{{n}} rows have fewer than {many} parts",
                    "warning",
                    one=f"{{n}} row has fewer than {many} parts",
                ),
            ),
        )

    def reads(self, settings: SplitColumnSettings, wanted: Wanted, port: str) -> Wanted:
        return also(wanted, [settings.column, *settings.names])  # new names: they must not be there yet

    def sentence(self, settings: SplitColumnSettings) -> str:
        into = "rows" if settings.into == "rows" else ", ".join(settings.names) or "columns"
        return f"{settings.column or '…'} at “{settings.at}” → {into}"


def _part(text: pl.Expr) -> pl.Expr:
    text = text.str.strip_chars()
    return pl.when(text != "").then(text)
