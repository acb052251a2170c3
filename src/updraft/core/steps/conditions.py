"""Conditions on rows: compiled to one yes/no expression, never empty, so that keep and drop are exact
opposites.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime
from typing import Any, Literal, get_args
from zoneinfo import ZoneInfo

import polars as pl

from updraft.core.figures.patterns import pattern_of_text
from updraft.core.problems import Problem, missing_column, wrong_pattern
from updraft.core.steps.choice import listed
from updraft.core.steps.counts import Count, Level
from updraft.core.steps.settings import Settings, setting
from updraft.core.values import TITLES, Kind, is_blank, kind_of
from updraft.core.values.meaning import number_in
from updraft.core.values.text import as_text

# What only a table at hand can be asked: no database and no service has these.
OwnTest = Literal[
    "number", "no_number", "blank", "infinite", "shape", "not_shape", "fine_shape", "weekday", "month"
]
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
    OwnTest,
]
OPPOSITES: dict[str, Test] = {
    "none_of": "one_of",
    "not_matches": "matches",
    "not_shape": "shape",
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
    "number": "is a number",
    "no_number": "is no number",
    "blank": "holds blanks only",
    "infinite": "is infinite or undefined",
    "shape": "has the pattern",
    "not_shape": "has another pattern than",
    "fine_shape": "has exactly the pattern",
    "weekday": "falls on a",
    "month": "is in the month",
}
# Tests that ask for nothing but the cell itself.
BARE = ("empty", "filled", "number", "no_number", "blank", "infinite")
OURS_ALONE = get_args(OwnTest)
WEEKDAYS = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")
_TEXT_TESTS = ("contains", "starts", "ends", "matches")


@dataclass(frozen=True)
class Only:
    """Rows that meet a rule, or those that do not."""

    rule: Rule
    meet: bool = True


@dataclass(frozen=True)
class Most:
    """The rows that are largest in a column, or smallest; of equal ones those that stand first. Rows without
    a value are counted.

    Args:
        count: how many rows.
        side: the output that the other rows come out of.
    """

    column: str
    count: int
    largest: bool
    side: str


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
        return {condition.column for condition in self.conditions()}

    def conditions(self) -> list[Condition]:
        """All of them, wherever they stand."""
        return [inner for item in self.of for inner in (item.of if isinstance(item, Group) else (item,))]

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


def rows_where(
    code: str,
    table: pl.LazyFrame,
    conditions: Sequence[Condition],
    text: str,
    *,
    one: str,
    level: Level = "info",
) -> Count:
    """The rows of a step's main output that meet all of some conditions, as a number that opens just these.

    Args:
        table: the main output.
        text, one: as in `Count`.
    """
    rule = Rule(of=tuple(conditions))
    met = table.filter(compiled(rule, table.collect_schema())).select(pl.len())
    return Count(code, met, text, level, one=one, rule=rule.model_dump(mode="json"))


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
    if test in OURS_ALONE:
        return _own(condition, dtype, kind_of(dtype)).fill_null(False)
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
        return _text(condition, as_text(name, dtype)).fill_null(test == "not_equals")
    compare = pl.col(name)
    if isinstance(dtype, pl.Datetime) and dtype.time_zone:
        compare = compare.dt.convert_time_zone("UTC").dt.replace_time_zone(None)
        condition = _in_utc(condition, dtype.time_zone)
    if test == "one_of":
        wanted = [value_of(text, kind, name) for text in condition.values]
        # One by one, since a list of whole numbers and a column with fractions (or the reverse) are no match
        # for is_in.
        return pl.any_horizontal([pl.lit(False), *(compare == value for value in wanted)]).fill_null(False)
    value = value_of(condition.value, kind, name)
    return _ordered(compare, test, value, value_of(condition.to, kind, name) if test == "between" else None)


def _own(condition: Condition, dtype: pl.DataType, kind: Kind) -> pl.Expr:
    """Tests of what a cell is, which counts on the screen are made of."""
    name, test, column = condition.column, condition.test, pl.col(condition.column)
    numeric = kind in (Kind.WHOLE, Kind.NUMBER)
    if test in ("shape", "fine_shape") and kind is Kind.TEXT:
        return pattern_of_text(column, test == "fine_shape") == condition.value
    if test == "blank" and kind is Kind.TEXT:
        return is_blank(name, dtype) & column.is_not_null()
    if test in ("number", "no_number") and (numeric or kind is Kind.TEXT):
        is_number = column.is_not_null() if numeric else number_in(column).is_not_null()
        return is_number if test == "number" else ~is_number & ~is_blank(name, dtype)
    if test == "infinite" and numeric:
        return ~column.is_finite() if dtype.is_float() else pl.lit(False)
    if test in ("weekday", "month") and kind in (Kind.DATE, Kind.DATETIME):
        asked = condition.value.strip()
        if test == "month":
            return column.dt.strftime("%Y-%m") == asked
        days = [day for day, word in enumerate(WEEKDAYS, start=1) if word.lower() == asked.lower()]
        if not days:
            raise Problem(
                f"“{asked}”", "it is no day of the week.", "Write one such as Monday.", field="rule"
            )
        return column.dt.weekday() == days[0]
    raise Problem(
        f"Column “{name}”",
        f"it is of type {TITLES[kind]}, so nothing in it “{WORDS[test]}”.",
        "Choose another test.",
        field="rule",
    )


def _in_utc(condition: Condition, zone: str) -> Condition:
    """The times of a condition as the clock of UTC shows them; what has no offset is meant in the column's
    zone.
    """

    def there(text: str) -> str:
        try:
            time = datetime.fromisoformat(text.strip())
        except ValueError:
            return text  # it is told where it is read
        known = time if time.tzinfo else time.replace(tzinfo=ZoneInfo(zone))
        return known.astimezone(UTC).replace(tzinfo=None).isoformat(sep=" ")

    values = tuple(there(text) for text in condition.values)
    return condition.model_copy(
        update={"value": there(condition.value), "to": there(condition.to), "values": values}
    )


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


def only_here(condition: Condition, they: str) -> Problem:
    """The problem of a test that is only there for a table at hand."""
    return Problem(
        f"“{WORDS[condition.test]}”",
        f"{they} cannot be asked this.",
        "Bring the rows in, and use Keep rows afterwards.",
        field="rule",
        code="no_test",
    )


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
                bare = text.replace(",", "")
                if re.fullmatch(r"[+-]?\d{1,18}", bare):
                    return int(bare)  # a float holds no more than 15 digits for sure
                number = float(bare)
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
        case bare if bare in BARE:
            return head
        case "one_of" | "none_of":
            return f"{head} {listed(item.values)}"
        case "between":
            return f"{head} {item.value} and {item.to}"
        case _:
            return f"{head} {item.value}"


def _joined(match: str, parts: list[str]) -> str:
    return (" and " if match == "all" else " or ").join(parts)
