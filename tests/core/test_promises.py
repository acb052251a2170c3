"""Promises whose breach nobody sees at once: what leaves last, what is asked apart, what stays out, what counts as one."""

from __future__ import annotations

import contextlib
import json
import mailbox
import socket
from datetime import date

import polars as pl
import pytest
from click.testing import CliRunner
from hypothesis import given
from hypothesis import strategies as st

from tests import sources  # noqa: F401
from tests.core.test_services import server
from updraft.cli import main
from updraft.core import Files, Flow, Problem, Step, dump, plan, run
from updraft.core.connect import MailFolder, Outside, WebService
from updraft.core.connect.guard import GuardedBackend
from updraft.core.connect.service import Service
from updraft.core.deliver.files import FileDelivery
from updraft.core.engine.cache import TableCache
from updraft.core.engine.table import Table
from updraft.core.formula import compile_formula
from updraft.core.values import Kind


def sending(folder, *, outputs: tuple[str, str]) -> tuple[Flow, Files, mailbox.Maildir]:
    """A flow that sends a message and writes a file, in this order of its steps."""
    box = mailbox.Maildir(folder / "outbox", create=True)
    pl.DataFrame({"hub": ["Fen"], "to": ["fen@hub.example"]}).write_ipc(folder / "t.arrow")
    mail = {
        "connection": "Outbox",
        "by": ["hub"],
        "sender": "desk@larkmoor.example",
        "to": "{to}",
        "subject": "x",
        "text": "x",
        "name": "x",
    }
    settings = {"send_mail": mail, "write_file": {"name": "lots.csv"}}
    steps = [Step(id="t", kind="test_source", settings={"path": "t.arrow"})]
    steps += [Step(id=kind, kind=kind, settings=settings[kind], inputs={"table": "t"}) for kind in outputs]
    outside = Outside({"Outbox": MailFolder(name="Outbox", path=str(folder / "outbox"), writes=True)})
    return Flow(steps=tuple(steps)), Files(folder, outside=outside), box


@pytest.mark.parametrize("outputs", [("send_mail", "write_file"), ("write_file", "send_mail")])
def test_mail_leaves_last_and_not_at_all_when_a_file_cannot_be_written(tmp_path, monkeypatch, outputs):
    flow, files, box = sending(tmp_path, outputs=outputs)
    commit = FileDelivery.commit

    def full(delivery):
        assert not list(box.keys()), "what cannot be taken back leaves when all else is there"
        raise Problem("lots.csv", "the disk is full.", "Make room.")

    monkeypatch.setattr(FileDelivery, "commit", full)
    report = run(plan(flow, files), files, tmp_path / "out")
    assert report.status == "failed" and "the disk is full" in str(report.error) and not list(box.keys())
    assert not list((tmp_path / "out").iterdir()), "nothing half done stays"
    monkeypatch.setattr(FileDelivery, "commit", commit)
    report = run(plan(flow, files), files, tmp_path / "out")
    assert report.status == "ok" and len(box) == 1 and (tmp_path / "out/lots.csv").exists()
    assert all(0 <= made.seconds < 60 for made in report.outputs)


def test_questions_that_differ_anywhere_have_answers_of_their_own_and_equal_ones_are_asked_once(tmp_path):
    asked = []

    def answer(path, headers):
        asked.append(path)
        return 200, {}, f'"{len(asked)}"'.encode()

    with (
        server(answer) as (url, allow),
        Service(WebService(name="W", url=url), Outside(allow=allow), tmp_path) as service,
    ):
        ways = [
            {"path": "lots"}, {"path": "lots", "query": [("hub", "Fen")]}, {"path": "lots", "query": [("hub", "Dale")]},
            {"path": "lots", "query": [("hub", "Fen"), ("page", "2")]}, {"path": "lots", "headers": {"X-Season": "2026"}},
            {"path": "lots", "method": "POST", "body": "a", "repeatable": True}, {"path": "lots", "method": "POST", "body": "b", "repeatable": True},
        ]  # fmt: skip
        first = [service.ask(**way).json() for way in ways]
        assert len(set(first)) == len(ways) == len(asked)
        assert [service.ask(**way).json() for way in ways] == first and len(asked) == len(ways)


@pytest.mark.parametrize("addresses", [["93.184.216.34", "10.0.0.7"], ["10.0.0.7", "93.184.216.34"], ["::1"]])
def test_a_name_that_also_leads_to_a_private_address_is_not_reached(monkeypatch, addresses):
    found = [(socket.AF_INET, socket.SOCK_STREAM, 6, "", (address, 80)) for address in addresses]
    monkeypatch.setattr(socket, "getaddrinfo", lambda *_, **__: found)
    guarded = GuardedBackend(frozenset())
    monkeypatch.setattr(guarded._plain, "connect_tcp", lambda *_: pytest.fail("it was reached"))
    with pytest.raises(Problem, match="private network"):
        guarded.connect_tcp("shop.example", 80)


DAYS = st.dates(date(1990, 1, 1), date(2030, 12, 31))


@given(st.lists(st.tuples(DAYS, DAYS), min_size=1, max_size=20))
def test_months_between_are_as_many_as_can_be_added(pairs):
    table = pl.DataFrame(pairs, schema={"a": pl.Date, "b": pl.Date}, orient="row")

    def made(formula: str) -> list:
        return table.select(compile_formula(formula, {"a": Kind.DATE, "b": Kind.DATE}).expr.alias("x"))["x"].to_list()

    months = made("months_between(a, b)")
    one, more = made("add_months(a, months_between(a, b))"), made("add_months(a, months_between(a, b) + 1)")
    for (start, end), many, fits, beyond in zip(pairs, months, one, more, strict=True):
        if start <= end:
            assert many >= 0 and fits <= end < beyond, (start, end, many)
        else:
            assert many <= 0
    assert made("months_between(a, b) == 0 - months_between(b, a)") == [True] * len(pairs)


def test_a_key_of_blanks_alone_is_the_empty_key(bench):
    table = pl.DataFrame({"Lot": [" ", None, "  ", "a", "a "], "n": [1, 2, 3, 4, 5]})
    kept = bench.rows("remove_duplicates", {"keys": ["Lot"], "ignore_blanks": True}, table)
    assert [row["n"] for row in kept] == [1, 4]


def test_a_step_that_is_switched_off_has_no_problem_until_it_is_switched_on(tmp_path):
    pl.DataFrame({"Lot": ["a"]}).write_ipc(tmp_path / "t.arrow")
    source = Step(id="t", kind="test_source", settings={"path": "t.arrow"})
    broken = Step(id="x", kind="take_rows", settings={"count": "many"}, inputs={"table": "t"})
    files = Files(tmp_path)
    for enabled, problems in ((False, []), (True, ["x"])):
        flow = Flow(steps=(source, broken.model_copy(update={"enabled": enabled})))
        assert list(plan(flow, files).problems()) == problems
        path = tmp_path / "lots.updraft.json"
        path.write_text(dump(flow))
        checked = json.loads(CliRunner().invoke(main, ["check", str(path), "--json"]).stdout)
        assert checked["ok"] is (not problems) and len(checked["problems"]) == len(problems)


def test_a_question_whose_line_breaks_is_asked_again_and_what_changes_something_is_not(tmp_path):
    asked = []

    def answer(path, headers):
        asked.append(path)
        if len(asked) % 2:
            raise ConnectionAbortedError
        return 200, {}, b"[1]"

    with (
        server(answer) as (url, allow),
        Service(
            WebService(name="W", url=url, writes=True), Outside(allow=allow), tmp_path, sleep=lambda _: None
        ) as service,
    ):
        assert service.ask("lots").json() == [1] and asked == ["/lots", "/lots"]
        with pytest.raises(Problem, match=r"does not answer|closed|broke|reached"):
            service.ask("lots", method="POST", body="a")
        assert len(asked) == 3


def test_tables_used_last_are_kept_in_memory(tmp_path):
    """What is looked at again stays, and what nobody asked for goes."""

    def table(name: str) -> Table:
        frame = pl.DataFrame({"n": pl.int_range(1000, eager=True)})
        return Table(name * 32, {"": frame}, {"": 1000}, None, 0.0, ())

    size = table("a").size()
    cache = TableCache(tmp_path, memory_bytes=int(2.5 * size))
    for name in "ab":
        cache.put(table(name))
    cache.flush()
    assert cache.get("a" * 32)
    cache.put(table("c"))
    cache.flush()
    assert set(cache._held) == {"a" * 32, "c" * 32}, "b was used before them"


def test_a_key_goes_where_the_service_wants_it_and_to_no_other_machine(tmp_path):
    asked = []

    def answer(path, headers):
        asked.append((path, headers.get("X-Season-Key")))
        return 200, {}, b"[1]"

    with server(answer) as (url, allow), server(answer) as (other, allowed):
        for key_in, name in (("header", "X-Season-Key"), ("query", "season")):
            known = WebService(name="W", url=url, auth="key", key_in=key_in, key_name=name, secret="hush")
            with Service(known, Outside(allow=allow | allowed), tmp_path / key_in) as service:
                service.ask("lots", [("hub", "Fen")])
                with contextlib.suppress(Problem):
                    service.ask(f"{other}lots")
    assert asked[0] == ("/lots?hub=Fen", "hush")
    assert ("/lots?hub=Fen&season=hush", None) in asked
    assert sum("hush" in f"{path} {key}" for path, key in asked) == 2, asked
