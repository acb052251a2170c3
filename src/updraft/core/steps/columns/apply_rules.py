from collections.abc import Mapping
from typing import Literal

import polars as pl

from updraft.core.problems import Problem
from updraft.core.steps.base import StepKind
from updraft.core.steps.counts import Count
from updraft.core.steps.given import Context, Grounds, Result, Wanted, also
from updraft.core.steps.ruling import (
    OneRule,
    columns_of,
    parameters_of_rules,
    ruled,
    spread_by,
    value_or_formula,
)
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.spread import Spread
from updraft.core.steps.tables import Tables
from updraft.core.values import DTYPES, TITLES, Kind, kind_of

_RULE = "\0rule"  # a name no file can bring


class ApplyRulesSettings(Settings):
    column: str = setting(
        "Column", "a new name, or one of the table's", widget="column_or_new", default="", needs="name"
    )
    kind: Literal["text", "whole", "number", "yes_no", "date"] = setting(
        "Kind of a new column",
        widget="choice",
        default="text",
        labels={"text": "text", "whole": "whole", "number": "number", "yes_no": "yes/no", "date": "date"},
    )
    rules: tuple[OneRule, ...] = setting(
        "Rules", "the first that holds counts", widget="rules", default=(), one="rule", needs="more"
    )
    otherwise: Literal["keep", "value", "formula"] = setting(
        "Otherwise",
        widget="choice",
        default="value",
        labels={"keep": "as it is", "value": "this value", "formula": "a formula"},
    )
    value: str = setting(
        "Value",
        "nothing leaves it empty",
        widget="text",
        default="",
        when={"otherwise": ["value", "formula"]},
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
        kind = kind_of(schema[name]) if name in schema else Kind(settings.kind)
        if kind not in DTYPES:
            raise Problem(
                f"Column “{name}”", f"it holds {TITLES[kind]}s.", "Choose another name.", field="column"
            )
        parameter = context.parameter if context is not None else None
        made = ruled(settings.rules, schema, kind, name, parameter)
        if settings.otherwise == "keep" and name in schema:
            other = pl.col(name)
        else:
            formula = settings.otherwise == "formula"
            other = value_or_formula(settings.value, formula, kind, name, schema, parameter)
        # Kept within the query, since the column and every count ask which rule comes first.
        judged = table.with_columns(made.first.alias(_RULE)).cache()
        counts = [_count(judged, number, rule) for number, rule in enumerate(settings.rules, 1)]
        left = judged.select((pl.col(_RULE) == 0).sum())
        counts.append(Count("otherwise", left, "{n} rows meet no rule", one="{n} row meets no rule"))
        touched = (name,) if name in schema else ()
        done = judged.with_columns(made.chosen(pl.col(_RULE), other).alias(name)).drop(_RULE)
        return Result(done, touched=touched, counts=tuple(counts))

    def reads(self, settings: ApplyRulesSettings, wanted: Wanted, port: str) -> Wanted:
        tested = columns_of([*settings.rules, *_other(settings)])
        return None if tested is None else also(wanted, [*tested, settings.column.strip()])

    def depends_on(self, settings: ApplyRulesSettings, grounds: Grounds) -> list[str]:
        used = parameters_of_rules([*settings.rules, *_other(settings)])
        return [grounds.parameter(name) for name in sorted(used)]

    def spread(self, settings: ApplyRulesSettings, schemas: Mapping[str, pl.Schema]) -> Spread:
        return spread_by([*settings.rules, *_other(settings)])

    def sentence(self, settings: ApplyRulesSettings) -> str:
        said = [f"if {rule.when.words()} → {rule.gives()}" for rule in settings.rules[:2]]
        more = f" and {len(settings.rules) - 2} more" if len(settings.rules) > 2 else ""
        return f"{settings.column or '…'}: {'; '.join(said) or 'no rule yet'}{more}"


def _other(settings: ApplyRulesSettings) -> list[OneRule]:
    """The formula of the rows that no rule takes, as if it were a rule."""
    return [OneRule(then=settings.value, calculated=True)] if settings.otherwise == "formula" else []


def _count(judged: pl.LazyFrame, number: int, rule: OneRule) -> Count:
    return Count(
        f"rule:{number}",
        judged.select((pl.col(_RULE) == number).sum()),
        f"{{n}} rows by rule {number} → {rule.gives()}",
        one=f"{{n}} row by rule {number} → {rule.gives()}",
    )
