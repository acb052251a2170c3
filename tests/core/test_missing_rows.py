"""Rows that are missing: every day or number from the first to the last, and every combination."""

import datetime
import itertools

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from updraft.core import Problem
from updraft.core.engine.table import compute
from updraft.core.steps import Tables, kinds

KIND = kinds()["add_missing_rows"]
START = datetime.date(2026, 2, 20)
SCHEMA = {"hub": pl.String, "on": pl.Date, "n": pl.Int64, "kg": pl.Float64}
ROW = st.tuples(
    st.sampled_from(["Fen", "Moor", None]),
    st.integers(0, 12).map(lambda n: START + datetime.timedelta(days=n)) | st.none(),
    st.integers(0, 5) | st.none(),
    st.sampled_from([0.5, 2.0, None]),
)


def done(rows, **given_settings):
    table = pl.DataFrame(rows, schema=SCHEMA, orient="row")
    return compute(KIND, KIND.Settings.model_validate(given_settings), Tables.of(table.lazy()), None)


@given(st.lists(ROW, max_size=8), st.booleans(), st.booleans(), st.booleans())
def test_every_day_of_every_group_has_a_row_and_no_row_is_lost(rows, grouped, whole, zero):
    found = done(rows, column="on", within=["hub"] if grouped else [], whole=whole, zero=zero)
    key = lambda row: row[0] if grouped else None  # noqa: E731
    known = {row[1] for row in rows if row[1]}
    expected = set()
    for group in {key(row) for row in rows}:
        days = {row[1] for row in rows if key(row) == group and row[1]}
        ends = known if whole and grouped else days
        if ends:
            span = (max(ends) - min(ends)).days + 1
            expected |= {(group, min(ends) + datetime.timedelta(days=n)) for n in range(span)}
    had = {(key(row), row[1]) for row in rows}
    out = found.lazy().collect().rows()
    assert {(key(row), row[1]) for row in out} == expected | had
    assert len(out) == len(rows) + len(expected - had) and found.frames["added"].height == len(expected - had)
    assert sorted(map(repr, out)) == sorted(map(repr, [*rows, *found.frames["added"].rows()]))
    assert all(row[2:] == ((0, 0.0) if zero else (None, None)) for row in found.frames["added"].rows())
    order = lambda row: ((key(row) is None, key(row)), (row[1] is None, row[1]))  # noqa: E731
    assert [order(row) for row in out] == sorted(order(row) for row in out)


@given(st.lists(ROW, max_size=8))
def test_every_combination_has_a_row(rows):
    found = done(rows, by="combinations", columns=["hub", "n"], mark="New")
    every = set(itertools.product({row[0] for row in rows}, {row[2] for row in rows}))
    out = found.lazy().collect()
    assert set(out.select("hub", "n").rows()) == every
    assert out["New"].sum() == len(every - {(row[0], row[2]) for row in rows}) == found.frames["added"].height


def test_numbers_and_months_step_from_the_first():
    rows = [("Fen", datetime.date(2026, 1, 31), 1, 0.1), ("Fen", datetime.date(2026, 4, 30), 4, 0.4)]
    numbers = done(rows, column="kg", unit="number", width=0.1).lazy().collect()
    assert numbers["kg"].to_list() == [0.1, 0.2, 0.3, 0.4]
    assert done(rows, column="n", unit="number").lazy().collect()["n"].to_list() == [1, 2, 3, 4]
    months = done(rows, column="on", unit="month").lazy().collect()
    assert [str(day) for day in months["on"]] == ["2026-01-31", "2026-02-28", "2026-03-31", "2026-04-30"]


@pytest.mark.parametrize(
    ("wrong", "said"),
    [
        ({"column": "hub"}, "Choose a column of dates"),
        ({"column": "on", "within": ["on"]}, "its own group"),
        ({"column": "kg", "unit": "number", "width": 0}, "not above 0"),
        ({"column": "kg", "unit": "number", "width": 1e-8}, "5,000,000 are the most"),
        ({"by": "combinations", "columns": ["hub"]}, "two columns at least"),
        ({"column": "on", "mark": "hub"}, "hub"),
    ],
)
def test_what_cannot_be_missing_is_said(wrong, said):
    with pytest.raises(Problem, match=said):
        done([("Fen", START, 1, 0.5), ("Fen", START, 9, 2.5)], **wrong)
