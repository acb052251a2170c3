from collections.abc import Mapping
from typing import Literal

import polars as pl

from updraft.core.formula.functions.text import after, at_place, before, extract, number, pattern
from updraft.core.formula.functions.words import EMAIL, WEB
from updraft.core.formula.terms import Misfit, Term, constant
from updraft.core.problems import Problem
from updraft.core.steps.base import StepKind
from updraft.core.steps.choice import need_new
from updraft.core.steps.conditions import Condition, rows_where
from updraft.core.steps.given import Context, Result, Wanted, also
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.spread import BY_ROWS, Spread
from updraft.core.steps.tables import Tables
from updraft.core.values import Kind
from updraft.core.values.within import dates_within

UNIT = r"\b\d+(?:[.,]\d+)?\s*(?:\p{L}[\p{L}²³]*|%|°[CF])\.?"


class ExtractTextSettings(Settings):
    column: str = setting("Column", widget="column", default="", needs="one", fits="text")
    what: Literal["number", "between", "pattern", "date", "unit", "email", "url", "start", "end"] = setting(
        "Take out",
        widget="pick_one",
        default="number",
        labels={
            "number": "a number",
            "unit": "the unit behind a number",
            "date": "a date",
            "between": "what stands between marks",
            "start": "its first characters",
            "end": "its last characters",
            "email": "an e-mail address",
            "url": "a web address",
            "pattern": "what fits a pattern",
        },
    )
    place: int = setting(
        "Which one", "1 is the first, -1 the last", widget="number", default=1,
        when={"what": ["number", "unit", "date", "email", "url", "pattern"]},
    )  # fmt: skip
    count: int = setting(
        "How many characters", widget="number", default=3, minimum=1, when={"what": ["start", "end"]}
    )
    comma: bool = setting(
        "Numbers are written 1.234,5", widget="flag", default=False, when={"what": ["number"]}
    )
    month_first: bool = setting(
        "The month comes first in 3/4/2026", widget="flag", default=False, when={"what": ["date"]}
    )
    start: str = setting(
        "After", "nothing takes it from the start", widget="text", default="", when={"what": ["between"]}
    )
    end: str = setting(
        "Before", "nothing takes it to the end", widget="text", default="", when={"what": ["between"]}
    )
    pattern: str = setting(
        "Pattern", "a regular expression, or its first group", widget="text", default="",
        when={"what": ["pattern"]}, needs="text", blanks=True,
    )  # fmt: skip
    into: str = setting("Name of the new column", widget="text", default="Extracted")


class ExtractText(StepKind):
    """Take a part of text into a new column: a number, its unit, a date, an address, what stands between
    marks, or what fits a pattern.
    """

    kind = "extract_text"
    title = "Extract text"
    summary = "Take a number, or a part of text, into a new column"
    words = (
        "email",
        "url",
        "link",
        "date from text",
        "parse",
        "regex",
        "substring",
        "pull out",
        "number from text",
        "left",
        "right",
        "mid",
    )
    icon = "box-arrow-up-right"
    works_on = frozenset({Kind.TEXT})
    Settings = ExtractTextSettings

    def apply(self, tables: Tables, settings: ExtractTextSettings, context: Context) -> Result:
        table = tables.main
        schema = table.collect_schema()
        into = need_new(settings.into, schema, field="into")
        taken = self._taken(Term(pl.col(settings.column), Kind.TEXT), settings)
        table = table.with_columns(taken.alias(into))
        count = rows_where(
            "not_found",
            table,
            [Condition(column=into, test="empty"), Condition(column=settings.column, test="filled")],
            f"{{n}} filled cells of {settings.column} hold nothing of it",
            level="warning",
            one=f"{{n}} filled cell of {settings.column} holds nothing of it",
        )
        return Result(table, touched=(), counts=(count,))

    def _taken(self, text: Term, settings: ExtractTextSettings) -> pl.Expr:
        try:
            match settings.what:
                case "start":
                    return text.expr.str.head(settings.count)
                case "end":
                    return text.expr.str.tail(settings.count)
                case "between":
                    return self._between(text, settings)
                case "number" if settings.comma:
                    return _comma_number(text, settings.place)
                case "number":
                    return number(text, constant(settings.place)).expr
                case "unit":
                    return _place(text, UNIT, settings.place).str.extract(r"(\p{L}[\p{L}²³]*|%|°[CF])\.?$")
                case "date":
                    return dates_within(text.expr, settings.place, settings.month_first)
                case "email" | "url":
                    return _place(text, EMAIL if settings.what == "email" else WEB, settings.place)
            return self._by_pattern(text, settings)
        except Misfit as misfit:
            field = "pattern" if "pattern" in misfit.reason else "place"
            raise Problem("This setting", misfit.reason, misfit.way_out, field=field) from None

    def _by_pattern(self, text: Term, settings: ExtractTextSettings) -> pl.Expr:
        if settings.place == 1:
            return extract(text, constant(settings.pattern)).expr
        whole = _place(text, pattern(constant(settings.pattern)), settings.place)
        return extract(Term(whole, Kind.TEXT), constant(settings.pattern)).expr

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

    def spread(self, settings: ExtractTextSettings, schemas: Mapping[str, pl.Schema]) -> Spread:
        return BY_ROWS

    def sentence(self, settings: ExtractTextSettings) -> str:
        what = {
            "number": f"number {settings.place}",
            "unit": f"unit {settings.place}",
            "date": f"date {settings.place}",
            "email": f"e-mail address {settings.place}",
            "url": f"web address {settings.place}",
            "start": f"the first {settings.count}",
            "end": f"the last {settings.count}",
            "between": f"between “{settings.start}” and “{settings.end}”",
            "pattern": settings.pattern or "…",
        }[settings.what]
        return f"{settings.column or '…'} · {what} → {settings.into}"


def _place(text: Term, wanted: str, place: int) -> pl.Expr:
    return at_place(text.expr.str.extract_all(wanted), constant(place), "they")


def _comma_number(text: Term, place: int) -> pl.Expr:
    # A dash between letters or digits is no sign: LOT-12 holds 12.
    bare = Term(text.expr.str.replace_all(r"(\w)-", "$1 "), Kind.TEXT)
    found = _place(bare, r"-?\d+(?:\.\d{3})*(?:,\d+)?", place)
    plain = found.str.replace_all(".", "", literal=True).str.replace(",", ".", literal=True)
    return plain.cast(pl.Float64, strict=False)
