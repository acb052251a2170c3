"""What is said of a join before it is made is what the join makes."""

import datetime

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from updraft.core.engine.table import compute
from updraft.core.insight.alike_fields import best_scores
from updraft.core.insight.meeting import meeting
from updraft.core.linking import Field
from updraft.core.problems import Problem
from updraft.core.steps import Tables, kinds

KEY = st.none() | st.sampled_from(["a", "A", "á", " a", "01", "1", "b"])
MINE = st.lists(st.tuples(KEY, st.integers(1, 4)), max_size=8)
THEIRS = st.lists(st.tuples(KEY, st.sampled_from(["p", "q"])), max_size=8)
JOIN = kinds()["join"]
FLAGS = ("ignore_case", "ignore_blanks", "ignore_accents", "as_numbers")


def joined(mine, theirs, **settings):
    chosen = JOIN.Settings.model_validate({"keys": [{"column": "k", "reference": "id"}], **settings})
    table = pl.DataFrame(mine, schema={"k": pl.String, "n": pl.Int64}, orient="row").lazy()
    other = pl.DataFrame(theirs, schema={"id": pl.String, "y": pl.String}, orient="row").lazy()
    done = compute(JOIN, chosen, Tables.of(table, reference=other), None)
    return done, meeting(table, other, chosen)


@given(MINE, THEIRS, st.sets(st.sampled_from(FLAGS)))
def test_what_is_said_before_a_join_is_what_it_makes(mine, theirs, on):
    flags = dict.fromkeys(on, True)
    done, said = joined(mine, theirs, **flags)
    rows = {way: joined(mine, theirs, rows=way, **flags)[0].height for way in ("inner", "left", "right", "full")}
    lost, other = done.frames["unmatched"].height, done.frames["unmatched_other"].height
    assert (said.left, said.right) == (len(mine), len(theirs))
    assert said.pairs == rows["inner"]
    assert said.pairs + said.left - said.met == rows["left"]
    assert said.pairs + said.right - said.met_other == rows["right"]
    assert (said.met, said.met_other) == (len(mine) - lost, len(theirs) - other)
    assert said.several == sum(fact.count for fact in done.facts if fact.code == "repeated")
    for flag, gain in said.gains.items():
        turned = flags | {flag: flag not in on}
        assert gain == joined(mine, theirs, **turned)[1].met - said.met
    inner = done.lazy().collect()
    left = pl.DataFrame(mine, schema={"k": pl.String, "n": pl.Int64}, orient="row")
    met = left["n"].sum() - done.frames["unmatched"]["n"].sum()
    changed = [] if met == inner["n"].sum() else [("n", met, inner["n"].sum())]
    assert said.sums == changed
    without = done.frames["unmatched"].drop_nulls("k")
    assert sum(many for _, many, *_ in said.missed) == without.height


def test_the_worst_keys_and_the_nearest_spelling_are_named():
    mine = [("Salt marsh", 1), ("Fen", 1), ("Fen", 2), ("Salt marsh", 1), ("Thornacre", 3), (None, 1)]
    theirs = [("Saltmarsh", "p"), ("Fen", "p"), ("Fen", "q"), ("Fen", "r")]
    _, said = joined(mine, theirs)
    assert said.worst == [(["Fen"], 2, 3)]
    assert said.missed == [(["Salt marsh"], 2, "Saltmarsh", 94.7, 0), (["Thornacre"], 1, None, None, None)]
    assert said.found == [(3, 1)] and said.missed_in_all == 2 and said.shared == 3 and said.several_other == 3


WORD = st.none() | st.sampled_from(["Saltmarsh", "Salt marsh", "Saltmarch", "Fen", "Fenn", "Thornacre", "x"])
TWO = st.lists(st.tuples(WORD, WORD, st.integers(1, 2)), max_size=7)
TWO_KEYS = [{"column": "k", "reference": "k"}, {"column": "l", "reference": "l"}]


@given(TWO, TWO, st.booleans())
def test_a_near_spelling_that_is_taken_in_one_of_several_keys_makes_its_rows_meet(mine, theirs, fold):
    schema = {"k": pl.String, "l": pl.String, "n": pl.Int64}
    here, there = (pl.DataFrame(rows, schema=schema, orient="row").lazy() for rows in (mine, theirs))
    chosen = JOIN.Settings.model_validate({"keys": TWO_KEYS, "ignore_case": fold})
    said = meeting(here, there, chosen)
    assert said.missed_in_all == len(said.missed)
    for values, many, near, alike, place in said.missed:
        if near is None:
            continue
        assert alike >= 60 and near != values[place]
        column = "kl"[place]
        both = (pl.col(name) == value for name, value in zip("kl", values, strict=True))
        mended = here.with_columns(pl.when(*both).then(pl.lit(near)).otherwise(pl.col(column)).alias(column))
        assert meeting(mended, there, chosen).met == said.met + many


def test_of_several_keys_the_one_that_is_misspelt_is_named():
    schema = {"k": pl.String, "l": pl.String, "n": pl.Int64}
    mine = [("Fen", "Bay Gm", 1), ("Fenn", "Leek", 1), ("Dale", "Bay Gem", 1)]
    theirs = [("Fen", "Bay Gem", 1), ("Fen", "Leek", 1), ("Fen", "Kale", 1)]
    here, there = (pl.DataFrame(rows, schema=schema, orient="row").lazy() for rows in (mine, theirs))
    said = meeting(here, there, JOIN.Settings.model_validate({"keys": TWO_KEYS}))
    assert [(values, near, place) for values, _, near, _, place in said.missed] == [
        (["Fen", "Bay Gm"], "Bay Gem", 1),
        (["Fenn", "Leek"], "Fen", 0),
        (["Dale", "Bay Gem"], None, None),
    ]


NAMES = st.lists(st.none() | st.sampled_from(["Ada Fen", "Ada Fenn", "Bess", "Bes Moor", "Cecil", "x"]), max_size=8)


@given(NAMES, NAMES, st.sampled_from(["letters", "spelling"]), st.integers(1, 100))
def test_the_scores_that_are_shown_are_those_of_the_matches(mine, theirs, measure, least):
    field = {"column": "a", "reference": "b", "measure": measure}
    table, other = (
        pl.DataFrame({name: rows}, schema={name: pl.String}).lazy() for name, rows in (("a", mine), ("b", theirs))
    )
    said = best_scores(table, other, [Field("a", "b", measure)])
    kind = kinds()["look_up_alike"]
    chosen = kind.Settings.model_validate({"fields": [field], "least": least, "bring": [{"column": "b"}]})
    done = compute(kind, chosen, Tables.of(table, reference=other), None)
    assert sum(said.counts[least:]) == len(mine) - done.frames["unmatched"].height
    assert (said.rows, said.all, said.none) == (len(mine), len(mine), len(mine) - sum(said.counts))
    own = kinds()["merge_double_rows"]
    alone = best_scores(table, None, [Field("a", "a", measure)])
    settings = own.Settings.model_validate(
        {"fields": [{"column": "a", "measure": measure}], "least": least, "then": "mark"}
    )
    marked = compute(own, settings, Tables.of(table), None).lazy().collect()["Group"].count()
    # A row that is alike to another is in a group, unless that one went to another middle.
    assert marked <= sum(alone.counts[least:])


PLACE = st.none() | st.integers(-3, 6)
AT = st.lists(st.tuples(st.sampled_from(["a", "A", "b", None]), PLACE, st.integers(1, 4)), max_size=8)
SPANS = st.lists(st.tuples(st.sampled_from(["a", "b", "bb", None]), PLACE, PLACE), max_size=8)
RANGE = {"by": "range", "near": "at", "start": "low", "end": "high"}
NEAREST = {"by": "nearest", "near": "at", "near_reference": "low"}


@given(
    AT,
    SPANS,
    st.sampled_from([RANGE, *({**NEAREST, "side": side, "within": 2} for side in ("before", "after", "either"))]),
    st.booleans(),
    st.booleans(),
)
def test_what_is_said_of_the_nearest_and_of_ranges_is_what_the_join_makes(mine, theirs, by, keyed, fold):
    here = pl.DataFrame(mine, schema={"k": pl.String, "at": pl.Int64, "n": pl.Int64}, orient="row").lazy()
    there = pl.DataFrame(theirs, schema={"id": pl.String, "low": pl.Int64, "high": pl.Int64}, orient="row").lazy()

    def both(**more):
        keys = [{"column": "k", "reference": "id"}] if keyed else []
        chosen = JOIN.Settings.model_validate({"keys": keys, "ignore_case": fold, **by, **more})
        return compute(JOIN, chosen, Tables.of(here, reference=there), None), meeting(here, there, chosen)

    done, said = both()
    inner, lost = done.lazy().collect(), done.frames["unmatched"]
    assert (said.left, said.right, said.pairs) == (len(mine), len(theirs), inner.height)
    assert (said.met, said.met_other) == (len(mine) - lost.height, len(theirs) - done.frames["unmatched_other"].height)
    assert said.several == sum(fact.count for fact in done.facts if fact.code == "repeated")
    assert said.several_other <= said.met_other and (said.several_other >= 2) == (said.several > 0)
    met = sum(row[2] for row in mine) - lost["n"].sum()
    assert [one for one in said.sums if one[0] == "n"] == (
        [] if met == inner["n"].sum() else [("n", met, inner["n"].sum())]
    )
    told = [name for name in ("k", "at") if keyed or name == "at"]
    without = lost.drop_nulls(told).group_by(told).len()
    assert said.missed_in_all == without.height == len(said.missed)
    assert sum(many for _, many, *_ in said.missed) == without["len"].sum()
    assert all(len(values) == len(told) and times > 1 for values, _, times in said.worst)
    if keyed:
        assert said.gains["ignore_case"] == both(ignore_case=not fold)[1].met - said.met
    for values, _, near, alike, place in said.missed:
        if near is not None and alike is None:  # near enough were it allowed to lie there
            farther = both(side="either", within=20)[0].frames["unmatched"]
            assert place == len(told) - 1 and int(near) in {row[1] for row in theirs}
            assert int(values[-1]) not in farther.filter(pl.col("k") == values[0] if keyed else True)["at"].to_list()


def test_a_join_by_ranges_of_too_many_rows_stops_before_it_is_made():
    here = pl.DataFrame({"at": range(2_000)}).lazy()
    there = pl.DataFrame({"low": [0] * 2_000, "high": [2_000] * 2_000}).lazy()
    chosen = JOIN.Settings.model_validate({**RANGE, "most": 1_000_000})
    with pytest.raises(Problem, match="3,998,000 rows would be added, and 1,000,000 are the most"):
        compute(JOIN, chosen, Tables.of(here, reference=there), None)
    assert meeting(here, there, chosen).pairs == 4_000_000


def test_of_days_without_a_test_near_enough_the_nearest_is_named():
    day = lambda text: datetime.date.fromisoformat(text)  # noqa: E731
    here = pl.DataFrame(
        {"lot": ["LT-1", "LT-1", "LT-22"], "at": [day("2026-03-01"), day("2026-05-09"), day("2026-05-01")]}
    )
    there = pl.DataFrame({"of": ["LT-1", "LT-2"], "tested": [day("2026-03-04"), day("2026-05-02")]})
    keys = [{"column": "lot", "reference": "of"}]
    by = {"by": "nearest", "near": "at", "near_reference": "tested", "side": "after", "within": 7}
    said = meeting(here.lazy(), there.lazy(), JOIN.Settings.model_validate({"keys": keys, **by}))
    assert (said.met, said.met_other, said.pairs) == (1, 1, 1)
    assert said.missed == [
        (["LT-1", "2026-05-09"], 1, "2026-03-04", None, 1),
        (["LT-22", "2026-05-01"], 1, "LT-2", 88.9, 0),
    ]
