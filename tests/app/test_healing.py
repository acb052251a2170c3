"""Damaged, missing, newer and half-written things in the data folder: the app starts, and loses nothing else."""

import json
import os
import resource
import signal
import sqlite3
import subprocess
import sys
import time
from pathlib import Path

import polars as pl
import pytest

from tests.served import Served, until
from updraft.core import Flow, Problem, Step, Table, TableCache
from updraft.core.deliver import Delivered
from updraft.core.engine import Report
from updraft.jobs import clock, execute, make_queue
from updraft.store import ConnectionStore, FlowStore, Folders, RunStore, open_database
from updraft.store.database import MIGRATIONS
from updraft.store.sweeping import swept

SHOP = {"kind": "web", "name": "Shop", "url": "https://shop.example/", "auth": "bearer", "secret": "s3cret"}


@pytest.fixture
def folders(tmp_path):
    folders = Folders(tmp_path / "data")
    db = open_database(folders.database)
    yield folders
    db.close()


def saved(folders, *names: str) -> str:
    store = FlowStore(folders)
    flow_id = store.create(Flow(name=names[0]), "Began the flow")
    for number, name in enumerate(names[1:], 1):
        store.save(flow_id, Flow(name=name), f"Called it {name}", number)
    return flow_id


def test_a_damaged_revision_gives_way_to_the_one_before_it_and_no_other_flow_is_touched(client, tmp_path):
    folders = client.studio.folders
    damaged, sound = saved(folders, "One", "Two", "Three"), saved(folders, "Sound")
    with sqlite3.connect(folders.database) as db:
        db.execute("update revision set document = '{\"steps\": [' where flow_id = ? and number = 3", (damaged,))
    home = client.http.get("/")
    assert home.status_code == 200 and b"cannot be read" in home.data and b"Sound" in home.data
    assert client.http.get(f"/flows/{damaged}").status_code == 200
    assert client.studio.flows.get(damaged).flow.name == "Two" and client.studio.flows.get(sound).flow.name == "Sound"
    assert (
        client.post(f"/api/flows/{damaged}/edits", {"edits": [{"op": "describe", "name": "Four"}]}).status_code == 200
    )
    with sqlite3.connect(folders.database) as db:
        db.execute("update revision set document = 'x' where flow_id = ?", (sound,))
    answer = client.call("GET", f"/api/flows/{sound}")
    assert answer.status_code == 422 and "damaged" in answer.json["problem"]["reason"]


@pytest.mark.parametrize("content", [b"", b"short", b"\xff" * 44])
def test_a_key_that_is_none_is_made_anew_and_asks_for_the_secret_again(folders, content):
    store = ConnectionStore(folders)
    store.save(dict(SHOP))
    (folders.data / "connections.key").write_bytes(content)
    assert store.get("Shop").secret == ""
    store.save(dict(SHOP), old="Shop")
    assert ConnectionStore(folders).get("Shop").secret == "s3cret"


def test_a_queue_that_is_no_database_is_put_aside_and_waiting_runs_are_kept(folders):
    run = RunStore().create(saved(folders, "One"), Flow(name="One"), 1, {})
    folders.queue.write_bytes(b"no database at all" * 300)
    beside = [folders.queue.with_name(folders.queue.name + end) for end in ("-wal", "-shm")]
    for path in beside:
        path.write_bytes(b"of the damaged one")
    queue, execute = make_queue(folders)
    from updraft.jobs.queue import bring_back

    assert bring_back(queue, execute, RunStore().waiting()) == [run]
    assert folders.queue.with_suffix(".damaged").exists() and len(queue.pending()) == 1
    assert not any(path.exists() and path.read_bytes() == b"of the damaged one" for path in beside)


def test_a_newer_or_damaged_database_is_refused_with_a_sentence_and_left(tmp_path):
    folders = Folders(tmp_path / "newer")
    open_database(folders.database).close()
    with sqlite3.connect(folders.database) as db:
        db.execute(f"pragma user_version = {len(MIGRATIONS) + 3}")
    with pytest.raises(Problem, match="newer Updraft"):
        open_database(folders.database)
    other = Folders(tmp_path / "damaged")
    other.database.write_bytes(b"SQLite format 3\0" + b"\x01" * 5000)
    before = other.database.read_bytes()
    with pytest.raises(Problem, match="damaged"):
        open_database(other.database)
    assert other.database.read_bytes() == before


@pytest.mark.parametrize("about", ["[]", "{}", '{"digests": 5}', '"x"', "", '{"digests": {"": 7}, "facts": 5}'])
def test_what_tells_of_a_kept_table_may_be_anything(tmp_path, about):
    cache = TableCache(tmp_path)
    cache.put(Table("abc", {"": pl.DataFrame({"a": [1]})}, {"": 1}), wait=True)
    (tmp_path / "abc.json").write_text(about)
    assert TableCache(tmp_path).get("abc") is None
    assert not (tmp_path / "abc.json").exists(), "healed: the next one is kept again"
    again = TableCache(tmp_path)
    again.put(Table("abc", {"": pl.DataFrame({"a": [1]})}, {"": 1}), wait=True)
    assert TableCache(tmp_path).get("abc").rows == {"": 1}


def test_scratch_is_cleared_and_nothing_else(folders):
    flow = saved(folders, "One")
    kept = [folders.files(flow) / "lots.csv", folders.files(flow) / ".hidden.csv", folders.out(flow) / "report.xlsx"]
    kept += [folders.answers(flow) / ("a" * 32), folders.cache / "abc.arrow"]
    scratch = [
        folders.files(flow) / f".{'0' * 32}" / "half.csv",
        folders.cache / f".abc.arrow.{'1' * 32}",
        folders.out(flow) / f".{'2' * 32}.xlsx",
    ]
    for path in [*kept, *scratch]:
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text("x")
    assert swept(folders, 3600) == 0, "what is young may be in use"
    long_ago = time.time() - 7200
    for path in [*scratch, scratch[0].parent]:
        os.utime(path, (long_ago, long_ago))
    assert swept(folders, 3600) == 3
    assert all(path.exists() for path in kept) and not any(path.exists() for path in scratch)


def test_runs_are_listed_in_the_order_they_were_asked_for_whatever_the_clock_says(folders, monkeypatch):
    flow, store = saved(folders, "One"), RunStore()
    ids = []
    for hour in (12, 9, 15, 9):
        monkeypatch.setattr("updraft.store.runs.now", lambda hour=hour: f"2026-03-01T{hour:02d}:00:00+00:00")
        ids.append(store.create(flow, Flow(name="One"), 1, {}))
    assert [run["id"] for run in store.list(flow)] == ids[::-1]
    assert store.newest()[flow]["id"] == ids[-1] and store.waiting() == ids


def test_a_run_that_cannot_be_queued_for_want_of_room_is_told_and_kept(client):
    def full(run_id):
        raise sqlite3.OperationalError("database or disk is full")

    client.studio.execute = full
    flow = client.flow()
    answer = client.post(f"/api/flows/{flow}/runs")
    assert answer.status_code == 507 and "the disk is full" in answer.json["problem"]["reason"]
    assert [one["status"] for one in RunStore().list(flow)] == ["waiting"], "it begins once there is room"


def test_flows_that_led_to_a_run_are_told_in_order_and_each_once():
    chain = [("", "c"), ("a", "a,c"), ("a,,b", "a,b,c"), ("c,a", "a,c")]
    assert [execute._chain({"chain": before, "flow": "c"}) for before, _ in chain] == [told for _, told in chain]


def test_what_was_delivered_is_kept_with_its_run_also_where_a_file_before_it_is_gone(tmp_path):
    out, kept = tmp_path / "out", tmp_path / "kept"
    out.mkdir(), kept.mkdir()
    (out / "there.csv").write_text("first")
    outputs = [
        Delivered("a", "mail", 1),
        Delivered("b", "gone.csv", 1, out / "gone.csv"),
        Delivered("c", "there.csv", 1, out / "there.csv"),
    ]
    for _ in range(2):  # a run that is repeated keeps what it delivered last
        execute._keep(Report("ok", outputs=outputs), kept)
    (out / "there.csv").unlink()
    (out / "there.csv").write_text("of the next run")
    assert [(path.name, path.read_text()) for path in kept.iterdir()] == [("there.csv", "first")]


def test_a_run_ends_with_the_worker_that_began_it(tmp_path):
    begun = tmp_path / "begun"
    run = f"import time, pathlib, os; from updraft.jobs.execute import _end_with_parent; _end_with_parent(); pathlib.Path({str(begun)!r}).write_text(str(os.getpid())); time.sleep(60)"
    worker = f"import subprocess, sys, time; subprocess.Popen([sys.executable, '-c', {run!r}]); time.sleep(60)"
    with subprocess.Popen([sys.executable, "-c", worker]) as process:
        number = int(until(lambda: begun.exists() and begun.read_text(), 20))
        assert Path(f"/proc/{number}").exists()
        process.kill()
    state = Path(f"/proc/{number}/stat")
    until(lambda: not state.exists() or state.read_text().rsplit(")", 1)[1].split()[0] == "Z", 10, "the end of the run")


def test_the_clock_goes_on_looking_whatever_goes_wrong(folders, monkeypatch):
    monkeypatch.setattr(clock, "EVERY", 0.05)
    looks: list[int] = []

    def bring_back():
        looks.append(1)
        if len(looks) < 3:
            raise [ZeroDivisionError("a fault"), sqlite3.OperationalError("database or disk is full")][len(looks) - 1]
        if len(looks) > 4:
            clock.EVERY = 3600.0  # this clock looks no more

    clock.start(folders, lambda run: None, bring_back)
    until(lambda: len(looks) > 4, 10, "the clock's looks")


def test_a_file_of_a_run_that_is_not_there_is_refused_in_words(client):
    answer = client.call("GET", "/api/runs/none-such/files/x.csv")
    assert answer.status_code == 404 and answer.json["problem"]["code"] == "no_run"


def test_a_second_server_on_a_folder_is_told_where_the_first_is_until_that_is_gone(tmp_path):
    first = Served(tmp_path / "data")
    try:
        said = first.refused()
        assert "another Updraft serves this folder already" in said and first.url in said
        assert first.get("/"), "the first one goes on"
        first.kill()
        first.start()
        assert first.get("/"), "a killed one holds nothing"
    finally:
        first.stop()


def test_the_server_ends_within_five_seconds_while_it_computes(tmp_path):
    served = Served(tmp_path / "data")
    try:
        store = FlowStore(Folders(tmp_path / "data"))
        open_database(store.folders.database)
        rows = pl.DataFrame({"Name": [f"name {n * 7919 % 100_003} of {n}" for n in range(300_000)]})
        steps = (
            Step(id="r", kind="read_file", settings={"path": "names.csv"}),
            Step(
                id="s", kind="sort_rows", inputs={"table": "r"}, settings={"by": [{"column": "Name", "natural": True}]}
            ),
        )
        flow = store.create(Flow(name="Slow", steps=steps), "Began")
        rows.write_csv(store.folders.files(flow) / "names.csv")
        served.get(f"/flows/{flow}")  # it begins to compute what the page will show
        begun = time.monotonic()
        served.process.terminate()
        served.process.wait(20)
        assert time.monotonic() - begun < 5
        until(lambda: not served.workers(), 10, "the end of the worker")
    finally:
        if served.process.poll() is None:
            served.kill()


def test_what_begins_like_a_formula_is_written_as_text_and_counted(tmp_path):
    from updraft.core import Engine, Files, plan, run

    cells = ["=1+1", "-5", "+3.2", "@sum", "plain", "-cmd|x", "1,234", "-12 %", "=HYPERLINK(1)"]
    table = {"columns": ["Note"], "rows": [[cell] for cell in cells], "types": "text"}
    for way, wanted in (
        ("mark", ["'=1+1", "-5", "+3.2", "'@sum", "plain", "'-cmd|x", "1,234", "-12 %", "'=HYPERLINK(1)"]),
        ("keep", cells),
    ):
        steps = (
            Step(id="t", kind="type_in_a_table", settings=table),
            Step(id="w", kind="write_file", inputs={"table": "t"}, settings={"name": "out.csv", "formulas": way}),
        )
        flow, files = Flow(steps=steps), Files(tmp_path)
        report = run(plan(flow, files), files, tmp_path / "out")
        assert report.status == "ok", report.error
        assert pl.read_csv(tmp_path / "out" / "out.csv", infer_schema=False)["Note"].to_list() == wanted
        facts = Engine().look(Engine().plan(flow, files), "w", files).facts
        assert [fact.count for fact in facts if fact.code == "formulas"] == [4]


def _small_files() -> None:
    """No file may grow beyond 20 kB, as on a disk that is full."""
    signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
    resource.setrlimit(resource.RLIMIT_FSIZE, (20_000, 20_000))


@pytest.mark.parametrize(
    ("call", "code", "said"),
    [
        (["show", "missing.csv"], 2, "no such file"),
        (["show", "."], 2, "directory"),
        (["run", "missing.updraft.json"], 2, "not here"),
        (["run", "flow.updraft.json", "--connections", "."], 2, "directory"),
        (["run", "flow.updraft.json", "--data", "damaged"], 2, "damaged"),
        (["profile", "idna.updraft.json"], 1, "no encoding of this name"),
        (["check", "skip.updraft.json"], 2, "Lines to skip"),
        (["repair", "lots.csv", "--all", "--out", "/proc/no/out.csv"], 2, "not here"),
        (["repair", "lots.csv", "--all", "--out", "/proc/out.xlsx"], 2, ""),
        (["repair", "lots.csv", "--all", "--out", "out.xlsx"], 2, "too large"),
        (["repair", "lots.csv", "--all", "--out", "out.csv"], 2, "too large"),
    ],
)
def test_the_command_line_says_what_is_wrong_in_a_sentence(tmp_path, call, code, said):
    (tmp_path / "lots.csv").write_text("Lot,Grams\n" + "".join(f"L{n},{n * 7919 % 10007}\n" for n in range(9000)))
    (tmp_path / "damaged").mkdir()
    (tmp_path / "damaged" / "updraft.sqlite").write_bytes(b"SQLite format 3\0" + b"\x01" * 5000)
    step = {"id": "r", "kind": "read_file", "settings": {"path": "lots.csv"}}
    for name, more in (("flow", {}), ("idna", {"encoding": "idna"}), ("skip", {"skip": -3})):
        flow = {"updraft": 1, "name": name, "steps": [{**step, "settings": {**step["settings"], **more}}]}
        (tmp_path / f"{name}.updraft.json").write_text(json.dumps(flow))
    done = subprocess.run(
        [sys.executable, "-m", "updraft", *call], cwd=tmp_path, capture_output=True, text=True, preexec_fn=_small_files
    )
    assert done.returncode == code, (done.stdout, done.stderr)
    assert "Traceback" not in done.stderr and said in done.stderr + done.stdout
