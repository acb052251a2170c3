"""What the page says of files too large to be looked at as a whole, and what a run makes of them."""

import subprocess
import sys

import pytest

from tests.app.conftest import Client
from tests.app.test_web import settled
from updraft.store import Folders, open_database
from updraft.web import create_app

ROWS = 60_000


@pytest.fixture
def little(tmp_path):
    """An app that may hold 1 MB."""
    folders = Folders(tmp_path / "data")
    db = open_database(folders.database)

    def execute(run: str) -> None:
        subprocess.run([sys.executable, "-m", "updraft.jobs.execute", str(folders.data), run], check=True)

    app = create_app(folders, execute, secret="test", memory=1 << 20)
    yield Client(app)
    app.extensions["detecting"].close()
    app.extensions["windows"].close()
    app.extensions["studio"].engine.cache.flush()
    db.close()


def test_each_step_says_whether_its_rows_are_a_sample_and_a_run_takes_all(little):
    def read(id: str, path: str, after: str = "") -> dict:
        return {"op": "add", "after": after, "step": {"id": id, "kind": "read_file", "settings": {"path": path}}}

    flow = little.flow()
    lots = "".join(f"Lot {n:05},{n % 5}\n" for n in range(ROWS))
    little.upload(flow, "lots.csv", f"Lot,Bed\n{lots}".encode())
    little.upload(flow, "beds.csv", b"Bed,Hub\n0,Fen\n1,Dale\n2,Fen\n3,Dale\n4,Fen\n")
    look_up = {"keys": [{"column": "Bed", "reference": "Bed"}], "bring": [{"column": "Hub"}]}
    steps = [
        read("lots", "lots.csv"),
        {"op": "add", "after": "lots", "step": {"id": "tidy", "kind": "tidy_text", "settings": {"case": "upper"}}},
        read("beds", "beds.csv"),
        {"op": "add", "after": "tidy", "step": {"id": "met", "kind": "look_up", "settings": look_up, "inputs": {"reference": "beds"}}},
        {"op": "add", "after": "met", "step": {"id": "sums", "kind": "summarise", "settings": {"by": ["Hub"], "figures": [{"figure": "rows", "name": "Lots"}]}}},
        {"op": "add", "after": "sums", "step": {"id": "out", "kind": "write_file", "settings": {"name": "out.csv"}}},
    ]  # fmt: skip
    assert little.post(f"/api/flows/{flow}/edits", {"edits": steps}).status_code == 200
    state = settled(little, flow)
    assert {id: step["status"] for id, step in state["steps"].items()} == dict.fromkeys(state["steps"], "fresh")
    told = {id for id, step in state["steps"].items() if step["sample"]}
    assert told == {"lots", "tidy", "met", "sums", "out"}
    assert state["steps"]["tidy"]["sample"].startswith("1 row in ")
    assert "of “lots.csv” (about 60,000 rows)" in state["steps"]["sums"]["sample"]
    assert state["steps"]["lots"]["rows"] < ROWS / 2

    seen = little.post(f"/api/flows/{flow}/look", {"step": "met"}).json["table"]
    assert (seen["samples"], seen["sample"]) == (1, state["steps"]["met"]["sample"])
    beds = little.post(f"/api/flows/{flow}/look", {"step": "beds"}).json["table"]
    assert (beds["rows"], beds["samples"], beds["sample"]) == (5, 0, "")

    address = f"/api/flows/{flow}/tables/{seen['key']}/profile"
    part = little.call("GET", address).json
    assert part["run"] is None and part["profiles"][0]["rows"] == seen["rows"] < ROWS / 2
    assert little.post(address, {"step": "sums"}).status_code == 404, "another step's table"
    whole = little.post(address, {"step": "met"}).json["id"]
    assert little.call("GET", address).json["run"] == {"id": whole, "status": "ok"}
    made = {step["id"] for step in little.call("GET", f"/api/runs/{whole}").json["report"]["steps"]}
    assert made == {"lots", "tidy", "beds", "met", "profile_columns"}, "what the table follows from, and no more"
    told = little.call("GET", f"/api/runs/{whole}/profile").json
    lot, bed, hub = told["profiles"]
    assert (lot["rows"], lot["distinct"], lot["most"][0]) == (ROWS, ROWS, ["LOT 00000", 1])
    assert (bed["numbers"]["mean"], bed["histogram"]["counts"]) == (2, [ROWS // 5] * 5)
    assert hub["most"] == [["Fen", 36_000], ["Dale", 24_000]]
    saved = little.call("GET", f"/api/runs/{whole}/profile?as=csv").data.decode("utf-8-sig")
    assert saved.splitlines()[3].startswith("Hub,text,60000,")
    assert little.call("GET", f"/api/runs/{whole}/profile?as=page").data.count(b"60,000") > 2
    assert not list(little.studio.folders.out(flow).iterdir()), "nothing is delivered"
    assert little.studio.runs.newest() == {}, "a profile is no run of the flow"

    counted = little.call("GET", f"/api/runs/{whole}/values?column=Bed&search=3").json
    assert (counted["values"], counted["distinct"], counted["rows"]) == ([["3", ROWS // 5]], 5, ROWS)
    cells = little.call("GET", f"/api/runs/{whole}/values.tsv?column=Hub").data.decode()
    assert cells == "Hub\tRows\nFen\t36000\nDale\t24000\n"
    refused = little.call("GET", f"/api/runs/{whole}/values?column=Lot")
    assert refused.status_code == 404 and "very many" in refused.get_data(as_text=True)
    assert [column["listed"] for column in told["profiles"]] == [False, True, True]
    little.studio.folders.profile(whole).unlink()
    assert little.call("GET", f"/api/runs/{whole}/profile").status_code == 404
    assert little.call("GET", address).json["run"] is None, "it can be made again"

    run = little.post(f"/api/flows/{flow}/runs", {}).json["id"]
    assert little.call("GET", f"/api/runs/{run}").json["status"] == "ok"
    made = (little.studio.folders.out(flow) / "out.csv").read_text(encoding="utf-8-sig")
    assert made.split() == ["Hub,Lots", "Dale,24000", "Fen,36000"]
