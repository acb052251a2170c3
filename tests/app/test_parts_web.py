"""Used flows, blocks, decisions and typed parameters as the page asks for them."""

import io

from tests.app.conftest import Client
from tests.served import until

SHEET = {"columns": ["Hub", "Grams"], "rows": [["Fen", "5"], ["Dale", "7"], ["Fen", "2"]]}
PIVOT = {"names": "Hub", "values": [{"figure": "sum", "column": "Grams", "name": "Grams"}]}


def sheet(**more) -> dict:
    return {"op": "add", "step": {"id": "lots", "kind": "type_in_a_table", "settings": SHEET}, **more}


def heavy(client: Client) -> str:
    rule = {"of": [{"column": "Grams", "test": "at_least", "value": "{params.least}"}]}
    return client.flow(
        {"op": "describe", "name": "Heavy lots", "parameters": [{"name": "least", "kind": "number", "value": "5"}]},
        sheet(),
        {"op": "add", "after": "lots", "step": {"id": "keep", "kind": "keep_rows", "settings": {"by": "rule", "rule": rule}}},
    )  # fmt: skip


def look(client: Client, flow: str, step: str):
    return client.post(f"/api/flows/{flow}/look", {"step": step}).json


def test_steps_are_added_one_behind_the_other_and_their_ids_come_back(client):
    flow = client.flow(sheet())
    tidy = {"op": "add", "after": "lots", "step": {"kind": "tidy_text", "settings": {}}}
    made = client.post(f"/api/flows/{flow}/edits", {"edits": [tidy, {**tidy, "after": "@last"}]}).json
    assert made["added"] == ["tidy_text", "tidy_text_2"]
    assert made["steps"]["tidy_text_2"]["inputs"] == {"table": ["tidy_text"]}
    assert made["steps"]["tidy_text"]["main"] == "lots" and made["steps"]["lots"]["main"] is None
    assert client.post(f"/api/flows/{flow}/edits", {"edits": []}).json["added"] == []


def test_a_step_is_offered_only_tables_that_make_no_circle(client):
    flow = client.flow(sheet(), {"op": "add", "after": "lots", "step": {"id": "other", "kind": "take_rows"}})
    add = {"op": "add", "after": "lots", "insert": False, "step": {"id": "look", "kind": "tidy_text"}}
    client.post(f"/api/flows/{flow}/edits", {"edits": [add]})
    offered = [ref for ref, _ in look(client, flow, "look")["takeable"]]
    assert set(offered) == {"lots", "other", "other.rest"}
    assert [ref for ref, _ in look(client, flow, "lots")["takeable"]] == []


def test_another_flow_can_be_used_followed_pinned_and_kept(client):
    used, flow = heavy(client), client.flow(sheet())
    assert client.call("GET", f"/api/flows/{flow}/usable").json == {
        "blocks": [], "flows": [{"id": used, "name": "Heavy lots"}]}  # fmt: skip
    about = client.call("GET", f"/api/flows/{flow}/usable/about?flow={used}").json
    assert about["sources"] == [["lots", "Type in a table"]] and about["steps"][-1] == ["keep", "Keep rows"]
    assert about["parameters"][0]["name"] == "least" and about["revisions"][0]["number"] == 2
    use = {"op": "add", "after": "lots", "step": {"id": "use", "kind": "use_a_flow", "settings": {"flow": used}}}
    client.post(f"/api/flows/{flow}/edits", {"edits": [use]})
    assert look(client, flow, "use")["table"]["rows"] == 2
    state = client.call("GET", f"/api/flows/{flow}").json["steps"]["use"]
    assert state["sentence"] == "Heavy lots" and state["ports"][0]["main"] is True
    parameters = [{"name": "least", "kind": "number", "value": "7"}]
    client.post(f"/api/flows/{used}/edits", {"edits": [{"op": "describe", "parameters": parameters}]})
    assert look(client, flow, "use")["table"]["rows"] == 1, "as it is now"
    pinned = {"op": "set", "id": "use", "settings": {"flow": used, "revision": 2}}
    client.post(f"/api/flows/{flow}/edits", {"edits": [pinned]})
    assert look(client, flow, "use")["table"]["rows"] == 2, "as a revision was"
    kept = [
        {"op": "block", "of": used, "name": "Mine"},
        {"op": "set", "id": "use", "settings": {"flow": "Mine", "block": True}},
    ]
    client.post(f"/api/flows/{flow}/edits", {"edits": kept})
    client.call("DELETE", f"/api/flows/{used}")
    assert look(client, flow, "use")["table"]["rows"] == 1, "a block needs the other flow no more"
    assert client.call("GET", f"/api/flows/{flow}/usable").json["blocks"] == ["Mine"]
    assert client.call("GET", f"/api/flows/{flow}/usable/about?block=Mine").json["name"] == "Heavy lots"
    assert client.call("GET", f"/api/flows/{flow}/usable/about?block=Yours").status_code == 404
    client.post(f"/api/flows/{flow}/edits", {"edits": [{"op": "set", "id": "use", "settings": {"flow": used}}]})
    assert "not here any more" in look(client, flow, "use")["problem"]["text"]


def test_questions_are_asked_answered_taken_back_and_carried_as_csv(client):
    pivot = {"op": "add", "after": "lots", "step": {"id": "wide", "kind": "rows_to_columns", "settings": PIVOT}}
    flow = client.flow(sheet(), pivot)
    path = f"/api/flows/{flow}/steps/wide/decisions"
    asked = client.call("GET", path).json
    assert asked["answers"] == ["take", "leave out"] and asked["decided"] == 0
    assert sorted((one["key"], one["rows"]) for one in asked["open"]) == [("Dale", 1), ("Fen", 2)]
    rows = [["Fen", "take"]]
    client.post(f"/api/flows/{flow}/edits", {"edits": [{"op": "decide", "id": "wide", "rows": rows}]})
    [[key, answer, who, when]] = client.call("GET", path).json["given"]
    assert (key, answer, who) == ("Fen", "take", "") and when.startswith("20")
    facts = look(client, flow, "wide")["table"]["facts"]
    assert [(fact["level"], fact["side"]) for fact in facts if fact["code"] == "open_questions"] == [
        ("warning", "open")
    ]
    for search, found in (("fe", 1), ("da", 0)):
        asked = client.call("GET", f"{path}?search={search}").json
        assert (len(asked["given"]), asked["found"], asked["decided"]) == (found, found, 1)
        assert [one["key"] for one in asked["open"]] == ["Dale"], "a search of answers hides no question"
    sent = client.http.post(
        f"{path}.csv", data={"file": (io.BytesIO(b"key,answer\r\nDale,leave out\r\n"), "a.csv")},
        headers={"X-CSRFToken": client.token},
    )  # fmt: skip
    assert sent.status_code == 200
    assert client.http.get(f"{path}.csv").get_data(as_text=True).splitlines()[0] == "key,answer,who,when"
    assert [c["name"] for c in look(client, flow, "wide")["table"]["columns"]] == ["Fen"]
    bad = client.http.post(
        f"{path}.csv", data={"file": (io.BytesIO(b"\xff\xfe"), "a.csv")}, headers={"X-CSRFToken": client.token}
    )
    assert bad.status_code == 422 and "UTF-8" in bad.json["problem"]["text"]
    client.post(f"/api/flows/{flow}/undo")
    assert client.call("GET", path).json["decided"] == 1
    client.post(f"/api/flows/{flow}/edits", {"edits": [{"op": "undecide", "id": "wide"}]})
    assert client.call("GET", path).json["decided"] == 0


def test_a_run_with_a_parameter_of_another_kind_is_refused_before_it_is_made(client):
    flow = heavy(client)
    for value, said in (("much", "“least”"), (["1", "2"], "no number")):
        answer = client.post(f"/api/flows/{flow}/runs", {"parameters": {"least": value}})
        assert answer.status_code == 422 and said in answer.json["problem"]["text"]
    assert client.studio.runs.list(flow) == []
    run = client.post(f"/api/flows/{flow}/runs", {"parameters": {"least": "6"}, "dry": True}).json["id"]
    found = client.call("GET", f"/api/runs/{run}").json
    assert found["dry"] is True and found["series"] == run and found["parameters"] == {"least": "6"}
    client.studio.runs.start(run)
    client.studio.runs.finish(run, "cut off", {})
    again = client.post(f"/api/runs/{run}/repeat").json["id"]
    assert client.call("GET", f"/api/runs/{again}").json["series"] == run, "it goes on with what was begun"
    client.studio.runs.start(again)
    client.studio.runs.finish(again, "ok", {})
    page = client.http.get(f"/flows/{flow}/runs").get_data(as_text=True)
    assert "nothing is delivered" in page and ">tried<" in page and ">ok<" not in page, (
        "a trial does not pass for a run"
    )
    client.studio.runs.start(again)
    client.studio.runs.finish(again, "ok", {})
    fresh = client.post(f"/api/runs/{again}/repeat").json["id"]
    assert client.call("GET", f"/api/runs/{fresh}").json["series"] == fresh, "one that was done begins anew"


def test_tables_of_many_ports_come_in_where_they_are_plugged(client):
    more = {"op": "add", "step": {"id": "more", "kind": "type_in_a_table", "settings": SHEET}}
    stack = {"op": "add", "after": "lots", "plug": True, "step": {"id": "all", "kind": "stack"}}
    flow = client.flow(sheet(), more, stack)
    assert look(client, flow, "all")["table"]["rows"] == 6, "the end of the other lane is taken in at once"
    client.post(
        f"/api/flows/{flow}/edits", {"edits": [{"op": "connect", "id": "all", "port": "tables", "source": ["more"]}]}
    )
    assert look(client, flow, "all")["table"]["rows"] == 3
    until(lambda: not client.call("GET", f"/api/flows/{flow}").json["pending"], 20)
    assert {s["status"] for s in client.call("GET", f"/api/flows/{flow}").json["steps"].values()} == {"fresh"}
