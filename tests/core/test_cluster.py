"""Runs on a Spark cluster: the same tables, facts and files as on this machine, whatever happens to the cluster."""

import json
import socket
import threading
import time
from pathlib import Path

import polars as pl
import pytest
from click.testing import CliRunner

from tests.spark import Standalone
from updraft.cli import main
from updraft.core import Files, Flow, Problem, Step, dump, plan, run
from updraft.core.engine import spark
from updraft.core.engine.cluster_work import gathered_first
from updraft.core.engine.cutting import Cut
from updraft.core.engine.hands import ByKeys, Dealt
from updraft.core.engine.pieces import Pieces, Scratch
from updraft.core.engine.report import Stopped

HERE, ROWS = "local[2]", 900


@pytest.fixture(scope="module")
def folder(tmp_path_factory):
    """Orders with names to tidy, some of them twice, as Parquet, and hubs as text."""
    folder = tmp_path_factory.mktemp("cluster")
    orders = pl.DataFrame(
        {
            "Order": [f"O{n * 7 % 700:04}" for n in range(ROWS)],
            "Hub": [f" h{n % 23} " if n % 11 else None for n in range(ROWS)],
            "Grams": [n * 0.1 if n % 13 else None for n in range(ROWS)],
            "Words": ["-".join("abc"[: n % 4]) for n in range(ROWS)],
        }
    )
    orders.write_parquet(folder / "orders.parquet")
    pl.DataFrame({"Code": [f"H{n}" for n in range(0, 46, 2)], "Town": [f"T{n}" for n in range(23)]}).write_csv(
        folder / "hubs.csv"
    )
    return folder


def flow() -> Flow:
    """By rows one after another, learnt first, by keys with two tables and with one, by order, and groups."""

    def step(name, kind, settings, main="", **ports):
        return Step(id=name, kind=kind, settings=settings, inputs={**({"table": main} if main else {}), **ports})

    tidy = {"columns": {"names": ["Hub"]}, "case": "upper"}
    keys = [{"column": "Hub", "reference": "Code"}]
    figures = [{"figure": "sum", "column": "Grams", "name": "All grams"}, {"figure": "rows", "name": "Orders"}]
    steps = (
        step("orders", "read_file", {"path": "orders.parquet"}),
        step("hubs", "read_file", {"path": "hubs.csv"}),
        step("tidy", "tidy_text", tidy, "orders"),
        step("split", "split_column", {"column": "Words", "by": "mark", "at": "-"}, "tidy"),
        step("join", "join", {"keys": keys, "rows": "full"}, "split", reference="hubs"),
        step("once", "remove_duplicates", {"keys": ["Order"]}, "join"),
        step("sort", "sort_rows", {"order": [{"column": "Grams", "down": True}]}, "once"),
        step("rows", "write_file", {"name": "rows.csv"}, "sort"),
        step("sum", "summarise", {"by": ["Town"], "figures": figures}, "once"),
        step("sums", "write_file", {"name": "sums.csv"}, "sum"),
    )
    return Flow(name="Grams of each town", steps=steps)


def told(report) -> list:
    """What is said of the steps."""
    return sorted((s.id, s.rows_in, s.rows_out, s.facts, s.warnings) for s in report.steps)


def on(place: str, found: Flow, folder: Path, out: Path, **more):
    """A run with nothing held together, so that every key is dealt out."""
    cut = Cut(out.parent / "scratch", 300, 3, room=0)
    cluster = spark.cluster_at(place) if place else None
    return run(plan(found, Files(folder)), Files(folder), out, cut=cut, cluster=cluster, **more)


def files(folder: Path) -> dict[str, bytes]:
    return {path.name: path.read_bytes() for path in folder.iterdir()}


def test_a_run_on_a_cluster_delivers_and_tells_the_same(folder, tmp_path):
    here = run(plan(flow(), Files(folder)), Files(folder), tmp_path / "here")
    there = on(HERE, flow(), folder, tmp_path / "there")
    assert here.status == there.status == "ok", there.error
    assert files(tmp_path / "there") == files(tmp_path / "here")
    assert told(there) == told(here) and there.on == HERE
    assert not list((tmp_path / "scratch").iterdir()), "nothing is left behind"


def test_a_worker_that_dies_in_the_middle_changes_nothing(tmp_path):
    """Its tasks, and what it had dealt out, are done again by the other one."""
    cluster, scratch = Standalone(tmp_path), Scratch(tmp_path, 0)
    rows = pl.DataFrame({"key": [n % 17 for n in range(400)]})
    pieces = Pieces([scratch.written(part) for part in rows.iter_slices(20)])
    try:
        hands = spark.Spark(cluster.address, scratch.written)

        def slowly(number, frames):
            time.sleep(0.5)
            assert frames[0]["place"].is_sorted(), "rows come in their order"
            return number, scratch.written(frames[0])

        begun = time.monotonic()
        threading.Timer(1.5, cluster.kill, [1]).start()
        made = list(hands.dealt([Dealt(pieces, ByKeys((pl.col("key"),)), "place")], 8, 40, slowly))
        assert time.monotonic() - begun > 1.5 and cluster.workers[1].poll() is not None, "it died meanwhile"
        hands.close()
        assert [number for number, *_ in made] == sorted({number for number, *_ in made})
        found = pl.concat([piece.frame() for _, piece in made])
        assert found.sort("place")["key"].to_list() == rows["key"].to_list()
        together = [set(piece.frame()["key"]) for _, piece in made]
        assert sum(map(len, together)) == len(set().union(*together)), "rows of a key come together"
    finally:
        cluster.stop()


def test_a_step_that_stops_on_a_cluster_says_why_and_delivers_nothing(folder, tmp_path):
    check = {"rules": [{"must": "filled", "columns": ["Grams"], "then": "stop"}]}
    steps = flow().steps
    stopped = Step(id="check", kind="check", settings=check, inputs={"table": "tidy"})
    moved = [one.model_copy(update={"inputs": {"table": "check"}}) if one.id == "split" else one for one in steps]
    there = on(HERE, Flow(name="Stops", steps=(*moved, stopped)), folder, tmp_path / "there")
    here = run(plan(Flow(name="Stops", steps=(*moved, stopped)), Files(folder)), Files(folder), tmp_path / "here")
    assert there.status == here.status == "failed" and str(there.error) == str(here.error)
    assert there.error.step == "check" and not there.outputs and not list((tmp_path / "scratch").iterdir())


def refuse(name: str) -> str:
    if not name:
        raise Problem("No such hub", "it has no name.")
    return name


def test_tasks_are_cancelled_and_refuse_in_words_and_the_next_run_has_the_cluster(tmp_path):
    stopped, keep = threading.Event(), Scratch(tmp_path, 0).written
    hands = spark.Spark(HERE, keep, stopped.is_set)
    try:
        threading.Timer(1, stopped.set).start()
        begun = time.monotonic()
        with pytest.raises(Stopped):
            list(hands.each(time.sleep, [60, 60]))
        assert time.monotonic() - begun < 30
        stopped.clear()
        assert list(hands.each(abs, [-1, 2])) == [1, 2]
        with pytest.raises(Problem, match="No such hub"):
            list(hands.each(refuse, ["Aldermere", ""]))
        with pytest.raises(Problem, match="it gave up: ZeroDivisionError") as told:
            list(hands.each(lambda n: 1 // n, [0]))
        assert told.value.code == "cluster"
        none = Dealt(Pieces([keep(pl.DataFrame(schema={"key": pl.UInt8}))]), ByKeys((pl.col("key"),)), "place")
        made = list(hands.dealt([none], 3, 10, lambda number, frames: (number, frames[0].schema)))
        assert made == [(0, pl.Schema({"key": pl.UInt8, "place": pl.Int64}))], "a table without rows has columns"
    finally:
        hands.close()


def test_a_place_that_is_no_cluster_is_told_before_anything_is_done(folder, tmp_path, monkeypatch):
    with socket.socket() as closed:
        closed.bind(("127.0.0.1", 0))
        address = f"spark://127.0.0.1:{closed.getsockname()[1]}"
    (folder / "flow.updraft.json").write_text(dump(flow()))
    for place, code, ends, words in (
        ("my cluster", "bad_call", 2, "names no cluster"),
        (address, "no_cluster", 1, "nothing answers there"),
    ):
        call = ["run", str(folder / "flow.updraft.json"), "--out", str(tmp_path / "out"), "--on", place, "--json"]
        done = CliRunner().invoke(main, call)
        error = json.loads(done.stdout)["error"]
        assert (done.exit_code, error["code"]) == (ends, code) and words in error["reason"] and error["way_out"]
    assert not (tmp_path / "out").exists()
    monkeypatch.setattr(spark, "versions_here", lambda: {"updraft": "0.0"})
    for found, code, words in (
        ({"updraft": "9.9"}, "other_versions", "Updraft 9.9; here: Updraft 0.0"),
        ({"updraft": "0.0"}, "no_folder", f"do not see the folder for parts, {tmp_path / 'scratch'}"),
    ):
        monkeypatch.setattr(spark.Spark, "_answers", lambda *_, found=found: iter([(found, False)]))
        there = on(HERE, flow(), folder, tmp_path / "out")
        assert there.error.code == code and words in there.error.reason, there.error


def test_steps_that_a_cluster_cannot_help_with_are_named_before_the_run():
    turned = Step(id="turn", kind="transpose", settings={}, inputs={"table": "sum"})
    found = list(gathered_first(plan(Flow(name="Turned", steps=(*flow().steps, turned)), Files(Path()))))
    assert len(found) == 1 and "Transpose" in found[0] and "make them fewer" in found[0]
