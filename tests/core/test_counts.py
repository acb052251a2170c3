"""A number that can be clicked opens just so many rows: for every kind of count, over tables at random."""

from datetime import UTC, date, datetime, timedelta
from zoneinfo import ZoneInfo

import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.test_cleaning import done
from updraft.core.figures import histogram, pattern_counts, profile
from updraft.core.insight import Focus, counted_values, summarise_columns
from updraft.core.insight.focus import Chip
from updraft.core.insight.ways import ways_into
from updraft.core.steps.conditions import Condition, Rule, compiled
from updraft.core.values import Kind, kind_of
from updraft.core.values.meaning import number_in

ODD = ["", " ", "\u00a0", "n/a", "1.2e+04", "3.1 kg", "-4", "(5)", "1,234", "12,5", " x", "X", "é", "e\u0301", "Ⅷ", "a_b",
       "LOT-12", "L\u0661", "nan", "inf", "2026-03-01", "Monday", "\ta", "a\nb", "'", '"', "{a}", "x" * 130]  # fmt: skip
TEXT = st.sampled_from(ODD) | st.text(max_size=6)
NUMBER = st.sampled_from(
    [0.0, -0.0, 0.1 + 0.2, 1e300, -1e-300, float("nan"), float("inf"), -float("inf"), 5.0]
) | st.floats(width=64)
WHOLE = st.sampled_from([0, 1, -1, 2**53 + 1, -(2**62)]) | st.integers(-(10**6), 10**6)
DAY = st.dates(date(1900, 1, 1), date(2100, 12, 31))
TIME = st.datetimes(datetime(1950, 1, 1), datetime(2100, 12, 31))
ZONED = st.datetimes(datetime(1990, 1, 1), datetime(2030, 12, 31)).map(
    lambda time: time.replace(tzinfo=UTC).astimezone(ZoneInfo("Europe/London"))
)
COLUMNS = {
    "text": (TEXT, pl.String()),
    "number": (NUMBER, pl.Float64()),
    "whole": (WHOLE, pl.Int64()),
    "day": (DAY, pl.Date()),
    "time": (TIME, pl.Datetime("us")),
    "zoned": (ZONED, pl.Datetime("us", "Europe/London")),
    "yes": (st.booleans(), pl.Boolean()),
    "span": (st.timedeltas(timedelta(-9), timedelta(9)), pl.Duration("us")),
    "list": (st.lists(st.sampled_from(["a", "b", None]), max_size=2), pl.List(pl.String)),
    "record": (st.fixed_dictionaries({"a": st.integers(0, 2), "b": TEXT}), pl.Struct({"a": pl.Int64, "b": pl.String})),
}


def tables():
    cells = st.fixed_dictionaries({name: st.none() | cell for name, (cell, _) in COLUMNS.items()})
    schema = {name: dtype for name, (_, dtype) in COLUMNS.items()}
    return st.lists(cells, min_size=1, max_size=9).map(lambda rows: pl.DataFrame(rows, schema=schema, orient="row"))


def opened(table: pl.DataFrame, chip: Chip, *others: Chip) -> int:
    return Focus(chips=(*others, chip)).rows(table).len()


def values_chip(column: str, value: str | None) -> Chip:
    """As the page makes it of a value in the list."""
    test = {"test": "empty"} if value is None else {"test": "one_of", "values": (value,)}
    return Chip(label="", column=column, conditions=(Condition(column=column, **test),))


@settings(max_examples=150)
@given(tables(), st.sampled_from([*COLUMNS, "text", "text", "text", "number", "time"]))
def test_every_count_opens_as_many_rows_as_it_says(table, name):
    series = table[name]
    counted = counted_values(series)
    for value, rows in counted.iter_rows():
        assert opened(table, values_chip(name, value)) == rows, value
    for way in ways_into(series):
        assert opened(table, Chip(label="", column=name, rule=way.rule)) == way.rows, way.key
    empties = sum(rows for value, rows in counted.iter_rows() if value is None)
    (summary,) = summarise_columns(table.select(name).lazy())
    (figures,) = profile(table.select(name))
    assert summary.empty == figures.empty == empties, "one meaning of empty"
    if not series.dtype.is_nested():
        assert summary.distinct == figures.distinct == counted.height - (1 if empties else 0), "and of distinct"
    if name == "text":
        filled = series.drop_nulls().alias("value").to_frame().group_by("value").agg(pl.len().alias("n"))
        for fine in (False, True):
            for pattern, n in pattern_counts(filled, fine).select("pattern", "n").iter_rows():
                test = Condition(column=name, test="fine_shape" if fine else "shape", value=pattern)
                assert opened(table, Chip(label="", column=name, conditions=(test,))) == n


@settings(max_examples=150)
@given(tables(), st.sampled_from(["number", "whole", "day", "time"]), st.integers(1, 30), st.booleans())
def test_a_bar_of_a_histogram_opens_the_rows_that_it_counts(table, name, bins, log):
    series = table[name]
    if name == "whole":
        series = series.clip(-(2**50), 2**50)
        table = table.with_columns(series)
    found = histogram(series, bins, log=log)
    steps = kind_of(series.dtype) in (Kind.WHOLE, Kind.DATE, Kind.DATETIME) and not found.log
    for n, rows in enumerate(found.counts):
        last = "at_most" if n == len(found.counts) - 1 and not steps else "less"
        within = (
            Condition(column=name, test="at_least", value=found.labels[n]),
            Condition(column=name, test=last, value=found.labels[n + 1]),
        )
        assert opened(table, Chip(label="", column=name, rule=Rule(of=within))) == rows, (found.labels, n)


@given(tables())
def test_counts_hold_within_a_selection_of_another_column(table):
    chip = Chip(label="", column="whole", conditions=(Condition(column="whole", test="at_least", value="0"),))
    rows = Focus(chips=(chip,)).rows(table)
    for way in ways_into(table[rows]["text"]):
        assert opened(table, Chip(label="", column="text", rule=way.rule), chip) == way.rows


@pytest.mark.parametrize(
    ("text", "number"),
    [("1.213e+04", 12130.0), ("4.1e-05 kg", 4.1e-05), ("3.1 kg", 3.1), ("(12)", -12.0), ("5-", -5.0), ("1.234,5", 1234.5),
     ("12,5", 12.5), ("1,234", 1234.0), ("1.234.567", 1234567.0), ("0,125", 0.125), ("1 234,50 €", 1234.5), ("5 %", 5.0)],
)  # fmt: skip
def test_a_text_that_is_a_number_is_that_number(text, number):
    table = pl.DataFrame({"a": [text]})
    assert table.select(number_in(pl.col("a"))).item() == pytest.approx(number)
    assert table.filter(compiled(Rule(of=(Condition(column="a", test="number"),)), table.schema)).height == 1


@pytest.mark.parametrize("text", ["n/a", "12 x 5 g", "LOT-12", "nan", "inf", "", " ", "12/5"])
def test_a_text_that_is_none_is_none(text):
    assert pl.DataFrame({"a": [text]}).select(number_in(pl.col("a"))).item() is None


def test_a_number_that_a_step_tells_opens_just_the_rows_that_it_counts():
    lots = pl.DataFrame(
        {
            "hub": ["Fen", "Fen", "Dale", "Dale", "Dale", None],
            "bed": ["A", None, "B", "C", None, None],
            "note": ["5 kg", "wet", "7 kg", None, "dry", " "],
        }
    )
    told = [
        done("fill_gaps", lots, columns=["bed"], by="group", within=["hub"]),
        done("calculate", lots, columns=[{"name": "kg", "formula": "number(before(note, ' kg'))"}]),
        done("extract_text", lots, column="note", into="kg", what="number"),
    ]
    opened = 0
    for found in told:
        table = found.lazy().collect()
        for fact in found.facts:
            if fact.rule is not None:
                kept = table.filter(compiled(Rule.model_validate(fact.rule), table.schema))
                assert kept.height == fact.count, fact.text
                opened += 1
            if fact.side:
                assert found.frames[fact.side].height == fact.count, fact.text
    assert opened == 3
    apart = {fact.side: fact.text for fact in told[0].facts if fact.side}
    assert apart == {
        "disagree0": "1 of those of bed: its group disagrees",
        "unknown0": "1 of those of bed: nothing is known in its group",
    }
    assert told[0].frames["disagree0"].rows() == [("Dale", None, "dry")]


@pytest.mark.parametrize("rows", [0, 1, 5])
@pytest.mark.parametrize(
    "kind, more", [("mark_rows", {"name": "Met"}), ("set_values", {"columns": ["x"], "value": "2"})]
)
def test_a_rule_that_every_row_meets_is_told_of_every_row(bench, rows, kind, more):
    always = {"match": "all", "of": [{"column": "x", "test": "none_of", "values": []}]}
    done = bench.apply(kind, {"rule": always, **more}, pl.DataFrame({"x": [1] * rows}, schema={"x": pl.Int64}))
    assert sum(fact.count for fact in done.facts if fact.code == "rows_met") == rows
