"""Every mark of a chart stands for the rows that it says, and opens just these."""

import datetime

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from updraft.core import Problem
from updraft.core.insight import Focus
from updraft.core.insight.charts import BARS, POINTS, Asked, chart, usual

SCHEMA = {"hub": pl.String, "n": pl.Int64, "kg": pl.Float64, "on": pl.Date, "at": pl.Datetime("us")}
DAY = st.dates(datetime.date(2025, 12, 1), datetime.date(2026, 2, 28))
ROW = st.tuples(
    st.sampled_from(["Fen", "Moor", "fen ", "", None]),
    st.none() | st.integers(-3, 3),
    st.none() | st.sampled_from([0.1, 0.25, 1.0, -2.5, 1e6, float("nan"), float("inf")]),
    st.none() | DAY,
    st.none() | st.datetimes(datetime.datetime(2026, 1, 1), datetime.datetime(2026, 1, 3)),
)
TABLE = st.lists(ROW, min_size=1, max_size=12).map(lambda rows: pl.DataFrame(rows, schema=SCHEMA, orient="row"))
ASKED = st.one_of(
    st.builds(Asked, shape=st.just("bars"), x=st.sampled_from([*SCHEMA]), y=st.sampled_from(["n", "kg"]),
              figure=st.sampled_from(["rows", "sum", "mean", "median", "min", "max"])),
    st.builds(Asked, shape=st.just("line"), x=st.sampled_from(["n", "kg", "on", "at"]), y=st.sampled_from(["n", "kg"]),
              figure=st.sampled_from(["rows", "sum"]), by=st.sampled_from(["", "hub", "n"])),
    st.builds(Asked, shape=st.just("scatter"), x=st.sampled_from(["n", "kg", "on", "at"]), y=st.sampled_from(["n", "kg", "on"]),
              by=st.sampled_from(["", "hub"])),
    st.builds(Asked, shape=st.just("histogram"), x=st.sampled_from(["n", "kg", "on", "at"])),
)  # fmt: skip


def opened(table: pl.DataFrame, rule) -> pl.DataFrame:
    focus = Focus.model_validate({"chips": [{"label": "", "column": "", "rule": rule}]})
    return table[focus.rows(table.lazy()).to_list()]


@given(TABLE, ASKED)
def test_each_mark_opens_the_rows_that_it_counts(table, asked):
    made = chart(table.select(asked.columns()), asked)
    for mark in made["marks"]:
        if mark["rows"]:
            assert opened(table, mark["rule"]).height == mark["rows"], mark
    counted = sum(mark["rows"] for mark in made["marks"])
    assert counted == table.height or (made["said"] and counted < table.height)


@given(TABLE, st.sampled_from(["sum", "mean", "median", "min", "max"]))
def test_a_bar_is_as_high_as_the_figure_of_its_rows(table, figure):
    made = chart(table, Asked(x="hub", y="n", figure=figure))
    for mark in made["marks"]:
        values = opened(table, mark["rule"])["n"].drop_nulls()
        assert mark["y"] == (pytest.approx(getattr(values, figure)()) if values.len() else None)


def test_many_values_are_told_and_the_far_points_are_always_there():
    table = pl.DataFrame({"x": [f"v{n}" for n in range(100)], "n": list(range(100))})
    made = chart(table, Asked(x="x", y="n", figure="sum"))
    assert len(made["marks"]) == BARS and made["marks"][0]["label"] == "v99"
    assert made["said"] == ["60 more values, of 60 rows, are left out"]
    points = pl.DataFrame({"a": [*range(5000), 90_000], "b": [n % 97 for n in range(5001)]})
    made = chart(points, Asked(shape="scatter", x="a", y="b"))
    assert len(made["marks"]) == POINTS and made["marks"][-1]["x"] == 90_000 and made["marks"][-1]["far"]
    days = pl.DataFrame({"on": [datetime.date(2020, 1, 1) + datetime.timedelta(days=n) for n in range(1500)]})
    weeks = chart(days, Asked(shape="line", x="on"))
    assert len(weeks["marks"]) == 215 and "one point for each week" in weeks["said"]
    assert sum(opened(days, mark["rule"]).height for mark in weeks["marks"]) == 1500


def test_a_chart_begins_with_what_is_likely_wanted():
    many = pl.DataFrame({"id": [f"K{n}" for n in range(90)], "hub": ["Fen", "Moor", "Ash"] * 30, "kg": [1.5] * 90})
    assert usual(many) == Asked(x="hub", y="kg", figure="sum")
    days = many.select("id", pl.lit(datetime.date(2026, 3, 1)).alias("on"), "kg")
    assert usual(days) == Asked(shape="line", x="on", y="kg", figure="sum")
    assert usual(many.select("kg")) == Asked(shape="histogram", x="kg")
    assert usual(many.select("id")) == Asked(x="id") and usual(pl.DataFrame()) == Asked()


@pytest.mark.parametrize(
    ("asked", "said"),
    [
        ({"x": ""}, "of which column"),
        ({"shape": "line", "x": "hub"}, "Choose bars"),
        ({"shape": "scatter", "x": "n"}, "what goes upwards"),
        ({"x": "hub", "y": "hub", "figure": "sum"}, "Choose a column of numbers"),
        ({"x": "gone"}, "gone"),
    ],
)
def test_what_cannot_be_drawn_is_said(asked, said):
    table = pl.DataFrame(schema=SCHEMA)
    with pytest.raises(Problem, match=said):
        chart(table, Asked.model_validate(asked))
