"""Connections: saved with their secrets sealed, tested, searched; and used by runs and the command line."""

import json
import sqlite3
import stat
import time
from collections import Counter
from concurrent.futures import ThreadPoolExecutor

import pytest
from click.testing import CliRunner

from tests.core.test_services import server
from tests.served import until
from updraft.cli import main
from updraft.core import Engine, Files, Flow, Step, dump
from updraft.core.connect import CONNECTION, Outside
from updraft.demo import build_material, stock_report
from updraft.jobs import execute
from updraft.standins import StandIns
from updraft.standins.ledger import make_entities
from updraft.standins.shop import make_sales
from updraft.store import ConnectionStore, Folders
from updraft.store.models import ConnectionRow


@pytest.fixture(scope="module")
def material(tmp_path_factory):
    folder = tmp_path_factory.mktemp("material")
    build_material(folder)
    return folder


@pytest.fixture(scope="module")
def standins(tmp_path_factory):
    started = StandIns(tmp_path_factory.mktemp("standins"))
    yield started
    started.stop()


@pytest.fixture
def lots(client, material):
    body = {
        "kind": "database",
        "name": "Seed lots",
        "dialect": "sqlite",
        "database": str(material / "seed_lots.sqlite"),
    }
    saved = client.post("/api/connections", body)
    assert saved.status_code == 201 and saved.json["said"] == "Reached: 3 tables."
    return client


def test_what_is_in_a_database_is_found_by_typing(lots):
    found = lots.call("GET", "/api/connections/Seed%20lots/tables?search=LOT").json["tables"]
    assert [table["name"] for table in found] == ["lots"]
    columns = lots.call("GET", "/api/connections/Seed%20lots/columns?table=lots").json["columns"]
    assert [(c["name"], c["key"], c["kind"]) for c in columns[:4]] == [
        ("lot", "key", "text"), ("revision", "key", "whole"), ("variety", "", "text"), ("hub", "→ hubs.code", "text"),
    ]  # fmt: skip
    values = lots.call("GET", "/api/connections/Seed%20lots/values?table=lots&column=unit").json
    assert {text for text, _ in values["values"]} == {"g", "kg"} and values["distinct"] == 2


def test_a_secret_is_sealed_and_never_shown_kept_when_left_empty_and_gone_with_its_key(client, standins, tmp_path):
    client.studio.allow = standins.allow
    shop = {"kind": "web", "name": "Shop", "url": standins.shop, "auth": "bearer", "secret": standins.token}
    assert client.post("/api/connections", shop).status_code == 201
    row = ConnectionRow.get(ConnectionRow.name == "Shop")
    assert standins.token not in row.secret + row.document
    for path in ("/connections", "/api/connections"):
        assert standins.token not in client.http.get(path).get_data(as_text=True)
    again = client.post("/api/connections", {**shop, "secret": "", "old": "Shop", "name": "Garden shop"})
    assert again.status_code == 201, "the secret that was there lets us in"
    store = client.studio.connections
    assert store.get("Garden shop").secret == standins.token and "Shop" not in store.all()
    key = tmp_path / "data" / "connections.key"
    assert stat.S_IMODE(key.stat().st_mode) == 0o600
    key.unlink()
    assert ConnectionStore(Folders(tmp_path / "data")).get("Garden shop").secret == ""


@pytest.mark.parametrize(
    "changes, said",
    [
        ({"secret": "wrong"}, "does not let us in"),
        ({"url": "http://127.0.0.1:1/"}, "not allowed here"),
        ({"url": "ftp://shop"}, "must begin with http"),
        ({"name": ""}, "“name”"),
        ({"kind": "database", "dialect": "sqlite", "database": "/nowhere.db"}, "is not here"),
        ({"kind": "mail", "path": "/nowhere"}, "not a mail folder"),
    ],
)
def test_a_connection_that_does_not_work_is_not_saved_unless_wanted(client, standins, changes, said):
    client.studio.allow = standins.allow
    body = {"kind": "web", "name": "Shop", "url": standins.shop, "auth": "bearer", "secret": standins.token, **changes}
    body = {k: v for k, v in body.items() if body["kind"] == "web" or k not in ("url", "auth")}
    if body["kind"] != "web":
        body.pop("secret")
    answer = client.post("/api/connections", body)
    assert answer.status_code == 422 and said in answer.json["problem"]["text"]
    assert client.studio.connections.all() == {}
    if said == "does not let us in":
        assert client.post("/api/connections", {**body, "untested": True}).status_code == 201


def test_a_table_of_a_database_is_looked_at_fetched_again_and_its_flow_holds_no_secret(lots, material):
    flow = lots.flow(
        {"op": "add", "step": {"kind": "read_database", "settings": {"connection": "Seed lots", "table": "lots"}}}
    )
    first = lots.post(f"/api/flows/{flow}/look", {"step": "read_database"}).json["table"]
    with sqlite3.connect(material / "seed_lots.sqlite") as db:
        db.execute("insert into lots values ('x', 1, 'v', 'ald', '2026-01-01', 1, 'g')")
    assert lots.post(f"/api/flows/{flow}/look", {"step": "read_database"}).json["table"]["rows"] == first["rows"]
    lots.post(f"/api/flows/{flow}/steps/read_database/again")
    assert lots.post(f"/api/flows/{flow}/look", {"step": "read_database"}).json["table"]["rows"] == first["rows"] + 1
    assert "sqlite" not in lots.http.get(f"/api/flows/{flow}/export").get_data(as_text=True)
    lots.call("DELETE", "/api/connections/Seed%20lots")
    problem = lots.post(f"/api/flows/{flow}/look", {"step": "read_database"}).json["problem"]
    assert "there is none of this name" in problem["text"]


def test_the_answer_of_a_service_is_pictured_and_not_asked_for_again(client, standins):
    client.studio.allow = standins.allow
    client.post(
        "/api/connections",
        {"kind": "web", "name": "Shop", "url": standins.shop, "auth": "bearer", "secret": standins.token},
    )
    settings = {"connection": "Shop", "path": "api/sales", "paging": "page", "size_name": "per_page"}
    flow = client.flow({"op": "add", "step": {"kind": "call_web_service", "settings": settings}})
    assert client.post(f"/api/flows/{flow}/look", {"step": "call_web_service"}).json["table"]["rows"] == 640
    asked = len(list(client.studio.folders.answers(flow).rglob("*.about")))
    found = client.post(f"/api/flows/{flow}/files/detected", {"step": "call_web_service"}).json
    assert found["raw"]["tree"]["children"][3]["name"] == "sales" and found["files"] == ["the first answer"]
    assert len(list(client.studio.folders.answers(flow).rglob("*.about"))) == asked == 7


def test_the_command_line_takes_connections_from_a_file_or_from_the_app(material, standins, tmp_path, monkeypatch):
    steps = (
        Step(id="lots", kind="read_database", settings={"connection": "Seed lots", "table": "lots"}),
        Step(
            id="sales",
            kind="call_web_service",
            settings={"connection": "Shop", "path": "api/gardens", "paging": "link"},
        ),
        Step(id="write", kind="write_file", inputs={"table": "sales"}, settings={"name": "gardens.csv"}),
    )
    (tmp_path / "f.updraft.json").write_text(dump(Flow(steps=steps)))
    known = [
        {"kind": "database", "name": "Seed lots", "dialect": "sqlite", "database": str(material / "seed_lots.sqlite")},
        {"kind": "web", "name": "Shop", "url": standins.shop, "auth": "bearer", "secret": "$SHOP_TOKEN"},
    ]
    (tmp_path / "c.json").write_text(json.dumps(known))
    monkeypatch.setenv("SHOP_TOKEN", standins.token)
    allow = [part for address in standins.allow for part in ("--allow", address)]
    call = ["run", str(tmp_path / "f.updraft.json"), "--out", str(tmp_path), "--json"]
    done = CliRunner().invoke(main, [*call, "--connections", str(tmp_path / "c.json"), *allow])
    assert done.exit_code == 0, done.output
    assert (tmp_path / "gardens.csv").read_text().count("\n") == 16
    refused = CliRunner().invoke(main, [*call, "--connections", str(tmp_path / "c.json")])
    assert refused.exit_code == 1 and "not allowed here" in json.loads(refused.stdout)["error"]["text"]
    without = CliRunner().invoke(main, call)
    assert without.exit_code == 1 and "there is none of this name" in json.loads(without.stdout)["error"]["text"]
    (tmp_path / "g.csv").write_text("garden,beds\nNettle Bank,4\n")
    given = CliRunner().invoke(
        main, [*call, "--input", f"sales={tmp_path / 'g.csv'}", "--input", f"lots={tmp_path / 'g.csv'}"]
    )
    assert given.exit_code == 0 and (tmp_path / "gardens.csv").read_text() == "garden,beds\nNettle Bank,4\n"


def test_the_flow_from_every_outside_source_gives_what_the_sources_hold(material, standins, tmp_path):
    connections = {
        "Ledger": {
            "kind": "web",
            "url": standins.ledger,
            "auth": "basic",
            "user": standins.user,
            "secret": standins.password,
        },
        "Garden shop": {"kind": "web", "url": standins.shop, "auth": "bearer", "secret": standins.token},
        "Store-room mail": {"kind": "mail", "path": str(standins.mailbox)},
        "Seed lots": {"kind": "database", "dialect": "sqlite", "database": str(material / "seed_lots.sqlite")},
    }
    outside = Outside({name: CONNECTION.validate_python({"name": name, **body}) for name, body in connections.items()},
                      allow=standins.allow)  # fmt: skip
    files, engine = Files(tmp_path, outside=outside), Engine()
    found = engine.look(engine.plan(stock_report(), files), "kilograms_left", files).frames[""]
    entities = make_entities()
    hubs = {one["Shipment"]: one["Hub"] for one in entities["Shipments"]}
    shipped = Counter()
    for line in entities["ShipmentLines"]:
        shipped[hubs[line["Shipment"]], line["Variety"]] += line["Packets"] or 0
    sold = Counter()
    for sale in make_sales():
        for line in sale["lines"]:
            sold[line["variety"]] += line["packets"]
    assert {(row["Hub"], row["Variety"]): row["Packets shipped"] for row in found.to_dicts()} == shipped
    assert all(row["Packets sold in the shop"] == sold[row["Variety"]] for row in found.to_dicts())
    assert found["Lots"].sum() > 150 and found["Kilograms in store"].count() == 24


def test_material_of_the_example_world_is_read_as_it_should_be(material):
    from updraft.core.formats import ReadOptions, read
    from updraft.demo.material import lots

    register = read(material / "lot_register.xlsx", ReadOptions(marks=(("Lot", "fill"),)))
    assert register.frame["Lot"].to_list() == [lot for lot, *_ in lots()] and register.detected.options.skip == 2
    assert register.frame["Lot: fill colour"].drop_nulls().unique().to_list() == ["#f4b6a6"]
    scales = read(material / "scales.txt")
    assert scales.detected.format == "fixed" and scales.frame.columns == ["Lot", "Variety", "Grams"]
    assert scales.frame["Variety"].to_list() == [lot[1] for lot in lots()[:120]]
    tests = read(
        material / "germination.xml", ReadOptions(records="/laboratory/batch/*/test", parent=("@lot",), drop_empty=True)
    )
    assert "mould" not in tests.frame.columns and tests.frame["batch.@lot"].n_unique() == 70
    assert read(material / "hub_requests.json").frame.height == 90


def test_what_is_being_brought_is_told_and_can_be_stopped_and_stops_nothing_later(client, tmp_path):
    asked = []

    def slow(path, headers):
        asked.append(path)
        time.sleep(0.1)
        return 200, {"Content-Type": "application/json", "Link": f'<page{len(asked)}>; rel="next"'}, b'[{"a": 1}]'

    with server(slow) as (url, allow):
        client.studio.allow = allow
        client.post("/api/connections", {"kind": "web", "name": "Slow", "url": url, "untested": True})
        settings = {"connection": "Slow", "paging": "link", "most": 300}
        flow = client.post("/api/flows", {"name": "Slow"}).json["id"]
        client.post(f"/api/flows/{flow}/stop")  # nothing is under way: nothing is kept of it
        with ThreadPoolExecutor() as pool:
            add = {"op": "add", "step": {"kind": "call_web_service", "settings": settings}}
            client.post(f"/api/flows/{flow}/edits", {"edits": [add]})
            looking = pool.submit(client.post, f"/api/flows/{flow}/look", {"step": "call_web_service"})
            until(lambda: "page" in client.call("GET", f"/api/flows/{flow}/coming").json["text"], what="progress")
            client.post(f"/api/flows/{flow}/stop")
            problem = looking.result(60).json["problem"]
        assert problem["code"] == "stopped" and 1 <= len(asked) < 250
        short = {**settings, "paging": "none"}
        again = client.post(f"/api/flows/{flow}/look", {"step": "call_web_service", "settings": short}).json
        assert again["problem"] is None and again["table"]["rows"] == 1


def test_settings_that_are_tried_on_a_database_bring_its_first_rows_alone(client, tmp_path):
    with sqlite3.connect(tmp_path / "big.sqlite") as db:
        db.execute("create table lots(id integer, grams real)")
        db.executemany("insert into lots values (?, ?)", ((n, n / 2) for n in range(2500)))
    client.post(
        "/api/connections",
        {"kind": "database", "name": "Big", "dialect": "sqlite", "database": str(tmp_path / "big.sqlite")},
    )
    table = {"connection": "Big", "table": "lots"}
    query = {"connection": "Big", "by": "sql", "sql": "select * from lots where id >= 0 order by id"}
    for chosen in (table, query):
        flow = client.flow({"op": "add", "step": {"id": "d", "kind": "read_database", "settings": chosen}})

        def look(settings=None, flow=flow):
            found = client.post(f"/api/flows/{flow}/look", {"step": "d", "settings": settings}).json["table"]
            return found["rows"], found["preview"]

        assert look(chosen) == (1000, 1000), "tried: the first rows, and said so"
        assert look({**chosen, "limit": 10}) == (10, None), "what was asked for is not made more"
        assert look() == (2500, None), "applied: all of them"


def test_a_flow_says_the_cluster_that_it_is_computed_on(client, tmp_path, monkeypatch):
    body = {"kind": "cluster", "name": "Barn", "place": "the barn", "folder": str(tmp_path / "none")}
    wrong = client.post("/api/connections", body)
    assert wrong.status_code == 422 and "spark://host:7077" in wrong.json["problem"]["reason"]
    nowhere = client.post("/api/connections", {**body, "place": "local[2]"}).json["problem"]
    assert nowhere["thing"] == str(tmp_path / "none") and nowhere["code"] == "no_folder"
    place = {**body, "place": "spark://127.0.0.1:9", "folder": str(tmp_path)}
    assert client.post("/api/connections", place).json["problem"]["code"] == "no_cluster"
    assert client.post("/api/connections", {**place, "untested": True}).status_code == 201
    known = client.call("GET", "/api/connections?kind=cluster").json["connections"]
    assert known == [{"name": "Barn", "kind": "cluster", "where": "spark://127.0.0.1:9"}]

    monkeypatch.setattr(execute, "_end_with_parent", lambda: None)  # which is for a process of its own
    monkeypatch.setattr(execute.signal, "signal", lambda *_: None)
    sheet = {"columns": ["Lot"], "rows": [["L1"]]}
    flow = client.flow(
        {"op": "add", "step": {"id": "lots", "kind": "type_in_a_table", "settings": sheet}},
        {"op": "add", "after": "lots", "step": {"id": "out", "kind": "write_file", "settings": {"name": "lots.csv"}}},
    )

    def on(name: str) -> dict:
        made = client.post(f"/api/flows/{flow}/edits", {"edits": [{"op": "describe", "computed_on": name}]}).json
        assert made["computed_on"] == name
        run = client.post(f"/api/flows/{flow}/runs").json["id"]
        execute.main(str(tmp_path / "data"), run)
        return client.call("GET", f"/api/runs/{run}").json["report"]

    assert on("Barn")["error"]["code"] == "no_cluster", "it is tried there, and nowhere else"
    assert on("Byre")["error"]["code"] == "no_connection"
    exported = json.loads(client.call("GET", f"/api/flows/{flow}/export").data)
    assert exported["computed_on"] == "Byre"
    assert on("")["status"] == "ok"
    assert "computed_on" not in json.loads(client.call("GET", f"/api/flows/{flow}/export").data)
