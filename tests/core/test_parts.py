"""A flow within a step: its tables stand for sources, its result comes back, and everything knows of it."""

import polars as pl
import pytest

from tests import sources  # noqa: F401  registers the kind test_source
from updraft.core import Engine, Files, Flow, Parameter, Problem, Ref, Step, dump, load, plan, run
from updraft.core.flow.edits import SetBlock
from updraft.core.steps import SHAPES, Result, Settings, StepKind, Tables
from updraft.core.steps.parts import Part
from updraft.core.steps.tables import Incoming

INNER = Flow(
    name="Only one hub",
    parameters=(Parameter(name="hub", value="Fen"),),
    steps=(
        Step(id="lots", kind="test_source", settings={"path": "lots.arrow"}),
        Step(id="hubs", kind="test_source", settings={"path": "hubs.arrow"}),
        Step(
            id="kept",
            kind="keep_rows",
            inputs={"table": "lots"},
            settings={"by": "rule", "rule": {"of": [{"column": "Hub", "test": "equals", "value": "{params.hub}"}]}},
        ),
        Step(
            id="named",
            kind="look_up",
            inputs={"table": "kept", "reference": "hubs"},
            settings={"keys": [{"column": "Hub", "reference": "Hub"}], "bring": [{"column": "Keeper"}]},
        ),
        Step(id="write", kind="write_file", inputs={"table": "named"}, settings={"name": "inner.csv"}),
    ),
)


class Shelf:
    """A library of flows by name; each reads the same folder."""

    def __init__(self, folder, **flows):
        self.folder, self.flows = folder, flows

    def flow(self, name, revision):
        if name not in self.flows:
            raise Problem(f"Flow “{name}”", "it is not here.", "", code="no_flow")
        versions = self.flows[name]
        return versions[(revision or len(versions)) - 1]

    def files(self, name):
        return Files(self.folder, library=self)


@pytest.fixture
def shelf(tmp_path):
    pl.DataFrame({"Lot": ["a", "b", "c"], "Hub": ["Fen", "Dale", "Fen"]}).write_ipc(tmp_path / "mine.arrow")
    pl.DataFrame({"Lot": ["z"], "Hub": ["Fen"]}).write_ipc(tmp_path / "lots.arrow")
    pl.DataFrame({"Hub": ["Fen", "Dale"], "Keeper": ["Ida", "Olu"]}).write_ipc(tmp_path / "hubs.arrow")
    pl.DataFrame({"Hub": ["Fen"], "Keeper": ["Ada"]}).write_ipc(tmp_path / "others.arrow")
    older = INNER.model_copy(update={"parameters": (Parameter(name="hub", value="Dale"),)})
    return Shelf(tmp_path, hub=[older, INNER])


def using(inputs=None, **settings) -> Flow:
    settings = {"flow": "hub", "source": "lots", **settings}
    return Flow(
        name="Outer",
        steps=(
            Step(id="mine", kind="test_source", settings={"path": "mine.arrow"}),
            Step(id="others", kind="test_source", settings={"path": "others.arrow"}),
            Step(id="it", kind="use_a_flow", settings=settings, inputs={"table": "mine", **(inputs or {})}),
            Step(id="out", kind="write_file", inputs={"table": "it"}, settings={"name": "outer.csv"}),
        ),
    )


def looked(flow, shelf, step="it"):
    files, engine = Files(shelf.folder, library=shelf), Engine()
    return engine.look(engine.plan(flow, files), step, files).lazy().collect().rows()


def test_a_used_flow_works_on_the_table_and_only_reads_what_nothing_stands_for(shelf):
    assert looked(using(), shelf) == [("a", "Fen", "Ida"), ("c", "Fen", "Ida")]
    assert looked(using(parameters=[{"name": "hub", "value": "Dale"}]), shelf) == [("b", "Dale", "Olu")]
    assert looked(using(revision=1), shelf) == [("b", "Dale", "Olu")], "a pinned revision stays as it was"
    assert looked(using(output="kept"), shelf) == [("a", "Fen"), ("c", "Fen")]
    assert looked(using(output="named.unmatched"), shelf) == []
    both = using({"for_hubs": "others"}, also=["hubs"])
    assert looked(both, shelf) == [("a", "Fen", "Ada"), ("c", "Fen", "Ada")]


def test_a_run_reports_what_the_steps_within_did_and_delivers_only_its_own(shelf, tmp_path):
    files, out = Files(shelf.folder, library=shelf), tmp_path / "out"
    report = run(plan(using(), files), files, out)
    assert report.status == "ok" and [path.name for path in out.iterdir()] == ["outer.csv"]
    step = next(step for step in report.steps if step.id == "it")
    assert [(inner.id, inner.rows_out) for inner in step.turns[0].steps] == [
        ("kept", 2), ("hubs", 2), ("named", 2), ("write", 2)]  # fmt: skip
    assert step.turns[0].name == "Only one hub" and step.as_dict()["turns"][0]["steps"][0]["id"] == "kept"
    assert (out / "outer.csv").read_text().splitlines()[1:] == ["a,Fen,Ida", "c,Fen,Ida"]


def test_a_change_in_the_used_flow_makes_another_table_and_one_beside_its_result_does_not(shelf):
    def mark():
        return plan(using(output="kept"), Files(shelf.folder, library=shelf)).fingerprint(Ref("it"))

    first = mark()
    assert mark() == first
    quiet = INNER.model_copy(
        update={"steps": (*INNER.steps, Step(id="side", kind="tidy_text", inputs={"table": "hubs"}))}
    )
    shelf.flows["hub"].append(quiet)
    assert mark() == first, "what its result does not follow from leaves it as it is"
    pl.DataFrame({"Lot": ["y"], "Hub": ["Fen"]}).write_ipc(shelf.folder / "mine.arrow")
    changed = mark()
    assert changed != first
    shelf.flows["hub"].append(INNER.model_copy(update={"parameters": (Parameter(name="hub", value="Moor"),)}))
    assert mark() != changed


def test_a_block_travels_with_the_flow_and_needs_no_library(shelf):
    flow = SetBlock(name="One hub", flow=INNER).apply(using(flow="One hub", block=True), SHAPES)
    again = load(dump(flow))
    assert again == flow and again.blocks["One hub"] == INNER
    files = Files(shelf.folder)
    engine = Engine()
    table = engine.look(engine.plan(again, files), "it", files)
    assert table.lazy().collect().rows() == [("a", "Fen", "Ida"), ("c", "Fen", "Ida")]
    assert not SetBlock(name="One hub").apply(again, SHAPES).blocks


@pytest.mark.parametrize(
    ("settings", "said"),
    [
        ({"flow": ""}, "none is chosen yet"),
        ({"flow": "gone"}, "it is not here"),
        ({"source": "kept"}, "no source “kept”"),
        ({"output": "odd"}, "has no step “odd”"),
        ({"parameters": [{"name": "hug", "value": "x"}]}, "did you mean “hub”"),
        ({"block": True, "flow": "x"}, "no such block"),
        ({"flow": "self"}, "comes back to itself"),
        ({"flow": "broken"}, "“Broken”, step “k”: Column|“Broken”, step “k”: Kind of step"),
    ],
)
def test_what_is_wrong_with_a_used_flow_is_said_at_the_step(shelf, settings, said):
    inside = Step(id="it", kind="use_a_flow", inputs={"table": "lots"}, settings={"flow": "self"})
    shelf.flows["self"] = [Flow(name="Self", steps=(INNER.steps[0], inside))]
    broken = Step(id="k", kind="no_such_kind", inputs={"table": "lots"})
    shelf.flows["broken"] = [Flow(name="Broken", steps=(INNER.steps[0], broken))]
    planned = plan(using(**settings), Files(shelf.folder, library=shelf))
    problem = planned.steps["it"].problem
    assert problem and problem.step == "it"
    assert pytest.importorskip("re").search(said, str(problem)), str(problem)
    assert planned.steps["out"].waits_for == "it"


def test_a_problem_met_while_computing_within_names_both_steps(shelf):
    pl.DataFrame({"Lot": ["a"]}).write_ipc(shelf.folder / "mine.arrow")
    with pytest.raises(Problem, match="“Only one hub”, step “kept”: Column “Hub”") as found:
        looked(using(), shelf)
    assert found.value.step == "it"
    files = Files(shelf.folder, library=shelf)
    report = run(plan(using(), files), files, shelf.folder / "out")
    assert report.status == "failed" and report.error.step == "it" and "step “kept”" in str(report.error)


class ForEachHub(StepKind):
    """A loop: the flow it holds, once for each hub, the results below each other."""

    kind, title, family, summary = "test_for_each_hub", "For each hub", "Test", "For tests"
    needs = frozenset({"flows", "whole"})
    Settings = Settings

    def part(self, settings):
        return Part("hub", feeds={"lots": "table"}, output="kept")

    def apply(self, tables, settings, context):
        hubs = sorted(set(tables.main.select("Hub").collect()["Hub"]))
        parts = [
            context.inside(Tables({"table": [Incoming(tables.main.filter(pl.col("Hub") == hub))]}), {"hub": hub}, hub)
            for hub in hubs
        ]
        return Result(pl.concat(parts))

    def sentence(self, settings):
        return "each hub"


def test_a_loop_computes_its_body_once_for_each_turn_and_reports_each(shelf):
    flow = using()
    loop = Step(id="it", kind="test_for_each_hub", inputs={"table": "mine"})
    flow = flow.model_copy(update={"steps": (flow.steps[0], loop, flow.steps[3])})
    expected = [("b", "Dale"), ("a", "Fen"), ("c", "Fen")]
    assert looked(flow, shelf) == expected
    files = Files(shelf.folder, library=shelf)
    report = run(plan(flow, files), files, shelf.folder / "out")
    turns = report.steps[1].turns
    assert [(turn.name, turn.steps[0].rows_in, turn.steps[0].rows_out) for turn in turns] == [
        ("Dale", 1, 1), ("Fen", 2, 2)]  # fmt: skip
    calls = []
    stopped = run(plan(flow, files), files, shelf.folder / "o2", cancelled=lambda: calls.append(1) or len(calls) > 2)
    assert stopped.status == "cancelled" and not (shelf.folder / "o2").exists(), "a loop can be cancelled in between"
