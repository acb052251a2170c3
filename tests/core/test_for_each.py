"""A flow done once for each group or row, against doing it by hand."""

import polars as pl
import pytest

from tests.core.test_parts import Shelf, shelf  # noqa: F401  a fixture
from updraft.core import Files, Flow, Parameter, Problem, Step, plan, run
from updraft.core.engine import Engine

TOP = Flow(
    name="The largest of a hub",
    parameters=(Parameter(name="hub", value="?"),),
    steps=(
        Step(id="rows", kind="test_source", settings={"path": "lots.arrow"}),
        Step(
            id="top",
            kind="take_rows",
            inputs={"table": "rows"},
            settings={"by": "largest", "column": "Grams", "count": 1},
        ),
        Step(
            id="told",
            kind="calculate",
            inputs={"table": "top"},
            settings={"columns": [{"name": "Told", "formula": "joined(' of ', Lot, params.hub)"}]},
        ),
    ),
)


def each(folder, table: pl.DataFrame, **settings):
    table.write_ipc(folder / "mine.arrow")
    pl.DataFrame({"Lot": ["z"], "Hub": ["Z"], "Grams": [1]}).write_ipc(folder / "lots.arrow")
    given = {"flow": "top", "by": ["Hub"], "parameters": [{"name": "hub", "column": "Hub"}], **settings}
    steps = (
        Step(id="mine", kind="test_source", settings={"path": "mine.arrow"}),
        Step(id="it", kind="for_each", settings=given, inputs={"table": "mine"}),
        Step(id="out", kind="write_file", inputs={"table": "it"}, settings={"name": "out.csv"}),
    )
    files = Files(folder, library=Shelf(folder, top=[TOP]))
    return plan(Flow(steps=steps), files), files


LOTS = pl.DataFrame({"Lot": ["a", "b", "c", "d"], "Hub": ["Fen", "Dale", "Fen", None], "Grams": [3, 9, 5, 1]})


def test_each_group_goes_through_the_flow_by_itself(tmp_path):
    planned, files = each(tmp_path, LOTS)
    expected = [
        {"Lot": "c", "Hub": "Fen", "Grams": 5, "Told": "c of Fen"},
        {"Lot": "b", "Hub": "Dale", "Grams": 9, "Told": "b of Dale"},
        {"Lot": "d", "Hub": None, "Grams": 1, "Told": "d"},
    ]
    assert Engine().look(planned, "it", files).lazy().collect().to_dicts() == expected
    report = run(planned, files, tmp_path / "out")
    assert report.status == "ok"
    turns = report.steps[1].turns
    assert [(turn.name, turn.steps[-1].rows_out) for turn in turns] == [
        ("1 · Fen", 1),
        ("2 · Dale", 1),
        ("3 · empty", 1),
    ]


def test_each_row_by_itself_and_no_rows_at_all(tmp_path):
    planned, files = each(tmp_path, LOTS, by=[])
    told = Engine().look(planned, "it", files).lazy().collect()
    assert told["Told"].to_list() == ["a of Fen", "b of Dale", "c of Fen", "d"]
    planned, files = each(tmp_path, LOTS.clear())
    none = Engine().look(planned, "it", files).lazy().collect()
    assert none.columns == ["Lot", "Hub", "Grams", "Told"] and none.height == 0


def test_a_loop_says_what_is_wrong(tmp_path):
    with pytest.raises(Problem, match="5,000 are the most"):
        planned, files = each(
            tmp_path, pl.DataFrame({"Lot": map(str, range(5001)), "Hub": "x", "Grams": 1}), by=["Lot"]
        )
        Engine().look(planned, "it", files)
    planned, files = each(tmp_path, LOTS, by=["Hup"])
    with pytest.raises(Problem, match="Hup"):
        Engine().look(planned, "it", files)
    planned, files = each(tmp_path, LOTS.rename({"Grams": "Grains"}))
    with pytest.raises(Problem, match="step “top”"):
        Engine().look(planned, "it", files)


def test_rows_may_stand_for_none_of_its_sources_and_give_parameters_alone(tmp_path):
    planned, files = each(tmp_path, LOTS, source="-")
    told = Engine().look(planned, "it", files).lazy().collect()
    assert told.select("Hub", "Lot", "Told").rows() == [
        ("Z", "z", "z of Fen"),
        ("Z", "z", "z of Dale"),
        ("Z", "z", "z"),
    ]
