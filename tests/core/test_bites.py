"""Promises that only show when they are broken: each of these tests fails when one line of the engine is changed."""

import json
import os
import subprocess
import sys

import polars as pl
import pytest

from tests import sources  # noqa: F401
from updraft.core import Engine, Files, Flow, Problem, Step, plan, run
from updraft.core.engine.liveness import needed_columns
from updraft.core.steps import Out, Result, Settings, StepKind, kinds
from updraft.core.steps.values.tidy_text import TidyText


def flow_of(*steps: tuple, source: str = "t.arrow") -> Flow:
    made = [Step(id="t", kind="test_source", settings={"path": source})]
    made += [Step(id=i, kind=k, settings=s, inputs=inputs) for i, k, s, inputs in steps]
    return Flow(steps=tuple(made))


@pytest.fixture
def lots(tmp_path):
    table = pl.DataFrame({"Lot": ["a", "b", "c"], "Grams": ["1", "x", "3"], "Hub": ["Fen", "Dale", "Fen"]})
    table.write_ipc(tmp_path / "t.arrow")
    return Files(tmp_path)


class OneOfEach(StepKind):
    """A kind whose main output needs one column, and its side output all."""

    kind, title, family, summary = "test_one_of_each", "One of each", "Test", "For tests"
    outputs = (Out(main=True), Out("others", "The others"))
    Settings = Settings

    def apply(self, tables, settings, context):
        first = pl.col("Hub").is_first_distinct()
        return Result(tables.main.filter(first).select("Hub"), {"others": tables.main.filter(~first)})

    def reads(self, settings, wanted, port):
        return None if wanted is None else frozenset({"Hub"})

    def sentence(self, settings):
        return "by Hub"


def test_a_side_output_keeps_the_columns_that_only_it_is_taken_for(tmp_path):
    """The main line needs one column; who takes the other rows gets all of them."""
    (tmp_path / "t.csv").write_text("Lot,Hub\na,Fen\nb,Fen\n")
    files = Files(tmp_path)
    only_lot = {"columns": [{"column": "Lot"}], "others": "drop"}
    flow = flow_of(
        ("k", "test_one_of_each", {}, {"table": "t"}),
        ("hubs", "write_file", {"name": "hubs.csv"}, {"table": "k"}),
        ("c", "choose_columns", only_lot, {"table": "k.others"}),
        ("lots", "write_file", {"name": "lots.csv"}, {"table": "c"}),
    )
    hubs = {"by": ["Hub"], "figures": [{"figure": "rows"}]}
    counted = Step(id="s", kind="summarise", settings=hubs, inputs={"table": "k"})
    reads = Step(id="t", kind="read_file", settings={"path": "t.csv"})  # a source that leaves out what nobody needs
    written = flow.steps[2].model_copy(update={"inputs": {"table": "s"}})
    planned = plan(flow.model_copy(update={"steps": (reads, flow.steps[1], counted, written, *flow.steps[3:])}), files)
    assert needed_columns(planned)["t"] is None
    assert run(planned, files, tmp_path / "out").status == "ok"
    assert (tmp_path / "out/lots.csv").read_text() == "Lot\nb\n"


def test_a_kind_that_comes_to_another_result_makes_kept_tables_anew(lots, monkeypatch):
    flow = flow_of(("tidy", "tidy_text", {}, {"table": "t"}), ("k", "keep_rows", {"by": "first"}, {"table": "tidy"}))
    before = plan(flow, lots)
    monkeypatch.setattr(TidyText, "version", TidyText.version + 1)
    after = plan(flow, lots)
    assert before.steps["t"].fingerprint == after.steps["t"].fingerprint
    for step in ("tidy", "k"):
        assert before.steps[step].fingerprint != after.steps[step].fingerprint


def test_a_check_that_stops_further_up_stops_a_look_further_down(lots):
    """Looking computes one query over all steps; the checks on the way are made all the same."""
    stops = {"columns": [{"column": "Grams", "type": "whole"}], "failing": "stop"}
    flow = flow_of(
        ("k", "set_types", stops, {"table": "t"}),
        ("tidy", "tidy_text", {}, {"table": "k"}),
        ("c", "choose_columns", {"columns": [{"column": "Lot"}], "others": "drop"}, {"table": "tidy"}),
    )
    engine = Engine()
    with pytest.raises(Problem) as caught:
        engine.look(engine.plan(flow, lots), "c", lots)
    assert caught.value.step == "k" and "1 value of Grams" in str(caught.value)


@pytest.mark.parametrize(("grams", "times", "exact"), [(0.1, 3.0, 0.3), (1.1, 1.1, 1.21), (4.35, 100.0, 435.0)])
def test_products_are_the_numbers_a_person_would_write(bench, grams, times, exact):
    everywhere = {"of": [{"column": "Grams", "test": "filled"}]}
    settings = {"columns": ["Grams"], "to": "times", "times": times, "rule": everywhere}
    done = bench.apply("set_values", settings, pl.DataFrame({"Grams": [grams]}))
    assert done.frames[""]["Grams"].to_list() == [exact] and grams * times != exact


def test_units_give_the_numbers_a_person_would_write(bench):
    unit = {"column": "w", "type": "number", "dressed": True, "units": [{"unit": "kg", "times": 1.1}]}
    done = bench.apply("set_types", {"columns": [unit]}, pl.DataFrame({"w": ["1.1 kg"]}))
    assert done.frames[""]["w"].to_list() == [1.21]


def test_of_values_that_are_as_frequent_the_one_that_comes_first_settles_a_group(bench):
    table = pl.DataFrame({"code": ["1", "1", "2", "2", "2", "2"], "name": ["B", "A", "C", "D", "D", "C"]})
    settings = {"within": ["code"], "columns": ["name"], "percent": 50}
    assert bench.apply("one_value_per_group", settings, table).frames[""]["name"].to_list() == ["B"] * 2 + ["C"] * 4
    strict = bench.apply("one_value_per_group", {**settings, "percent": 51}, table)
    assert strict.frames[""].equals(table) and [fact.count for fact in strict.facts] == [2]
    just = pl.DataFrame({"code": ["1"] * 5, "name": ["A", "B", "A", "B", "A"]})
    settled = bench.apply("one_value_per_group", {**settings, "percent": 60}, just)
    assert settled.frames[""]["name"].to_list() == ["A"] * 5, "60 of 100 is enough where 60 are asked for"


def test_many_looks_at_once_end_and_give_what_one_look_gives():
    """Steps call back into Python while Polars' threads wait for them; in a process of its own, since it might hang."""
    script = """
import json, threading, polars as pl
from updraft.core.engine.liveness import needed_columns
from updraft.core.steps import Tables, kinds
kind = kinds()["tidy_text"]
table = pl.DataFrame({c: [f"  v{n % 24}  x" for n in range(20000)] for c in "abcdefgh"}).lazy()
found = []
def look():
    for _ in range(10):
        one, _ = pl.collect_all([kind.apply(Tables.of(table), kind.Settings(), None).table, table], engine="in-memory")
        found.append(sorted(set(one.hash_rows().to_list())) and one["h"].unique().sort().to_list())
threads = [threading.Thread(target=look) for _ in range(4)]
for thread in threads: thread.start()
for thread in threads: thread.join()
print(json.dumps([len(found), found[0], all(one == found[0] for one in found)]))
"""
    environment = {**os.environ, "POLARS_MAX_THREADS": "2"}
    done = subprocess.run(
        [sys.executable, "-c", script], check=True, timeout=120, env=environment, capture_output=True, text=True
    )
    looks, values, alike = json.loads(done.stdout)
    assert looks == 40 and alike and values == sorted(f"v{n} x" for n in range(24))


def test_families_are_found_in_order_and_a_kind_is_loaded_by_its_name_alone():
    families = list(dict.fromkeys(kind.family for kind in kinds().values() if kind.family != "Test"))
    assert families[0] == "Bring in" and families[-1] == "Deliver" and len(families) == 9
    script = (
        "import sys; from updraft.core.steps import kinds; k = kinds()['drop_rows']\n"
        "print(k.family, sorted(m for m in sys.modules if m.startswith('updraft.core.steps.') and m.count('.') > 3))"
    )
    done = subprocess.run([sys.executable, "-c", script], check=True, capture_output=True, text=True)
    assert done.stdout.strip() == "Rows ['updraft.core.steps.rows.choosing', 'updraft.core.steps.rows.drop_rows']"


def test_what_is_counted_is_said_in_the_singular_for_one_and_names_stay_as_they_are(bench):
    name = "rows are {n} 1 cells"
    table = pl.DataFrame({name: ["1", "x", "y"], "Hub": ["Fen", "Fen", "Fen"]})
    column = {"columns": [{"column": name, "type": "whole"}]}
    for rows, said in (
        (3, f"2 values of {name} are not a whole number"),
        (2, f"1 value of {name} is not a whole number"),
    ):
        facts = [fact.text for fact in bench.apply("set_types", column, table.head(rows)).facts]
        assert facts[0] == said


def test_several_files_are_all_read_as_the_step_says(tmp_path):
    for month in ("03", "04"):
        (tmp_path / f"lots_{month}.csv").write_text(f"as of {month}\nLot;Grams\nGZ-{month};1,5\n")
    settings = {"path": "lots_*.csv", "skip": 1, "delimiter": ";", "numbers": "comma"}
    flow = Flow(steps=(Step(id="t", kind="read_file", settings=settings),))
    files = Files(tmp_path)
    table = Engine().look(plan(flow, files), "t", files).lazy().collect()
    assert table.rows() == [("lots_03.csv", "GZ-03", 1.5), ("lots_04.csv", "GZ-04", 1.5)]


def test_a_run_asks_a_source_for_no_more_than_later_steps_read(tmp_path, monkeypatch):
    asked = []
    (tmp_path / "t.csv").write_text("Lot,Hub,Grams\na,Fen,1\n")
    kind = kinds()["read_file"]
    apply = type(kind).apply
    monkeypatch.setattr(
        type(kind),
        "apply",
        lambda self, tables, chosen, context: asked.append(context.wanted) or apply(self, tables, chosen, context),
    )
    by_hub = {"by": ["Hub"], "figures": [{"figure": "rows"}]}
    reads = Step(id="t", kind="read_file", settings={"path": "t.csv"})
    files = Files(tmp_path)
    sort = Step(id="r", kind="sort_rows", settings={"order": [{"column": "Lot"}]}, inputs={"table": "t"})
    off = Step(
        id="o", kind="sort_rows", settings={"order": [{"column": "Grams"}]}, inputs={"table": "r"}, enabled=False
    )
    for between, read in (((), {"Hub"}), ((sort,), {"Hub", "Lot"}), ((sort, off), {"Hub", "Lot"})):
        last = Step(id="s", kind="summarise", settings=by_hub, inputs={"table": between[-1].id if between else "t"})
        flow = Flow(steps=(reads, *between, last))
        assert run(plan(flow, files), files, tmp_path / "out").status == "ok"
        assert asked == [read], "a step that is off reads nothing, and hides nothing of what others read"
        asked.clear()


def test_values_set_by_a_rule_are_counted_cell_by_cell(lots):
    changes = {
        "columns": ["Hub"],
        "to": "value",
        "value": "Dale",
        "rule": {"of": [{"column": "Lot", "test": "filled"}]},
    }
    flow = flow_of(("v", "set_values", changes, {"table": "t"}))
    found = Engine().look(plan(flow, lots), "v", lots)
    assert found.changed == {"Hub": 2}, "one of three was so before"


def test_a_check_further_up_reads_its_files(tmp_path):
    """What a look computes on its way is computed from the same files as the rest."""
    (tmp_path / "t.csv").write_text("Lot,Hub\na,F\n")
    (tmp_path / "hubs.csv").write_text("Code,Name\nF,Fen\n")
    keys = {"keys": [{"column": "Hub", "reference": "Code"}], "bring": [{"column": "Name"}], "many": "stop"}
    flow = Flow(
        steps=(
            Step(id="t", kind="read_file", settings={"path": "t.csv"}),
            Step(id="hubs", kind="read_file", settings={"path": "hubs.csv"}),
            Step(id="up", kind="look_up", settings=keys, inputs={"table": "t", "reference": "hubs"}),
            Step(id="k", kind="keep_rows", settings={"by": "first"}, inputs={"table": "up"}),
        )
    )
    files = Files(tmp_path)
    assert Engine().look(plan(flow, files), "k", files).lazy().collect().rows() == [("a", "F", "Fen")]


def test_a_run_tells_of_each_step_when_it_begins_and_what_it_did(lots, tmp_path):
    flow = flow_of(("k", "keep_rows", {"by": "first"}, {"table": "t"}))
    told = []
    report = run(plan(flow, lots), lots, tmp_path / "out", progress=lambda step, done: told.append((step, done)))
    assert [step for step, done in told if done is None] == ["t", "k"]
    assert [done for _, done in told if done is not None] == report.steps
    assert [(step["id"], step["rows_in"], step["rows_out"]) for step in report.as_dict()["steps"]] == [
        ("t", None, 3),
        ("k", 3, 1),
    ]


def test_what_is_not_chosen_yet_is_no_mistake(lots):
    broken = plan(flow_of(("s", "split_column", {}, {"table": "t"})), lots).steps["s"].problem
    assert broken.code == "unfinished" and "it is not chosen yet" in str(broken)
    assert (
        plan(flow_of(("s", "split_column", {"column": 3}, {"table": "t"})), lots).steps["s"].problem.code
        == "bad_setting"
    )


NEEDED = [
    (kind.kind, name)
    for kind in kinds().values()
    for name, info in kind.Settings.model_fields.items()
    if "needs" in (info.json_schema_extra or {})
]


@pytest.mark.parametrize(("kind", "name"), NEEDED)
def test_a_setting_that_is_needed_is_told_at_its_field_while_the_form_shows_it(kind, name):
    """For every kind that declares it: empty or blank it is open, hidden by another setting it is not."""
    it = kinds()[kind].Settings
    info = it.model_fields[name]
    hints, empty = info.json_schema_extra, "" if isinstance(info.get_default(call_default_factory=True), str) else ()
    when = {other: shown[0] for other, shown in hints.get("when", {}).items()}
    required = {one: "x" for one, field in it.model_fields.items() if field.is_required()}
    open_of = lambda **chosen: {one: said for one, *said in it.model_construct(**{**required, **chosen}).open()}  # noqa: E731
    assert open_of(**when, **{name: empty})[name] == hints["needs"]
    assert name not in open_of(**when, **{name: "x" if empty == "" else ("x",)})
    if empty == "":
        assert (name in open_of(**when, **{name: "  "})) != bool(hints.get("blanks"))
    for other in when:
        assert name not in open_of(**{**when, other: "something else", name: empty})


def test_what_is_needed_is_told_before_anything_is_read(tmp_path):
    step = Step(id="s", kind="sort_rows", settings={}, inputs={"table": "t"})
    reads = Step(id="t", kind="read_file", settings={"path": "none.csv"})
    broken = plan(Flow(steps=(reads, step)), Files(tmp_path)).steps["s"].problem
    assert (broken.code, broken.field) == ("unfinished", "order") and "Choose at least one" in str(broken)
