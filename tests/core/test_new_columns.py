"""Kinds that make or change columns, against plain Python."""

import math
import re
from contextlib import suppress
from datetime import date
from decimal import ROUND_CEILING, ROUND_FLOOR, ROUND_HALF_UP, Decimal
from statistics import median

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from updraft.core import Problem
from updraft.core.engine.table import compute
from updraft.core.steps import Tables, kinds

TEXT = st.none() | st.text("ab.$ 1-", max_size=6)


def step(kind: str, settings: dict, table: pl.DataFrame):
    found = kinds()[kind]
    return compute(found, found.Settings.model_validate(settings), Tables.of(table.lazy()), Context())


class Context:
    """A flow's parameters, and nothing else of the world."""

    decisions = {}
    presummed = None

    def parameter(self, name: str):
        return {"extra": 2, "hubs": ("Fen", "Dale")}[name]

    def learnt(self, by, make):
        return make()


def column(kind: str, settings: dict, table: pl.DataFrame, name: str) -> list:
    return step(kind, settings, table).lazy().collect()[name].to_list()


def names(*chosen: str) -> dict:
    return {"by": "names", "names": list(chosen)}


@given(
    st.lists(TEXT, min_size=1, max_size=8),
    st.sampled_from(["a", "b.", "1", "$", "ab"]),
    st.sampled_from(["", "x", "$1"]),
)
def test_find_and_replace_takes_signs_by_the_letter(texts, find, new):
    table = pl.DataFrame({"t": texts}, schema={"t": pl.String})

    def found(how: str) -> list:
        return column("find_and_replace", {"columns": names("t"), "find": find, "new": new, "how": how}, table, "t")

    def emptied(old, done):
        return None if done == "" and old != "" else done

    assert found("part") == [t if t is None else emptied(t, t.replace(find, new)) for t in texts]
    assert found("cell") == [t if t is None else emptied(t, new if t == find else t) for t in texts]
    word = re.compile(rf"\b{re.escape(find)}\b")
    assert found("word") == [t if t is None else emptied(t, word.sub(lambda _: new, t)) for t in texts]


def test_find_and_replace_by_a_pattern_uses_its_groups():
    table = pl.DataFrame({"t": ["GZ-1042", "bl-7", None]})
    settings = {"columns": names("t"), "find": "([a-z]+)-([0-9]+)", "new": "$2/$1", "how": "pattern"}
    assert column("find_and_replace", settings, table, "t") == ["GZ-1042", "7/bl", None]
    assert column("find_and_replace", {**settings, "ignore_case": True}, table, "t") == ["1042/GZ", "7/bl", None]
    with pytest.raises(Problem, match="not a regular expression"):
        step("find_and_replace", {**settings, "find": "("}, table)


@given(st.lists(TEXT, min_size=1, max_size=8), st.sampled_from(["", "a", "1"]), st.sampled_from(["", "b", " "]))
def test_extract_between_marks(texts, start, end):
    table = pl.DataFrame({"t": texts}, schema={"t": pl.String})

    def between(text):
        if text is None or (start and start not in text):
            return None
        rest = text.split(start, 1)[1] if start else text
        if end and end not in rest:
            return None
        return (rest.split(end, 1)[0] if end else rest).strip() or None

    settings = {"column": "t", "what": "between", "start": start, "end": end, "into": "x"}
    if not start and not end:
        with pytest.raises(Problem, match="there is none yet"):
            step("extract_text", settings, table)
        return
    done = step("extract_text", settings, table)
    expected = [between(text) for text in texts]
    assert done.lazy().collect()["x"].to_list() == expected
    missed = sum(bool(text and text.strip()) and found is None for text, found in zip(texts, expected, strict=True))
    assert [fact.count for fact in done.facts] == ([missed] if missed else [])


@given(
    st.lists(st.tuples(TEXT, st.none() | st.integers(0, 9), st.none() | st.booleans()), min_size=1, max_size=6),
    st.booleans(),
    st.booleans(),
)
def test_combined_columns_leave_out_what_is_empty(rows, empty, keep):
    table = pl.DataFrame(rows, schema={"t": pl.String, "n": pl.Int64, "yes": pl.Boolean}, orient="row")
    settings = {"columns": ["yes", "t", "n"], "mark": "/", "into": "x", "empty": empty, "keep": keep}
    done = step("combine_columns", settings, table).lazy().collect()

    def told(row):
        parts = [{True: "yes", False: "no", None: None}[row[2]], row[0], None if row[1] is None else str(row[1])]
        if all(part is None for part in parts):
            return None
        return "/".join(part or "" if empty else part for part in parts if empty or part is not None)

    assert done["x"].to_list() == [told(row) for row in rows]
    assert done.columns == (["t", "n", "yes", "x"] if keep else ["x"])


@given(st.lists(st.none() | st.decimals(-1000, 1000, places=3).map(float), min_size=1, max_size=8), st.integers(0, 3))
def test_rounding_is_what_it_is_on_paper(numbers, places):
    table = pl.DataFrame({"x": numbers}, schema={"x": pl.Float64})
    unit = Decimal(1).scaleb(-places)
    for way, rule in (("near", ROUND_HALF_UP), ("down", ROUND_FLOOR), ("up", ROUND_CEILING)):
        found = column("round_numbers", {"columns": names("x"), "places": places, "way": way}, table, "x")
        for got, number in zip(found, numbers, strict=True):
            wanted = None if number is None else float(Decimal(str(number)).quantize(unit, rounding=rule))
            assert got == wanted or math.isclose(got, wanted, rel_tol=1e-12), (number, way)


@given(st.lists(st.none() | st.dates(date(1990, 1, 1), date(2099, 12, 31)), min_size=1, max_size=6))
def test_dates_are_written_as_asked_and_read_back(days):
    table = pl.DataFrame({"d": days}, schema={"d": pl.Date})
    written = column("format_dates", {"columns": names("d"), "format": "DD.MM.YYYY"}, table, "d")
    assert written == [day and f"{day.day:02}.{day.month:02}.{day.year}" for day in days]
    back = {"columns": [{"column": "d", "type": "date", "formats": ["DD.MM.YYYY"]}]}
    assert column("set_types", back, pl.DataFrame({"d": written}, schema={"d": pl.String}), "d") == days


@given(
    st.lists(st.lists(st.sampled_from([None, "", " ", "x"]), min_size=3, max_size=3), max_size=5),
    st.sampled_from([50, 100]),
)
def test_empty_columns_go_by_their_share(rows, share):
    table = pl.DataFrame(rows, schema={"a": pl.String, "b": pl.String, "c": pl.String}, orient="row")
    done = step("remove_empty_columns", {"share": share, "but": ["c"]}, table).lazy().collect()
    kept = ["c"]
    for at, name in enumerate("ab"):
        blank = sum(not (row[at] or "").strip() for row in rows)
        if not rows or blank * 100 < share * len(rows):
            kept.append(name)
    assert sorted(done.columns) == sorted(kept) and done.height == len(rows)


@given(
    st.lists(st.sampled_from([None, "Fen", "Dale"]), max_size=8),
    st.integers(-2, 5),
    st.sampled_from([1, 10]),
    st.booleans(),
)
def test_rows_are_numbered_in_their_order(hubs, start, stride, grouped):
    table = pl.DataFrame({"hub": hubs}, schema={"hub": pl.String})
    settings = {"name": "n", "start": start, "step": stride, "by": ["hub"] if grouped else []}
    places = [hubs[:n].count(hub) if grouped else n for n, hub in enumerate(hubs)]
    assert column("number_rows", settings, table, "n") == [start + stride * place for place in places]


@given(
    st.lists(
        st.tuples(st.sampled_from("abcd"), st.none() | st.integers(0, 9), st.none() | st.integers(0, 9)),
        max_size=4,
        unique_by=lambda r: r[0],
    )
)
def test_a_table_turned_twice_is_the_table(rows):
    table = pl.DataFrame(rows, schema={"k": pl.String, "x": pl.Int64, "y": pl.Int64}, orient="row")
    turned = step("transpose", {"names": "k", "name": "k"}, table).lazy().collect()
    assert turned.columns == ["k", *(row[0] for row in rows)]
    assert turned.rows() == [("x", *(row[1] for row in rows)), ("y", *(row[2] for row in rows))]
    again = step("transpose", {"names": "k", "name": "k"}, turned).lazy().collect()
    assert again.rows() == table.rows()


def test_transposing_refuses_what_would_be_no_table():
    with pytest.raises(Problem, match="two columns would have this name"):
        step("transpose", {"names": "k"}, pl.DataFrame({"k": ["a", "a"], "x": [1, 2]}))
    with pytest.raises(Problem, match="2,000 are the most"):
        step("transpose", {}, pl.DataFrame({"x": range(2001)}))
    mixed = step("transpose", {}, pl.DataFrame({"x": [1.0, None], "t": ["a", "b"]})).lazy().collect()
    assert mixed.rows() == [("x", "1", None), ("t", "a", "b")]


@given(st.lists(st.none() | st.lists(st.none() | st.integers(0, 9), max_size=3), max_size=5), st.booleans())
def test_lists_become_rows_text_or_a_number(lists, empty):
    table = pl.DataFrame({"n": range(len(lists)), "l": lists}, schema={"n": pl.Int64, "l": pl.List(pl.Int64)})
    done = step("expand_lists", {"column": "l", "empty": empty}, table)
    rows = [(n, item) for n, items in enumerate(lists) for item in (items or ([None] if empty else []))]
    assert done.lazy().collect().rows() == rows
    assert [f.count for f in done.facts] == [none] if (none := sum(not items for items in lists)) else not done.facts
    counted = column("expand_lists", {"column": "l", "into": "count"}, table, "l")
    assert counted == [None if items is None else len(items) for items in lists]
    told = column("expand_lists", {"column": "l", "into": "text", "mark": "+"}, table, "l")
    assert told == [None if i is None else "+".join(str(v) for v in i if v is not None) for i in lists]


def test_records_become_columns_in_their_place():
    table = pl.DataFrame({"a": [1], "r": [{"x": 1, "y": "b"}], "r.x": [9]})
    done = step("expand_lists", {"column": "r"}, table).lazy().collect()
    assert done.to_dicts() == [{"a": 1, "r.x_": 1, "r.y": "b", "r.x": 9}]


@pytest.mark.parametrize(
    ("text", "amount", "unit"),
    [
        ("1.5 kg", 1500, "g"), ("80 g", 80, "g"), ("-3g", -3, "g"), ("250 mg", 0.25, "g"), ("2 sacks", 50_000, "g"),
        ("3 h", None, "h"), ("5", None, None), ("about", None, None), (None, None, None), ("1,200 g", 1200, "g"),
    ],
)  # fmt: skip
def test_a_number_and_its_unit(text, amount, unit):
    settings = {"column": "t", "number": "n", "unit": "u", "to": "g", "known": [{"unit": "sacks", "times": 25_000}]}
    table = pl.DataFrame({"t": [text]}, schema={"t": pl.String})
    done = step("number_and_unit", settings, table)
    assert done.lazy().collect().select("n", "u").row(0) == (amount, unit)
    wanted = {"no_number"} if text == "about" else {"unit_unknown"} if text in ("3 h", "5") else set()
    assert {fact.code for fact in done.facts} == wanted


PACKETS = {"column": "packets", "test": "more", "value": "5"}
HUB = {"column": "hub", "test": "equals", "value": "Fen"}


@given(
    st.lists(st.tuples(st.none() | st.integers(0, 9), st.sampled_from([None, "Fen", "Dale"])), min_size=1, max_size=8),
    st.booleans(),
)
def test_the_first_rule_that_holds_counts(rows, keep):
    table = pl.DataFrame(rows, schema={"packets": pl.Int64, "hub": pl.String}, orient="row")
    rules = [
        {"when": {"match": "all", "of": [PACKETS, HUB]}, "then": "van"},
        {"when": {"match": "any", "of": [PACKETS, HUB]}, "then": "post"},
    ]
    otherwise = {"otherwise": "keep"} if keep else {"otherwise": "value", "value": "none"}
    done = step("apply_rules", {"column": "hub", "rules": rules, **otherwise}, table)

    def told(packets, hub):
        many, fen = packets is not None and packets > 5, hub == "Fen"
        return "van" if many and fen else "post" if many or fen else hub if keep else "none"

    expected = [told(*row) for row in rows]
    assert done.lazy().collect()["hub"].to_list() == expected
    counts = {fact.code: fact.count for fact in done.facts}
    assert counts.get("rule:1", 0) == expected.count("van") and counts.get("rule:2", 0) == expected.count("post")
    assert counts.get("otherwise", 0) == len(rows) - expected.count("van") - expected.count("post")


def test_rules_make_values_of_the_columns_kind_or_say_why_not():
    table = pl.DataFrame({"packets": [1, 9]})
    rules = [{"when": {"of": [PACKETS]}, "then": "2.5"}]
    made = {"column": "Weight", "kind": "number", "rules": rules, "value": "0"}
    assert column("apply_rules", made, table, "Weight") == [0.0, 2.5]
    with pytest.raises(Problem, match="has decimals"):
        step("apply_rules", {"column": "packets", "rules": rules}, table)
    with pytest.raises(Problem, match=r"Rule 1: .*no condition yet"):
        step("apply_rules", {"column": "x", "rules": [{"then": "a"}]}, table)


def test_formulas_use_those_above_them_and_the_flows_parameters():
    table = pl.DataFrame({"packets": [3, None], "hub": ["Fen", "Far"]})
    settings = {
        "columns": [
            {"name": "double", "formula": "packets * params.extra"},
            {"name": "packets", "formula": "double + 1"},
            {"name": "ours", "formula": "hub in params.hubs"},
        ]
    }
    done = step("calculate", settings, table)
    assert done.lazy().collect().to_dicts() == [
        {"packets": 7, "hub": "Fen", "double": 6, "ours": True},
        {"packets": None, "hub": "Far", "double": None, "ours": False},
    ]
    assert done.touched == ("packets",)
    assert {fact.code: fact.count for fact in done.facts} == {"empty:double": 1, "empty:packets": 1, "cells_changed": 1}
    with pytest.raises(Problem, match="x: “hubs” at character 1: the table has no such column") as caught:
        step("calculate", {"columns": [{"name": "x", "formula": "hubs"}]}, table)
    assert caught.value.field == "columns"


NOTHING = {"a": pl.String, "n": pl.Int64}
PLAIN = [
    k.kind
    for k in kinds().values()
    if k.role == "step" and not k.needs & {"flows", "outside"} and k.main_port.name == "table"
]


@pytest.mark.parametrize("name", sorted(PLAIN))
@pytest.mark.parametrize("rows", [[], [(None, None)] * 2], ids=["no rows", "all empty"])
def test_every_kind_takes_tables_without_rows_or_values(name, rows):
    """With the settings that it begins with, and with a column chosen: a table or a Problem, nothing else."""
    kind, table = kinds()[name], pl.DataFrame(rows, schema=NOTHING, orient="row")
    for filled in ({}, {"column": "a"}, {"columns": ["a", "n"]}, {"columns": names("a", "n")}, {"by": ["a"]}):
        with suppress(ValidationError, Problem):
            settings = kind.Settings.model_validate({**kind.starting_settings(), **filled})
            others = {port.name: table.lazy() for port in kind.inputs if not port.main}
            done = compute(kind, settings, Tables.of(table.lazy(), **others), Context())
            assert done.lazy().collect().height <= len(rows) + 2


@given(
    st.lists(
        st.tuples(
            st.sampled_from(["Fen", "Dale"]), st.none() | st.integers(0, 4), st.none() | st.sampled_from([0.5, 1.5])
        ),
        min_size=1,
        max_size=9,
    )
)
def test_figures_of_columns_like_a_name(rows):
    table = pl.DataFrame(rows, schema={"hub": pl.String, "score a": pl.Int64, "score b": pl.Float64}, orient="row")
    figures = [
        {"figure": "median", "like": "score *", "name": "* middle"},
        {"figure": "frequent", "column": "score a"},
        {"figure": "list", "like": "score a"},
    ]
    done = step("summarise", {"by": ["hub"], "figures": figures, "order": "first"}, table).lazy().collect()
    assert done.columns == [
        "hub",
        "score a middle",
        "score b middle",
        "Most frequent value of score a",
        "List of values of score a",
    ]
    for row in done.rows():
        a, b = ([r[at] for r in rows if r[0] == row[0] and r[at] is not None] for at in (1, 2))
        most = next((v for v in a if a.count(v) == max(map(a.count, a))), None)
        listed = ", ".join(dict.fromkeys(map(str, a))) or None
        assert row[1:] == (median(a) if a else None, median(b) if b else None, most, listed)
    with pytest.raises(Problem, match="no column's name is like this"):
        step("summarise", {"figures": [{"figure": "sum", "like": "mark *"}]}, table)


@given(
    st.lists(st.text("aB _.", min_size=1, max_size=5), min_size=1, max_size=4, unique=True),
    st.sampled_from(["keep", "lower", "upper"]),
    st.sampled_from(["", "a", "."]),
    st.sampled_from(["", "x "]),
)
def test_columns_are_renamed_by_a_rule_or_not_at_all(old, case, find, before):
    table = pl.DataFrame({name: [n] for n, name in enumerate(old)})
    fold = {"keep": str, "lower": str.lower, "upper": str.upper}[case]
    fresh = [before + " ".join(fold(name.replace(find, "-") if find else name).split(" ")).strip() for name in old]
    fresh = [re.sub(" +", " ", name[len(before) :]).strip() for name in fresh]
    fresh = [before + name for name in fresh]
    settings = {"by": "rule", "find": find, "instead": "-", "case": case, "before": before}
    if "" in fresh or len(set(fresh)) < len(fresh):
        with pytest.raises(Problem, match="Change the rule"):
            step("rename_columns", settings, table)
    else:
        done = step("rename_columns", settings, table).lazy().collect()
        assert done.columns == fresh and done.row(0) == tuple(range(len(old)))
