"""The app's JSON: saving, editing, looking, uploading, and what it refuses."""

import io
import json
import re
import threading
import time

import polars as pl
import pytest

from tests.served import until
from updraft.core.steps import Result, kinds
from updraft.core.steps.sources.type_in_a_table import TypeInATable
from updraft.core.values import Kind
from updraft.web.shown.words import aside

ADD = {"op": "add", "step": {"kind": "read_file", "settings": {"path": "growers.xlsx"}}}


def with_growers(client, world, *edits) -> str:
    flow = client.flow()
    assert client.upload(flow, "growers.xlsx", (world / "growers.xlsx").read_bytes()).status_code == 201
    assert client.post(f"/api/flows/{flow}/edits", {"edits": [ADD, *edits]}).status_code == 200
    return flow


def settled(client, flow: str) -> dict:
    """The flow's state once every stop is computed."""
    for _ in range(2000):
        state = client.call("GET", f"/api/flows/{flow}").json
        if not state["pending"]:
            return state
        time.sleep(0.02)
    raise AssertionError("stops were not computed in time")


def test_edits_make_revisions_that_can_be_undone_redone_and_returned_to(client, world):
    flow = with_growers(client, world)
    for name in ("One", "Two"):
        assert (
            client.post(
                f"/api/flows/{flow}/edits", {"edits": [{"op": "rename", "id": "read_file", "name": name}]}
            ).status_code
            == 200
        )
    assert client.post(f"/api/flows/{flow}/undo").json["steps"]["read_file"]["name"] == "One"
    assert client.post(f"/api/flows/{flow}/redo").json["steps"]["read_file"]["name"] == "Two"
    client.post(f"/api/flows/{flow}/undo")
    client.post(f"/api/flows/{flow}/edits", {"edits": [{"op": "note", "id": "read_file", "note": "why"}]})
    listed = client.call("GET", f"/api/flows/{flow}/revisions").json["revisions"]
    assert [(r["number"], r["parent"], r["current"]) for r in listed] == [
        (5, 3, True),
        (4, 3, False),
        (3, 2, False),
        (2, 1, False),
        (1, None, False),
    ]
    assert "Renamed" in listed[1]["sentence"] and "Wrote a note" in listed[0]["sentence"]
    assert client.post(f"/api/flows/{flow}/revisions/4").json["steps"]["read_file"]["name"] == "Two", (
        "no revision is lost"
    )


def test_two_windows_do_not_overwrite_each_other(client, world):
    flow = with_growers(client, world)
    edit = {"revision": 2, "edits": [{"op": "rename", "id": "read_file", "name": "Mine"}]}
    assert client.post(f"/api/flows/{flow}/edits", edit).status_code == 200
    second = client.post(
        f"/api/flows/{flow}/edits", {**edit, "edits": [{"op": "note", "id": "read_file", "note": "x"}]}
    )
    assert second.status_code == 409 and second.json["problem"]["code"] == "stale"


def test_looking_gives_rows_changes_facts_and_origins(client, world):
    tidy = {
        "op": "add",
        "after": "read_file",
        "step": {
            "kind": "recode_values",
            "settings": {
                "column": "Hub",
                "changes": [{"old": "Northfen", "new": "North Fen"}, {"old": "Aldermeer", "new": "Aldermere"}],
            },
        },
    }
    flow = with_growers(client, world, tidy)
    seen = client.post(f"/api/flows/{flow}/look", {"step": "recode_values"}).json["table"]
    changed = next(c for c in seen["columns"] if c["name"] == "Hub")["changed"]
    assert seen["rows"] == 49 and changed > 0 and f"{changed} cell" in seen["did"]
    query = f"before={seen['before']}&touched=Hub"
    window = client.call("GET", f"/api/flows/{flow}/tables/{seen['key']}/rows?{query}&limit=100").json
    assert len(window["rows"]) == 49 and sum(len(row) for row in window["was"].values()) == changed
    only = client.call(
        "GET", f"/api/flows/{flow}/tables/{seen['key']}/rows?{query}&changed=1&sort=Full+name&desc=1"
    ).json
    names = [row[1] for row in only["rows"]]
    assert only["total"] == changed and names == sorted(names, reverse=True)
    values = client.call("GET", f"/api/flows/{flow}/tables/{seen['key']}/values?column=Hub").json
    assert sum(n for _, n in values["values"]) == 49
    summary = client.call("GET", f"/api/flows/{flow}/tables/{seen['key']}/summary").json["columns"]
    assert [c["name"] for c in summary] == ["Code", "Full name", "Hub", "Phone", "Joined", "Plots"]
    assert summary[2]["distinct"] == values["distinct"]
    tried = client.post(
        f"/api/flows/{flow}/look", {"step": "recode_values", "settings": {"column": "Hubb", "changes": []}}
    ).json
    assert "Did you mean “Hub”" in tried["problem"]["text"] and tried["table"]["step"] == "read_file"
    assert settled(client, flow)["steps"]["recode_values"]["change"] == f"{changed} cells", "trying saved nothing"


def test_a_look_up_marks_the_columns_that_come_from_elsewhere(client, world):
    flow = with_growers(
        client,
        world,
        {**ADD, "step": {**ADD["step"], "id": "other"}},
        {
            "op": "add",
            "after": "read_file",
            "step": {
                "kind": "look_up",
                "inputs": {"reference": "other"},
                "name": "Look",
                "settings": {
                    "keys": [{"column": "Code", "reference": "Code"}],
                    "many": "first",
                    "bring": [{"column": "Hub", "name": "Its hub"}],
                },
            },
        },
        {
            "op": "add",
            "after": "look_up",
            "step": {"kind": "choose_columns", "settings": {"columns": [{"column": "Its hub"}]}},
        },
    )
    seen = client.post(f"/api/flows/{flow}/look", {"step": "choose_columns"}).json["table"]
    assert [c["name"] for c in seen["columns"] if c["origin"] == "Look"] == ["Its hub"]
    assert settled(client, flow)["steps"]["look_up"]["change"] == "+1 column"


def test_a_failing_step_is_shown_where_it_is_and_what_follows_waits(client, world):
    flow = with_growers(
        client,
        world,
        {
            "op": "add",
            "after": "read_file",
            "step": {
                "kind": "summarise",
                "settings": {"by": ["Hub"], "figures": [{"figure": "sum", "column": "Phone"}]},
            },
        },
        {"op": "add", "after": "summarise", "step": {"kind": "tidy_text"}},
    )
    state = settled(client, flow)
    assert (
        state["steps"]["summarise"]["status"] == "problem"
        and "cannot be added up" in state["steps"]["summarise"]["problem"]["text"]
    )
    assert (state["steps"]["tidy_text"]["status"], state["steps"]["tidy_text"]["blocked_by"]) == (
        "blocked",
        "summarise",
    )
    assert client.post(f"/api/flows/{flow}/look", {"step": "tidy_text"}).json["problem"]["step"] == "summarise"


@pytest.mark.parametrize(
    ("name", "content", "said"),
    [
        ("x.csv", b"", "empty"),
        ("x.xlsx", b"a,b\n1,2", "name says workbook"),
        ("x.xlsx", b"PK\x03\x04cut", "cannot be opened"),
        ("x.csv", b"a\0b", "NUL"),
        ("big.csv", b"a,b\n" * (2 << 20), "larger than"),
    ],
)
def test_uploads_that_cannot_be_read_are_refused_and_not_kept(client, name, content, said):
    flow = client.flow()
    answer = client.upload(flow, name, content)
    assert answer.status_code in (413, 422) and said in answer.json["problem"]["text"]
    assert client.call("GET", f"/api/flows/{flow}/files").json["files"] == []


def test_names_of_uploads_stay_in_the_flows_folder(client):
    flow = client.flow()
    for sent, kept in (
        ("../../evil.csv", "evil.csv"),
        ("..\\evil2.csv", "evil2.csv"),
        ("Blüten 種.csv", "Blüten 種.csv"),
        ("a<b>.csv", "ab.csv"),
        ("x" * 300 + ".csv", "x" * 176 + ".csv"),
    ):
        assert client.upload(flow, sent, b"a,b\n1,2\n").json["path"] == kept
    again = client.upload(flow, "evil.csv", b"a,b\n1,2\n").json["path"]
    other = client.upload(flow, "evil.csv", b"a,b\n3,4\n").json["path"]
    assert (again, other) == ("evil.csv", "evil (2).csv"), "the same content is one file, other content another"
    folder = client.studio.folders.data
    assert not (folder.parent / "evil.csv").exists() and not (folder / "evil.csv").exists()


def test_a_flow_file_goes_out_and_comes_in_the_same(client, world):
    flow = with_growers(client, world)
    text = client.http.get(f"/api/flows/{flow}/export")
    assert "attachment" in text.headers["Content-Disposition"]
    sent = client.http.post(
        "/api/flows/import",
        data={"file": (io.BytesIO(text.data), "x.updraft.json")},
        headers={"X-CSRFToken": client.token},
    )
    assert client.http.get(f"/api/flows/{sent.json['id']}/export").data == text.data


@pytest.mark.parametrize(
    ("content", "said"),
    [
        (b"\xff\xfe", "not UTF-8"),
        (b"{}", "not a flow"),
        (b'{"updraft": 99}', "Update Updraft"),
        (b"[" * 100_000, "not readable"),
    ],
)
def test_files_that_are_no_flow_are_refused(client, content, said):
    answer = client.http.post(
        "/api/flows/import", data={"file": (io.BytesIO(content), "x.json")}, headers={"X-CSRFToken": client.token}
    )
    assert answer.status_code == 422 and said in answer.json["problem"]["text"]


def test_an_imported_flow_with_a_circle_or_an_unknown_kind_stays_editable(client):
    body = {
        "updraft": 1,
        "name": "Odd",
        "steps": [
            {"id": "a", "kind": "keep_rows", "inputs": {"table": "b"}},
            {"id": "b", "kind": "keep_rows", "inputs": {"table": "a"}},
            {"id": "c", "kind": "polish"},
        ],
    }
    sent = client.http.post(
        "/api/flows/import",
        data={"file": (io.BytesIO(json.dumps(body).encode()), "x.json")},
        headers={"X-CSRFToken": client.token},
    )
    flow = sent.json["id"]
    assert client.http.get(f"/flows/{flow}").status_code == 200
    state = settled(client, flow)
    assert {i: s["problem"]["code"] for i, s in state["steps"].items()} == {
        "a": "cycle",
        "b": "cycle",
        "c": "unknown_kind",
    }
    mended = client.post(
        f"/api/flows/{flow}/edits",
        {"edits": [{"op": "remove", "id": "c"}, {"op": "connect", "id": "a", "port": "table", "source": ""}]},
    ).json
    assert mended["steps"]["a"]["problem"]["code"] == "unfinished" and "c" not in mended["steps"]


def test_duplicate_and_delete_take_files_along(client, world):
    flow = with_growers(client, world)
    twin = client.post(f"/api/flows/{flow}/duplicate").json["id"]
    assert client.call("DELETE", f"/api/flows/{flow}").status_code == 200
    assert not client.studio.folders.data.joinpath("flows", flow).exists()
    assert client.call("GET", f"/api/flows/{flow}").status_code == 404
    assert client.post(f"/api/flows/{twin}/look", {"step": "read_file"}).json["table"]["rows"] == 49


def test_what_the_app_refuses(client, world):
    flow = with_growers(client, world)
    assert client.http.post("/api/flows", json={}).status_code == 400, "no token"
    assert client.http.get("/", headers={"Host": "evil.example"}).status_code == 400
    for path in ("../../updraft.sqlite", "..%2f..%2fsecret", "/etc/passwd"):
        run = client.post(f"/api/flows/{flow}/runs", {}).json["id"]
        assert client.http.get(f"/api/runs/{run}/files/{path}").status_code in (404, 308)
    assert client.http.get("/flows/..%2f..").status_code == 404
    edits = [{"op": "set", "id": "read_file", "settings": {"path": "../../../secret"}}]
    assert (
        client.post(f"/api/flows/{flow}/edits", {"edits": edits}).json["steps"]["read_file"]["problem"]["code"]
        == "outside"
    )
    policy = client.http.get("/").headers["Content-Security-Policy"]
    assert "script-src 'self';" in policy and "frame-ancestors 'none'" in policy
    page = client.http.get(f"/flows/{flow}").get_data(as_text=True)
    assert all('src="' in part or 'type="application/json"' in part for part in page.split("<script")[1:])


def test_bad_requests_are_answered_in_words(client, world):
    flow = with_growers(client, world)
    for path, body in (
        (f"/api/flows/{flow}/edits", {"edits": [{"op": "paint"}]}),
        (f"/api/flows/{flow}/edits", {"edits": [{"op": "remove", "id": "zz"}]}),
        (f"/api/flows/{flow}/look", {"step": "zz"}),
        (f"/api/flows/{flow}/revisions/99", {}),
    ):
        answer = client.post(path, body)
        assert answer.status_code in (404, 422) and answer.json["problem"]["text"], path
    assert client.call("GET", f"/api/flows/{flow}/tables/{'0' * 32}/rows").json["problem"]["code"] == "no_table"


def test_a_full_disk_is_said_and_what_was_saved_stays(client, world, monkeypatch):
    import errno

    import peewee

    from updraft.store.models import RevisionRow

    flow = with_growers(client, world)
    with monkeypatch.context() as patched:
        patched.setattr(
            RevisionRow,
            "create",
            lambda **_: (_ for _ in ()).throw(peewee.OperationalError("database or disk is full")),
        )
        answer = client.post(
            f"/api/flows/{flow}/edits", {"edits": [{"op": "rename", "id": "read_file", "name": "New"}]}
        )
        assert answer.status_code == 507 and "the disk is full" in answer.json["problem"]["text"]
    with monkeypatch.context() as patched:

        def full(*_args, **_more):
            raise OSError(errno.ENOSPC, "No space left on device")

        patched.setattr("werkzeug.datastructures.FileStorage.save", full)
        answer = client.upload(flow, "x.csv", b"a,b")
        assert answer.status_code == 422 and "Make room" in answer.json["problem"]["text"]
    state = settled(client, flow)
    assert state["revision"] == 2 and state["steps"]["read_file"]["name"] == ""
    assert [file["path"] for file in client.call("GET", f"/api/flows/{flow}/files").json["files"]] == ["growers.xlsx"]


def test_a_run_takes_other_files_and_parameters_without_changing_the_flow(client, world):
    flow = with_growers(client, world)
    client.upload(flow, "other.csv", b"a,b\n1,2\n")
    described = {"op": "describe", "parameters": [{"name": "month", "value": "2026-03"}]}
    client.post(f"/api/flows/{flow}/edits", {"edits": [described]})
    run = client.post(
        f"/api/flows/{flow}/runs", {"inputs": {"read_file": "other.csv"}, "parameters": {"month": "x"}}
    ).json["id"]
    assert client.studio.runs.flow(run).step("read_file").settings["path"] == "other.csv"
    assert client.call("GET", f"/api/runs/{run}").json["parameters"] == {"month": "x"}
    assert client.studio.flows.get(flow).flow.step("read_file").settings["path"] == "growers.xlsx"
    assert client.call("GET", f"/api/runs/{run}").json["why"] == "Its process is being started."
    twin = client.post(f"/api/runs/{run}/repeat").json["id"]
    assert client.studio.runs.flow(twin) == client.studio.runs.flow(run)
    assert client.call("GET", f"/api/runs/{twin}").json["why"] == "1 run comes before it."
    third = client.post(f"/api/runs/{run}/repeat").json["id"]
    assert client.call("GET", f"/api/runs/{third}").json["why"] == "2 runs come before it."
    assert client.post(f"/api/runs/{twin}/cancel").json["status"] == "cancelled"


def test_only_what_did_not_come_to_its_end_is_repeated_as_the_same_run(client, world):
    """What such a run delivered already is not delivered again; one that ended well is a new run."""
    flow, runs = with_growers(client, world), client.studio.runs
    for status in ("cut off", "failed", "cancelled", "ok", "partly"):
        run = client.post(f"/api/flows/{flow}/runs").json["id"]
        runs.start(run)
        runs.finish(run, status, {})
        again = client.post(f"/api/runs/{run}/repeat").json["id"]
        same = runs.get(again)["series"] == runs.get(run)["series"]
        assert same == (status in ("cut off", "failed", "cancelled")), status


def test_how_a_file_is_read_is_explained_with_reasons(client, world):
    flow = with_growers(client, world)
    found = client.post(f"/api/flows/{flow}/files/detected", {"step": "read_file"}).json
    assert found["format"] == "workbook" and found["columns"][0] == "Code"
    assert [line["role"] for line in found["raw"]["first"][:3]] == ["skipped", "header", "data"]
    assert found["reasons"]["skip"].startswith("1 line above fills fewer") and found["preamble"] == [
        "Growers and their hubs"
    ]
    path = {"path": "growers.xlsx", "skip": 0, "header": "none"}
    bare = client.post(f"/api/flows/{flow}/files/detected", {"step": "read_file", "settings": path}).json
    assert bare["columns"][0] == "Column 1" and bare["raw"]["first"][0]["role"] == "data"


def test_formats_and_searches_for_the_desk(client, world):
    flow = client.flow()
    client.upload(flow, "d.csv", b"day,x\n2026-03-01,a\n31.03.26,b\n")
    client.post(
        f"/api/flows/{flow}/edits", {"edits": [{**ADD, "step": {"kind": "read_file", "settings": {"path": "d.csv"}}}]}
    )
    key = client.post(f"/api/flows/{flow}/look", {"step": "read_file"}).json["table"]["key"]
    address = f"/api/flows/{flow}/tables/{key}/formats"
    assert client.call("GET", f"{address}?column=day&kind=date").json["formats"] == ["YYYY-MM-DD", "DD.MM.YY"]
    assert client.call("GET", f"{address}?column=nope&kind=date").json["problem"]["code"] == "missing_column"
    assert client.call("GET", f"/api/flows/{flow}/kinds?q=vlookup").json["kinds"][0] == "look_up"


def test_steps_are_offered_by_what_fits_here_and_what_is_used_most(client):
    flow = client.flow()
    offered = lambda query="", after="r": client.call("GET", f"/api/flows/{flow}/kinds?q={query}&after={after}").json  # noqa: E731
    none = offered(after="")
    assert none["most"] == [] and none["lacks"]["keep_rows"] == "needs a table; bring one in first"
    assert none["kinds"][0] == "read_file" and "read_file" not in none["lacks"]
    columns = {"Lot": Kind.TEXT}
    alone = {kind.kind for kind in kinds().values() if "second table" in kind.lacks(columns, 1)}
    assert alone == {"join", "look_up", "look_up_alike", "compare_tables"}, "others begin with what was typed"
    client.upload(flow, "d.csv", b"Lot,Grams\n1,2\n2,3\n")
    read = {"id": "r", "kind": "read_file", "settings": {"path": "d.csv"}}
    keep = [{"id": f"k{n}", "kind": "keep_rows", "settings": {"by": "first", "count": 1}} for n in range(3)]
    adds = [{"op": "add", "step": read}, *({"op": "add", "step": step, "after": "r"} for step in keep)]
    tidy = {"op": "add", "step": {"id": "t", "kind": "tidy_text", "settings": {}}, "after": "r"}
    client.post(f"/api/flows/{flow}/edits", {"edits": [*adds, tidy]})
    settled(client, flow)
    here = offered()
    assert here["most"] == ["keep_rows"], "text is tidied in no table of numbers, however often it is used"
    assert here["lacks"]["tidy_text"] == "works on columns of type text; there is none here"
    family = [kind for kind in here["kinds"] if kind in ("tidy_text", "fill_gaps", "set_types", "format_dates")]
    assert here["kinds"][-1] != "keep_rows" and family.index("tidy_text") > family.index("fill_gaps")
    assert here["kinds"].index("read_file") > here["kinds"].index("write_file"), (
        "where there is a table, sources come last"
    )


def test_a_source_that_hangs_holds_up_no_other_flow(client, monkeypatch):
    hanging, begun = threading.Event(), threading.Event()

    def wait(self, tables, settings, context):
        begun.set()
        assert hanging.wait(60)
        return Result(pl.DataFrame({"a": [1]}).lazy())

    monkeypatch.setattr(TypeInATable, "apply", wait)
    try:
        slow, quick = client.flow(), client.flow()
        add = {"op": "add", "step": {"kind": "type_in_a_table", "settings": {}}}
        client.post(f"/api/flows/{slow}/edits", {"edits": [add]})
        assert begun.wait(20)
        client.upload(quick, "lots.csv", b"Lot,Hub\na,Fen\n")
        add = {"op": "add", "step": {"kind": "read_file", "settings": {"path": "lots.csv"}}}
        client.post(f"/api/flows/{quick}/edits", {"edits": [add]})
        steps = lambda flow: client.call("GET", f"/api/flows/{flow}").json["steps"].values()  # noqa: E731
        until(lambda: [s["status"] for s in steps(quick)] == ["fresh"], 20)
        assert [s["status"] for s in steps(slow)] == ["computing"]
    finally:
        hanging.set()


def test_a_run_with_an_input_for_no_source_is_refused_in_words(client, world):
    flow = with_growers(client, world)
    answer = client.post(f"/api/flows/{flow}/runs", {"inputs": {"gone": "growers.xlsx"}})
    assert answer.status_code == 422 and "Its sources are: read_file" in answer.json["problem"]["text"]
    assert client.post(f"/api/flows/{flow}/runs", {"inputs": {"read_file": "growers.xlsx"}}).status_code == 201


def test_what_a_step_put_aside_is_told_in_words():
    assert aside({"disagree0": 0, "unknown0": 1_200}) == "1,200 unknown"
    assert aside({"unmatched": 0, "unmatched_other": 3}) == "3 unmatched there" and aside({"rejected": 0}) == ""
    sides = [out.name for kind in kinds().values() for out in kind.outputs if not out.main]
    assert len(sides) > 15 and all(re.fullmatch("1 [a-z]+( [a-z]+)?", aside({name: 1})) for name in sides)
