"""The steps that repairs and focuses make: duplicates, gaps, columns to rows, set, mark, settle, split, names from a row."""

from datetime import date

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from updraft.core import Problem
from updraft.core.steps import kinds

LOTS = pl.DataFrame(
    {
        "lot": ["1", "1 ", "2", "2", "3", None, None],
        "hub": ["Fen", "fen", None, "Cold", "Cold", "Fen", None],
        "grams": [5, 9, 7, None, 2, 1, 3],
    }
)


@pytest.mark.parametrize(
    ("settings", "grams", "removed"),
    [
        ({"keys": ["lot"]}, [5, 9, 7, 2, 1], [None, 3]),
        ({"keys": ["lot"], "ignore_blanks": True}, [5, 7, 2, 1], [9, None, 3]),
        ({"keys": ["lot"], "stays": "last"}, [5, 9, None, 2, 3], [7, 1]),
        ({"keys": ["lot"], "stays": "fullest"}, [5, 9, 7, 2, 1], [None, 3]),
        (
            {"keys": ["hub"], "ignore_case": True, "order": [{"column": "grams", "down": True}]},
            [9, 7, 2],
            [5, None, 1, 3],
        ),
        ({"keys": ["hub"], "ignore_case": True, "order": [{"column": "grams"}]}, [2, 1, 3], [5, 9, 7, None]),
        ({}, [5, 9, 7, None, 2, 1, 3], []),
    ],
)
def test_one_of_equal_rows_stays_and_the_others_go_to_the_side(bench, settings, grams, removed):
    done = bench.apply("remove_duplicates", settings, LOTS)
    assert done.frames[""]["grams"].to_list() == grams
    assert done.frames["removed"]["grams"].to_list() == removed


VALUE = st.one_of(st.none(), st.sampled_from(["a", "A", " a", "b"]))


@given(
    st.lists(st.tuples(VALUE, VALUE, st.one_of(st.none(), st.integers(0, 3))), max_size=12),
    st.sampled_from(["first", "last", "fullest"]),
)
def test_removing_duplicates_keeps_one_row_of_each_key_and_loses_none(bench, rows, stays):
    table = pl.DataFrame(rows, schema={"x": pl.String, "y": pl.String, "n": pl.Int64}, orient="row").with_row_index(
        "id"
    )
    settings = {"keys": ["x", "n"], "stays": stays}
    done = bench.apply("remove_duplicates", settings, table)
    kept, gone = done.frames[""], done.frames["removed"]
    assert kept.select(pl.struct("x", "n").is_duplicated().any()).item() in (False, None)
    assert sorted([*kept["id"], *gone["id"]]) == list(range(table.height)) and kept["id"].is_sorted()
    assert bench.apply("remove_duplicates", settings, kept).frames[""].equals(kept)


GAPS = pl.DataFrame(
    {
        "hub": ["Fen", "Fen", "Cold", "Cold", "Cold"],
        "name": ["A", None, " ", "B", None],
        "n": [1, None, 4, None, 8],
        "m": [1.0, None, None, 4.0, None],
    }
)


@pytest.mark.parametrize(
    ("settings", "column", "values"),
    [
        ({"columns": ["name"], "by": "down"}, "name", ["A", "A", "A", "B", "B"]),
        ({"columns": ["name"], "by": "down", "within": ["hub"]}, "name", ["A", "A", None, "B", "B"]),
        ({"columns": ["name"], "by": "up"}, "name", ["A", "B", "B", "B", None]),
        ({"columns": ["name"], "by": "group", "within": ["hub"]}, "name", ["A", "A", "B", "B", "B"]),
        ({"columns": ["n"], "by": "group", "within": ["hub"]}, "n", [1, 1, 4, None, 8]),
        ({"columns": ["name"], "by": "value", "value": "?"}, "name", ["A", "?", "?", "B", "?"]),
        ({"columns": ["n"], "by": "value", "value": "0"}, "n", [1, 0, 4, 0, 8]),
        ({"columns": ["n"], "by": "mean"}, "n", [1, 4, 4, 4, 8]),
        ({"columns": ["m"], "by": "median"}, "m", [1.0, 2.5, 2.5, 4.0, 2.5]),
        ({"columns": ["m"], "by": "between"}, "m", [1.0, 2.0, 3.0, 4.0, None]),
    ],
)
def test_gaps_are_filled(bench, settings, column, values):
    assert bench.apply("fill_gaps", settings, GAPS).frames[""][column].to_list() == values


SALES = pl.DataFrame({"hub": ["Fen", "Cold"], "2026-01": [1, 2], "2026-02": [None, 4], "note": ["x", None]})


def test_columns_become_rows_and_come_back(bench):
    settings = {"columns": {"by": "pattern", "pattern": r"^\d{4}-\d\d$"}, "name": "month", "value": "sold"}
    done = bench.apply("columns_to_rows", settings, SALES)
    assert done.frames[""].rows() == [
        ("Fen", "x", "2026-01", 1),
        ("Fen", "x", "2026-02", None),
        ("Cold", None, "2026-01", 2),
        ("Cold", None, "2026-02", 4),
    ]
    assert done.frames[""].pivot("month", index=["hub", "note"], values="sold").select(SALES.columns).equals(SALES)
    fewer = bench.apply("columns_to_rows", {**settings, "empty": "leave_out"}, SALES)
    assert fewer.height == 3 and fewer.facts[0].text == "1 empty cell is left out"
    mixed = bench.apply("columns_to_rows", {"columns": {"by": "names", "names": ["2026-01", "note"]}}, SALES)
    assert mixed.frames[""]["Value"].to_list() == ["1", "x", "2", None]


@pytest.mark.parametrize(
    ("settings", "values"),
    [
        (
            {"to": "value", "value": "50", "rule": {"of": [{"column": "hub", "test": "equals", "value": "Fen"}]}},
            [50, 9, 7, None, 2, 50, 3],
        ),
        (
            {"to": "empty", "rule": {"of": [{"column": "grams", "test": "more", "value": "6"}]}},
            [5, None, None, None, 2, 1, 3],
        ),
        ({"to": "times", "times": -1}, [-5, -9, -7, None, -2, -1, -3]),
    ],
)
def test_cells_are_set_where_a_rule_holds(bench, settings, values):
    assert bench.apply("set_values", {"columns": ["grams"], **settings}, LOTS).frames[""]["grams"].to_list() == values


def test_rows_are_marked_settled_split_and_named(bench):
    marked = bench.apply(
        "mark_rows",
        {"name": "Mine", "rule": {"of": [{"column": "hub", "test": "none_of", "values": ["Fen", "fen"]}]}},
        LOTS,
    )
    assert marked.frames[""]["Mine"].to_list() == [False, False, True, True, True, False, True]

    codes = pl.DataFrame({"code": ["a", "a", "a", "b", "b", None], "name": ["X", "X", "Y", "P", "Q", "Z"]})
    settled = bench.apply("one_value_per_group", {"within": ["code"], "columns": ["name"]}, codes)
    assert settled.frames[""]["name"].to_list() == ["X", "X", "X", "P", "Q", "Z"]
    assert [fact.text for fact in settled.facts] == ["1 group has no majority in name", "1 cell changed"]

    tags = pl.DataFrame({"tag": ["early; frost hardy", "early", None, "; late"], "n": [1, 2, 3, 4]})
    assert bench.apply("split_column", {"column": "tag", "at": ";", "into": "rows"}, tags).frames[""].rows() == [
        ("early", 1), ("frost hardy", 1), ("early", 2), (None, 3), (None, 4), ("late", 4)]  # fmt: skip
    split = bench.apply("split_column", {"column": "tag", "at": ";", "names": ["tag", "rest"]}, tags)
    assert split.frames[""].rows() == [
        ("early", "frost hardy", 1),
        ("early", None, 2),
        (None, None, 3),
        (None, "late", 4),
    ]

    raw = pl.DataFrame(
        {
            "Column 1": ["Larkmoor", "Lot", "007", "008"],
            "Column 2": [None, "Grams", "5", "6.5"],
            "Column 3": [None, "Sown", "2026-03-01", None],
        }
    )
    named = bench.apply("names_from_row", {"row": 2}, raw).frames[""]
    assert named.to_dict(as_series=False) == {
        "Lot": ["007", "008"],
        "Grams": [5.0, 6.5],
        "Sown": [date(2026, 3, 1), None],
    }


def test_rows_that_are_no_data_are_told_by_what_they_are(bench):
    table = pl.DataFrame({"Lot": ["1", " ", " lot", "2"], "Hub": ["Fen", None, "HUB", "Hub"]})
    assert bench.apply("drop_rows", {"by": "blank"}, table).frames[""]["Lot"].to_list() == ["1", " lot", "2"]
    assert bench.apply("drop_rows", {"by": "header"}, table).frames[""]["Lot"].to_list() == ["1", " ", "2"]


def test_text_is_mended_and_zeros_are_filled_up(bench):
    table = pl.DataFrame(
        {"t": ["MusquÃ©e", "CafÃ© Krim", "â‚¬ 5", "Ärmel", None], "lot": ["7", "0012", "x3", "123456", ""]}
    )
    settings = {"columns": {"by": "names", "names": ["t"]}, "mend": True}
    assert bench.apply("tidy_text", settings, table).frames[""]["t"].to_list() == [
        "Musquée",
        "Café Krim",
        "€ 5",
        "Ärmel",
        None,
    ]
    settings = {"columns": {"by": "names", "names": ["lot"]}, "zeros": "pad", "digits": 5}
    assert bench.apply("tidy_text", settings, table).frames[""]["lot"].to_list() == [
        "00007",
        "00012",
        "x3",
        "123456",
        None,
    ]
    assert bench.apply("tidy_text", {**settings, "zeros": "strip"}, table).frames[""]["lot"].to_list() == [
        "7",
        "12",
        "x3",
        "123456",
        None,
    ]


@pytest.mark.parametrize(
    ("kind", "settings", "said"),
    [
        ("remove_duplicates", {"keys": ["lott"]}, "Did you mean “lot”?"),
        ("fill_gaps", {"columns": ["hub"], "by": "mean"}, "holds texts, which have no mean"),
        ("fill_gaps", {"columns": ["grams"], "by": "value", "value": "many"}, "Type a whole number"),
        ("fill_gaps", {"columns": ["hub"], "by": "group"}, "which rows belong together"),
        (
            "columns_to_rows",
            {"columns": {"by": "names", "names": ["grams"]}, "name": "hub"},
            "two columns of this name",
        ),
        ("columns_to_rows", {"columns": {"by": "pattern", "pattern": "^x"}}, "none is chosen"),
        ("set_values", {"columns": ["hub"], "to": "times", "times": 2}, "cannot be multiplied"),
        ("set_values", {"columns": ["grams"], "value": "1.5"}, "Type a whole number"),
        (
            "mark_rows",
            {"name": "hub", "rule": {"of": [{"column": "lot", "test": "empty"}]}},
            "has a column of this name",
        ),
        ("split_column", {"column": "grams", "at": ";"}, "not text"),
        ("split_column", {"column": "hub", "at": ";", "names": ["a", "lot"]}, "two columns of this name"),
        ("one_value_per_group", {"within": [], "columns": ["hub"]}, "none is chosen yet"),
        ("names_from_row", {"row": 99}, "the table ends before it"),
    ],
)
def test_settings_that_do_not_fit_are_told(bench, kind, settings, said):
    with pytest.raises(Problem) as problem:
        bench.apply(kind, settings, LOTS)
    assert said in str(problem.value)
    assert kinds()[kind].sentence(kinds()[kind].Settings.model_validate(settings))
