"""Rows of two tables that stand for one thing: measures, scores, what is compared, what is taken, what is learnt."""

import itertools
import math

import numpy as np
import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.people import people
from updraft.core import Problem
from updraft.core.engine.table import compute
from updraft.core.linking import Field, choose, groups_of_one_thing, link, link_by
from updraft.core.linking import links as links_module
from updraft.core.linking.columns import columns_that_meet
from updraft.core.linking.fitting import fitted
from updraft.core.linking.measures import likeness, prepared
from updraft.core.steps import Tables, kinds
from updraft.core.steps.opening import question_key


def alike(measure, one, other):
    frame = pl.DataFrame({"a": [one], "b": [other]}, schema={"a": pl.String, "b": pl.String})
    made = frame.select(prepared(pl.col("a"), measure), prepared(pl.col("b"), measure))
    return likeness(measure, made["a"], made["b"])[0]


@pytest.mark.parametrize(
    ("measure", "one", "other", "expected"),
    [
        ("spelling", "Martha", "MARHTA", (0.9611 - 0.6) / 0.4),  # Jaro and Winkler's own example
        ("spelling", "Ödön", "odon", 1),
        ("spelling", "Ada", "Wyn", 0),
        ("letters", "Salt Marsh", "saltmarsh", 2 * 9 / 19),
        ("digits", "1974-12-01", "19741201", 1),
        ("digits", "0730 430 385", "0730403385", (0.9 - 0.6) / 0.4),  # two digits turned are one slip
        ("number", "80", "100", 0.8),
        ("number", "-5", "5", 0),
        ("date", "2026-03-01", "2026-03-31", 1 - 30 / 366),
        ("sound", "Meier", "Mayr", 1),
        ("sound", "Meier", "Schulz", 0),
        ("equal", "North Fen", "north  fen", 1),
        ("equal", "North Fen", "North Fens", 0),
        ("words", "Fen, North", "north fen", 1),
    ],
)
def test_each_measure_gives_what_it_says(measure, one, other, expected):
    assert alike(measure, one, other) == pytest.approx(expected, abs=1e-3)
    assert alike(measure, other, one) == pytest.approx(expected, abs=1e-3)


@pytest.mark.parametrize(
    ("measure", "odd"), [("number", "four"), ("date", "spring"), ("spelling", " - "), ("digits", None)]
)
def test_a_value_that_cannot_be_compared_is_missing_not_unlike(measure, odd):
    assert math.isnan(alike(measure, odd, "2026-03-01" if measure == "date" else "7"))


def test_rare_words_weigh_more_than_common_ones():
    names = ["Fen Growers Ltd", "Moor Growers Ltd", "Ash Growers Ltd", "Elm Growers Ltd", "Oak Growers Ltd"]
    others = ["Fen Ltd", "Growers Ltd", "Growers", "Ltd", "Growers Ltd"]
    made = [pl.Series(side).str.to_lowercase() for side in (names, others)]
    rare, common = likeness("words", *made)[:2]
    assert rare > common + 0.25


PAIR = [Field("name", "name", weight=3), Field("place", "place"), Field("born", "born", "digits", 4)]


def table(*rows):
    return pl.DataFrame(rows, schema=dict.fromkeys(["name", "place", "born"], pl.String), orient="row")


def score(one, other, fields=PAIR):
    found = link(table(one), table(other), fields, least=0, take="all")
    return found["score"].item() if found.height else 0


def test_the_score_is_the_mean_by_weights_and_a_missing_field_counts_a_tenth():
    assert score(("Ada", "Fen", "1974"), ("Ada", "Fen", "1974")) == 100
    assert score(("Ada", "Fen", "1974"), ("Ada", "Moor", "1974")) == pytest.approx(100 * 7 / 8, abs=0.1)
    assert score(("Ada", "Fen", None), ("Ada", "Fen", "1974")) == pytest.approx(100 * 4 / 4.4, abs=0.1)
    assert score((None, None, None), ("Ada", "Fen", "1974")) == 0


def test_names_in_each_others_place_are_nearly_as_good():
    fields = [Field("name", "name"), Field("place", "place")]
    assert score(("Ada", "Thornacre", None), ("Thornacre", "Ada", None), fields) == 90
    assert score(("Ada", "Thornacre", None), ("Thornacre", "Bess", None), fields) == 0


NAME = st.sampled_from(["Ada Fen", "Ada Fenn", "Bess Moor", "Bes Moor", "Cecil Ash", "", None])
ROWS = st.lists(st.tuples(NAME, NAME, st.sampled_from(["1974", "1975", None])), max_size=7)


LETTERS = [Field("name", "place", "letters")]


@given(
    ROWS,
    ROWS,
    st.sampled_from([40, 75, 100]),
    st.sampled_from(["first", "best", "all", "once"]),
    st.sampled_from([PAIR, LETTERS]),
)
@settings(max_examples=60)
def test_what_is_taken_is_what_a_loop_over_all_pairs_takes(mine, its, least, take, fields):
    left, right = table(*mine), table(*its)
    everything = {
        (a, b): s
        for a, b, s in link(left, right, fields, least=0, take="all").select("left", "right", "score").iter_rows()
    }
    fits = sorted((-s, a, b) for (a, b), s in everything.items() if s >= least)
    expected = set()
    if take == "once":
        for _, a, b in fits:
            if all(a != one and b != other for one, other in expected):
                expected.add((a, b))
    else:
        for row in {a for _, a, _ in fits}:
            own = [(s, b) for s, a, b in fits if a == row]
            most = {"first": own[:1], "best": [one for one in own if one[0] == own[0][0]], "all": own}[take]
            expected |= {(row, b) for _, b in most}
    found = link(left, right, fields, least=least, take=take)
    assert set(zip(found["left"], found["right"], strict=True)) == expected
    for a, s, margin in found.select("left", "score", "margin").iter_rows():
        if fields is LETTERS and s == 100:
            continue  # what is written just so leads by itself
        others = [
            v for (one, other), v in everything.items() if one == a and v >= least and (one, other) not in expected
        ]
        assert margin == (pytest.approx(s - max(others), abs=0.05) if others else None)


def test_what_shares_something_rare_is_compared_and_finds_what_comparing_all_finds(monkeypatch):
    lists = people(500, seed=3)
    fields = [Field(name, name) for name in ("given name", "surname", "street", "place")] + [
        Field("born", "born", "digits")
    ]
    some = link(lists.left, lists.right, fields, least=70, take="once")
    monkeypatch.setattr(links_module, "_FEW", 10**9)
    every = link(lists.left, lists.right, fields, least=70, take="once")
    kept = {tuple(row) for row in every.select("left", "right").iter_rows()}
    assert len(kept & {tuple(row) for row in some.select("left", "right").iter_rows()}) >= 0.99 * len(kept)


@pytest.mark.parametrize(("both", "least"), [(0.8, 0.985), (1.0, 0.99), (0.3, 0.95)])
def test_told_nothing_it_links_two_lists_of_people(both, least):
    lists = people(1_500, both=both, seed=21)
    one, other = (side.drop("id") for side in (lists.left, lists.right))
    chosen, found = link_by(one, other, [], least=None, take="once")
    ids = zip(lists.left["id"].gather(found["left"]), lists.right["id"].gather(found["right"]), strict=True)
    right = len(set(ids) & lists.same)
    assert 2 * right / (found.height + len(lists.same)) >= least
    weights = {field.left: field.weight for field in chosen.fields}
    assert weights["given name"] > weights["place"]  # people of one house share the place, not the name
    again = link(one, other, chosen.fields, least=chosen.least, take="once")  # what it says does the same
    assert len(set(again.select("left", "right").iter_rows()) & set(found.select("left", "right").iter_rows())) >= (
        0.995 * found.height
    )


def test_where_nothing_can_be_learnt_all_fields_count_alike():
    few = table(("Ada", "Fen", "1974"), ("Bess", "Moor", "1980"))
    chosen = choose(few, few, [("name", "name"), ("born", "born")])
    assert [(f.left, f.measure, f.weight) for f in chosen.fields] == [("name", "spelling", 1), ("born", "digits", 1)]


def test_columns_meet_by_name_and_else_by_their_values():
    left = pl.DataFrame({"Given-Name": ["Ada", "Bess"], "Ort": ["Fen", "Moor"], "none": [None, None], "x": ["1", "2"]})
    right = pl.DataFrame({"place": ["moor", "fen"], "given name": ["?", "!"], "none": ["a", "b"], "y": ["7", "8"]})
    text = [side.cast(pl.String) for side in (left, right)]
    assert columns_that_meet(*text) == [("Given-Name", "given name"), ("Ort", "place")]
    with pytest.raises(Problem, match="no column of one shares"):
        link_by(text[0].select("x"), text[1].select("y"), [], least=None, take="once")


def test_groups_hold_what_is_like_their_middle_and_no_chain():
    rows = [("Ada Fenn", None, None), ("Bess Moor", None, None), ("Ada Fen", None, None), ("Adah Fenn", None, None)]
    found = groups_of_one_thing(table(*rows), [Field("name", "name", "letters")], least=85)
    assert found.rows() == [(0, 0, 100.0), (0, 2, pytest.approx(93.3)), (0, 3, pytest.approx(94.1))]
    # Each a step from the next, the ends far apart: not one thing.
    chain = table(*((text, None, None) for text in ("aaaaaaaa", "aaaaaabb", "aaaabbbb", "aabbbbbb", "bbbbbbbb")))
    grouped = groups_of_one_thing(chain, [Field("name", "name", "letters")], least=75)
    for _, group in grouped.group_by("group"):
        middle = group.filter(pl.col("score") == 100)["row"].to_list()
        assert group.height <= 3 and middle


@given(ROWS, st.sampled_from([60, 90]))
@settings(max_examples=40)
def test_each_row_is_in_one_group_and_alike_to_its_middle(rows, least):
    given_rows = table(*rows)
    found = groups_of_one_thing(given_rows, PAIR, least=least)
    assert found["row"].is_unique().all() and (found["score"] >= least).all()
    alone = set(range(len(rows))) - set(found["row"])
    pairs = link(given_rows, given_rows, PAIR, least=least, take="all", one_table=True)
    assert not any(a in alone and b in alone for a, b in pairs.select("left", "right").iter_rows())
    assert all(group.height > 1 and group["row"].min() == key[0] for key, group in found.group_by("group"))


def test_weights_tell_what_is_right_and_are_never_below_nothing():
    pick = np.random.default_rng(4)
    known = np.repeat([1.0, 0.0], 200)
    says, noise = known * 0.8 + pick.random(400) * 0.2, pick.random(400)
    weights = fitted(np.column_stack([says, noise, 1 - says]), known)
    assert weights[0] > 5 * weights[1] >= 0 and weights[2] == 0
    assert fitted(np.column_stack([1 - says]), known) == [0.0]
    assert list(itertools.chain(fitted(np.empty((0, 2)), np.empty(0)))) == [0.0, 0.0]


PEOPLE = pl.DataFrame(
    {
        "name": ["Ada Fenn", "Bess Moor", "Ada Fen", "Cecil Ash", "Ada Fenn"],
        "town": [None, "Coldwater", "Saltmarsh", None, "Salt Marsh"],
        "packets": [3, 5, 4, 1, None],
    }
)


def merged(**given):
    kind = kinds()["merge_double_rows"]
    made = kind.Settings.model_validate({"fields": [{"column": "name", "measure": "letters"}]} | given)
    return compute(kind, made, Tables.of(PEOPLE.lazy()), None)


def test_double_rows_become_one_with_what_each_knows():
    how = [{"column": "packets", "how": "sum"}, {"column": "town", "how": "list"}]
    assert merged(stays="first").lazy().collect().rows() == [
        ("Ada Fenn", "Saltmarsh", 3), ("Bess Moor", "Coldwater", 5), ("Cecil Ash", None, 1)
    ]  # fmt: skip
    done = merged(stays="last", merged=how)
    assert done.lazy().collect().rows()[0] == ("Ada Fenn", "Salt Marsh, Saltmarsh", 7)
    assert [(f.code, f.count, f.side) for f in done.facts] == [("groups", 1, ""), ("double", 3, "groups")]
    assert done.frames["groups"]["Group"].to_list() == [1, 1, 1]
    ways = {"frequent": "Ada Fenn", "longest": "Ada Fenn", "min": "Ada Fen", "max": "Ada Fenn"}
    for way, name in ways.items():
        found = merged(merged=[{"column": "name", "how": way}])
        assert found.lazy().collect()["name"][0] == name, way


def test_of_double_rows_one_stays_or_all_are_marked():
    kept = merged(then="keep")
    assert kept.lazy().collect()["name"].to_list() == ["Bess Moor", "Ada Fen", "Cecil Ash"], "the fullest stays"
    assert kept.frames["removed"]["packets"].to_list() == [3, None]
    most = merged(then="keep", stays="first", order=[{"column": "packets", "down": True}])
    assert most.lazy().collect()["packets"].to_list() == [5, 4, 1]
    marked = merged(then="mark").lazy().collect()
    assert marked["Group"].to_list() == [1, None, 1, None, 1] and marked.height == PEOPLE.height
    for given_wrong, said in (
        ({"fields": []}, "none is chosen yet"),
        ({"fields": [{"column": "names"}]}, "Did you mean “name”"),
        ({"then": "mark", "group": "town"}, "two columns of this name"),
        ({"merged": [{"column": "town", "how": "sum"}]}, "have no “sum”"),
    ):
        with pytest.raises(Problem, match=said):
            merged(**given_wrong)


GIVEN = st.none() | st.sampled_from(["Ada", "Ida", "Jon", "John", "Bess"])
PLACE = st.none() | st.sampled_from(["Fen", "Fenn", "Dale"])
LISTED = st.lists(st.tuples(GIVEN, PLACE), max_size=6)


@given(LISTED, LISTED, st.integers(50, 90))
def test_a_match_to_decide_tells_both_rows_field_by_field(mine, theirs, least):
    table, other = (
        pl.DataFrame(rows, schema=["given", "Rows"], orient="row", strict=False).cast(pl.String)
        for rows in (mine, theirs)
    )
    fields = [{"column": name, "reference": name, "measure": "spelling"} for name in ("given", "Rows")]
    kind = kinds()["look_up_alike"]
    chosen = kind.Settings.model_validate(
        {"fields": fields, "least": least, "bring": [{"column": "given", "name": "x"}]}
    )
    asked = compute(kind, chosen, Tables.of(table.lazy(), reference=other.lazy()), None).frames["open"]
    told = lambda row: " · ".join(value or "" for value in row).removesuffix(" · ")  # noqa: E731
    for row in asked.iter_rows(named=True):
        assert [(one["column"], one["other"]) for one in row["Fields"]] == [(name, name) for name in ("given", "Rows")]
        here, there = (tuple(one[at] for one in row["Fields"]) for at in ("here", "there"))
        assert here in table.rows() and there in other.rows()
        assert told(here) == row["Name"] and told(there) == row["Proposal"]


def test_one_key_names_one_list_of_texts():
    """Also where a text holds the mark that stands between two, or the middle one is empty."""
    signs = ["", "a", "·", " ·", "· ", "a · b", "··", " "]
    texts = pl.DataFrame(list(itertools.product(signs, repeat=3)), schema=["a", "b", "c"], orient="row")
    keys = texts.select(question_key([pl.col(name) for name in texts.columns])).to_series()
    assert keys.n_unique() == texts.height
