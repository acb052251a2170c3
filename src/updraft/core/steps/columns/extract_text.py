from typing import Literal

import polars as pl

from updraft.core.formula.functions.text import after, before, extract, number
from updraft.core.formula.terms import Misfit, Term, constant
from updraft.core.problems import Problem
from updraft.core.steps.base import Context, Count, Result, Settings, StepKind, Wanted, also, setting
from updraft.core.steps.choice import need_chosen, need_kind, need_new
from updraft.core.steps.tables import Tables
from updraft.core.values import Kind


class ExtractTextSettings(Settings):
    column: str = setting("Column", widget="column", default="")
    what: Literal["number", "between", "pattern"] = setting(
        "Take out",
        widget="choice",
        default="number",
        labels={"number": "a number", "between": "between marks", "pattern": "what fits a pattern"},
    )
    place: int = setting(
        "Which number", "1 is the first, -1 the last", widget="number", default=1, when={"what": ["number"]}
    )
    start: str = setting(
        "After", "nothing takes it from the start", widget="text", default="", when={"what": ["between"]}
    )
    end: str = setting(
        "Before", "nothing takes it to the end", widget="text", default="", when={"what": ["between"]}
    )
    pattern: str = setting(
        "Pattern", "a regular expression, or its first group", widget="text", default="",
        when={"what": ["pattern"]},
    )  # fmt: skip
    into: str = setting("Name of the new column", widget="text", default="Extracted")


class ExtractText(StepKind):
    """Take a part of text into a new column: a number, what stands between marks, or what fits a pattern."""

    kind = "extract_text"
    title = "Extract text"
    summary = "Take a number, or a part of text, into a new column"
    words = ("parse", "regex", "substring", "pull out", "number from text", "left", "right", "mid")
    icon = "box-arrow-up-right"
    works_on = frozenset({Kind.TEXT})
    Settings = ExtractTextSettings

    def apply(self, tables: Tables, settings: ExtractTextSettings, context: Context) -> Result:
        table = tables.main
        schema = table.collect_schema()
        need_chosen(settings.column, field="column")
        way_out = "Choose a column of text."
        need_kind(settings.column, schema, [Kind.TEXT], field="column", way_out=way_out)
        into = need_new(settings.into, schema, field="into")
        taken = self._taken(Term(pl.col(settings.column), Kind.TEXT), settings)
        table = table.with_columns(taken.alias(into))
        missed = table.select((pl.col(into).is_null() & pl.col(settings.column).is_not_null()).sum())
        count = Count(
            "not_found",
            missed,
            f"{{n}} filled cells of {settings.column} hold nothing of it",
            "warning",
            one=f"{{n}} filled cell of {settings.column} holds nothing of it",
        )
        return Result(table, touched=(), counts=(count,))

    def _taken(self, text: Term, settings: ExtractTextSettings) -> pl.Expr:
        try:
            if settings.what == "number":
                return number(text, constant(settings.place)).expr
            if settings.what == "between":
                return self._between(text, settings)
            if not settings.pattern:
                raise Problem(
                    "The pattern", "there is none yet.", "Type one.", field="pattern", code="unfinished"
                )
            return extract(text, constant(settings.pattern)).expr
        except Misfit as misfit:
            field = "place" if settings.what == "number" else "pattern"
            raise Problem("This setting", misfit.reason, misfit.way_out, field=field) from None

    def _between(self, text: Term, settings: ExtractTextSettings) -> pl.Expr:
        if not settings.start and not settings.end:
            raise Problem("The marks", "there is none yet.", "Type one.", field="start", code="unfinished")
        found = after(text, constant(settings.start)) if settings.start else text
        if settings.end:
            ended = found.expr.str.contains(settings.end, literal=True)
            found = Term(pl.when(ended).then(before(found, constant(settings.end)).expr), Kind.TEXT)
        stripped = found.expr.str.strip_chars()
        return pl.when(stripped != "").then(stripped)

    def reads(self, settings: ExtractTextSettings, wanted: Wanted, port: str) -> Wanted:
        return also(wanted, [settings.column, settings.into.strip()])  # new: it must not be there yet

    def sentence(self, settings: ExtractTextSettings) -> str:
        what = {
            "number": f"number {settings.place}",
            "between": f"between “{settings.start}” and “{settings.end}”",
            "pattern": settings.pattern or "…",
        }[settings.what]
        return f"{settings.column or '…'} · {what} → {settings.into}"
