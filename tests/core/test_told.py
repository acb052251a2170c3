"""Lines that tell what their parts are: names with values, blocks of them, and logs."""

import json
import string

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from updraft.core import Problem
from updraft.core.formats import ReadOptions, read
from updraft.core.formats.told import shape_of

NAME = st.text(string.ascii_lowercase, min_size=1, max_size=6)
VALUE = st.text(
    st.characters(blacklist_categories=("Cs", "Cc", "Zl", "Zp"), blacklist_characters="\x85\ufeff"), max_size=8
)


def table(folder, text: str, name: str = "weighed.txt", **options):
    (folder / name).write_text(text)
    return read(folder / name, ReadOptions(**options))


@given(st.lists(st.dictionaries(NAME, VALUE, min_size=2, max_size=5), min_size=3, max_size=6))
def test_names_with_values_come_back_as_they_were_written(tmp_path_factory, rows):
    lines = "\n".join(
        " ".join(f"{name}={json.dumps(value, ensure_ascii=False)}" for name, value in row.items()) for row in rows
    )
    found = table(tmp_path_factory.mktemp("told"), lines, format="told").frame
    columns = list(dict.fromkeys(name for row in rows for name in row))
    assert found.columns == columns
    assert found.rows() == [tuple(row.get(name) or None for name in columns) for row in rows]


def test_blocks_are_rows_and_what_goes_on_belongs_to_the_value_before(tmp_path):
    blocks = (
        "Lot: L1\nHub: Aldermere\nNote: dry,\n  and light\n\nLot: L2\nHub: Coldwater\n\n\nLot: L3\nGrams: 20\nstray\n"
    )
    found = table(tmp_path, "\n".join(f"Lot: M{n}\nHub: Fen\n" for n in range(9)) + "\n" + blocks)
    assert found.detected.format == "told" and "blocks" in found.detected.reasons["format"]
    assert found.frame.height == 12
    assert found.frame.tail(3).to_dicts() == [
        {"Lot": "L1", "Hub": "Aldermere", "Note": "dry, and light", "Grams": None, "Other": None},
        {"Lot": "L2", "Hub": "Coldwater", "Note": None, "Grams": None, "Other": None},
        {"Lot": "L3", "Hub": None, "Note": None, "Grams": "20", "Other": "stray"},
    ]
    assert found.warnings == ("1 line does not fit and stands in a column “Other”.",)


def test_a_log_of_a_server_has_its_columns_and_odd_lines_are_told(tmp_path):
    line = '10.0.0.{} - {} [01/Mar/2026:10:00:0{} +0000] "GET /lots?a=1,2 HTTP/1.1" 200 {}'
    lines = [line.format(n, "ada" if n % 2 else "-", n % 10, n * 7) for n in range(1, 60)]
    found = table(tmp_path, "\n".join([*lines, "restarted"]), "access.log")
    assert found.frame.columns[:7] == ["host", "ident", "user", "time", "request", "status", "bytes"]
    assert found.frame.row(0)[:7] == (
        "10.0.0.1",
        "-",
        "ada",
        "01/Mar/2026:10:00:01 +0000",
        "GET /lots?a=1,2 HTTP/1.1",
        "200",
        "7",
    )
    assert found.frame.height == 60 and found.frame["host"][-1] == "restarted" and "1 line" in found.warnings[0]


@pytest.mark.parametrize(
    "text",
    [
        "lot,note\nL1,a=1 b=2\nL2,a=2 b=3\nL3,\n",
        "10:00:01\n10:00:02\n10:00:03\n",
        "Dear Ada,\nplease send: two lots.\n\nYours: Rowan\n",
        "x=1\ny=2\nz=3\n",
        'seed\t-1.5\t[-1, -2]\t"a b"\nhusk\t2.5\t[1, 2]\t"c d"\nbran\t2.5\t[1, 2]\t"c d"\n',
    ],
)
def test_other_text_is_read_as_before(tmp_path, text):
    assert table(tmp_path, text).detected.format == "delimited"


def test_what_has_none_of_these_shapes_says_so(tmp_path):
    with pytest.raises(Problem, match="no names with values"):
        table(tmp_path, "a,b\n1,2\n3,4\n", format="told")
    assert shape_of(["a=1 b=2"] * 2) == ""


@pytest.mark.parametrize("sign", "^~")
def test_marks_that_hardly_any_text_has_part_cells_where_all_lines_agree(tmp_path, sign):
    rows = [["Lot", "Hub"], ["L1", "Aldermere"], ["L2", "Fen"]]
    assert table(tmp_path, "\n".join(map(sign.join, rows))).frame.rows() == [("L1", "Aldermere"), ("L2", "Fen")]
    assert table(tmp_path, f"Lot{sign}Hub\nL1\nL2{sign}Fen\n").frame.width == 1


@pytest.mark.parametrize(
    ("value", "expected"),
    [
        ({"Lot": ["L1", "L2"], "Grams": [20, 25]}, {"Lot": ["L1", "L2"], "Grams": [20, 25]}),
        ([["Lot", "Grams"], ["L1", 20], ["L2", None]], {"Lot": ["L1", "L2"], "Grams": [20, None]}),
        ([[1, "a"], [2, "b"]], {"Column 1": [1, 2], "Column 2": ["a", "b"]}),
        ([["a", "b"], ["c", "d"]], {"Column 1": ["a", "c"], "Column 2": ["b", "d"]}),
    ],
)
def test_json_told_by_lists_is_a_table(tmp_path, value, expected):
    found = table(tmp_path, json.dumps(value), "lots.json").frame
    assert found.cast(pl.String).to_dict(as_series=False) == {
        name: [None if cell is None else str(cell) for cell in cells] for name, cells in expected.items()
    }


@pytest.mark.parametrize("value", [{"Lot": ["L1", "L2"], "Grams": [20]}, [["Lot"], ["L1", 2]], {"Lot": ["L1", "L2"]}])
def test_lists_of_unlike_length_are_no_table(tmp_path, value):
    assert not {"L1", "L2"} & {str(cell) for cell in table(tmp_path, json.dumps(value), "lots.json").frame.to_series(0)}


def test_a_place_that_is_chosen_is_one_of_the_file_as_it_stands(tmp_path):
    text = json.dumps({"Lot": ["L1", "L2"], "Grams": [20, 25]})
    assert table(tmp_path, text, "lots.json", records="/Lot").frame.to_series(0).to_list() == ["L1", "L2"]


def test_brackets_that_never_close_take_no_more_time_than_they_are_long():
    assert shape_of(["[ " * 50_000] * 3) == ""
