"""Runs that begin by themselves: at their time, or when something new has come; and what a flow is in words."""

import mailbox
import subprocess
import sys
from datetime import UTC, datetime, timedelta
from email.message import EmailMessage
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.app.conftest import small_flow
from updraft.core import Flow, Problem, Step
from updraft.core.schedule import next_after, words
from updraft.jobs.clock import tick
from updraft.store import ConnectionStore, FlowStore, Folders, RunStore, ScheduleStore, open_database

ZONES = st.sampled_from(["UTC", "Europe/London", "America/New_York", "Asia/Kolkata"])
MOMENTS = st.datetimes(datetime(2025, 1, 1), datetime(2027, 12, 31)).map(lambda moment: moment.replace(tzinfo=UTC))


@given(MOMENTS, ZONES, st.integers(4, 23), st.integers(0, 59), st.none() | st.sets(st.integers(1, 7), min_size=1))
def test_a_schedule_comes_at_its_time_of_day_there(moment, zone, hour, minute, days):
    """From four o'clock on, where no clock is put forward or back."""
    days_text = ",".join(map(str, sorted(days))) if days else "*"
    there = moment.astimezone(ZoneInfo(zone))
    expected = there.replace(hour=hour, minute=minute, second=0, microsecond=0)
    while expected <= there or (days and expected.isoweekday() not in days):
        day = expected.date() + timedelta(days=1)
        expected = datetime(day.year, day.month, day.day, hour, minute, tzinfo=ZoneInfo(zone))
    assert next_after(f"{minute} {hour} * * {days_text}", zone, moment) == expected.astimezone(UTC)


@pytest.mark.parametrize(
    ("cron", "zone", "said"),
    [
        ("0 0 30 2 *", "UTC", "it cannot be read"),
        ("every day", "UTC", "it cannot be read"),
        ("61 * * * *", "UTC", "it cannot be read"),
        ("", "UTC", "it cannot be read"),
        ("0 6 * * *", "Larkmoor/Fen", "there is none of this name"),
        ("0 6 * * *", "../etc", "there is none of this name"),
    ],
)
def test_a_schedule_that_is_none_is_refused_in_words(cron, zone, said):
    with pytest.raises(Problem, match=said):
        next_after(cron, zone, datetime.now(UTC))


def test_schedules_in_words():
    assert words("5 6 * * *") == "every day at 06:05"
    assert words("0 18 * * 1,5") == "every Monday and Friday at 18:00"
    assert words("*/5 * * * *") == "*/5 * * * *" and words("0 6 1 * *") == "0 6 1 * *"


@pytest.fixture
def folders(tmp_path):
    found = Folders(tmp_path)
    db = open_database(found.database)
    yield found
    db.close()


NOW = datetime.now(UTC).replace(microsecond=0)


class Queue(list):
    def __call__(self, run_id, priority):
        self.append((run_id, priority))


def test_what_is_due_begins_once_however_often_its_time_passed(folders):
    flows, runs, queue = FlowStore(folders), RunStore(), Queue()
    flow = flows.create(small_flow(), "made")
    made = ScheduleStore().create(flow, cron="0 * * * *", zone="UTC", parameters={"hub": "Fen"})
    assert tick(folders, queue, NOW) == []
    later = NOW + timedelta(hours=5)
    (run_id,) = tick(folders, queue, later)
    found = runs.get(run_id)
    assert queue == [(run_id, 0)] and found["parameters"] == {"hub": "Fen"} and found["by"] == made
    assert tick(folders, queue, later) == [], "five hours passed, and it begins once"
    assert tick(folders, queue, later + timedelta(hours=1)) == [], "the one before is not done yet"
    runs.start(run_id)
    runs.finish(run_id, "ok", {})
    assert len(tick(folders, queue, later + timedelta(hours=1))) == 1
    ScheduleStore().switch(flow, made, False)
    assert tick(folders, queue, later + timedelta(days=9)) == []


def test_a_clock_that_was_ahead_and_is_set_right_does_not_silence_a_schedule(folders):
    flows, runs, queue = FlowStore(folders), RunStore(), Queue()
    ScheduleStore().create(flows.create(small_flow(), "made"), cron="0 * * * *", zone="UTC", parameters={})
    (early,) = tick(folders, queue, NOW + timedelta(days=400))
    runs.start(early)
    runs.finish(early, "ok", {})
    assert tick(folders, queue, NOW) == [], "what is due in a year is not due now"
    assert len(tick(folders, queue, NOW + timedelta(hours=1))) == 1, "and the next hour is"


def test_a_schedule_that_is_off_or_broken_holds_up_no_other(folders):
    flows, queue, store = FlowStore(folders), Queue(), ScheduleStore()
    flow = flows.create(small_flow(), "made")
    made = [store.create(flow, cron="0 * * * *", parameters={}) for _ in range(2)]
    ends = []
    for _ in range(2):  # one before them and one behind, in whatever order they are listed
        ends = [
            *ends,
            store.create(flow, watch="mail:Gone", parameters={}),
            store.create(flow, cron="0 * * * *", parameters={}),
        ]
    store.switch(flow, made[0], False)
    store.switch(flow, ends[3], False)
    begun = tick(folders, queue, NOW + timedelta(hours=2))
    assert {RunStore().get(run)["by"] for run in begun} == {made[1], ends[1]}


def test_the_live_revision_runs_whatever_was_changed_since(folders):
    flows, queue = FlowStore(folders), Queue()
    flow = flows.create(small_flow(), "made")
    ScheduleStore().create(flow, cron="0 * * * *", zone="UTC", parameters={})
    flows.make_live(flow, 1)
    flows.save(flow, small_flow().model_copy(update={"name": "Tried"}), "renamed", 1)
    (run_id,) = tick(folders, queue, NOW + timedelta(hours=2))
    assert RunStore().get(run_id)["revision"] == 1 and RunStore().flow(run_id).name == "Small"
    with pytest.raises(Problem, match="no such revision"):
        flows.make_live(flow, 9)


def test_a_trigger_begins_when_something_new_comes_and_never_for_what_goes(folders, tmp_path):
    flows, queue = FlowStore(folders), Queue()
    flow = flows.create(small_flow(), "made")
    files = folders.files(flow)
    (files / "old.csv").write_text("a\n1\n")
    box = mailbox.Maildir(tmp_path / "mail")
    ConnectionStore(folders).save({"kind": "mail", "name": "Stock mail", "path": str(tmp_path / "mail")})
    store = ScheduleStore()
    by_file, by_mail = (store.create(flow, watch=what, parameters={}) for what in ("files", "mail:Stock mail"))

    def begun() -> list[str]:
        found = [RunStore().get(run_id) for run_id in tick(folders, queue, datetime.now(UTC))]
        for run in found:
            RunStore().start(run["id"])
            RunStore().finish(run["id"], "ok", {})
        return [run["by"] for run in found]

    assert begun() == [], "what is there already is not new"
    (files / "new.csv").write_text("a\n2\n")
    assert begun() == [by_file] and begun() == []
    (files / "new.csv").write_text("a\n2\n3\n")
    assert begun() == [by_file], "its content is new"
    (files / "old.csv").unlink()
    assert begun() == []
    key = box.add("Subject: stock\n\nFen 3\n")
    assert begun() == [by_mail] and begun() == []
    read = box[key]
    read.set_subdir("cur")
    read.add_flag("S")
    box[key] = read
    assert begun() == [], "mail that is only marked as read is not new"
    ConnectionStore(folders).delete("Stock mail")
    (files / "more.csv").write_text("a\n")
    assert begun() == [by_file], "a connection that is gone stops only its own trigger"


def mailing(folders, name: str, box: str) -> str:
    """A flow that sends one message into a folder."""
    steps = (
        Step(id="typed", kind="type_in_a_table", settings={"columns": ["lot"], "rows": [["L1"]]}),
        Step(
            id="mail",
            kind="send_mail",
            inputs={"table": "typed"},
            settings={
                "connection": box,
                "sender": "hub@larkmoor.example",
                "to": "all@larkmoor.example",
                "subject": f"from {name}",
            },
        ),
    )
    return FlowStore(folders).create(Flow(name=name, steps=steps), "made")


def test_mail_never_feeds_the_flow_that_sent_it_also_through_another(folders, tmp_path):
    """Two flows that answer each other's mail, and one that watches its own outbox: each message makes a round."""
    box = mailbox.Maildir(tmp_path / "mail")
    ConnectionStore(folders).save({"kind": "mail", "name": "Hub", "path": str(tmp_path / "mail"), "writes": True})
    first, second = mailing(folders, "Stock", "Hub"), mailing(folders, "Answer", "Hub")
    store = ScheduleStore()
    for flow in (first, second):
        store.create(flow, watch="mail:Hub", parameters={})
    done = []

    def turn() -> None:
        for run_id in tick(folders, Queue(), datetime.now(UTC)):
            subprocess.run([sys.executable, "-m", "updraft.jobs.execute", tmp_path, run_id], check=True)
            run = RunStore().get(run_id)
            assert run["status"] == "ok", run["report"]
            done.append((FlowStore(folders).get(run["flow"]).flow.name, run["cause"]))

    turn()
    message = EmailMessage()
    message["From"], message["Subject"] = "Rook <rook@fen.example>", "new stock"
    box.add(message)
    for _ in range(6):
        turn()
    by_hand = "mail “new stock” from Rook <rook@fen.example>"
    assert (
        set(done)
        == {
            ("Answer", by_hand),
            ("Answer", "mail “from Stock” from hub@larkmoor.example"),
            ("Stock", by_hand),
            ("Stock", "mail “from Answer” from hub@larkmoor.example"),
        }
        and len(done) == 4
    ), "each of the two answers the other once, and then it is quiet"
    assert all("came of a run of this flow" in one["said"] for one in store.list())


def test_a_mail_trigger_takes_only_what_it_is_meant_for(folders, tmp_path):
    box = mailbox.Maildir(tmp_path / "mail")
    ConnectionStore(folders).save({"kind": "mail", "name": "Hub", "path": str(tmp_path / "mail")})
    only = {"sender": "ROOK@", "subject": "stock", "name": "stock*.csv"}
    flow = FlowStore(folders).create(small_flow(), "made")
    ScheduleStore().create(flow, watch="mail:Hub", only=only, parameters={})
    assert tick(folders, Queue(), datetime.now(UTC)) == []

    def came(sender: str, subject: str, name: str) -> int:
        message = EmailMessage()
        message["From"], message["Subject"] = sender, subject
        message.add_attachment(b"a\n1\n", maintype="text", subtype="csv", filename=name)
        key = box.add(message)
        begun = tick(folders, Queue(), datetime.now(UTC))
        for run_id in begun:
            RunStore().start(run_id)
            RunStore().finish(run_id, "ok", {})
        read = box.get_message(key)  # read by somebody: moved and flagged, not come anew
        read.set_subdir("cur")
        read.add_flag("S")
        box[key] = read
        assert tick(folders, Queue(), datetime.now(UTC)) == []
        return len(begun)

    assert came("rook@fen.example", "The Stock", "Stock_May.CSV") == 1
    assert came("wren@fen.example", "The Stock", "stock.csv") == 0
    assert came("rook@fen.example", "Lunch", "stock.csv") == 0
    assert came("rook@fen.example", "stock", "notes.csv") == 0


def test_schedules_are_made_switched_and_deleted_by_the_page(client):
    flow = client.flow()
    path = f"/api/flows/{flow}/schedules"
    made = client.post(path, {"cron": "0 6 * * *", "zone": "Europe/London"})
    assert made.status_code == 201 and made.json["schedules"][0]["words"] == "every day at 06:00 (Europe/London)"
    one = made.json["id"]
    assert client.post(f"{path}/{one}", {"active": False}).json["schedules"][0]["active"] is False
    assert client.post(path, {"watch": "files"}).json["schedules"][1]["words"] == "when a file comes"
    assert client.post(f"{path}/live", {"revision": 1}).json == {"live": 1}
    for body, said in (
        ({"cron": "0 0 30 2 *"}, "it cannot be read"),
        ({"watch": "/etc"}, "cannot be watched"),
        ({"watch": "mail:Nobody"}, "Nobody"),
        ({"watch": "mail:"}, "no mail folder is chosen"),
        ({"cron": "0 6 * * *", "parameters": {"hub": "x"}}, "hub"),
    ):
        refused = client.post(path, body)
        assert refused.status_code in (404, 422) and said in refused.get_data(as_text=True)
    assert len(client.call("DELETE", f"{path}/{one}").json["schedules"]) == 1
    assert client.call("DELETE", f"{path}/{one}").status_code in (404, 422)
    page = client.http.get(f"/flows/{flow}/runs").get_data(as_text=True)
    assert "when a file comes" in page


def test_a_flow_is_described_in_words_to_print(client):
    step = {"kind": "read_file", "settings": {"path": "growers.xlsx"}, "name": "Growers"}
    keep = {"kind": "keep_rows", "settings": {"by": "first", "count": 3}, "note": "The rest is old."}
    flow = client.flow({"op": "add", "step": step}, {"op": "add", "step": keep, "after": "@last"})
    page = client.http.get(f"/flows/{flow}/description").get_data(as_text=True)
    for said in ("1 · Growers", "2 · Keep rows", "the first 3", "takes 1 · Growers", "The rest is old."):
        assert said in page, said
