"""Profiles, value lists, patterns, histograms, focus, pairs and comparisons: figures of all rows, and rules that tell them."""

import json
import math
from datetime import date, datetime

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from updraft.core import Flow, Problem, dump, load
from updraft.core.figures import counting, histogram, pattern_counts, pattern_words, profile, profile_table, profiles
from updraft.core.flow.edits import EDIT
from updraft.core.insight import (
    Chip,
    Focus,
    column_values,
    counted_values,
    cross_table,
    determined_by,
    exceptions,
    ordered_values,
    scatter,
    summarise_columns,
)
from updraft.core.insight.compare import gone_and_new
from updraft.core.insight.neighbours import dismissed, neighbours
from updraft.core.steps import SHAPES
from updraft.core.steps.conditions import Rule, compiled

TEXT = st.one_of(st.none(), st.text("ab1 -é.(", max_size=5))
NUMBER = st.one_of(st.none(), st.floats(), st.integers(-9, 9).map(float))


def window(counted, search="", order="count", **more) -> dict:
    return column_values(counted, ordered_values(counted, search=search, order=order), **more)


@given(st.lists(NUMBER, max_size=40), st.integers(1, 30), st.booleans())
def test_a_histogram_counts_every_cell_once(values, bins, log):
    series = pl.Series("n", values, dtype=pl.Float64)
    found = histogram(series, bins, log=log)
    assert sum(found.counts) + found.empty + found.outside == len(values)
    assert list(found.edges) == sorted(found.edges) and len(found.labels) == len(found.edges)
    inside = [v for v in values if v is not None and math.isfinite(v) and (v > 0 or not log)]
    assert sum(found.counts) == len(inside)
    if inside:
        assert found.edges[0] == min(inside) == float(found.labels[0])
        assert found.edges[-1] >= max(inside) == float(found.labels[-1]) or min(inside) == max(inside)
        assert [float(label) for label in found.labels] == list(found.edges), "what is shown is what is counted"


@pytest.mark.parametrize(
    ("series", "labels"),
    [
        (pl.Series([1, 2, 2, 9]), ["1", "2", "3", "4", "5", "6", "7", "8", "9", "10"]),
        (pl.Series(range(100)), [str(n) for n in [*range(0, 100, 5), 100]]),
        (pl.Series([1, 50, 97]), [str(n) for n in [*range(1, 97, 5), 98]]),
        (pl.Series([date(2026, 3, 1), date(2026, 3, 3)]), ["2026-03-01", "2026-03-02", "2026-03-03", "2026-03-04"]),
    ],
)
def test_whole_numbers_and_days_get_bins_of_their_own(series, labels):
    assert list(histogram(series, 24).labels) == labels


@given(st.lists(TEXT, min_size=1, max_size=30), st.booleans())
def test_a_pattern_tells_its_texts_from_all_others(values, fine):
    texts = [value for value in values if value is not None]
    counts = pl.DataFrame({"value": texts}, schema={"value": pl.String}).group_by("value").agg(pl.len().alias("n"))
    found = pattern_counts(counts, fine)
    assert found["n"].sum() == len(texts) and found["n"].is_sorted()
    shaped = pl.DataFrame({"value": texts}, schema={"value": pl.String})
    for pattern, many in found.select("pattern", "n").iter_rows():
        condition = {"column": "value", "test": "fine_shape" if fine else "shape", "value": pattern}
        rule = Rule.model_validate({"of": [condition]})
        assert shaped.filter(compiled(rule, shaped.schema)).height == many


def test_patterns_are_said_in_words():
    assert pattern_words("aa-99999", fine=True) == "2 letters - 5 digits"
    assert pattern_words("a 9") == "letters blank digits"


@given(st.lists(st.tuples(TEXT, NUMBER), max_size=25))
def test_a_profile_counts_what_is_there(rows):
    table = pl.DataFrame(rows, schema={"t": pl.String, "n": pl.Float64}, orient="row")
    text, number = profile(table)
    texts, numbers = table["t"].to_list(), table["n"].to_list()
    blank = [t for t in texts if t is not None and not t.strip()]
    assert (text.empty, text.blank_only) == (sum(t is None for t in texts) + len(blank), len(blank))
    filled = {t for t in texts if t is not None and t.strip()}
    assert text.distinct == len(filled) and sum(n for _, n in text.patterns) <= len(texts)
    good = [n for n in numbers if n is not None and math.isfinite(n)]
    assert number.odd == sum(n is not None and not math.isfinite(n) for n in numbers)
    assert number.numbers["zeros"] == sum(n == 0 for n in good) and number.numbers["min"] == min(good, default=None)
    assert json.dumps(number.as_dict(), default=str) and profile_table([text, number]).height == 2


@given(st.data())
def test_a_profile_of_a_table_that_is_gone_over_in_ranges_is_that_of_all_of_it(tmp_path, data):
    days = st.dates(date(2025, 12, 1), date(2026, 2, 1))
    numbers = st.floats(-1e6, 1e6) | st.sampled_from([math.nan, math.inf, -math.inf, -0.0])
    wholes, texts = st.integers(-9, 9), st.sampled_from(["a", "b1", "b2", " ", "Zürich", "é", ""])
    some = {"t": texts, "n": numbers, "w": wholes, "d": days, "b": st.booleans(), "m": days.map(_noon)}
    schema = {"t": pl.String, "n": pl.Float64, "w": pl.Int64, "d": pl.Date, "b": pl.Boolean, "m": pl.Datetime("us")}
    rows = data.draw(st.lists(st.fixed_dictionaries({k: st.none() | v for k, v in some.items()}), max_size=60))
    table = pl.DataFrame(rows, schema=schema)
    at_once = [column.as_dict() for column in profile(table)]
    table.write_ipc(tmp_path / "table.arrow")
    with pytest.MonkeyPatch.context() as patch:
        few = {"_DISTINCT": data.draw(st.integers(2, 12)), "_SAMPLED": 8, "_BATCH": 7}
        for name, number in few.items():
            patch.setattr(counting, name, number)
        patch.setattr(profiles, "TOGETHER", 3)
        in_ranges = [column.as_dict() for column in profile(pl.scan_ipc(tmp_path / "table.arrow"))]
    for one, other in zip(at_once, in_ranges, strict=True):
        about = [{k: column.get("numbers", {}).pop(k, None) for k in ("mean", "spread")} for column in (one, other)]
        assert about[0] == pytest.approx(about[1], abs=1e-6)
        assert one == other


def _noon(day):
    return datetime(day.year, day.month, day.day, 12)


def test_a_profile_of_days_tells_gaps_weekdays_and_months():
    [days] = profile(
        pl.DataFrame({"day": [date(2026, 3, 2), date(2026, 3, 2), date(2026, 3, 5), None, date(2026, 4, 1)]})
    )
    assert days.days == {"first": "2026-03-02", "last": "2026-04-01", "missing_days": 28, "longest_gap": 26}
    assert days.weekdays == (2, 0, 1, 1, 0, 0, 0) and days.months == {"2026-03": 3, "2026-04": 1} and days.empty == 1


def test_a_value_list_is_searched_sorted_and_windowed():
    counted = counted_values(pl.Series("v", [10, 9, 10, None, 2, 9, 10]))
    assert window(counted)["values"] == [("10", 3), ("9", 2), (None, 1), ("2", 1)]
    assert [value for value, _ in window(counted, order="value")["values"]] == ["2", "9", "10", None]
    part = window(counted, order="rare", offset=1, most=2)
    assert [value for value, _ in part["values"]] == [None, "9"] and (part["distinct"], part["rows"]) == (4, 7)
    assert window(counted, search="0")["values"] == [("10", 3)]


TABLE = pl.DataFrame(
    {
        "hub": ["Fen", "fen", None, "Cold", "Fen"],
        "grams": [5, 9, 7, None, 2],
        "note": [None, "late", "x", "Fen road", ""],
    }
)


def chip(column, *conditions) -> Chip:
    return Chip(label="", column=column, conditions=[{"column": column, **c} for c in conditions])


@pytest.mark.parametrize(
    ("focus", "rows"),
    [
        (Focus(), [0, 1, 2, 3, 4]),
        (Focus(chips=[chip("hub", {"test": "equals", "value": "Fen"}), chip("hub", {"test": "empty"})]), [0, 2, 4]),
        (
            Focus(
                chips=[
                    chip("hub", {"test": "one_of", "values": ["Fen", "fen"]}),
                    chip("grams", {"test": "between", "value": "3", "to": "9"}),
                ]
            ),
            [0, 1],
        ),
        (Focus(search="fen"), [0, 1, 3, 4]),
        (Focus(search="9"), [1]),
        (
            Focus(
                chips=[
                    Chip(
                        label="",
                        rule={
                            "match": "any",
                            "of": [
                                {"column": "grams", "test": "less", "value": "3"},
                                {"column": "note", "test": "empty"},
                            ],
                        },
                    )
                ]
            ),
            [0, 4],
        ),
        (Focus(chips=[Chip(label="", finding="mine"), chip("hub", {"test": "filled"})]), [1, 4]),
    ],
)
def test_selections_combine(focus, rows):
    assert focus.rows(TABLE, {"mine": pl.Series([1, 2, 4])}).to_list() == rows


@given(
    st.lists(st.sampled_from(["equals", "none_of", "empty", "filled", "contains"]), max_size=4),
    st.sampled_from(["", "fen", "x"]),
)
def test_a_focus_is_the_rows_that_its_rule_keeps(tests, search):
    focus = Focus(
        chips=[
            chip(["hub", "note"][n % 2], {"test": test, "value": "Fen", "values": ["Fen"]})
            for n, test in enumerate(tests)
        ],
        search=search,
    )
    if focus.nothing:
        return
    kept = TABLE.with_row_index("row").filter(compiled(focus.rule(TABLE.schema), TABLE.schema))["row"]
    assert focus.rows(TABLE).to_list() == kept.to_list()
    assert focus.without("hub").rows(TABLE).len() >= kept.len()


def test_rows_told_by_their_place_make_no_rule():
    with pytest.raises(Problem, match="no rule"):
        Focus(chips=[Chip(label="", finding="mine")]).rule(TABLE.schema)


@given(st.lists(st.tuples(st.sampled_from("abc"), st.sampled_from(["x", "y", "z", None])), min_size=20, max_size=60))
def test_the_rows_that_break_a_dependency_are_as_many_as_its_share_leaves_out(pairs):
    table = pl.DataFrame(pairs, schema=["key", "value"], orient="row")
    full = table.drop_nulls()
    usual = full.group_by("key", "value").len().group_by("key").agg(pl.col("len").max())["len"].sum()
    rows = exceptions(table, "key", "value")
    assert rows.len() == full.height - usual and rows.n_unique() == rows.len()
    for key in rows.to_list() and table[rows.to_list()]["key"].unique():
        kept = table.with_row_index("row").filter(~pl.col("row").is_in(rows.implode()) & (pl.col("key") == key))
        assert kept["value"].drop_nulls().n_unique() == 1, "without them the key determines the value"


def test_two_columns_are_counted_together_and_the_one_that_determines_is_named():
    table = pl.DataFrame(
        {"code": ["a", "a", "b", "b", "c", "c"] * 10, "name": ["A", "A", "B", "B", "B", "B"] * 10, "n": range(60)}
    )
    cross = cross_table(table, "code", "name")
    assert (
        cross["rows"] == ["a", "b", "c"]
        and cross["columns"] == ["B", "A"]
        and cross["counts"] == [[0, 20], [20, 0], [20, 0]]
    )
    assert cross["row_totals"] == [20, 20, 20] and cross["total"] == 60
    assert determined_by(table, "code") == [
        {"column": "name", "determines": 1.0, "determined": 0.0, "against": 0, "against_it": 0}
    ]
    points = scatter(table.with_columns(m=-2 * pl.col("n")), "n", "m")
    assert (
        points["all"] == 60
        and points["correlation"] == pytest.approx(-1)
        and points["rank_correlation"] == pytest.approx(-1)
    )


@given(
    st.lists(st.tuples(st.integers(0, 2), st.integers(0, 2)), max_size=8),
    st.lists(st.tuples(st.integers(0, 2), st.integers(0, 2)), max_size=8),
)
def test_rows_gone_and_new_are_what_two_bags_of_rows_differ_by(one, other):
    schema = {"a": pl.Int64, "b": pl.Int64}
    before, after = (pl.DataFrame(rows, schema=schema, orient="row") for rows in (one, other))
    gone, new = gone_and_new(before, after)
    left = list(other)
    expected = [row for row in one if row not in left or left.remove(row)]
    assert sorted(before[gone].rows()) == sorted(expected) and len(new) == len(other) - (len(one) - len(expected))


def test_a_dismissed_finding_stays_away_at_later_steps_and_travels_with_the_flow():
    flow = Flow.model_validate({"steps": [
        {"id": "lots", "kind": "read_file", "settings": {"path": "a.csv"}}, {"id": "tidy", "kind": "tidy_text", "inputs": {"table": "lots"}},
        {"id": "hubs", "kind": "read_file", "settings": {"path": "b.csv"}}, {"id": "short", "kind": "choose_columns", "inputs": {"table": "hubs"}},
        {"id": "join", "kind": "look_up", "inputs": {"table": "tidy", "reference": "short"}}]})  # fmt: skip
    assert neighbours(flow, "lots") == {"short": "Choose columns"} and neighbours(flow, "join") == {}
    away = EDIT.validate_python({"op": "dismiss", "id": "lots", "finding": "zeros:Grams", "reason": "measured"}).apply(
        flow, SHAPES
    )
    assert dismissed(load(dump(away)), "tidy") == {"zeros:Grams": "measured"} and dismissed(away, "hubs") == {}
    assert (
        EDIT.validate_python({"op": "dismiss", "id": "tidy", "finding": "zeros:Grams", "restore": True}).apply(
            away, SHAPES
        )
        == flow
    )


@pytest.mark.parametrize("ends", [(0.0, 5e-324), (-1.7e308, 1.7e308)])
def test_the_small_histogram_of_a_head_stands_the_widest_and_the_narrowest_range(ends):
    table = pl.DataFrame({"n": [*ends, ends[1], None]})
    bars = summarise_columns(table.lazy())[0].bars
    assert bars[0] == 0.5 and bars[-1] == 1 and not any(bars[1:-1])
