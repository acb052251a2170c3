from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Literal

import polars as pl

from updraft.core.formula import compile_formula, names_in
from updraft.core.formula.registry import of_other_rows
from updraft.core.problems import Problem
from updraft.core.steps.base import StepKind
from updraft.core.steps.choice import listed, need_columns
from updraft.core.steps.conditions import checked_pattern, value_of
from updraft.core.steps.counts import Count
from updraft.core.steps.given import Context, Grounds, Result, Wanted, also
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.spread import WHOLE, Spread
from updraft.core.steps.tables import Out, Port, Tables
from updraft.core.steps.texts import text_of
from updraft.core.values import Kind, is_blank, kind_of

_BAD = "\0bad:"  # names no file can bring
_OF_TABLE = ("rows", "sum")
_LEVELS: dict[str, Literal["warning", "stop"]] = {"warn": "warning", "reject": "warning", "stop": "stop"}


class CheckRule(Settings):
    must: Literal["filled", "unique", "one_of", "range", "matches", "exists", "formula", "rows", "sum"] = (
        setting(
            "Must",
            widget="pick_one",
            default="filled",
            labels={
                "filled": "be filled",
                "unique": "stand there once",
                "one_of": "be one of a list",
                "range": "lie in a range",
                "matches": "match a pattern",
                "exists": "stand in another table",
                "formula": "meet a formula",
                "rows": "number of rows: lie in a range",
                "sum": "sum: lie in a range",
            },
        )
    )
    columns: tuple[str, ...] = setting(
        "Columns", widget="names", default=(),
        when={"must": ["filled", "unique", "one_of", "range", "matches", "exists", "sum"]},
    )  # fmt: skip
    values: tuple[str, ...] = setting(
        "Allowed values",
        "one a line; {params.name} stands for a list of the flow",
        widget="lines",
        default=(),
        when={"must": ["one_of"]},
    )
    low: str = setting(
        "From", "nothing sets no bound", widget="text", default="", when={"must": ["range", "rows", "sum"]}
    )
    high: str = setting("To", widget="text", default="", when={"must": ["range", "rows", "sum"]})
    pattern: str = setting(
        "Pattern", "a regular expression for the whole cell", widget="text", default="",
        when={"must": ["matches"]},
    )  # fmt: skip
    reference: str = setting(
        "Column there", widget="column", default="", port="reference", when={"must": ["exists"]}
    )
    formula: str = setting("Formula", "yes where the row is right", widget="formula", default="",
        when={"must": ["formula"]})  # fmt: skip
    then: Literal["warn", "reject", "stop"] = setting(
        "Rows that do not",
        widget="choice",
        default="warn",
        labels={"warn": "are counted", "reject": "are rejected", "stop": "stop the run"},
    )

    def words(self) -> str:
        """The rule in a few words."""
        of = listed(self.columns) or "…"
        span = f"{self.low or '…'} to {self.high or '…'}"
        return {
            "filled": f"{of} is filled",
            "unique": f"{of} stands there once",
            "one_of": f"{of} is one of {listed(self.values) or '…'}",
            "range": f"{of} lies in {span}",
            "matches": f"{of} matches {self.pattern or '…'}",
            "exists": f"{of} stands in {self.reference or '…'}",
            "formula": self.formula or "…",
            "rows": f"there are {span} rows",
            "sum": f"the sum of {of} lies in {span}",
        }[self.must]


class CheckSettings(Settings):
    rules: tuple[CheckRule, ...] = setting(
        "Rules",
        "an empty cell meets all of them but “be filled”",
        widget="items",
        free=True,  # a problem says which of the rules it is
        default=(),
        one="rule",
        needs="more",
    )


@dataclass(frozen=True)
class _Judged:
    """A rule made ready: whether a row does not meet it, or what of the whole table does not."""

    rule: CheckRule
    bad: pl.Expr | None = None
    broken: pl.Expr | None = None


class Check(StepKind):
    """Look whether a table meets rules. Rows that do not are counted, go to the side output with the reason,
    or stop the run; the rules with what they found are a table of their own.
    """

    kind = "check"
    title = "Check"
    summary = "Look whether rows and the table meet rules: warn, reject rows, or stop the run"
    words = ("validate", "validation", "assert", "test", "constraint", "quality", "rules", "expect", "verify")
    icon = "clipboard-check"
    inputs = (Port(main=True), Port("reference", "Table to look in"))
    outputs = (Out(main=True), Out("rejected", "Rejected rows"), Out("results", "Results"))
    Settings = CheckSettings

    def ports(self, settings: CheckSettings) -> tuple[Port, ...]:
        looks = any(rule.must == "exists" for rule in settings.rules)
        return self.inputs if looks else self.inputs[:1]

    def apply(self, tables: Tables, settings: CheckSettings, context: Context) -> Result:
        table = tables.main
        schema = table.collect_schema()
        judged = [self._judged(rule, n, tables, schema, context) for n, rule in enumerate(settings.rules, 1)]
        marks = {n: one.bad.fill_null(True) for n, one in enumerate(judged) if one.bad is not None}
        # Kept within the query, since the table, the rejected rows and every count ask for it.
        marked = table.with_columns(bad.alias(f"{_BAD}{n}") for n, bad in marks.items()).cache()
        rejects = [n for n in marks if judged[n].rule.then == "reject"]
        bad = pl.any_horizontal([pl.lit(False), *(pl.col(f"{_BAD}{n}") for n in rejects)])
        reasons = [
            pl.when(pl.col(f"{_BAD}{n}")).then(pl.lit(f"not so: {judged[n].rule.words()}")) for n in rejects
        ]
        why = pl.concat_str(reasons or [pl.lit(None, pl.String)], separator="; ", ignore_nulls=True)
        told = "Why"
        while told in schema:
            told += "_"
        rejected = marked.filter(bad).select(*schema, why.alias(told))
        failed = [
            (
                marked.select(pl.col(f"{_BAD}{n}").sum().cast(pl.Int64))
                if n in marks
                else self._whole(table, one)
            )
            for n, one in enumerate(judged)
        ]
        counts = tuple(
            self._count(one.rule, n, frame) for n, (one, frame) in enumerate(zip(judged, failed, strict=True))
        )
        kept = marked.filter(~bad) if rejects else marked
        sides = {"rejected": rejected, "results": _results(settings.rules, failed, table)}
        return Result(kept.select(schema.names()), sides, counts, None if rejects else ())

    def _whole(self, table: pl.LazyFrame, one: _Judged) -> pl.LazyFrame:
        assert one.broken is not None
        return table.select(one.broken.fill_null(True).cast(pl.Int64))

    def _count(self, rule: CheckRule, number: int, frame: pl.LazyFrame) -> Count:
        words, rejected = rule.words(), rule.then == "reject"
        many = f"{{n}} rows do not meet “{words}”{' and are rejected' if rejected else ''}"
        one = f"{{n}} row does not meet “{words}”{' and is rejected' if rejected else ''}"
        if rule.must in _OF_TABLE:
            many = one = f"{{n}} rule of the table is not met: {words}"
        side = "rejected" if rule.then == "reject" else "results"
        advice = "Mend them before this step, or let the rule warn, and look at them in its results."
        return Count(f"check:{number + 1}", frame, many, _LEVELS[rule.then], advice, one, side=side)

    def _judged(
        self, rule: CheckRule, number: int, tables: Tables, schema: pl.Schema, context: Context
    ) -> _Judged:
        try:
            if rule.must in _OF_TABLE:
                if rule.then == "reject":
                    raise Problem(
                        "The whole table", "it cannot be rejected row by row.", "Choose to warn or to stop."
                    )
                return _Judged(rule, broken=_of_table(rule, schema))
            return _Judged(rule, bad=self._bad(rule, tables, schema, context))
        except Problem as problem:
            raise Problem(
                f"Rule {number}: {problem.thing}", problem.reason, problem.way_out, field="rules",
                code=problem.code,
            ) from None  # fmt: skip

    def _bad(self, rule: CheckRule, tables: Tables, schema: pl.Schema, context: Context) -> pl.Expr:
        if rule.must == "formula":
            kinds = {name: kind_of(dtype) for name, dtype in schema.items()}
            term = compile_formula(rule.formula, kinds, context.parameter)
            if term.kind is not Kind.YES_NO:
                raise Problem("The formula", "it gives no yes or no.", "Compare it: amount > 0.")
            return ~term.expr.fill_null(False)
        _need_some(rule, schema)
        return pl.any_horizontal([self._cell(rule, name, tables, schema) for name in _grouped(rule)])

    def _cell(self, rule: CheckRule, name: str, tables: Tables, schema: pl.Schema) -> pl.Expr:
        blank = is_blank(name, schema[name])
        if rule.must == "filled":
            return blank
        if rule.must == "unique":
            keys = [pl.col(column) for column in rule.columns]
            empty = pl.all_horizontal([is_blank(column, schema[column]) for column in rule.columns])
            return (pl.struct(keys).is_duplicated() if len(keys) > 1 else keys[0].is_duplicated()) & ~empty
        if rule.must == "range":
            return _outside(rule, name, schema).fill_null(False) & ~blank
        text = text_of(name, schema, field="rules")
        if rule.must == "matches":
            if not rule.pattern:
                raise Problem("The pattern", "there is none yet.", "Type one.", code="unfinished")
            return ~text.str.contains(f"^(?:{checked_pattern(rule.pattern)})$").fill_null(True) & ~blank
        return ~text.is_in(self._allowed(rule, tables)).fill_null(False) & ~blank

    def _allowed(self, rule: CheckRule, tables: Tables) -> "pl.Series | pl.Expr":
        if rule.must == "one_of":
            if not rule.values:
                raise Problem(
                    "The allowed values", "there is none yet.", "Type one a line.", code="unfinished"
                )
            return pl.Series(rule.values, dtype=pl.String).implode()
        there = tables["reference"]
        known = there.collect_schema()
        if not rule.reference:
            raise Problem("The column there", "none is chosen yet.", "Choose one.", code="unfinished")
        # Its values are few beside the rows, and one query may not look into another table's column.
        values = there.select(text_of(rule.reference, known, field="rules").alias("value")).unique().collect()
        return values["value"].implode()

    def reads(self, settings: CheckSettings, wanted: Wanted, port: str) -> Wanted:
        if port == "reference":
            return frozenset(rule.reference for rule in settings.rules if rule.must == "exists")
        read: set[str] = set()
        for rule in settings.rules:
            read |= set(rule.columns)
            if rule.must == "formula":
                names, _ = names_in(rule.formula)
                if names is None:
                    return None
                read |= names
        return also(wanted, read)

    def depends_on(self, settings: CheckSettings, grounds: Grounds) -> list[str]:
        used = {name for rule in settings.rules for name in names_in(rule.formula)[1]}
        return [grounds.parameter(name) for name in sorted(used)]

    def spread(self, settings: CheckSettings, schemas: Mapping[str, pl.Schema]) -> Spread:
        alone = all(rule.must not in (*_OF_TABLE, "unique") for rule in settings.rules)
        alone = alone and not any(of_other_rows(rule.formula) for rule in settings.rules)
        return Spread("rows", undivided=frozenset({"results"})) if alone else WHOLE

    def sentence(self, settings: CheckSettings) -> str:
        said = [rule.words() for rule in settings.rules[:2]]
        more = f" and {len(settings.rules) - 2} more" if len(settings.rules) > 2 else ""
        return f"{'; '.join(said) or 'no rule yet'}{more}"


def _grouped(rule: CheckRule) -> tuple[str, ...]:
    """The columns that are looked at one by one; those that are to be unique are so together."""
    return rule.columns[:1] if rule.must == "unique" else rule.columns


def _need_some(rule: CheckRule, schema: pl.Schema) -> None:
    if not rule.columns:
        raise Problem("The columns", "none is chosen yet.", "Choose one.", code="unfinished")
    need_columns(rule.columns, schema, field="rules")


def _outside(rule: CheckRule, name: str, schema: pl.Schema) -> pl.Expr:
    kind = kind_of(schema[name])
    if kind not in (Kind.WHOLE, Kind.NUMBER, Kind.DATE, Kind.DATETIME):
        raise Problem(
            f"Column “{name}”", "it holds neither numbers nor dates.",
            "Put a step “Set types” before this one.",
        )  # fmt: skip
    column = pl.col(name)
    return _beyond(column, rule, lambda text: value_of(text, kind, name))


def _beyond(value: pl.Expr, rule: CheckRule, read: Callable[[str], object]) -> pl.Expr:
    if not rule.low.strip() and not rule.high.strip():
        raise Problem("The range", "it has no bound yet.", "Type one.", code="unfinished")
    parts = [pl.lit(False)]
    if rule.low.strip():
        parts.append(value < pl.lit(read(rule.low)))
    if rule.high.strip():
        parts.append(value > pl.lit(read(rule.high)))
    return pl.any_horizontal(parts)


def _of_table(rule: CheckRule, schema: pl.Schema) -> pl.Expr:
    if rule.must == "rows":
        return _beyond(pl.len().cast(pl.Int64), rule, lambda text: value_of(text, Kind.NUMBER, "the rows"))
    _need_some(rule, schema)
    for name in rule.columns:
        if kind_of(schema[name]) not in (Kind.WHOLE, Kind.NUMBER):
            raise Problem(
                f"Column “{name}”", "it holds no numbers.", "Put a step “Set types” before this one."
            )
    # 0.1 added ten times is 0.9999999999999999 in binary: twelve figures tell whether it is 1.
    sums = [pl.col(name).cast(pl.Float64).sum().round_sig_figs(12) for name in rule.columns]
    return pl.any_horizontal(
        [_beyond(total, rule, lambda text: value_of(text, Kind.NUMBER, rule.columns[0])) for total in sums]
    )


def _results(rules: tuple[CheckRule, ...], failed: list[pl.LazyFrame], table: pl.LazyFrame) -> pl.LazyFrame:
    then = {"warn": "counted", "reject": "rejected", "stop": "stops the run"}
    rows = table.select(pl.len().cast(pl.Int64).alias("Rows"))
    told = [
        pl.concat(
            [
                pl.LazyFrame(
                    {"Rule": [rule.words()], "Of": ["the table" if rule.must in _OF_TABLE else "rows"]}
                ),
                rows,
                frame.select(pl.all().cast(pl.Int64).alias("Not met")),
                pl.LazyFrame({"Those are": [then[rule.then]]}),
            ],
            how="horizontal",
        )
        for rule, frame in zip(rules, failed, strict=True)
    ]
    return pl.concat(told)
