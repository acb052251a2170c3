from typing import Literal

import polars as pl

from updraft.core.problems import Problem
from updraft.core.steps.base import Context, Count, Result, Settings, StepKind, Wanted, also, setting
from updraft.core.steps.conditions import Rule, compiled, value_of
from updraft.core.steps.tables import Tables
from updraft.core.values import DTYPES, TITLES, Kind, kind_of


class OneRule(Settings):
    when: Rule = setting("If", widget="rule", default=Rule())
    then: str = setting("then", "nothing makes it empty", widget="text", default="")


class ApplyRulesSettings(Settings):
    column: str = setting("Column", "a new name, or one of the table's", widget="column_or_new", default="")
    kind: Literal["text", "whole", "number", "yes_no", "date"] = setting(
        "Kind of a new column",
        widget="choice",
        default="text",
        labels={"text": "text", "whole": "whole", "number": "number", "yes_no": "yes/no", "date": "date"},
    )
    rules: tuple[OneRule, ...] = setting(
        "Rules", "the first that holds counts", widget="items", default=(), one="rule"
    )
    otherwise: Literal["keep", "value"] = setting(
        "Otherwise", widget="choice", default="value", labels={"keep": "as it is", "value": "this value"}
    )
    value: str = setting(
        "Value", "nothing leaves it empty", widget="text", default="", when={"otherwise": ["value"]}
    )


class ApplyRules(StepKind):
    """Fill a column by rules: if … then …, the first that holds; otherwise a value, or what stands there."""

    kind = "apply_rules"
    title = "Apply rules"
    summary = "If … then …, otherwise …: fill a column by conditions"
    words = ("if then else", "case when", "conditional", "classify", "switch", "decision table", "category")
    icon = "signpost"
    Settings = ApplyRulesSettings

    def apply(self, tables: Tables, settings: ApplyRulesSettings, context: Context) -> Result:
        table, name = tables.main, settings.column.strip()
        schema = table.collect_schema()
        if not name:
            raise Problem("The column", "it has no name yet.", "Type one.", field="column", code="unfinished")
        if not settings.rules:
            raise Problem("The rules", "there is none yet.", "Add one.", field="rules", code="unfinished")
        kind = kind_of(schema[name]) if name in schema else Kind(settings.kind)
        if kind not in DTYPES:
            raise Problem(
                f"Column “{name}”", f"it holds {TITLES[kind]}s.", "Choose another name.", field="column"
            )
        keeps = settings.otherwise == "keep" and name in schema
        result = pl.col(name) if keeps else _value(settings.value, kind, name)
        taken, counts = pl.lit(False), []
        for number, rule in enumerate(settings.rules, 1):
            here = self._test(rule, number, schema)
            counts.append(_count(table, here & ~taken, number, rule))
            taken = taken | here
        for rule in reversed(settings.rules):
            result = (
                pl.when(compiled(rule.when, schema)).then(_value(rule.then, kind, name)).otherwise(result)
            )
        left = table.select((~taken).sum())
        counts.append(Count("otherwise", left, "{n} rows meet no rule", one="{n} row meets no rule"))
        touched = (name,) if name in schema else ()
        return Result(table.with_columns(result.alias(name)), touched=touched, counts=tuple(counts))

    def _test(self, rule: OneRule, number: int, schema: pl.Schema) -> pl.Expr:
        try:
            return compiled(rule.when, schema)
        except Problem as problem:
            raise Problem(
                f"Rule {number}: {problem.thing}",
                problem.reason,
                problem.way_out,
                field="rules",
                code=problem.code,
            ) from None

    def reads(self, settings: ApplyRulesSettings, wanted: Wanted, port: str) -> Wanted:
        tested = {name for rule in settings.rules for name in rule.when.columns()}
        return also(wanted, [*tested, settings.column.strip()])

    def sentence(self, settings: ApplyRulesSettings) -> str:
        said = [f"if {rule.when.words()} → {rule.then or 'empty'}" for rule in settings.rules[:2]]
        more = f" and {len(settings.rules) - 2} more" if len(settings.rules) > 2 else ""
        return f"{settings.column or '…'}: {'; '.join(said) or 'no rule yet'}{more}"


def _value(text: str, kind: Kind, name: str) -> pl.Expr:
    if not text.strip():
        return pl.lit(None, dtype=DTYPES[kind])
    try:
        found = text if kind is Kind.TEXT else value_of(text, kind, name)
    except Problem as problem:
        raise Problem(problem.thing, problem.reason, problem.way_out, field="rules") from None
    if kind is Kind.WHOLE and not isinstance(found, int):
        raise Problem(
            f"“{text}”", f"column “{name}” is of kind {TITLES[kind]}, and this has decimals.",
            "Type a whole number, or choose kind number.", field="rules",
        )  # fmt: skip
    return pl.lit(found, dtype=DTYPES[kind])


def _count(table: pl.LazyFrame, here: pl.Expr, number: int, rule: OneRule) -> Count:
    said = rule.then or "empty"
    return Count(
        f"rule:{number}",
        table.select(here.sum()),
        f"{{n}} rows by rule {number} → {said}",
        one=f"{{n}} row by rule {number} → {said}",
    )
