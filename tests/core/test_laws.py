"""Laws that hold for any flow: how a table is computed never changes what it holds."""

import polars as pl
from hypothesis import given, settings
from hypothesis import strategies as st

from tests import sources  # noqa: F401
from tests.steps import COLUMNS, LAST, ROWS, STEPS
from updraft.core import Engine, Files, Flow, Problem, Step, plan
from updraft.core.engine import Door, run
from updraft.core.engine.liveness import needed_columns
from updraft.core.engine.planning import arriving
from updraft.core.engine.table import compute
from updraft.core.flow.edits import SwitchStep
from updraft.core.insight import column_values, counted_values, ordered_values, summarise_columns
from updraft.core.steps import SHAPES


def flow_of(steps: list, last) -> Flow:
    """A chain of the steps on one source; look-ups take a second source."""
    made = [
        Step(id="source", kind="test_source", settings={"path": "t.arrow"}),
        Step(id="other", kind="test_source", settings={"path": "o.arrow"}),
    ]
    before = "source"
    for n, (kind, chosen) in enumerate([*steps, *([last] if last else [])]):
        inputs = {"table": before, **({"reference": "other"} if kind == "look_up" else {})}
        made.append(Step(id=f"s{n}", kind=kind, settings=chosen, inputs=inputs))
        before = f"s{n}"
    made.append(Step(id="write", kind="write_file", settings={"name": "out.csv"}, inputs={"table": before}))
    return Flow(steps=tuple(made))


def put(folder, rows, others) -> Files:
    for name, content in (("t", rows), ("o", others)):
        pl.DataFrame(content, schema={c: pl.String if c != "n" else pl.Int64 for c in COLUMNS}, orient="row").write_ipc(
            folder / f"{name}.arrow"
        )
    return Files(folder)


def step_by_step(flow: Flow, files: Files) -> dict:
    """Every table computed from the one before it, materialised: the plainest way there is."""
    tables = {}
    planned = plan(flow, files)
    for step_id, step in planned.steps.items():
        if step.problem:
            raise step.problem
        inputs = arriving(planned, step, lambda ref: tables[ref.step].lazy(ref.output))
        tables[step_id] = compute(step.kind, step.settings, inputs, Door(files, step_id, planned))
    return tables


def window(counted, search="", order="count", **more) -> dict:
    return column_values(counted, ordered_values(counted, search=search, order=order), **more)


@given(ROWS, ROWS, st.lists(STEPS, min_size=1, max_size=5), LAST)
@settings(max_examples=120)
def test_looking_running_and_computing_step_by_step_agree(tmp_path, rows, others, steps, last):
    files, flow = put(tmp_path, rows, others), flow_of(steps, last)
    try:
        plain = step_by_step(flow, files)
    except Problem as problem:
        report = run(plan(flow, files), files, tmp_path / "out")
        assert report.status == "failed" and report.error.code == problem.code
        assert str(report.error) == str(problem), "leaving out columns must not change what a problem says"
        return
    engine = Engine()
    planned = engine.plan(flow, files)
    end = flow.steps[-1].id
    looked = engine.look(planned, end, files)
    assert looked.lazy().collect().equals(plain[end].lazy().collect()), "one lazy query over all steps"
    report = run(planned, files, tmp_path / "out")
    assert report.status == "ok", report.error
    for done in report.steps:
        table = plain[done.id]
        assert (done.rows_in, done.rows_out) == (table.rows_in, table.height)
        assert done.facts == table.facts, "facts count all that the step was asked for, whatever is needed later"
    written = (tmp_path / "out/out.csv").read_bytes()
    plain[end].lazy().collect().write_csv(tmp_path / "plain.csv")
    assert written == (tmp_path / "plain.csv").read_bytes()


@given(ROWS, st.lists(STEPS, min_size=2, max_size=4), st.integers(0, 3))
@settings(max_examples=40)
def test_a_step_switched_off_is_as_if_it_were_not_there(tmp_path, rows, steps, which):
    files, which = put(tmp_path, rows, rows), which % len(steps)
    off = SwitchStep(id=f"s{which}", enabled=False).apply(flow_of(steps, None), SHAPES)
    without = flow_of([step for n, step in enumerate(steps) if n != which], None)
    try:
        expected = step_by_step(without, files)["write"].lazy().collect()
    except Problem:
        return
    engine = Engine()
    assert engine.look(engine.plan(off, files), "write", files).lazy().collect().equals(expected)


def test_sources_are_asked_only_for_what_later_steps_read():
    flow = flow_of(
        [
            ("tidy_text", {"columns": {"by": "names", "names": ["a"]}}),
            (
                "look_up",
                {
                    "keys": [{"column": "a", "reference": "b"}],
                    "bring": [{"column": "n", "name": "its n"}],
                    "many": "first",
                },
            ),
        ],
        ("summarise", {"by": ["c"], "figures": [{"figure": "sum", "column": "its n"}]}),
    )
    wanted = needed_columns(plan(flow, Files(put_nowhere())))
    assert wanted["source"] == {"a", "c", "its n"} and wanted["other"] == {"b", "n"} and wanted["s2"] is None
    everything = flow_of([("tidy_text", {})], None)
    assert needed_columns(plan(everything, Files(put_nowhere())))["source"] is None


def put_nowhere():
    import tempfile
    from pathlib import Path

    folder = Path(tempfile.mkdtemp())
    put(folder, [("x", "x", "x", 1)], [("x", "x", "x", 1)])
    return folder


@given(
    st.lists(st.one_of(st.none(), st.sampled_from(["a", "b", "", " "]), st.text(max_size=3)), min_size=1, max_size=20)
)
def test_summaries_and_value_lists_count_every_row(values):
    table = pl.DataFrame({"x": values}, schema={"x": pl.String}).lazy()
    (summary,) = summarise_columns(table)
    listed = window(counted_values(table.collect()["x"]))
    assert sum(count for _, count in listed["values"]) == len(values)
    # Blanks alone are empty, in the list as in the figures.
    listed_empty = sum(count for value, count in listed["values"] if value is None)
    assert listed_empty == summary.empty >= sum(v is None or v in ("", " ") for v in values)
    assert listed["distinct"] - (listed_empty > 0) == summary.distinct <= len({v for v in values if v is not None})
    assert all(0 <= bar <= 1 for bar in summary.bars)


def test_summaries_of_every_kind_of_column():
    from datetime import date, datetime

    table = pl.DataFrame(
        {
            "n": [1.0, 2.0, float("inf"), None],
            "same": [3, 3, 3, 3],
            "day": [date(2026, 3, d) for d in (1, 2, 3, 31)],
            "time": [datetime(2026, 3, 1, h) for h in range(4)],
            "yes": [True, False, None, True],
            "list": [[1], [2], None, []],
            "none": pl.Series([None] * 4, dtype=pl.String),
            "id": list("abcd"),
        }
    )
    found = {s.name: s for s in summarise_columns(table.lazy())}
    assert (found["n"].fact, found["n"].alert) == ("1 empty", True)
    assert found["same"].fact == "1 value" and found["day"].bars[-1] > 0 and found["id"].fact == "all differ"
    assert found["none"].fact == "all empty" and found["list"].fact == "1 empty" and found["yes"].distinct == 2
    numbers = pl.DataFrame(
        {
            "Packets": [2016, 40, 12_500],
            "Year": [2016, 2017, 2019],
            "sown in": [1998, 2016, 2003],
            "Lot no": [9_001, 2, 7],
            "g": [1.5, 2.0, 9.0],
        }
    )
    amounts = {s.name: s.amount for s in summarise_columns(numbers.lazy())}
    assert amounts == {"Packets": True, "Year": False, "sown in": False, "Lot no": False, "g": True}
    assert [s.kind for s in summarise_columns(table.clear().lazy())] == [
        s.kind for s in summarise_columns(table.lazy())
    ]
