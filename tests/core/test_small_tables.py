"""Typed tables, the list of columns, and renaming by a list."""

from datetime import date

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from updraft.core import Engine, Files, Flow, Problem, Step


def look(folder, *steps: Step) -> pl.DataFrame:
    engine, files = Engine(), Files(folder)
    return engine.look(engine.plan(Flow(steps=steps), files), steps[-1].id, files).frames[""]


def typed(id: str, columns: list[str], rows: list[list[str]], **more) -> Step:
    return Step(id=id, kind="type_in_a_table", settings={"columns": columns, "rows": rows, **more})


def test_a_typed_table_has_kinds_and_forgives_ragged_and_empty_rows(tmp_path):
    rows = [["GR-1", "4", "2026-03-01"], ["", "", ""], ["GR-2"], ["GR-3", "12", "2026-03-09", "extra"]]
    found = look(tmp_path, typed("t", ["Code", "Plots", "Joined"], rows))
    assert found.rows() == [
        ("GR-1", 4, date(2026, 3, 1), None),
        ("GR-2", None, None, None),
        ("GR-3", 12, date(2026, 3, 9), "extra"),
    ]
    assert look(tmp_path, typed("t", ["Code", "Code"], [["007", "1"]])).to_dict(as_series=False) == {
        "Code": ["007"],
        "Code (2)": [1],
    }
    with pytest.raises(Problem, match="no column yet"):
        look(tmp_path, typed("t", [], []))


def test_the_list_of_columns_names_kinds_and_figures(bench):
    table = pl.DataFrame(
        {"Lot": ["L2", None, "L1", " "], "Grams": [1.5, None, 1.5, 4], "Tags": [["a"], None, [], ["b"]]}
    )
    rows = bench.rows("list_columns", {}, table)
    assert [(r["Place"], r["Column"], r["Type"], r["Rows"], r["Empty"], r["Distinct"]) for r in rows] == [
        (1, "Lot", "text", 4, 2, 3),
        (2, "Grams", "number", 4, 1, 2),
        (3, "Tags", "list", 4, 1, None),
    ]
    assert (rows[1]["Smallest"], rows[1]["Largest"], rows[0]["First"]) == ("1.5", "4", "L2")


NAMES = st.lists(st.sampled_from("abcdef"), min_size=1, max_size=5, unique=True)


@given(NAMES, st.dictionaries(st.sampled_from("abcdxy"), st.sampled_from(["A", "b", "Z", ""]), min_size=1))
def test_renaming_by_a_list_changes_names_only(tmp_path, names, changes):
    values = [str(n) for n in range(len(names))]
    steps = [
        typed("t", names, [values], types="text"),
        typed("n", ["old", "new"], [list(pair) for pair in changes.items()], types="text"),
        Step(id="r", kind="rename_columns", inputs={"table": "t", "names": "n"}, settings={"old": "old", "new": "new"}),
    ]
    expected = [changes.get(name) or name for name in names]
    if len(set(expected)) < len(expected):
        with pytest.raises(Problem, match="two columns would have this name"):
            look(tmp_path, *steps)
    else:
        found = look(tmp_path, *steps)
        assert found.columns == expected and found.row(0) == tuple(values)
