"""Answers of people: kept in the flow, part of what a table is, and what runs do about questions that are open."""

import csv
import io
import time

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests import sources  # noqa: F401  registers the kind test_source
from updraft.core import Engine, Files, Flow, Problem, Ref, Step, dump, load, plan, run
from updraft.core.flow.decisions import Decision, Decisions
from updraft.core.flow.edits import EDIT, CopyStep, Decide, MoveStep, RemoveStep, Undecide
from updraft.core.steps import SHAPES

CELL = st.one_of(
    st.text(st.characters(exclude_categories=["Cs"], exclude_characters="\r\0"), max_size=8),
    st.text("'=+-@x1", max_size=4),
)
ROWS = st.lists(st.builds(Decision, CELL, CELL, CELL, CELL), max_size=6, unique_by=lambda row: row.key)


@given(ROWS)
def test_decisions_come_back_from_csv_and_from_the_flow_file_as_they_were(rows):
    decisions = Decisions(rows)
    assert list(Decisions.from_csv(decisions.to_csv())) == rows
    cells = [cell for row in csv.reader(io.StringIO(decisions.to_csv())) for cell in row]
    assert not any(cell.startswith(("=", "+", "-", "@")) for cell in cells), "a spreadsheet would take it for a formula"
    flow = Flow(steps=(Step(id="s", kind="x"),), decisions={"s": decisions} if rows else {})
    text = dump(flow)
    assert load(text) == flow
    body = text[text.index('"decisions"') :] if rows else ""
    assert len([line for line in body.splitlines() if line.strip().startswith("[ ")]) == len(rows), "a row a line"


@given(ROWS, ROWS)
def test_the_digest_follows_from_the_answers_alone(some, more):
    one, other = Decisions(some), Decisions([row._replace(who="Ida", when="now") for row in reversed(some)])
    assert one.digest == other.digest
    both = one.with_rows(more)
    assert both.answers == {**one.answers, **{row.key: row.answer for row in more}}
    assert (both.digest == one.digest) == (both.answers == one.answers)
    assert both.without([row.key for row in more]).answers == {
        key: answer for key, answer in one.answers.items() if key not in {row.key for row in more}
    }


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("", "no column “key”"),
        ("key,what\na,b\n", "no column “answer”"),
        ("key,answer\na,x\na,y\n", "line 3 gives it another"),
    ],
)
def test_a_list_that_is_none_is_refused(text, said):
    with pytest.raises(Problem, match=said):
        Decisions.from_csv(text)


SALES = pl.DataFrame({
    "Hub": ["Fen", "Dale", "Fen", None, "Fen"],
    "Month": ["2026-1", "2026-10", "2026-2", "2026-2", "2026-2"],
    "Kilos": [1, 2, 3, 4, 5],
})  # fmt: skip
PIVOT = {"names": "Month", "stay": ["Hub"], "values": [{"figure": "sum", "column": "Kilos", "name": "Kilos"}]}


def flow_of(answers=(), **settings) -> Flow:
    steps = (
        Step(id="sales", kind="test_source", settings={"path": "sales.arrow"}),
        Step(id="wide", kind="rows_to_columns", inputs={"table": "sales"}, settings={**PIVOT, **settings}),
        Step(id="out", kind="write_file", inputs={"table": "wide"}, settings={"name": "wide.csv"}),
    )
    return Flow(steps=steps, decisions={"wide": [list(row) for row in answers]} if answers else {})


@pytest.fixture
def files(tmp_path):
    SALES.write_ipc(tmp_path / "sales.arrow")
    return Files(tmp_path)


def wide(flow, files):
    engine = Engine()
    return engine.look(engine.plan(flow, files), "wide", files)


def test_names_become_columns_in_natural_order_and_every_group_keeps_its_row(files):
    assert wide(flow_of(), files).lazy().collect().to_dicts() == [
        {"Hub": "Fen", "2026-1": 1, "2026-2": 8, "2026-10": None},
        {"Hub": "Dale", "2026-1": None, "2026-2": None, "2026-10": 2},
        {"Hub": None, "2026-1": None, "2026-2": 4, "2026-10": None},
    ]
    two = [*PIVOT["values"], {"figure": "rows", "name": "n"}]
    both = wide(flow_of(values=two, stay=[], order="first"), files).lazy().collect().to_dicts()
    assert both == [
        {"2026-1 Kilos": 1, "2026-1 n": 1, "2026-10 Kilos": 2, "2026-10 n": 1, "2026-2 Kilos": 12, "2026-2 n": 3}
    ]
    counted = wide(flow_of(values=[{"figure": "rows"}]), files).lazy().collect()
    assert counted["2026-10"].to_list() == [0, 1, 0], "no rows are none, not nothing"


@given(
    st.lists(st.tuples(st.sampled_from("ab"), st.sampled_from(["x", "y", "z", None]), st.integers(-9, 9)), max_size=12),
    st.dictionaries(st.sampled_from(["x", "y", "w"]), st.sampled_from(["take", "leave out"]), max_size=3),
)
def test_rows_to_columns_against_plain_python(tmp_path_factory, rows, answers):
    folder = tmp_path_factory.mktemp("pivot")
    schema = {"Hub": pl.String, "Month": pl.String, "Kilos": pl.Int64}
    pl.DataFrame(rows, schema=schema, orient="row").write_ipc(folder / "sales.arrow")
    table = wide(flow_of(list(answers.items())), Files(folder))
    shown = ["(empty)" if month is None else month for _, month, _ in rows]
    names = sorted(name for name in {*shown, *answers} if answers.get(name) != "leave out")
    expected = []
    for hub in dict.fromkeys(hub for hub, _, _ in rows):
        cells = {
            name: [k for (h, _, k), m in zip(rows, shown, strict=True) if h == hub and m == name] for name in names
        }
        expected.append({"Hub": hub, **{name: sum(kilos) if kilos else None for name, kilos in cells.items()}})
    assert table.lazy().collect().to_dicts() == expected
    fresh = {name for name in shown if name not in answers} if answers else set()
    assert sum(fact.count for fact in table.facts if fact.code == "open_questions") == len(fresh)


SETTLED = [("2026-1", "take"), ("2026-10", "leave out"), ("2025-12", "take")]


@pytest.mark.parametrize(
    ("new", "status", "written"), [("go_on", "ok", True), ("hold", "held", False), ("stop", "failed", False)]
)
def test_an_open_question_goes_on_holds_or_stops_as_the_step_is_set(files, tmp_path, new, status, written):
    flow = flow_of(SETTLED, new=new)
    report = run(plan(flow, files), files, tmp_path / "out")
    assert report.status == status
    assert (tmp_path / "out" / "wide.csv").exists() == written
    said = str(report.error) if new == "stop" else " ".join(fact.text for step in report.steps for fact in step.facts)
    assert "1 name of Month was not there before: 2026-2" in said
    if new == "hold":
        assert report.held == ["“Rows to columns”: 1 name of Month was not there before: 2026-2"]
        assert report.effects[0].to == "wide.csv" and not report.outputs
        answered = Decide(id="wide", rows=Decisions([Decision("2026-2", "take")])).apply(flow, SHAPES)
        assert run(plan(answered, files), files, tmp_path / "out").status == "ok"
        header = (tmp_path / "out" / "wide.csv").read_text().splitlines()[0]
        assert header == "Hub,2025-12,2026-1,2026-2", "settled names keep their column, left out ones have none"


def test_answers_are_part_of_what_a_table_is_and_go_where_their_step_goes(files):
    flow = flow_of()
    mark = plan(flow, files).fingerprint(Ref("wide"))
    edit = EDIT.validate_python({"op": "decide", "id": "wide", "rows": [["2026-2", "take", "Ida", ""]]})
    assert edit.sentence(flow) == "Decided 1 answer for “Rows to columns”"
    decided = edit.apply(flow, SHAPES)
    assert plan(decided, files).fingerprint(Ref("wide")) != mark
    assert plan(Undecide(id="wide", keys=("2026-2",)).apply(decided, SHAPES), files).fingerprint(Ref("wide")) == mark
    assert Undecide(id="wide").apply(decided, SHAPES) == flow
    assert not RemoveStep(id="wide").apply(decided, SHAPES).decisions
    assert CopyStep(id="wide").apply(decided, SHAPES).decided("rows_to_columns").answers == {"2026-2": "take"}
    assert MoveStep(id="wide", after="sales").apply(decided, SHAPES).decisions == decided.decisions


def test_a_hundred_thousand_answers_are_edited_and_written(files):
    many = Decisions(Decision(f"name {n}", "leave out", "Ida", "2026-03-01") for n in range(100_000))
    flow = flow_of().model_copy(update={"decisions": {"wide": many}})
    started = time.perf_counter()
    again = load(dump(Decide(id="wide", rows=Decisions([Decision("2026-1", "take")])).apply(flow, SHAPES)))
    assert len(again.decided("wide")) == 100_001 and time.perf_counter() - started < 30
    assert wide(again, files).lazy().collect().columns == ["Hub", "2026-1", "2026-2", "2026-10"]
