from typing import Literal

import polars as pl

from updraft.core.problems import Problem
from updraft.core.steps.base import Context, Count, Result, Settings, StepKind, Wanted, also, setting
from updraft.core.steps.conditions import Rule, compiled, value_of
from updraft.core.steps.tables import Tables
from updraft.core.values import DTYPES, TITLES, Kind, kind_of

_RULE = "\0rule"  # a name no file can bring


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
        tests = [self._test(rule, number, schema) for number, rule in enumerate(settings.rules, 1)]
        first = pl.lit(0, pl.UInt16)
        for number in range(len(tests), 0, -1):
            first = pl.when(tests[number - 1]).then(pl.lit(number, pl.UInt16)).otherwise(first)
        # Kept within the query, since the column and every count ask which rule comes first.
        judged = table.with_columns(first.alias(_RULE)).cache()
        for number, rule in enumerate(settings.rules, 1):
            result = pl.when(pl.col(_RULE) == number).then(_value(rule.then, kind, name)).otherwise(result)
        counts = [_count(judged, number, rule) for number, rule in enumerate(settings.rules, 1)]
        left = judged.select((pl.col(_RULE) == 0).sum())
        counts.append(Count("otherwise", left, "{n} rows meet no rule", one="{n} row meets no rule"))
        touched = (name,) if name in schema else ()
        made = judged.with_columns(result.alias(name)).drop(_RULE)
        return Result(made, touched=touched, counts=tuple(counts))

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
            f"“{text}”", f"column “{name}” is of type {TITLES[kind]}, and this has decimals.",
            "Type a whole number, or choose kind number.", field="rules",
        )  # fmt: skip
    return pl.lit(found, dtype=DTYPES[kind])


def _count(judged: pl.LazyFrame, number: int, rule: OneRule) -> Count:
    said = rule.then or "empty"
    return Count(
        f"rule:{number}",
        judged.select((pl.col(_RULE) == number).sum()),
        f"{{n}} rows by rule {number} → {said}",
        one=f"{{n}} row by rule {number} → {said}",
    )
