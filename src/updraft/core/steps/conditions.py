"""Conditions on rows: compiled to one yes/no expression, never empty, so that keep and drop are exact
opposites.
"""

from __future__ import annotations

import re
from datetime import date, datetime
from typing import Any, Literal

import polars as pl

from updraft.core.problems import Problem, missing_column, wrong_pattern
from updraft.core.steps.base import Settings, setting
from updraft.core.steps.choice import listed
from updraft.core.values import TITLES, Kind, is_blank, kind_of

Test = Literal[
    "equals",
    "not_equals",
    "one_of",
    "none_of",
    "contains",
    "starts",
    "ends",
    "matches",
    "not_matches",
    "empty",
    "filled",
    "less",
    "at_most",
    "more",
    "at_least",
    "between",
]
OPPOSITES: dict[str, Test] = {
    "none_of": "one_of",
    "not_matches": "matches",
}  # true exactly where the other is not

WORDS: dict[str, str] = {
    "equals": "is",
    "not_equals": "is not",
    "one_of": "is one of",
    "none_of": "is none of",
    "contains": "contains",
    "starts": "starts with",
    "ends": "ends with",
    "matches": "matches",
    "not_matches": "does not match",
    "empty": "is empty",
    "filled": "is filled",
    "less": "is less than",
    "at_most": "is at most",
    "more": "is more than",
    "at_least": "is at least",
    "between": "is between",
}
_TEXT_TESTS = ("contains", "starts", "ends", "matches")


class Condition(Settings):
    """One test of one column. `values` holds what `one_of` compares with; `to` is the far end of
    `between`.
    """

    column: str = setting("Column", widget="column")
    test: Test = setting("Test", default="equals")
    value: str = setting("Value", default="")
    to: str = setting("to", default="")
    values: tuple[str, ...] = setting("Values", default=())
    ignore_case: bool = setting("Ignore case", default=False)


class Group(Settings):
    """Conditions that must hold all together or any of them; stands inside a Rule."""

    match: Literal["all", "any"] = setting("Match", default="all")
    of: tuple[Condition, ...] = setting("Conditions", default=())


class Rule(Settings):
    """The outer list: conditions and groups of conditions (one level)."""

    match: Literal["all", "any"] = setting("Match", default="all")
    of: tuple[Condition | Group, ...] = setting("Conditions", default=())

    def columns(self) -> set[str]:
        """Every column that a condition names."""
        flat = [inner for item in self.of for inner in (item.of if isinstance(item, Group) else (item,))]
        return {condition.column for condition in flat}

    def words(self) -> str:
        """The rule in plain words."""
        return _joined(self.match, [_group_words(item) for item in self.of]) or "no condition yet"


def compiled(rule: Rule, schema: pl.Schema) -> pl.Expr:
    """The rule as an expression that is true or false in every row.

    An empty cell meets only `is empty`, `is not` and nothing else. Raises Problem for a missing column, a
    value that does not fit the column's kind, or a rule without conditions.
    """
    if not rule.of:
        raise Problem(
            "This rule",
            "it has no condition yet.",
            "Choose a column and a test.",
            field="rule",
            code="unfinished",
        )
    return _together(
        rule.match,
        [
            _one(item, schema)
            if isinstance(item, Condition)
            else _together(item.match, [_one(inner, schema) for inner in item.of])
            for item in rule.of
        ],
    )


def _together(match: str, parts: list[pl.Expr]) -> pl.Expr:
    if not parts:
        return pl.lit(match == "all")
    return pl.all_horizontal(parts) if match == "all" else pl.any_horizontal(parts)


def _one(condition: Condition, schema: pl.Schema) -> pl.Expr:
    name, test = condition.column, condition.test
    if name not in schema:
        raise (
            missing_column(name, schema, field="rule")
            if name
            else Problem(
                "A condition", "it has no column yet.", "Choose one.", field="rule", code="unfinished"
            )
        )
    if test in OPPOSITES:
        return ~_one(condition.model_copy(update={"test": OPPOSITES[test]}), schema)
    dtype = schema[name]
    if test in ("empty", "filled"):
        blank = is_blank(name, dtype)
        return blank if test == "empty" else ~blank
    kind = kind_of(dtype)
    if kind in (Kind.TEXT, Kind.LIST, Kind.RECORD, Kind.DURATION) or test in _TEXT_TESTS:
        if test in ("less", "at_most", "more", "at_least", "between") and kind is not Kind.TEXT:
            raise Problem(
                f"Column “{name}”",
                f"it holds {TITLES[kind]}s, which have no order here.",
                "Choose another test.",
                field="rule",
            )
        return _text(
            condition, pl.col(name) if kind is Kind.TEXT else pl.col(name).cast(pl.String)
        ).fill_null(test == "not_equals")
    compare = pl.col(name)
    if test == "one_of":
        wanted = [value_of(text, kind, name) for text in condition.values]
        # One by one, since a list of whole numbers and a column with fractions (or the reverse) are no match
        # for is_in.
        return pl.any_horizontal([pl.lit(False), *(compare == value for value in wanted)]).fill_null(False)
    value = value_of(condition.value, kind, name)
    return _ordered(compare, test, value, value_of(condition.to, kind, name) if test == "between" else None)


def _ordered(column: pl.Expr, test: str, value: Any, to: Any) -> pl.Expr:
    match test:
        case "equals":
            answer = column == value
        case "not_equals":
            answer = column != value
        case "less":
            answer = column < value
        case "at_most":
            answer = column <= value
        case "more":
            answer = column > value
        case "at_least":
            answer = column >= value
        case _:
            answer = column.is_between(pl.lit(value), pl.lit(to))
    filled: pl.Expr = answer.fill_null(test == "not_equals")
    return filled


def _text(condition: Condition, column: pl.Expr) -> pl.Expr:
    fold = condition.ignore_case
    column = column.str.to_lowercase() if fold else column
    value = condition.value.lower() if fold else condition.value
    match condition.test:
        case "one_of":
            return column.is_in([text.lower() if fold else text for text in condition.values])
        case "contains":
            return column.str.contains(value, literal=True)
        case "starts":
            return column.str.starts_with(value)
        case "ends":
            return column.str.ends_with(value)
        case "matches":
            pattern = checked_pattern(condition.value)
            return column.str.contains(f"(?i){pattern}" if fold else pattern)
        case _:
            return _ordered(column, condition.test, value, condition.to.lower() if fold else condition.to)


def checked_pattern(pattern: str, field: str = "rule") -> str:
    """The pattern, once both Python and Polars accept it; Problem otherwise."""
    try:
        re.compile(pattern)
        pl.select(pl.lit("").str.contains(pattern))
    except (re.error, pl.exceptions.PolarsError):
        raise Problem(
            f"Pattern “{pattern}”",
            f"it is not a regular expression: {wrong_pattern(pattern)}.",
            "Mend it, or use “contains”." if field == "rule" else "Mend it.",
            field=field,
        ) from None
    return pattern


def value_of(text: str, kind: Kind, column: str) -> Any:
    """A typed text as a value of the column's kind; Problem when it is none."""
    text = text.strip()
    try:
        match kind:
            case Kind.WHOLE | Kind.NUMBER:
                number = float(text.replace(",", ""))
                return int(number) if number.is_integer() and abs(number) < 2**53 else number
            case Kind.DATE:
                return date.fromisoformat(text)
            case Kind.DATETIME:
                return datetime.fromisoformat(text)
            case _:
                return {"yes": True, "true": True, "no": False, "false": False}[text.lower()]
    except (ValueError, KeyError):
        form = {
            Kind.DATE: " such as 2026-03-31",
            Kind.DATETIME: " such as 2026-03-31 14:05",
            Kind.YES_NO: ": yes or no",
        }.get(kind, "")
        raise Problem(
            f"“{text}”",
            f"column “{column}” is of type {TITLES[kind]}, and this is not one.",
            f"Type a {TITLES[kind]}{form}.",
            field="rule",
        ) from None


def _group_words(item: Condition | Group) -> str:
    if isinstance(item, Group):
        return f"({_joined(item.match, [_group_words(inner) for inner in item.of])})"
    head = f"{item.column or '…'} {WORDS[item.test]}"
    match item.test:
        case "empty" | "filled":
            return head
        case "one_of" | "none_of":
            return f"{head} {listed(item.values)}"
        case "between":
            return f"{head} {item.value} and {item.to}"
        case _:
            return f"{head} {item.value}"


def _joined(match: str, parts: list[str]) -> str:
    return (" and " if match == "all" else " or ").join(parts)
