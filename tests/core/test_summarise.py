"""Summarise, beside plain Python: groups made of a column, figures with their options, totals, shares."""

import datetime
import math
from itertools import groupby

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.core.test_spreading import check
from updraft.core import Problem
from updraft.core.engine.table import compute
from updraft.core.insight import Focus
from updraft.core.steps import Tables, kinds

KIND = kinds()["summarise"]
COLUMNS = {"hub": pl.String, "lot": pl.String, "on": pl.Date, "kg": pl.Float64, "n": pl.Int64}
DAY = st.dates(datetime.date(2025, 11, 20), datetime.date(2026, 4, 2)) | st.none()
ROW = st.tuples(
    st.sampled_from(["Fen", "Moor", None]),
    st.sampled_from(["a", "b", None]),
    DAY,
    st.sampled_from([0.5, 1.0, 2.25, -3.0, None]),
    st.integers(0, 3) | st.none(),
)
ROWS = st.lists(ROW, max_size=12)


def done(rows, **given_settings):
    table = pl.DataFrame(rows, schema=COLUMNS, orient="row")
    return compute(KIND, KIND.Settings.model_validate(given_settings), Tables.of(table.lazy()), None)


def made(rows, **given_settings):
    return done(rows, **given_settings).lazy().collect()


WEEKDAYS = {  # part → of a day what stands in the result
    "year": lambda day: day.year,
    "quarter": lambda day: f"{day.year}-Q{(day.month + 2) // 3}",
    "month": lambda day: f"{day.year}-{day.month:02}",
    "week": lambda day: "{}-W{:02}".format(*day.isocalendar()[:2]),
    "day": lambda day: day,
    "month_number": lambda day: day.month,
    "weekday": lambda day: day.isoweekday(),
}


@given(ROWS, st.sampled_from(list(WEEKDAYS)))
def test_rows_are_grouped_by_a_part_of_a_date_in_its_order(rows, part):
    found = made(rows, made=[{"by": part, "column": "on", "name": "When"}], figures=[{"figure": "rows", "name": "N"}])
    label = WEEKDAYS[part]
    days = sorted({row[2] for row in rows if row[2]})
    known = [label(day) for day in days]
    known = sorted(set(known)) if part in ("month_number", "weekday") else list(dict.fromkeys(known))
    expected = [(at, sum(row[2] is not None and label(row[2]) == at for row in rows)) for at in known]
    if empty := sum(row[2] is None for row in rows):
        expected.append((None, empty))
    assert found.rows() == expected


@given(ROWS, st.sampled_from([0.1, 1.0, 2.5, 10.0]))
def test_ranges_hold_their_lower_edge_and_come_by_size(rows, width):
    found = made(
        rows, made=[{"by": "range", "column": "kg", "width": width}], figures=[{"figure": "rows", "name": "N"}]
    )
    steps = sorted(math.floor(round(row[3] / width, 9)) for row in rows if row[3] is not None)
    expected = [(f"{step * width:g} to {(step + 1) * width:g}", len(list(same))) for step, same in groupby(steps)]
    assert [row for row in found.rows() if row[0] is not None] == expected
    assert found.columns == ["kg range", "N"]


FIGURES = [
    {"figure": "sum", "column": "kg", "name": "kg"},
    {"figure": "mean", "column": "n", "name": "mean", "empty": True},
    {"figure": "weighted", "column": "n", "weight": "kg", "name": "weighted"},
    {"figure": "range", "column": "n", "name": "range"},
    {"figure": "share", "column": "n", "name": "share"},
    {"figure": "rows_share", "name": "rows"},
    {"figure": "list", "column": "lot", "name": "lots", "sorted": True, "every": True, "empty": True},
    {"figure": "distinct", "column": "lot", "name": "kinds", "empty": True},
    {"figure": "first", "column": "lot", "name": "first", "empty": True},
]


def by_hand(group, every):
    kg = [row[3] for row in group if row[3] is not None]
    n = [row[4] for row in group if row[4] is not None]
    both = [(row[4], row[3]) for row in group if row[4] is not None and row[3] is not None]
    weight = sum(w for _, w in both)
    total = sum(row[4] for row in every if row[4] is not None)
    lots = sorted((row[1] for row in group), key=lambda lot: (lot is None, lot))
    return (
        sum(kg) if kg else None,
        sum(row[4] or 0 for row in group) / len(group) if group else None,
        sum(v * w for v, w in both) / weight if weight else None,
        max(n) - min(n) if n else None,
        sum(n) / total if total and n else None,
        len(group) / len(every) if every else None,
        ", ".join(lot or "(empty)" for lot in lots) if group else None,
        len({row[1] for row in group}),
        group[0][1] if group else None,
    )


def rounded(rows):
    return [tuple(round(cell, 9) if isinstance(cell, float) else cell for cell in row) for row in rows]


@given(ROWS, st.sampled_from(["none", "all", "each"]))
def test_groups_figures_shares_and_totals_are_those_worked_out_by_hand(rows, totals):
    found = made(rows, by=["hub", "lot"], figures=FIGURES, totals=totals)
    order = lambda value: (value is None, value)  # noqa: E731
    expected = []
    for hub in sorted({row[0] for row in rows}, key=order):
        here = [row for row in rows if row[0] == hub]
        for lot in sorted({row[1] for row in here}, key=order):
            level = () if totals == "none" else ("group",)
            expected.append((hub, lot, *level, *by_hand([row for row in here if row[1] == lot], rows)))
        if totals == "each":
            expected.append((hub, None, "total of hub", *by_hand(here, rows)))
    if totals != "none":
        expected.append((None, None, "total", *by_hand(rows, rows)))
    if rows:
        assert rounded(found.rows()) == rounded(expected)
    if totals != "none":
        groups = found.filter(pl.col("Row") == "group")
        assert groups["kg"].sum() == pytest.approx(found["kg"][-1] or 0)


def test_groups_by_a_formula_and_figures_of_all_columns_of_numbers():
    rows = [("Fen", "a", None, 1.0, 3), ("Moor", "b", None, 2.0, 4), ("Fen", "c", None, None, 5)]
    group = {"by": "formula", "formula": "n >= 4", "name": "Many"}
    found = done(rows, made=[group], figures=[{"figure": "sum", "like": "*", "name": "sum of *"}])
    assert found.lazy().collect().to_dicts() == [
        {"Many": False, "sum of kg": 1.0, "sum of n": 3}, {"Many": True, "sum of kg": 2.0, "sum of n": 9}
    ]  # fmt: skip
    assert [(fact.code, fact.count) for fact in found.facts] == [("empty:kg", 1), ("total:kg", 1), ("total:n", 1)]


@pytest.mark.parametrize(
    ("wrong", "said"),
    [
        ({"made": [{"by": "month", "column": "kg"}]}, "month is made of dates"),
        ({"made": [{"by": "range", "column": "hub"}]}, "is made of numbers"),
        ({"made": [{"by": "range", "column": "kg", "width": 0}]}, "not above 0"),
        ({"made": [{"by": "hour", "column": "on"}]}, "its days have no hours"),
        ({"made": [{"by": "formula", "formula": "running_total(n)"}]}, "by other rows"),
        ({"made": [{"by": "month"}]}, "not said yet what it is made of"),
        ({"figures": [{"figure": "weighted", "column": "n"}]}, "by what it is weighted"),
        ({"figures": [{"figure": "weighted", "column": "n", "weight": "hub"}]}, "nothing can be weighted"),
        ({"by": ["hub"], "totals": "all", "level": "hub"}, "two columns of the summary"),
    ],
)
def test_what_cannot_be_summed_up_so_is_said(wrong, said):
    with pytest.raises(Problem, match=said):
        made([("Fen", "a", None, 1.0, 3)], **wrong)


@given(ROWS, st.lists(st.integers(0, 12), max_size=3), st.sampled_from(["month", "week", "weekday"]))
def test_parts_give_the_same_groups_of_dates(rows, cuts, part):
    table = pl.DataFrame(rows, schema=COLUMNS, orient="row")
    chosen = KIND.Settings.model_validate(
        {"by": ["hub"], "made": [{"by": part, "column": "on"}], "figures": [{"figure": "rows"}, *FIGURES[:3]]}
    )
    assert check(KIND, chosen, {"table": [table]}, cuts, 2, 3)


GROUPS = st.sampled_from(
    [
        {"by": ["hub"]},
        {"by": ["lot", "n"]},
        {"by": ["kg"], "totals": "all"},
        {"by": ["hub", "n"], "totals": "each"},
        {"by": ["hub"], "made": [{"by": "range", "column": "kg", "width": 0.5}], "totals": "each"},
        *(
            {"by": ["on"] if part == "year" else [], "made": [{"by": part, "column": "on"}]}
            for part in list(WEEKDAYS)[:5]
        ),
    ]
)


@given(st.lists(ROW | ROW.map(lambda row: ("", " ", *row[2:])), max_size=12), GROUPS)
def test_the_rows_of_a_group_are_those_that_it_counts(rows, groups):
    settings = KIND.Settings.model_validate({**groups, "figures": [{"figure": "rows", "name": "N"}]})
    table = pl.DataFrame(rows, schema=COLUMNS, orient="row")
    result = made(rows, **groups, figures=[{"figure": "rows", "name": "N"}])
    for row in range(result.height):
        rule = KIND.behind(settings, result, row)
        if not rule["of"]:
            assert result["N"][row] == len(rows), "the total of all rows"
            continue
        focus = Focus.model_validate({"chips": [{"label": "", "column": "", "rule": rule}]})
        assert focus.rows(table.lazy()).len() == result["N"][row], (rule, result.row(row))
