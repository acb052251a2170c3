"""Rules that are written as text, and columns made by rules."""

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.core.test_cleaning import done, facts
from updraft.core import Problem
from updraft.core.steps.conditions import WORDS
from updraft.core.steps.rule_text import read_rules
from updraft.core.values import Kind

COLUMNS = {"germination": Kind.WHOLE, "lot": Kind.TEXT, "Hub name": Kind.TEXT, "sown_on": Kind.DATE}


def told(text):
    read = read_rules(text, COLUMNS)
    return [(rule.when.words(), rule.then) for rule in read.rules], read.otherwise


@pytest.mark.parametrize(
    ("text", "rules", "otherwise"),
    [
        (
            "if germination >= 85 and lot is filled then sow; between 60 and 84 test again; otherwise discard",
            [("germination is at least 85 and lot is filled", "sow"), ("germination is between 60 and 84", "test again")],
            "discard",
        ),
        (
            "If hub name is Fen and lot contains frost then van\nelse if germination above 500 → courier.\nelse post",
            [("Hub name is Fen and lot contains frost", "van"), ("germination is more than 500", "courier")],
            "post",
        ),
        (
            "hub name is one of Fen, Dale or Moor then north; lot = 'A and B' or lot starts with C and germination < 1,500: z",
            [
                ("Hub name is one of Fen, Dale, Moor", "north"),
                ("lot is A and B or (lot starts with C and germination is less than 1500)", "z"),
            ],
            None,
        ),
        ("Sown On before 2026-03-01 then old; lot is not in (A, B) => none",
         [("sown_on is less than 2026-03-01", "old"), ("lot is none of A, B", "none")], None),
        ("lot is 'x' keep it", [("lot is x", "keep it")], None),
    ],
)  # fmt: skip
def test_rules_are_read_from_lines_of_text(text, rules, otherwise):
    assert told(text) == (rules, otherwise)


@pytest.mark.parametrize(
    ("text", "reason"),
    [
        ("germinaton > 3 then x", "Did you mean “germination”"),
        ("germination 5 then y", "behind “germination” stands no test"),
        ("germination >= 5", "what the rule gives"),
        ("between 1 and 2 x", "which column is tested"),
        ("germination between 1 then x", "“between” needs two values"),
        ("lot is frost keep", "not clear where the value"),
        ("lot in (A, B then x", "a bracket is not closed"),
        ("if then x", "it says no condition"),
    ],
)
def test_what_is_not_understood_is_said(text, reason):
    read = read_rules(f"lot is A then a; {text}" if not text.startswith(("between", "if")) else text, COLUMNS)
    assert [missed.text for missed in read.missed] == [text] and reason in read.missed[0].reason


@given(
    st.lists(
        st.tuples(
            st.sampled_from(["equals", "contains", "more", "at_most", "empty", "between", "starts", "not_equals"]),
            st.sampled_from(["3", "17", "250"]),
            st.sampled_from(["sow", "test again", "x1"]),
        ),
        min_size=1, max_size=4,
    ),
    st.sampled_from(["", "discard"]),
)  # fmt: skip
def test_rules_said_in_their_own_words_are_read_as_they_were(rules, otherwise):
    said, expected = [], []
    for test, value, then in rules:
        column = "germination" if test in ("more", "at_most", "between") else "lot"
        head = f"{column} {WORDS[test]}" + {"empty": "", "between": f" {value} and 900"}.get(test, f" {value}")
        said.append(f"if {head} then {then}")
        expected.append((head, then))
    text = "; ".join([*said, *([f"otherwise {otherwise}"] if otherwise else [])])
    assert told(text) == (expected, otherwise or None)


@given(st.text(max_size=60) | st.lists(st.sampled_from(["if", "lot", "is", "between", "1", "and", "or", "then", "x", ";",
       "in", "(", ")", "otherwise", "'", ">=", "germination", ","]), max_size=12).map(" ".join))  # fmt: skip
def test_any_text_is_read_or_said_to_be_missed(text):
    read = read_rules(text, COLUMNS)
    lines = [line for line in text.replace(";", "\n").split("\n") if line.strip().rstrip(".").strip()]
    assert len(read.rules) + len(read.missed) <= len(lines)
    assert all(missed.reason.endswith((".", "?")) for missed in read.missed)


LOTS = pl.DataFrame({"germ": [90, 70, None, 40], "grams": [5.0, 2.0, 1.0, None], "tests": [1, 2, 3, 4]})


def rule(column, test, value, then, **more):
    return {"when": {"of": [{"column": column, "test": test, "value": value}]}, "then": then, **more}


def test_a_column_is_made_by_rules_whose_values_may_be_formulas():
    rules = [
        rule("germ", "at_least", "85", "sow"),
        rule("germ", "at_least", "60", "'test ' + text(germ)", calculated=True),
    ]
    made = {"name": "fate", "by": "rules", "rules": rules, "otherwise": "discard"}
    found = done("calculate", LOTS, columns=[made, {"name": "short", "formula": "first(fate, 3)"}])
    table = found.lazy().collect()
    assert facts(found) == {"rule:0:fate": 2, "rule:1:fate": 1, "rule:2:fate": 1}
    assert table["fate"].to_list() == ["sow", "test 70", "discard", "discard"]
    assert table["short"].to_list() == ["sow", "tes", "dis", "dis"], "each may use those above it"
    alone = {"column": "fate", "rules": rules, "otherwise": "formula", "value": "'n ' + text(tests)"}
    ruled = done("apply_rules", LOTS, **alone)
    assert ruled.lazy().collect()["fate"].to_list() == ["sow", "test 70", "n 3", "n 4"]
    assert facts(ruled) == {"rule:1": 1, "rule:2": 1, "otherwise": 2}


def test_one_formula_makes_a_column_for_each_of_a_choice():
    each = {"by": "pattern", "pattern": "g*"}
    found = done(
        "calculate", LOTS, columns=[{"name": "{column} doubled", "formula": "value * 2", "several": True, "each": each}]
    )
    assert found.lazy().collect().columns == ["germ", "grams", "tests", "germ doubled", "grams doubled"]
    replaced = done(
        "calculate",
        LOTS,
        columns=[{"formula": "share(value)", "several": True, "each": {"by": "types", "types": ["number"]}}],
    )
    assert replaced.lazy().collect()["grams"].to_list() == [5 / 8, 2 / 8, 1 / 8, None]
    with pytest.raises(Problem, match="2 columns would have this name"):
        done("calculate", LOTS, columns=[{"name": "x", "formula": "value", "several": True, "each": each}])


@pytest.mark.parametrize(
    ("formula", "kind", "dtype"),
    [("germ", "text", pl.String), ("text(germ)", "number", pl.Float64), ("grams", "whole", pl.Int64),
     ("'2026-03-31'", "date", pl.Date), ("None", "yes_no", pl.Boolean)],
)  # fmt: skip
def test_the_type_of_a_column_can_be_stated(formula, kind, dtype):
    found = done("calculate", LOTS, columns=[{"name": "x", "formula": formula, "kind": kind}])
    assert found.lazy().collect().schema["x"] == dtype
    with pytest.raises(Problem, match="which is no yes/no"):
        done("calculate", LOTS, columns=[{"name": "x", "formula": "germ", "kind": "yes_no"}])


PLAIN = "if germination >= 85 and lot is filled then sow"


@pytest.mark.parametrize(
    "text",
    [
        f"1. {PLAIN}",
        f"(2) {PLAIN}.",
        f"a) {PLAIN}",
        f"- {PLAIN}",
        f"• {PLAIN}",
        "if (germination >= 85) and (lot is filled) then sow",
        "if (germination >= 85 and lot is filled) then sow",
        "3) if ((germination >= 85) and lot is filled) then sow",
    ],
)
def test_numbered_lists_and_brackets_are_read_as_the_rule_in_them(text):
    assert read_rules(text, COLUMNS) == read_rules(PLAIN, COLUMNS)


def test_brackets_that_change_the_meaning_are_told():
    read = read_rules("if (germination >= 85 or germination < 10) and lot is filled then sow", COLUMNS)
    assert not read.rules and "a rule for each" in read.missed[0].reason
    same = read_rules("if (germination >= 85 and lot is filled) or lot is A then sow", COLUMNS)
    assert same == read_rules("if germination >= 85 and lot is filled or lot is A then sow", COLUMNS)
    assert len(same.rules) == 1 and not same.missed
