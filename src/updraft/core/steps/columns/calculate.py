from collections.abc import Iterator, Mapping
from typing import Literal

import polars as pl

from updraft.core.formula import Term, compile_formula, names_in
from updraft.core.problems import Problem
from updraft.core.steps.base import StepKind
from updraft.core.steps.choice import ColumnChoice, listed
from updraft.core.steps.conditions import Condition, rows_where
from updraft.core.steps.counts import Count
from updraft.core.steps.given import Context, Grounds, Result, Wanted, also
from updraft.core.steps.ruling import (
    OneRule,
    as_kind,
    columns_of,
    parameters_of_rules,
    ruled,
    spread_by,
    value_or_formula,
)
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.spread import Spread
from updraft.core.steps.tables import Tables
from updraft.core.values import Kind, kind_of

THIS = "value"  # stands in a formula for the cell of each column of a choice
_RULE = "\0rule"  # a name no file can bring


class Formula(Settings):
    """A column to make.

    `each` makes one for every column of a choice: `value` is its cell in the formula, and {column} its name
    in the name.
    """

    name: str = setting("Column", "a new name, or one of the table's", widget="column_or_new", default="")
    by: Literal["formula", "rules"] = setting(
        "Made by", widget="choice", default="formula", labels={"formula": "a formula", "rules": "rules"}
    )
    formula: str = setting("Formula", widget="formula", default="", when={"by": ["formula"]})
    rules: tuple[OneRule, ...] = setting(
        "Rules", "the first that holds counts", widget="rules", default=(), one="rule", when={"by": ["rules"]}
    )
    otherwise: str = setting(
        "Otherwise", "nothing leaves it empty", widget="text", default="", when={"by": ["rules"]}
    )
    kind: Literal["", "text", "whole", "number", "yes_no", "date", "datetime"] = setting(
        "Type", widget="pick_one", default="",
        labels={"": "as it comes", "text": "text", "whole": "whole number", "number": "number",
                "yes_no": "yes/no", "date": "date", "datetime": "date and time"},
    )  # fmt: skip
    several: bool = setting("One for each of several columns", widget="flag", default=False)
    each: ColumnChoice = setting(
        "Of these columns",
        "“value” is the column's cell in the formula; {column} in the name is its name",
        widget="columns",
        default=ColumnChoice(),
        when={"several": [True]},
    )

    def named(self, column: str) -> str:
        """The name of what is made of one column of the choice."""
        return (self.name.strip() or "{column}").replace("{column}", column)


class CalculateSettings(Settings):
    unfilled = frozenset({"columns"})
    columns: tuple[Formula, ...] = setting(
        "Columns this step makes",
        "each may use those above it",
        widget="items",
        free=True,
        default=(),
        one="column",
        needs="more",
    )


class Calculate(StepKind):
    """Make columns by formulas or by rules, or replace them. One whose name is taken replaces that column in
    its place.
    """

    kind = "calculate"
    version = 2
    title = "Calculate"
    summary = "Make or replace columns by formulas, by rules, or by example"
    words = (
        "formula",
        "expression",
        "compute",
        "new column",
        "function",
        "if",
        "concatenate",
        "math",
        "date",
        "by example",
        "running total",
        "cumulative",
        "percent of total",
        "percentage",
        "difference",
        "previous row",
        "rank",
        "moving average",
        "age",
    )
    icon = "calculator"
    desk = "calculate"
    Settings = CalculateSettings

    def apply(self, tables: Tables, settings: CalculateSettings, context: Context) -> Result:
        table = tables.main
        made: dict[str, None] = {}
        counts: list[Count] = []
        for number, wanted in enumerate(settings.columns, 1):
            for name, this in self._each(wanted, number, table.collect_schema()):
                if wanted.by == "rules" and not wanted.several:
                    counts += self._rules(table, wanted, name, context)
                table = self._with(table, wanted, name, this, context)
                made[name] = None
        before = tables.main.collect_schema()
        return Result(
            table,
            counts=(*counts, *(_empty(table, name) for name in made)),
            touched=tuple(name for name in made if name in before),
        )

    def _each(self, wanted: Formula, number: int, schema: pl.Schema) -> Iterator[tuple[str, str]]:
        """The columns to make: their names, and the column of the choice that each is made of."""
        if not wanted.several:
            if not wanted.name.strip():
                raise Problem(
                    f"Column {number}", "it has no name yet.", "Type one.", field="columns", code="unfinished"
                )
            yield wanted.name.strip(), ""
            return
        chosen = wanted.each.resolve(schema)
        if not chosen:
            raise Problem(
                f"Column {number}", "it is for each of several columns, and none is chosen.",
                "Choose them.", field="columns", code="unfinished",
            )  # fmt: skip
        for column in chosen:
            name = wanted.named(column)
            if len(chosen) > 1 and "{column}" not in (wanted.name.strip() or "{column}"):
                raise Problem(
                    f"“{name}”", f"{len(chosen)} columns would have this name.",
                    "Write {column} in it, such as “{column} rounded”.", field="columns",
                )  # fmt: skip
            yield name, column

    def _with(
        self, table: pl.LazyFrame, wanted: Formula, name: str, this: str, context: Context
    ) -> pl.LazyFrame:
        schema = table.collect_schema()
        parameter = context.parameter if context is not None else None
        if wanted.by == "rules":
            if not wanted.rules:
                raise Problem(name, "it has no rule yet.", "Add one.", field="columns", code="unfinished")
            kind = Kind(wanted.kind or "text")
            made = ruled(wanted.rules, schema, kind, name, parameter, field="columns")
            other = value_or_formula(wanted.otherwise, False, kind, name, schema, parameter)
            judged = table.with_columns(made.first.alias(_RULE))
            return judged.with_columns(made.chosen(pl.col(_RULE), other).alias(name)).drop(_RULE)
        term = self._term(wanted, name, this, schema, context)
        expr = as_kind(term, Kind(wanted.kind), name) if wanted.kind else term.expr
        return table.with_columns(expr.alias(name))

    def _rules(self, table: pl.LazyFrame, wanted: Formula, name: str, context: Context) -> Iterator[Count]:
        """How many rows each rule takes, and how many none does."""
        parameter = context.parameter if context is not None else None
        kind = Kind(wanted.kind or "text")
        first = ruled(wanted.rules, table.collect_schema(), kind, name, parameter, field="columns").first
        gives = [f"by rule {number} → {rule.gives()}" for number, rule in enumerate(wanted.rules, 1)]
        for number, said in enumerate([f"by no rule → {wanted.otherwise or 'empty'}", *gives]):
            rows = table.filter(first == number).select(pl.len())
            code = f"rule:{number}:{name}"
            yield Count(code, rows, f"{{n}} rows of {name} {said}", one=f"{{n}} row of {name} {said}")

    def _term(self, wanted: Formula, name: str, this: str, schema: pl.Schema, context: Context) -> Term:
        kinds = {column: kind_of(dtype) for column, dtype in schema.items()}
        given: Mapping[str, Term] = {THIS: Term(pl.col(this), kinds[this])} if this else {}
        try:
            parameter = context.parameter if context is not None else None
            return compile_formula(wanted.formula, kinds, parameter, given)
        except Problem as problem:
            code = "unfinished" if not wanted.formula.strip() else problem.code
            raise Problem(
                f"{name}: {problem.thing}", problem.reason, problem.way_out, field="columns", code=code
            ) from None

    def reads(self, settings: CalculateSettings, wanted: Wanted, port: str) -> Wanted:
        read: set[str] = set()
        for column in settings.columns:
            names = columns_of(column.rules) if column.by == "rules" else names_in(column.formula)[0]
            if names is None or (column.several and column.each.by != "names"):
                return None
            if column.several:  # its own names: they tell whether a column is replaced
                fresh = {
                    (column.name.strip() or "{column}").replace("{column}", one) for one in column.each.names
                }
                read |= {*column.each.names, *fresh} - {THIS}
            read |= names | {column.name.strip()}
        return also(wanted, read)

    def depends_on(self, settings: CalculateSettings, grounds: Grounds) -> list[str]:
        used: set[str] = set()
        for column in settings.columns:
            rules = column.by == "rules"
            used |= parameters_of_rules(column.rules) if rules else names_in(column.formula)[1]
        return [grounds.parameter(name) for name in sorted(used)]

    def spread(self, settings: CalculateSettings, schemas: Mapping[str, pl.Schema]) -> Spread:
        texts = [column.formula for column in settings.columns if column.by == "formula"]
        rules = [rule for column in settings.columns if column.by == "rules" for rule in column.rules]
        # A column that the step makes is no key: parts are made of the table that comes in.
        made = {column.name.strip() for column in settings.columns}
        several = any(column.several for column in settings.columns)
        known = [] if several else [name for name in schemas["table"] if name not in made]
        return spread_by(rules, texts, known)

    def sentence(self, settings: CalculateSettings) -> str:
        if len(settings.columns) == 1 and settings.columns[0].by == "formula":
            only = settings.columns[0]
            return f"{only.name or '…'} = {only.formula or '…'}"
        return listed(column.name for column in settings.columns) or "no formula yet"


def _empty(table: pl.LazyFrame, name: str) -> Count:
    return rows_where(
        f"empty:{name}",
        table,
        [Condition(column=name, test="empty")],
        f"{{n}} rows have no result in {name}",
        one=f"{{n}} row has no result in {name}",
    )
