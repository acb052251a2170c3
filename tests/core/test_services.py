"""Web services, OData and mail, against the stand-ins over real sockets."""

import contextlib
import gzip
import json
import socket
import threading
import time
from datetime import date
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer

import httpx
import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.rules import rules_of
from updraft.core import Engine, Files, Flow, Parameter, Problem, Step
from updraft.core.connect import MailFolder, Outside, WebService, service
from updraft.core.connect.guard import is_public
from updraft.core.connect.service import Service
from updraft.demo.names import GARDENS, VARIETIES
from updraft.standins import StandIns, deliver
from updraft.standins.ledger import PASSWORD, USER, make_entities
from updraft.standins.shop import TOKEN, make_sales


@pytest.fixture(scope="module")
def standins(tmp_path_factory):
    started = StandIns(tmp_path_factory.mktemp("standins"))
    yield started
    started.stop()


@pytest.fixture
def outside(standins):
    shop = WebService(name="Shop", url=standins.shop, auth="bearer", secret=TOKEN)
    ledger = WebService(name="Ledger", url=standins.ledger, auth="basic", user=USER, secret=PASSWORD)
    mail = MailFolder(name="Mail", path=str(standins.mailbox))
    return Outside({"Shop": shop, "Ledger": ledger, "Mail": mail}, allow=standins.allow)


def look(kind: str, chosen: dict, outside: Outside, folder, **more) -> pl.DataFrame:
    flow = Flow(steps=(Step(id="it", kind=kind, settings=chosen),))
    engine, files = Engine(), Files(folder, outside=outside, **more)
    return engine.look(engine.plan(flow, files), "it", files).frames[""]


SALES = {"connection": "Shop", "path": "api/sales", "paging": "page", "size_name": "per_page"}


def test_all_pages_come_though_the_service_is_busy_now_and_then(outside, tmp_path):
    found = look("call_web_service", {**SALES, "size": 40}, outside, tmp_path)
    sales = make_sales()
    assert found["sale"].to_list() == [sale["sale"] for sale in sales]
    assert found["sold_on"].dtype == pl.Date and found["garden.name"].to_list()[0] == sales[0]["garden"]["name"]
    lines = look("call_web_service", {**SALES, "records": "/sales/*/lines", "parent": ["sale"]}, outside, tmp_path)
    assert lines["packets"].sum() == sum(line["packets"] for sale in sales for line in sale["lines"])
    assert lines["sales.sale"].n_unique() == len(sales)
    few = look("call_web_service", {**SALES, "query": [{"name": "since", "value": "2026-04-20"}]}, outside, tmp_path)
    assert few["sold_on"].min() == date(2026, 4, 20)


@pytest.mark.parametrize(
    "chosen, column, expected",
    [
        (
            {"path": "api/stock", "paging": "cursor", "page_name": "after", "next_at": "/meta/next"},
            "variety",
            VARIETIES,
        ),
        ({"path": "api/gardens", "paging": "link"}, "garden", GARDENS),
        ({"path": "api/prices.csv", "query": [{"name": "limit", "value": "500"}]}, "Variety", VARIETIES),
    ],
)
def test_other_ways_of_paging_and_csv(outside, tmp_path, chosen, column, expected):
    assert look("call_web_service", {"connection": "Shop", **chosen}, outside, tmp_path)[column].to_list() == expected


def test_looking_again_does_not_ask_again_until_it_is_wanted(outside, tmp_path):
    told: list[str] = []
    kept = Outside(outside.connections, tmp_path / "answers", outside.allow, told.append)
    more = {"tokens": tmp_path / "tokens.json"}
    first = look("call_web_service", SALES, kept, tmp_path, **more)
    asked = len(list((tmp_path / "answers").rglob("*.about")))
    again = look("call_web_service", {**SALES, "number": True}, kept, tmp_path, **more)
    assert asked == len(list((tmp_path / "answers").rglob("*.about"))) > 5 and again.height == first.height
    Files(tmp_path, **more).token("it", renew=True)
    look("call_web_service", SALES, kept, tmp_path, **more)
    assert len(list((tmp_path / "answers").rglob("*.about"))) == 2 * asked
    assert not any(TOKEN.encode() in file.read_bytes() for file in (tmp_path / "answers").rglob("*") if file.is_file())


def test_what_is_wrong_with_a_service_is_said(outside, tmp_path):
    shop = outside.connections["Shop"]
    cases = [
        (shop.model_copy(update={"secret": "wrong"}), {}, "does not let us in"),
        (shop, {"path": "api/none"}, "nothing there"),
        (shop, {"most": 2}, "more than 2"),
        (shop.model_copy(update={"url": f"http://127.0.0.1:{_closed_port()}/"}), {}, "not allowed here"),
    ]
    for connection, chosen, said in cases:
        with pytest.raises(Problem, match=said):
            look("call_web_service", {**SALES, **chosen}, Outside({"Shop": connection}, allow=outside.allow), tmp_path)
    unreachable = shop.model_copy(update={"url": f"http://127.0.0.1:{_closed_port()}/"})
    asking = Service(unreachable, Outside(allow=frozenset({"127.0.0.1"})), tmp_path / "keep", sleep=lambda _: None)
    with asking, pytest.raises(Problem, match="cannot be reached"):
        asking.ask("x")


def test_a_service_that_misbehaves_costs_neither_time_nor_memory(tmp_path, monkeypatch):
    """It hangs, drips, ends too early, sends a web page, packs too much, or names a page it named before."""
    monkeypatch.setattr(service, "_TIMEOUT", httpx.Timeout(0.2))
    monkeypatch.setattr(service, "_LONGEST_ANSWER", 0.5)
    monkeypatch.setattr(service, "MOST_BYTES", 1 << 20)
    over = threading.Event()

    def hang():
        over.wait(5)
        return [b""]

    def drip():
        while not over.wait(0.05):
            yield b" "

    page = json.dumps({"sales": [{"lot": 1}], "next": "/loop?page=1"}).encode()
    packed = gzip.compress(bytes(50 << 20))
    answers = {
        "/hang": (200, {}, hang),
        "/drip": (200, {}, drip),
        "/short": (200, {"Content-Length": "500"}, b'{"sales": ['),
        "/page": (200, {"Content-Type": "text/html"}, b"<html>Please log in"),
        "/quiet": (200, {"Content-Type": "application/json"}, b"\n<!DOCTYPE html><html>"),
        "/packed": (200, {"Content-Encoding": "gzip"}, packed),
        "/loop?page=1": (200, {"Content-Type": "application/json"}, page),
        "/loop": (200, {"Content-Type": "application/json"}, page),
        "/huge": (200, {"Content-Type": "application/json"}, b'{"sales": ' + b"[" * 100_000),
    }
    cases = [
        ({"path": "hang"}, "did not answer in time"), ({"path": "drip"}, "did not come to an end"), ({"path": "short"}, "cannot be reached"),
        ({"path": "page"}, "a web page, not"), ({"path": "quiet"}, "a web page, not"), ({"path": "packed"}, "larger than"),
        ({"path": "loop", "paging": "link", "next_at": "/next"}, "a page that was there before"),
        ({"path": "loop", "paging": "cursor", "page_name": "page", "next_at": "/next"}, "a page that was there before"),
        ({"path": "huge"}, "nested too deeply"),
    ]  # fmt: skip
    with server(lambda path, headers: answers[path if path in answers else path.split("?")[0]]) as (url, allow):
        outside = Outside({"Shop": WebService(name="Shop", url=url)}, allow=allow, answers=tmp_path / "answers")
        monkeypatch.setitem(Service.__init__.__kwdefaults__, "sleep", lambda _: None)
        for chosen, said in cases:
            started = time.monotonic()
            with pytest.raises(Problem, match=said):
                look("call_web_service", {"connection": "Shop", "records": None, **chosen}, outside, tmp_path)
            assert time.monotonic() - started < 10
        over.set()


def _closed_port() -> int:
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        return free.getsockname()[1]


def test_a_service_that_stays_away_or_busy_is_asked_as_often_as_is_told(tmp_path):
    told: list[str] = []
    gone = WebService(name="Gone", url=f"http://127.0.0.1:{_closed_port()}/")
    with Service(
        gone, Outside(allow=frozenset({"127.0.0.1"}), tell=told.append), tmp_path / "a", sleep=lambda _: None
    ) as asked:
        with pytest.raises(Problem, match=f"cannot be reached .*, {service.TRIES} times") as problem:
            asked.ask("x")
        assert len(told) == service.TRIES - 1 and all("does not answer; trying again" in one for one in told), told
        assert "has no address" not in str(problem.value), "the reason is that of the connection"
    for status, tries in (
        (503, service.TRIES),
        (502, service.TRIES),
        (504, service.TRIES),
        (429, service.TRIES),
        (500, 1),
        (501, 1),
    ):
        told.clear()
        count: list[str] = []
        with server(lambda path, headers, status=status, count=count: (count.append(path), (status, {}, b"no"))[1]) as (
            url,
            allow,
        ):
            busy = WebService(name="Busy", url=url)
            keep = tmp_path / str(status)
            with Service(busy, Outside(allow=allow, tell=told.append), keep, sleep=lambda _: None) as asked:
                with pytest.raises(Problem, match=str(status)):
                    asked.ask("x")
                assert len(count) == tries and len(told) == tries - 1
                assert all("is busy; trying again in" in one for one in told), told


@pytest.mark.parametrize("most", [1, 3, 4])
def test_no_more_pages_are_asked_for_than_the_step_says_and_that_is_told(tmp_path, most):
    pages = [b'[{"a": 1}, {"a": 2}]'] * 3 + [b"[]"]
    asked: list[str] = []
    with server(lambda path, headers: (asked.append(path), (200, {}, pages[len(asked) - 1]))[1]) as (url, allow):
        outside = Outside({"W": WebService(name="W", url=url)}, allow=allow, answers=tmp_path / "answers")
        chosen = {"connection": "W", "path": "x", "paging": "page", "page_name": "page", "most": most}
        if most < 4:
            with pytest.raises(Problem, match=rf"more than {most} of them"):
                look("call_web_service", chosen, outside, tmp_path)
        else:
            assert look("call_web_service", chosen, outside, tmp_path)["a"].to_list() == [1, 2] * 3
    assert asked == [f"/x?page={n}" for n in range(1, most + 1)]


def test_a_key_in_the_address_goes_along(tmp_path):
    seen: list[str] = []
    with server(lambda path, headers: (seen.append(path), (200, {}, b"[1]"))[1]) as (url, allow):
        known = WebService(name="W", url=url, auth="key", key_in="query", key_name="token", secret="hush")
        with Service(known, Outside(allow=allow), tmp_path) as asked:
            assert asked.ask("x").json() == [1]
    assert seen == ["/x?token=hush"]


@contextlib.contextmanager
def server(answer):
    """A server whose answers a function gives: (path, headers) → (status, headers, body, or its parts one after another)."""

    class Handler(BaseHTTPRequestHandler):
        def do_POST(self):
            self.path += " " + self.rfile.read(int(self.headers["Content-Length"])).decode()
            self.do_GET()

        def do_GET(self):
            status, headers, body = answer(self.path, dict(self.headers))
            self.send_response(status)
            for name, value in headers.items():
                self.send_header(name, value)
            if isinstance(body, bytes) and "Content-Length" not in headers:
                self.send_header("Content-Length", str(len(body)))
            self.end_headers()
            with contextlib.suppress(OSError):  # whoever asked has gone
                for part in [body] if isinstance(body, bytes) else body():
                    self.wfile.write(part)
                    self.wfile.flush()

        def log_message(self, *_):
            pass

    running = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
    threading.Thread(target=running.serve_forever, daemon=True).start()
    yield f"http://127.0.0.1:{running.server_port}/", frozenset({f"127.0.0.1:{running.server_port}"})
    running.shutdown()


@pytest.mark.parametrize("auth", ["basic", "bearer", "key"])
def test_a_redirect_elsewhere_is_followed_without_the_secret_and_not_to_forbidden_places(tmp_path, auth):
    seen: list[dict] = []

    def there(path, headers):
        seen.append(headers)
        return 200, {"Content-Type": "application/json"}, b'[{"a": 1}]'

    with (
        server(there) as (far, far_allowed),
        server(lambda p, h: (302, {"Location": far + "landed"}, b"")) as (near, near_allowed),
    ):
        connection = WebService(name="W", url=near, auth=auth, user="u", secret="hush", key_name="X-Key")
        with Service(connection, Outside(allow=near_allowed | far_allowed), tmp_path / "a") as service:
            assert service.ask("go").json() == [{"a": 1}]
        assert "hush" not in str(seen) and "Authorization" not in seen[0] and "X-Key" not in seen[0]
        with (
            Service(connection, Outside(allow=near_allowed), tmp_path / "b") as service,
            pytest.raises(Problem, match="not allowed"),
        ):
            service.ask("go")


def test_a_service_is_not_asked_faster_than_its_limit_and_waits_as_long_as_it_asks(tmp_path):
    waits: list[float] = []
    answers = iter([(429, {"Retry-After": "7"}, b""), (503, {}, b""), (200, {}, b"[1]")])
    with (
        server(lambda path, headers: next(answers)) as (url, allow),
        Service(WebService(name="W", url=url), Outside(allow=allow), tmp_path, sleep=waits.append) as service,
    ):
        assert service.ask("x").json() == [1]
    assert waits == [7.0, 1.0]
    waits.clear()
    with (
        server(lambda path, headers: (200, {}, b"[1]")) as (url, allow),
        Service(
            WebService(name="W", url=url, per_minute=30), Outside(allow=allow), tmp_path / "b", sleep=waits.append
        ) as service,
    ):
        service.ask("a")
        service.ask("b")
    assert len(waits) == 1 and 1.5 < waits[0] <= 2


@pytest.mark.parametrize(
    "address, public",
    [("93.184.216.34", True), ("10.0.0.1", False), ("169.254.169.254", False), ("::1", False), ("::ffff:127.0.0.1", False),
     ("2002:7f00:1::", False), ("fe80::1%eth0", False), ("100.64.0.1", False), ("0.0.0.0", False), ("224.0.0.1", False)],
)  # fmt: skip
def test_addresses_of_this_machine_and_of_private_networks_are_told_apart(address, public):
    assert is_public(address) is public


def test_a_request_can_be_posted_with_headers_and_a_body_that_holds_parameters(tmp_path):
    def answer(path, headers):
        return 200, {"Content-Type": "text/csv"}, f"Sent;Kind\n{path};{headers['X-Season']}\n".encode()

    settings = {"connection": "W", "path": "search?all=1", "method": "POST", "body": '{"since": "{params.since}"}',
                "headers": [{"name": "X-Season", "value": "{params.since}"}], "query": [{"name": "q", "value": "a b"}]}  # fmt: skip
    flow = Flow(
        parameters=(Parameter(name="since", value="first of last month", kind="date"),),
        steps=(Step(id="it", kind="call_web_service", settings=settings),),
    )
    with server(answer) as (url, allow):
        outside = Outside({"W": WebService(name="W", url=url)}, allow=allow)
        engine, files = Engine(), Files(tmp_path, outside=outside, today=lambda: date(2026, 4, 9))
        found = engine.look(engine.plan(flow, files), "it", files).frames[""]
    assert found.rows() == [('/search?all=1&q=a+b {"since": "2026-03-01"}', date(2026, 3, 1))]


LEDGER = {"connection": "Ledger", "entity": "Shipments"}


def test_odata_gives_typed_fields_choices_order_and_parts_put_together_again(outside, tmp_path):
    rows = make_entities()["Shipments"]
    whole = look("read_odata", LEDGER, outside, tmp_path)
    assert whole["Shipment"].to_list() == [row["Shipment"] for row in rows]
    assert whole.dtypes == [pl.String, pl.Date, pl.String, pl.String, pl.Float64, pl.Boolean]
    few = look("read_odata", {**LEDGER, "columns": ["Hub", "Weight"], "order": [{"column": "Weight", "down": True}], "limit": 3,
                              "names": "label"}, outside, tmp_path)  # fmt: skip
    assert few.columns == ["Receiving hub", "Weight in kg"]
    assert few["Weight in kg"].to_list() == sorted((row["Weight"] for row in rows), reverse=True)[:3]
    for split in ({"split": "field", "split_field": "Carrier"}, {"split": "size", "split_size": 150}):
        parts = look("read_odata", {**LEDGER, **split}, outside, tmp_path)
        assert parts.sort("Shipment").equals(whole.sort("Shipment"))
    lines = look("read_odata", {**LEDGER, "entity": "ShipmentLines"}, outside, tmp_path)
    assert lines["BookedAt"].dtype == pl.Datetime("us") and lines["Packets"].null_count() > 0


def test_what_is_wrong_with_an_odata_request_is_said(outside, tmp_path):
    for chosen, said in (
        ({"entity": "Shipment"}, "the nearest is “Shipments”"),
        ({"entity": ""}, "none is chosen yet"),
        ({"columns": ["Huub"]}, "the nearest is “Hub”"),
        ({"rule": {"of": [{"column": "Weight", "test": "more", "value": "heavy"}]}}, "of type Decimal"),
        ({"rule": {"of": [{"column": "ShippedOn", "test": "less", "value": "soon"}]}}, "“soon”: the field is of type"),
        ({"rule": {"of": [{"column": "Hub", "test": "matches", "value": "A.*"}]}}, "do not all have patterns"),
        ({"connection": "Shop"}, "not the metadata|nothing there"),
    ):
        with pytest.raises(Problem, match=said):
            look("read_odata", {**LEDGER, **chosen}, outside, tmp_path)


TEXT = st.sampled_from(["Aldermere", "o'dell & roe", "FEN", "", "water", "Saltway"])
CONDITIONS = st.one_of(
    st.builds(
        lambda column, test, value, to, fold: {"column": column, "test": test, "value": value, "to": to, "values": [value, to], "ignore_case": fold},
        st.sampled_from(["Hub", "Carrier"]),
        st.sampled_from(["equals", "not_equals", "one_of", "none_of", "contains", "starts", "ends", "empty", "filled", "less", "between"]),
        TEXT, TEXT, st.booleans(),
    ),
    st.builds(
        lambda test, value: {"column": "Weight", "test": test, "value": value, "to": "20", "values": ["3.5", value]},
        st.sampled_from(["equals", "not_equals", "one_of", "less", "at_most", "more", "between"]),
        st.sampled_from(["0.7", "12", "30"]),
    ),
    st.builds(
        lambda test, value: {"column": "ShippedOn", "test": test, "value": value, "to": "2026-03-01"},
        st.sampled_from(["equals", "not_equals", "less", "at_least", "between"]),
        st.sampled_from(["2026-01-05", "2026-02-14"]),
    ),
    st.just({"column": "Closed", "test": "equals", "value": "no"}),
)  # fmt: skip


@settings(max_examples=25)
@given(rules_of(CONDITIONS))
def test_a_rule_means_the_same_to_the_service_as_in_keep_rows(outside, tmp_path, rule):
    kept = Outside(outside.connections, tmp_path / "answers", outside.allow)
    there = look("read_odata", {**LEDGER, "rule": rule}, kept, tmp_path, tokens=tmp_path / "tokens.json")
    flow = Flow(steps=(
        Step(id="it", kind="read_odata", settings=LEDGER),
        Step(id="keep", kind="keep_rows", inputs={"table": "it"}, settings={"by": "rule", "rule": rule}),
    ))  # fmt: skip
    engine, files = Engine(), Files(tmp_path, outside=kept, tokens=tmp_path / "tokens.json")
    here = engine.look(engine.plan(flow, files), "keep", files).frames[""]
    assert there.equals(here)


def test_the_latest_fitting_attachment_is_read(outside, tmp_path, standins):
    chosen = {"connection": "Mail", "sender": "STOREROOM@", "pattern": "stock_*.CSV"}
    found = look("read_mail", chosen, outside, tmp_path)
    assert found.columns == ["Variety", "Hub", "Packets", "Kilograms"] and found["Variety"].to_list() == VARIETIES
    any_name = look("read_mail", {**chosen, "pattern": ""}, outside, tmp_path)
    assert any_name.columns == found.columns, "no pattern takes any name"
    deliver(standins.mailbox, date(2026, 4, 9))
    newer = look("read_mail", chosen, outside, tmp_path)
    assert not newer.equals(found)
    with pytest.raises(Problem, match="no attachment from “nobody” fits"):
        look("read_mail", {**chosen, "sender": "nobody"}, outside, tmp_path)
    with pytest.raises(Problem, match="not a mail folder"):
        look("read_mail", chosen, Outside({"Mail": MailFolder(name="Mail", path=str(tmp_path))}), tmp_path)
