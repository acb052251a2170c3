import re
from collections.abc import Mapping
from typing import Literal

import polars as pl

from updraft.core.filling import Template
from updraft.core.problems import Problem
from updraft.core.steps.base import StepKind
from updraft.core.steps.choice import listed, need_new
from updraft.core.steps.given import Context, Result, Wanted, also
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.spread import BY_ROWS, Spread
from updraft.core.steps.tables import Tables
from updraft.core.steps.texts import text_of

_CLOSING = re.compile(r"[)\]}»”’%\w]+")


class CombineColumnsSettings(Settings):
    by: Literal["mark", "template"] = setting(
        "Put together", widget="choice", default="mark",
        labels={"mark": "with a mark between", "template": "by a template"},
    )  # fmt: skip
    columns: tuple[str, ...] = setting(
        "Columns", "in their order", widget="names", default=(), when={"by": ["mark"]}
    )
    mark: str = setting("Between them", widget="text", default=" ", when={"by": ["mark"]})
    template: str = setting(
        "Template", "such as {Variety} ({Hub}); {{ is a brace", widget="text", default="",
        when={"by": ["template"]},
    )  # fmt: skip
    into: str = setting("Name of the new column", widget="text", default="Combined")
    empty: bool = setting(
        "Keep the place of empty cells", "what stands around it stays", widget="flag", default=False
    )
    keep: bool = setting("Keep the columns themselves", widget="flag", default=True)


class CombineColumns(StepKind):
    """Put columns together as text, with a mark between or by a template. Empty cells are left out; where all
    are empty, so is the result. In a template the text before an empty cell goes with it.
    """

    kind = "combine_columns"
    title = "Combine columns"
    summary = "Put several columns together into one, with a mark between"
    words = ("concatenate", "merge columns", "join text", "concat", "full name")
    icon = "union"
    Settings = CombineColumnsSettings

    def apply(self, tables: Tables, settings: CombineColumnsSettings, context: Context) -> Result:
        table = tables.main
        schema = table.collect_schema()
        used = self._used(settings, schema)
        gone = () if settings.keep else used
        into = need_new(settings.into, [name for name in schema if name not in gone], field="into")
        parts = {name: text_of(name, schema, field="columns") for name in used}
        if settings.by == "template":
            together = _by_template(settings, parts)
        else:
            filled = [part.fill_null("") if settings.empty else part for part in parts.values()]
            together = pl.concat_str(filled, separator=settings.mark, ignore_nulls=True)
        some = pl.any_horizontal([part.is_not_null() for part in parts.values()])
        at = list(schema).index(used[0])
        before = [name for name in list(schema)[:at] if name not in gone]
        after = [name for name in list(schema)[at:] if name not in gone]
        made = pl.when(some).then(together).alias(into)
        return Result(table.select(*before, made, *after) if gone else table.with_columns(made), touched=())

    def _used(self, settings: CombineColumnsSettings, schema: pl.Schema) -> tuple[str, ...]:
        if settings.by == "template":
            template = Template(settings.template)
            template.check(schema, field="template", thing="The template")
            if not template.columns:
                raise Problem(
                    "The template", "it names no column.", "Write one in braces, such as {Variety}.",
                    field="template",
                )  # fmt: skip
            return tuple(template.columns)
        if len(settings.columns) < 2:
            raise Problem(
                "The columns", "two at least are needed.", "Choose them.", field="columns", code="unfinished"
            )
        return settings.columns

    def reads(self, settings: CombineColumnsSettings, wanted: Wanted, port: str) -> Wanted:
        used = Template(settings.template).columns if settings.by == "template" else settings.columns
        return also(wanted, [*used, settings.into.strip()])  # new: it must not be there yet

    def spread(self, settings: CombineColumnsSettings, schemas: Mapping[str, pl.Schema]) -> Spread:
        return BY_ROWS

    def sentence(self, settings: CombineColumnsSettings) -> str:
        if settings.by == "template":
            return f"{settings.template or '…'} → {settings.into}"
        return f"{listed(settings.columns) or 'no columns yet'} → {settings.into}"


def _by_template(settings: CombineColumnsSettings, parts: dict[str, pl.Expr]) -> pl.Expr:
    """The template filled. What stands before an empty cell goes with it, and closing signs and letters right
    behind it; nothing stands before the first that is filled but what the template begins with.
    """
    if settings.empty:
        pieces = [parts[part].fill_null("") if hole else pl.lit(part) for hole, part in _pieces(settings)]
        return pl.concat_str(pieces)
    made: list[pl.Expr] = []
    text, some, last = "", pl.lit(False), pl.lit(None, pl.String)
    for hole, part in _pieces(settings):
        if not hole:
            close = _CLOSING.match(part) if made else None
            if close:
                made.append(pl.when(last.is_not_null()).then(pl.lit(close[0])).otherwise(pl.lit("")))
            text = part[close.end() :] if close else part
            if not made:
                made, text = [pl.lit(part)], ""
            continue
        last = parts[part]
        made.append(pl.when(some & last.is_not_null()).then(pl.lit(text)).otherwise(pl.lit("")))
        made.append(last.fill_null(""))
        text, some = "", some | last.is_not_null()
    return pl.concat_str([*made, pl.lit(text)])


def _pieces(settings: CombineColumnsSettings) -> list[tuple[bool, str]]:
    """The template's parts, beginning with a text."""
    found = Template(settings.template).parts
    return found if found and not found[0][0] else [(False, ""), *found]
