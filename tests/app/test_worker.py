"""Runs in the real worker, and what becomes of them when a process goes away."""

import json
import os
import signal
import subprocess
import sys
from pathlib import Path

import openpyxl
import polars as pl
import pytest

from tests.served import Served, until
from updraft.core import Flow, Step
from updraft.demo import ready_made
from updraft.store import FlowStore, Folders, RunStore, open_database


@pytest.fixture
def served(tmp_path):
    app = Served(tmp_path / "data")
    yield app
    app.stop()
    until(lambda: not app.workers(), 40, "the end of the worker")


@pytest.fixture
def stores(served):
    folders = Folders(served.data)
    open_database(folders.database)
    return folders, FlowStore(folders), RunStore()


def slow_flow(folders: Folders, flows: FlowStore) -> str:
    """A flow whose output takes seconds to write."""
    flow = Flow(
        name="Slow",
        steps=(
            Step(id="r", kind="read_file", settings={"path": "big.csv"}),
            Step(id="w", kind="write_file", settings={"name": "big.xlsx"}, inputs={"table": "r"}),
        ),
    )
    flow_id = flows.create(flow, "made")
    pl.DataFrame({f"c{n}": pl.int_range(120_000, eager=True) * n for n in range(8)}).write_csv(
        folders.files(flow_id) / "big.csv"
    )
    return flow_id


def ask(served, runs: RunStore, flow_id: str, flow: Flow) -> str:
    """A run, asked for the way the web server does."""
    from updraft.jobs import make_queue

    run = runs.create(flow_id, flow, 1, {})
    make_queue(Folders(served.data))[1](run)
    return run


def test_cancel_stops_a_running_step_and_leaves_nothing_half_there(served, stores):
    folders, flows, runs = stores
    flow_id = slow_flow(folders, flows)
    run = ask(served, runs, flow_id, flows.get(flow_id).flow)
    until(lambda: "w" in runs.get(run)["progress"].get("steps", {}), what="writing")
    runs.cancel(run)
    until(lambda: runs.get(run)["status"] == "cancelled", 40, "cancelling")
    assert list(folders.out(flow_id).iterdir()) == []


def test_a_killed_worker_is_replaced_and_its_run_is_marked_and_can_be_repeated(served, stores):
    folders, flows, runs = stores
    flow_id = slow_flow(folders, flows)
    flow = flows.get(flow_id).flow
    run, waiting = (
        ask(served, runs, flow_id, flow),
        ask(served, runs, flow_id, flow.model_copy(update={"steps": flow.steps[:1]})),
    )
    until(lambda: "w" in runs.get(run)["progress"].get("steps", {}), what="writing")
    (worker,) = served.workers()
    os.kill(worker, signal.SIGKILL)
    until(lambda: runs.get(run)["status"] == "cut off", 60, "the mark")
    assert "Run it again" in runs.get(run)["report"]["error"]["text"]
    until(lambda: runs.get(waiting)["status"] == "ok", 90, "the waiting run")
    assert served.workers() != [worker]


def test_a_killed_server_finds_its_runs_again(served, stores):
    folders, flows, runs = stores
    flow_id = slow_flow(folders, flows)
    run = ask(served, runs, flow_id, flows.get(flow_id).flow)
    until(lambda: runs.get(run)["status"] == "running", what="running")
    served.kill()
    served.start()
    until(lambda: runs.get(run)["status"] == "ok", 120, "the run's end in the worker that lived on")
    name = runs.get(run)["report"]["outputs"][0]["path"]
    assert json.loads(served.get(f"/api/runs/{run}"))["status"] == "ok"
    assert len(served.get(f"/api/runs/{run}/files/{name}")) == (folders.out(flow_id) / name).stat().st_size


def test_a_run_that_is_written_down_and_not_queued_begins_by_itself(served, stores):
    """So it is when the disk was full for a moment."""
    _, flows, runs = stores
    flow_id = flows.create(Flow(name="Small"), "made")
    run = runs.create(flow_id, Flow(name="Small"), 1, {})
    until(lambda: runs.get(run)["status"] != "waiting", 30, "that it is brought to the queue")


def test_the_demo_has_a_flow_that_was_run_once_with_its_result(tmp_path):
    app = Served(tmp_path / "demo", "demo")
    try:
        open_database(Folders(app.data).database)
        listed = FlowStore(Folders(app.data)).list()
        assert {flow["name"] for flow in listed} == {ready.flow.name for ready in ready_made()} and len(listed) == 12
        flow = next(flow for flow in listed if flow["name"] == "March packet report")
        run = until(
            lambda: next((r for r in RunStore().list(flow["id"]) if r["status"] == "ok"), None), what="the first run"
        )
        (tmp_path / "x.xlsx").write_bytes(app.get(f"/api/runs/{run['id']}/files/packet_report_2026-03.xlsx"))
        assert openpyxl.load_workbook(tmp_path / "x.xlsx")["Packets"].max_row == run["report"]["outputs"][0]["rows"] + 1
        app.stop()
        app.start()
        assert len(FlowStore(Folders(app.data)).list()) == len(listed), "starting again adds nothing"
    finally:
        app.stop()


@pytest.mark.parametrize("ending", ["asked to", "its worker gone"])
def test_the_process_of_a_run_tidies_up_when_it_is_asked_to_end_and_never_outlives_its_worker(stores, ending):
    folders, flows, runs = stores
    run = runs.create(flow := slow_flow(folders, flows), flows.get(flow).flow, 1, {})
    call = [sys.executable, "-m", "updraft.jobs.execute", str(folders.data), run]
    # A worker between: the run's process has a parent that can go.
    worker = f"import subprocess; p = subprocess.Popen({call!r}); print(p.pid, flush=True); raise SystemExit(p.wait())"
    with subprocess.Popen([sys.executable, "-c", worker], stdout=subprocess.PIPE, text=True) as process:
        number = int(process.stdout.readline())
        until(lambda: runs.get(run)["progress"].get("steps"), 30, "the run to begin")
        if ending == "asked to":
            os.kill(number, signal.SIGTERM)
            assert process.wait(20) == 128 + signal.SIGTERM, "through its own code, not by the system"
        else:
            process.kill()
    state = Path(f"/proc/{number}/stat")
    until(lambda: not state.exists() or ") Z" in state.read_text(), 10, "the end of the run's process")
