"""Looking through the app's JSON: focus, value lists, profiles, findings with repairs, and the command line's findings."""

import csv
import io
import json
import threading
import time
from urllib.parse import urlencode

import polars as pl
import pytest
from click.testing import CliRunner

from tests.app.test_web import settled
from tests.core.test_services import server
from tests.served import until
from updraft.cli import main
from updraft.core import Problem, dump, insight
from updraft.core.engine.room import Room
from updraft.demo.names import HUBS
from updraft.web.live import detecting

LOTS = "Lot,Hub,Grams,Sown\n" + "".join(
    f"L{1000 + 7 * n},{HUBS[n * 3 % 5]}{' ' if n % 11 == 0 else ''},{3 + n * 37 % 90},2026-03-{1 + n % 28:02d}\n"
    for n in range(110)
)


@pytest.fixture
def lots(client):
    """A flow with a table of lots, its key, and a way to ask for what is seen in it."""
    flow = client.flow()
    client.upload(flow, "lots.csv", LOTS.encode())
    client.post(
        f"/api/flows/{flow}/edits",
        {"edits": [{"op": "add", "step": {"kind": "read_file", "settings": {"path": "lots.csv"}}}]},
    )
    table = client.post(f"/api/flows/{flow}/look", {"step": "read_file"}).json["table"]

    def see(what: str, focus=None, **more):
        query = urlencode({**more, **({"focus": json.dumps(focus)} if focus else {})})
        return client.call("GET", f"/api/flows/{flow}/tables/{table['key']}/{what}?{query}")

    return client, flow, table, see


def findings(client, flow: str, step: str = "read_file") -> dict:
    for _ in range(600):
        answer = client.call("GET", f"/api/flows/{flow}/steps/{step}/findings").json
        if not answer.get("pending"):
            return answer
        time.sleep(0.02)
    raise AssertionError("the findings did not come")


def test_tables_nobody_waits_for_and_a_panic_hold_up_no_other_table(monkeypatch):
    """Both workers are at tables whose pages are closed; then one dies below Python; the next table is looked at all the same."""

    def look(table, others, stopped, told):
        if table.height == 1:
            raise pl.exceptions.PanicException("out of bounds")
        while table.height == 2 and not stopped():
            time.sleep(0.01)
        return [table.height]

    monkeypatch.setattr(insight, "find", look)
    monkeypatch.setattr(detecting, "_PATIENCE", 0.3)
    tables = {f"{n} rows": pl.LazyFrame({"Lot": range(n)}) for n in range(1, 5)}
    both = detecting.Detecting(Room(8 << 30))

    def ask(flow, rows):
        found, done = both.ask(flow, f"{flow}.", tables[rows], {})
        return found if done else None

    assert ask("open", "2 rows") is None and ask("closed", "2 rows") is None
    until(lambda: not both._waiting(), what="both workers at work")
    assert until(lambda: ask("new", "4 rows"), 10) == [4]
    for flow in ("broken", "broken too", "broken again"):
        with pytest.raises(Problem, match="could not be worked out; that is a fault"):
            until(lambda flow=flow: ask(flow, "1 rows"), 10)
    assert until(lambda: ask("newer", "3 rows"), 10) == [3]
    assert ask("open", "2 rows") is None  # not failed, and not found either: it is looked at anew
    both.close()
    assert not any(worker.is_alive() for worker in both._workers)


def test_the_first_findings_are_told_and_can_be_looked_into_while_others_are_looked_for(lots, monkeypatch):
    client, flow, _, see = lots
    find, go_on = insight.find, threading.Event()

    def slowly(frame, others, stopped, told):
        found = find(frame, others, stopped)
        told(found[:1])
        assert go_on.wait(30)
        return found

    monkeypatch.setattr(insight, "find", slowly)

    def ask():
        return client.call("GET", f"/api/flows/{flow}/steps/read_file/findings").json

    first = until(lambda: (answer := ask())["findings"] and answer, 10)
    assert first["pending"] and [finding["code"] for finding in first["findings"]] == ["stray_blanks"]
    [finding] = first["findings"]
    shown = see("rows", {"chips": [{"label": "x", "finding": finding["key"]}], "search": ""}, limit=50).json
    assert shown["total"] == finding["count"]
    said = client.post(f"/api/flows/{flow}/steps/read_file/findings/effect", {"key": finding["key"], "repair": 0})
    assert f"{finding['count']} cells" in said.json["effect"]
    go_on.set()
    last = until(lambda: not (answer := ask())["pending"] and answer, 10)
    assert finding["key"] in [one["key"] for one in last["findings"]]


def test_a_formula_is_tried_on_the_first_rows_and_says_of_how_many(client):
    flow = client.flow()
    client.upload(flow, "n.csv", ("n\n" + "\n".join(str(n) for n in range(20_003))).encode())
    step = {"kind": "read_file", "settings": {"path": "n.csv"}}
    client.post(f"/api/flows/{flow}/edits", {"edits": [{"op": "add", "step": step}]})
    key = client.post(f"/api/flows/{flow}/look", {"step": "read_file"}).json["table"]["key"]

    def tried(formula: str) -> dict:
        body = {"columns": [{"name": "Half", "formula": formula}], "at": 0}
        return client.post(f"/api/flows/{flow}/tables/{key}/tries", body).json

    found = tried("n if n >= 20000 else None")
    assert (found.get("looked"), found["all"], found["empty"]) == (20_000, 20_003, 20_000), found["problem"]
    found = tried("total(n)")
    assert found["looked"] == 20_000 and found["rows"][0]["gives"] == "200050003", (
        "of all rows, for what looks at others"
    )
    assert tried("n +")["problem"]["place"] >= 2


def test_no_file_that_a_spreadsheet_may_open_holds_a_formula(client):
    """Names, cells and values of the table, the profile and the value list; numbers stay numbers."""
    flow = client.flow()
    client.upload(flow, "lots.csv", b"=cmd|' /C calc'!A0,Grams\n+SUM(A1),-3\n@x,4\n=1+1,5\n")
    step = {"kind": "read_file", "settings": {"path": "lots.csv", "header": "first"}}
    client.post(f"/api/flows/{flow}/edits", {"edits": [{"op": "add", "step": step}]})
    key = client.post(f"/api/flows/{flow}/look", {"step": "read_file"}).json["table"]["key"]
    column = urlencode({"column": "=cmd|' /C calc'!A0"})
    for what in ("profile?as=csv", f"values.tsv?{column}"):
        text = client.call("GET", f"/api/flows/{flow}/tables/{key}/{what}").get_data(as_text=True)
        cells = [
            cell for row in csv.reader(io.StringIO(text), delimiter="\t" if "tsv" in what else ",") for cell in row
        ]
        assert any("cmd" in cell for cell in cells)
        assert not [cell for cell in cells if cell[:1] in "=+@" and cell], cells


FEN = {
    "chips": [{"label": "Fen", "column": "Hub", "conditions": [{"column": "Hub", "test": "starts", "value": "North"}]}],
    "search": "",
}


def test_counts_pictures_and_rows_follow_the_focus(lots):
    _, _, _, see = lots
    all_ = see("values", column="Hub").json
    assert all_["rows"] == 110 and all_["distinct"] == 10
    fen = sum(n for value, n in all_["values"] if value.startswith("North"))
    assert see("rows", FEN, limit=5).json["total"] == fen == see("column", FEN, column="Grams").json["rows"]
    assert see("values", FEN, column="Hub").json["rows"] == 110, "a column's own selection does not narrow its list"
    assert see("values", FEN, column="Sown").json["rows"] == fen
    summary = {c["name"]: c for c in see("summary", FEN).json["columns"]}
    assert summary["Hub"]["distinct"] == 2
    sorted_ = see("rows", FEN, limit=200, sort="Grams", desc="1").json
    grams = [row[2] for row in sorted_["rows"]]
    assert grams == sorted(grams, reverse=True) and len(grams) == fen
    listed = list(csv.reader(io.StringIO(see("values.tsv", column="Hub").get_data(as_text=True)), delimiter="\t"))
    assert listed[0] == ["Hub", "Rows"] and sum(int(n) for _, n in listed[1:]) == 110


def test_figures_of_a_column_and_of_pairs(lots):
    _, _, _, see = lots
    grams = see("column", column="Grams", bins=10).json
    assert (
        grams["histogram"]["empty"] == 0 and sum(grams["histogram"]["counts"]) == 110 and grams["numbers"]["min"] == 3
    )
    patterns = see("column", column="Lot", fine="1").json["patterns"]
    assert [p["words"] for p in patterns] == ["1 letter 4 digits"] and patterns[0]["rows"] == 110
    assert see("column", column="Lot").json.get("histogram") is None, "codes are no numbers"
    both = see("pair", column="Hub", other="Grams").json
    assert both["scatter"] is None and both["cross"]["total"] == 110
    assert see("pair", column="Hub", other="Hub").status_code == 422
    assert see("dependencies", column="Lot").json["columns"] == []
    profile = see("profile").json
    assert profile["rows"][2][0] == "Grams" and len(profile["profiles"]) == 4
    assert see("profile", **{"as": "csv"}).get_data(as_text=True).startswith("Column,Type,Rows")
    assert json.loads(see("profile", **{"as": "json"}).get_data(as_text=True))[0]["name"] == "Lot"
    page = see("profile", **{"as": "page", "name": "Lots"}).get_data(as_text=True)
    assert "Profile of Lots" in page and "Most frequent" in page


@pytest.mark.parametrize(
    ("way", "more", "kind", "rows"),
    [("keep", {}, "keep_rows", 22), ("drop", {}, "drop_rows", 88), ("set", {"column": "Grams", "value": "1"}, "set_values", 110),
     ("clear", {"column": "Grams"}, "set_values", 110), ("mark", {"name": "Fen"}, "mark_rows", 110)],
)  # fmt: skip
def test_a_focus_becomes_a_step_with_a_rule(lots, way, more, kind, rows):
    client, flow, table, _ = lots
    step = client.post(f"/api/flows/{flow}/tables/{table['key']}/focus-step", {"focus": FEN, "way": way, **more}).json
    assert step["kind"] == kind and step["settings"]["rule"]["of"][0]["column"] == "Hub"
    client.post(
        f"/api/flows/{flow}/edits", {"edits": [{"op": "add", "step": {"id": "made", **step}, "after": "read_file"}]}
    )
    made = client.post(f"/api/flows/{flow}/look", {"step": "made"}).json["table"]
    assert made["rows"] == rows
    answer = client.call("GET", f"/api/flows/{flow}/tables/{made['key']}/compare?before={made['came']}").json
    if way in ("keep", "drop"):
        assert answer == {"gone": 110 - rows, "new": 0}
        gone = {"chips": [{"label": "gone", "finding": f"gone:{made['key']}."}], "search": ""}
        seen = client.call(
            "GET", f"/api/flows/{flow}/tables/{table['key']}/rows?{urlencode({'focus': json.dumps(gone)})}"
        ).json
        assert seen["total"] == 110 - rows


def test_findings_come_in_the_background_and_their_repairs_are_steps(lots):
    client, flow, _, see = lots
    first = client.call("GET", f"/api/flows/{flow}/steps/read_file/findings").json
    assert first["pending"] is True and first["findings"] == []
    [found] = findings(client, flow)["findings"]
    assert (found["code"], found["columns"], found["count"]) == ("stray_blanks", ["Hub"], 10)
    told = {"chips": [{"label": "x", "finding": found["key"]}], "search": ""}
    assert see("rows", told).json["total"] == 10
    url = f"/api/flows/{flow}/steps/read_file/findings"
    assert client.post(f"{url}/effect", {"key": found["key"], "repair": 0}).json == {"effect": "10 cells changed"}
    assert client.post(f"{url}/effect", {"key": "none:x", "repair": 0}).status_code == 422
    everything = client.post(f"{url}/all").json
    assert [step["kind"] for step in everything["steps"]] == ["tidy_text"] and everything["left"] == []
    client.post(
        f"/api/flows/{flow}/edits",
        {"edits": [{"op": "add", "step": {"id": "mend", **everything["steps"][0]}, "after": "read_file"}]},
    )
    assert settled(client, flow)["steps"]["mend"]["status"] == "fresh"
    assert findings(client, flow, "mend")["findings"] == []
    dated = {"id": "dated", "kind": "format_dates", "settings": {"columns": {"by": "names", "names": ["Sown"]}}}
    client.post(f"/api/flows/{flow}/edits", {"edits": [{"op": "add", "step": dated, "after": "mend"}]})
    assert settled(client, flow)["steps"]["dated"]["status"] == "fresh"
    assert findings(client, flow, "dated")["findings"] == [], "nothing offers to undo what was just asked for"


def test_a_dismissed_finding_is_remembered_with_its_reason(lots, tmp_path):
    client, flow, _, _ = lots
    [found] = findings(client, flow)["findings"]
    edit = {"op": "dismiss", "id": "read_file", "finding": found["key"], "reason": "the labels need them"}
    assert client.post(f"/api/flows/{flow}/edits", {"edits": [edit]}).status_code == 200
    answer = findings(client, flow)
    assert answer["findings"] == [] and [d["reason"] for d in answer["dismissed"]] == ["the labels need them"]
    assert client.post(f"/api/flows/{flow}/steps/read_file/findings/all").json["steps"] == []
    (tmp_path / "lots.csv").write_text(LOTS)
    (tmp_path / "f.updraft.json").write_text(dump(client.studio.flows.get(flow).flow))
    assert json.loads(CliRunner().invoke(main, ["findings", str(tmp_path / "f.updraft.json"), "--json"]).stdout) == []
    client.post(f"/api/flows/{flow}/undo")
    assert len(findings(client, flow)["findings"]) == 1


def test_text_that_mostly_reads_as_numbers_has_a_histogram_with_the_others_beside(client):
    flow = client.flow()
    cells = [*(f"{n} g" for n in range(20)), "about ten", "", "see note"]
    content = "Hub,Grams,Lot\n" + "".join(f"Fen,{cell},{n}\n" for n, cell in enumerate(cells))
    client.upload(flow, "g.csv", content.encode())
    client.post(
        f"/api/flows/{flow}/edits",
        {"edits": [{"op": "add", "step": {"kind": "read_file", "settings": {"path": "g.csv"}}}]},
    )
    key = client.post(f"/api/flows/{flow}/look", {"step": "read_file"}).json["table"]["key"]
    answer = client.call("GET", f"/api/flows/{flow}/tables/{key}/column?column=Grams").json
    assert "histogram" in answer, answer
    found = answer["histogram"]
    ways = {way["key"]: way for way in answer["ways"]}
    assert (sum(found["counts"]), ways["empty"]["rows"], ways["no_number"]["rows"]) == (20, 1, 2)
    focus = json.dumps({"chips": [{"label": "no number", "rule": ways["no_number"]["rule"]}], "search": ""})
    rows = client.call("GET", f"/api/flows/{flow}/tables/{key}/rows?{urlencode({'focus': focus})}").json
    assert [row[1] for row in rows["rows"]] == ["about ten", "see note"]


def test_a_focus_that_does_not_fit_is_told(lots):
    _, _, _, see = lots
    bad = {
        "chips": [{"label": "x", "column": "Nope", "conditions": [{"column": "Nope", "test": "empty"}]}],
        "search": "",
    }
    answer = see("rows", bad)
    assert answer.status_code == 422 and "“Nope”" in answer.json["problem"]["text"]
    lost = {"chips": [{"label": "x", "finding": "zeros:Grams"}], "search": ""}
    assert "not there any more" in see("rows", lost).json["problem"]["text"]


def test_the_command_line_profiles_finds_and_repairs(tmp_path):
    def call(*args):
        return CliRunner().invoke(main, [str(a) for a in args])

    source, out = tmp_path / "lots.csv", tmp_path / "mended.csv"
    source.write_text(LOTS.replace("L1007,", "L1007,").replace("\n", "\n", 1) + "L1763,Coldwater,4,soon\n")
    columns = json.loads(call("profile", source, "--json").stdout)
    assert [c["name"] for c in columns] == ["Lot", "Hub", "Grams", "Sown"] and columns[2]["numbers"]["min"] == 3
    assert "111 rows × 4 columns" in call("profile", source).output
    found = json.loads(call("findings", source, "--json").stdout)
    assert {f["code"] for f in found} == {"stray_blanks", "dates_as_text", "almost_key"}
    assert all(set(f) >= {"code", "columns", "count", "sentence", "examples", "rows", "repairs"} for f in found)
    assert "Stray blanks in 10 cells of Hub" in call("findings", source).output
    done = json.loads(call("repair", source, "--all", "--out", out, "--json").stdout)
    assert [d["code"] for d in done["done"]] == ["stray_blanks"], "no code is lost and no cell emptied without a choice"
    assert {f["code"] for f in done["left"]} == {"dates_as_text", "almost_key"} and done["rows"] == 111
    mended = pl.read_csv(out)
    assert set(mended["Hub"]) == set(HUBS) and mended["Sown"].to_list()[-1] == "soon" and mended.height == 111
    assert call("findings", tmp_path / "no.csv").exit_code == 2
    assert call("profile", source, "--step", "x").exit_code == 2
    assert "does not say what to write" in call("repair", source, "--all", "--out", tmp_path / "x.doc").output
    assert call("repair", source, "--out", out).exit_code == 2


def test_whole_numbers_keep_all_their_digits_on_the_way_to_the_page(client):
    """JavaScript reads numbers beyond 2⁵³ as others: they go as text, in rows, value lists and figures."""
    large = [2**53 + 1, -(2**53) - 1, 9_007_199_254_740_995, 2**63 - 1, 12]
    flow = client.flow()
    client.upload(flow, "lots.csv", ("Lot,n\n" + "".join(f"L{n},{value}\n" for n, value in enumerate(large))).encode())
    client.post(
        f"/api/flows/{flow}/edits",
        {"edits": [{"op": "add", "step": {"kind": "read_file", "settings": {"path": "lots.csv"}}}]},
    )
    key = client.post(f"/api/flows/{flow}/look", {"step": "read_file"}).json["table"]["key"]

    def see(what: str) -> dict:
        text = client.call("GET", f"/api/flows/{flow}/tables/{key}/{what}").get_data(as_text=True)
        return json.loads(text, parse_int=float)  # as the page does

    assert [str(row[1]).removesuffix(".0") for row in see("rows?limit=10")["rows"]] == [str(value) for value in large]
    assert {str(value).removesuffix(".0") for value, _ in see("values?column=n")["values"]} == set(map(str, large))


def test_a_source_that_could_not_be_reached_is_asked_anew_when_a_person_says_so(client):
    down = [True]

    def answer(path, headers):
        return (404, {}, b"gone") if down[0] else (200, {"Content-Type": "application/json"}, b'[{"Lot": "a"}]')

    with server(answer) as (url, allow):
        client.studio.allow = allow
        client.studio.connections.save({"kind": "web", "name": "Shop", "url": url})
        step = {"kind": "call_web_service", "settings": {"connection": "Shop", "path": "lots"}}
        flow = client.flow({"op": "add", "step": step})

        def look() -> dict:
            return client.post(f"/api/flows/{flow}/look", {"step": "call_web_service"}).json

        assert "problem" in look()
        down[0] = False
        assert "problem" in look(), "what failed is not asked for again by itself"
        assert client.post(f"/api/flows/{flow}/steps/call_web_service/again").status_code == 200
        assert look()["table"]["rows"] == 1
