"""Coded tables against the same work row by row: what a run keeps as codes must not show."""

from datetime import date

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from updraft.core.engine.coded import Coded, differs
from updraft.core.engine.table import compute
from updraft.core.steps import Incoming, Tables, kinds
from updraft.core.steps.tables import TIMES
from updraft.core.values import by_value, coded
from updraft.core.values.text import shown

TEXTS = st.none() | st.sampled_from(["Bay Gem", "bay  gem", " Fen", "Fen", "fen", "", " ", "7", "007"])
STEPS = st.one_of(
    st.builds(
        lambda names, case: ("tidy_text", {"columns": {"by": "names", "names": names}, "case": case}),
        st.lists(st.sampled_from(["Variety", "Hub"]), min_size=1, unique=True),
        st.sampled_from(["keep", "upper"]),
    ),
    st.builds(
        lambda column, olds, new, others: (
            "recode_values",
            {"column": column, "changes": [{"old": old, "new": new} for old in olds], "others": others},
        ),
        st.sampled_from(["Variety", "Hub"]),
        st.lists(st.sampled_from(["Fen", "FEN", "Bay Gem", "absent"]), max_size=3, unique=True),
        st.sampled_from(["", "Fen", "Dale"]),
        st.sampled_from(["keep", "empty"]),
    ),
)


@pytest.fixture(autouse=True)
def _any_table_is_worth_it(monkeypatch):
    monkeypatch.setattr(coded, "_SAMPLE", 4)
    monkeypatch.setattr(coded, "_MOST", 4)


def applied(kind: str, settings: dict, table: Coded, *, keep: bool):
    found = kinds()[kind]
    inputs = Tables({"table": [Incoming(table.lazy(), "", table.values if keep else None)]})
    return compute(found, found.Settings.model_validate(settings), inputs, None, coded=table if keep else None)


@given(st.lists(st.tuples(TEXTS, TEXTS, st.integers(0, 3)), min_size=8, max_size=30), st.lists(STEPS, max_size=4))
def test_steps_on_codes_give_the_tables_and_the_numbers_of_steps_on_rows(rows, steps):
    schema = {"Variety": pl.String, "Hub": pl.String, "Grams": pl.Int64}
    plain = pl.DataFrame(rows * 2, schema=schema, orient="row")
    kept = Coded(plain)
    for kind, settings in steps:
        by_codes = applied(kind, settings, kept, keep=True)
        by_rows = applied(kind, settings, Coded(plain), keep=False)
        assert (by_codes.rows, by_codes.rows_in, by_codes.touched) == (by_rows.rows, by_rows.rows_in, by_rows.touched)
        assert (by_codes.changed, by_codes.facts) == (by_rows.changed, by_rows.facts)
        kept, plain = by_codes.frames[""], by_rows.frames[""]
        assert kept.frame().equals(plain)
        for name in plain.columns:
            counted = kept.values(name).group_by(name).agg(pl.col(TIMES).sum()).collect()
            assert dict(counted.iter_rows()) == dict(plain[name].value_counts().iter_rows())


@given(st.lists(TEXTS, min_size=1, max_size=40))
def test_a_column_by_its_values_is_the_column_row_by_row(texts):
    column = pl.Series("Variety", texts, dtype=pl.String)
    lengthened = by_value(column, lambda text: text.str.to_uppercase() + "!")
    assert lengthened.to_list() == [None if text is None else text.upper() + "!" for text in texts]


def test_a_coded_column_that_is_not_asked_for_is_never_written_out():
    table = Coded(pl.DataFrame({"Hub": ["Fen", "Dale"] * 4, "Grams": [1] * 8}))
    table, counts = table.changed({"Hub": lambda hub: hub.str.to_uppercase()})
    assert counts == {"Hub": 8}
    assert "gather" not in table.lazy().select("Grams").explain()
    assert table.only({"Grams"}).frame().columns == ["Grams"]
    assert table.only({"absent"}).height == 8, "a table without columns would lose its rows"
    assert table.only({"Hub"}).frame()["Hub"].to_list() == ["FEN", "DALE"] * 4


@given(st.lists(st.none() | st.dates(date(2026, 3, 1), date(2026, 3, 9)), min_size=40, max_size=80))
def test_dates_by_their_days_are_dates_row_by_row(days):
    column = pl.Series("Day", days, dtype=pl.Date)
    codes = coded.codes_of(column)
    if any(days):
        assert codes is not None and codes.values.gather(codes.places).to_list() == days
        assert codes.times.sum() == sum(day is not None for day in days)
    written = by_value(column, lambda day: day.dt.to_string("%d.%m."))
    assert written.to_list() == [day and f"{day:%d.%m.}" for day in days]
    table, counts = Coded(column.to_frame()).changed({"Day": lambda day: day.dt.month_end()})
    assert table.frame()["Day"].to_list() == [day and date(2026, 3, 31) for day in days]
    assert counts == {"Day": sum(day is not None for day in days)}


WHOLES = st.none() | st.integers(-9, 9) | st.sampled_from([10**14, 10**15 - 1, 10**15, 10**16, 2**53 + 1, 2**63 - 1])
CHANGED = st.sampled_from([None, 0.0, -0.0, 0.5, -1.0, float("nan"), float("inf"), 1e15, 1e16, 2.0**53])


@given(st.lists(st.tuples(WHOLES, CHANGED, st.booleans()), max_size=30))
def test_whole_numbers_and_others_differ_where_their_digits_do(rows):
    whole = pl.Series([n for n, _, _ in rows], dtype=pl.Int64)
    kept = [float(n) if same and n is not None else other for n, other, same in rows]
    number = pl.Series(kept, dtype=pl.Float64)
    for before, after in ((whole, number), (number, whole)):
        assert differs(before, after).to_list() == shown(before).ne_missing(shown(after)).to_list()
