"""Answers that take their time: owners in turn, no request thread held, what nobody waits for is left."""

import threading
import time

import pytest
from flask import Flask, jsonify

from tests.served import until
from updraft.core import Problem
from updraft.core.engine import room as rooms
from updraft.core.engine.room import Room
from updraft.web.live import patient as module
from updraft.web.live.patient import Patient


@pytest.fixture
def made():
    app = Flask("test")

    def make(name, order, gate=None):
        def work():
            order.append(name)
            if gate:
                assert gate.wait(20)
            with app.app_context():
                return jsonify(name=name)

        return work

    return make


def test_owners_come_in_turn_and_one_of_them_keeps_one_worker_at_most(made):
    waiting, order, gate = Patient(Room(1 << 40), workers=2), [], threading.Event()
    for n in range(3):
        assert isinstance(waiting.answer("a", f"a{n}", made(f"a{n}", order, gate), wait=0.05), int)
    assert isinstance(waiting.answer("b", "b0", made("b0", order), wait=5).json, dict), "b is not held up by a"
    assert order == ["a0", "b0"]
    gate.set()
    for n in range(3):
        assert waiting.answer("a", f"a{n}", made("again", order), wait=5).json == {"name": f"a{n}"}
    assert order == ["a0", "b0", "a1", "a2"], "each once"


def test_who_waits_is_told_how_many_come_first_and_problems_reach_who_asks(made):
    waiting, order, gate = Patient(Room(1 << 40), workers=1), [], threading.Event()
    waiting.answer("a", "a", made("a", order, gate), wait=0.05)
    waiting.answer("b", "b", made("b", order), wait=0.01)
    assert waiting.answer("c", "c", made("c", order), wait=0.01) == 1

    def fails():
        raise Problem("It", "does not work.", "Leave it.")

    waiting.answer("d", "d", fails, wait=0.01)
    gate.set()
    with pytest.raises(Problem, match="does not work"):
        waiting.answer("d", "d", fails, wait=5)


def test_what_nobody_asks_for_again_is_left(made, monkeypatch):
    monkeypatch.setattr(module, "LEFT", 0.2)
    waiting, order, gate = Patient(Room(1 << 40), workers=1), [], threading.Event()
    waiting.answer("a", "a", made("a", order, gate), wait=0.01)
    waiting.answer("b", "b", made("b", order), wait=0.01)
    time.sleep(0.4)
    gate.set()
    assert waiting.answer("c", "c", made("c", order), wait=5).json == {"name": "c"}
    assert order == ["a", "c"]


def test_work_waits_for_room_while_other_work_holds_memory(monkeypatch):
    held, spared = [100], []
    monkeypatch.setattr(rooms, "held", lambda: held[0])
    room, inside, begun = Room(100, lambda: spared.append(1)), threading.Event(), threading.Event()

    def other():
        begun.set()
        with room.entered():
            inside.set()

    with room.entered(), room.entered():  # alone it may begin; whoever is in goes on
        thread = threading.Thread(target=other)
        thread.start()
        assert begun.wait(5) and not inside.wait(0.4) and spared
        held[0] = 10
        assert inside.wait(5)
    thread.join(5)


def test_a_page_is_told_to_ask_again_and_gets_the_answer_then(client, monkeypatch):
    flow = client.flow(
        {
            "op": "add",
            "step": {"id": "t", "kind": "type_in_a_table", "settings": {"columns": ["Lot"], "rows": [["L1"]]}},
        }
    )
    gate, look = threading.Event(), client.studio.look
    monkeypatch.setattr(client.studio, "look", lambda *args, **more: gate.wait(20) and look(*args, **more))
    headers = {"X-CSRFToken": client.token, "Accept": "application/json"}

    def ask():
        return client.http.post(f"/api/flows/{flow}/look", json={"step": "t"}, headers=headers)

    begun = time.monotonic()
    told = ask()
    assert told.status_code == 202 and told.json["waiting"] and time.monotonic() - begun < 2
    assert client.http.get("/").status_code == 200
    gate.set()
    assert until(lambda: (answer := ask()).status_code == 200 and answer, 10).json["table"]["rows"] == 1


def test_an_answer_is_worked_out_anew_for_who_asks_later(made):
    waiting, order = Patient(Room(1 << 40), workers=1), []
    for n in (1, 2):
        assert waiting.answer("a", "a", made("a", order), wait=5).json == {"name": "a"}
        assert len(order) == n, "what was given is not given again: the flow may be another"


def test_there_are_never_more_workers_than_may_be(made, monkeypatch):
    monkeypatch.setattr(module, "SLOW", 0.0)
    monkeypatch.setattr(module, "MOST_WORKERS", 3)
    waiting, order, gate = Patient(Room(1 << 40), workers=1), [], threading.Event()
    for n in range(8):
        waiting.answer(f"o{n}", f"k{n}", made(n, order, gate), wait=0.1)
    assert len(order) == 3
    gate.set()


def test_a_page_is_told_how_many_come_before_it(client, monkeypatch):
    flow = client.flow()
    for many, said in (
        (0, "Still computing"),
        (1, "Waiting for its turn: 1 other first."),
        (2, "Waiting for its turn: 2 others first."),
    ):
        monkeypatch.setattr(Patient, "answer", lambda *args, many=many, **more: many)
        headers = {"X-CSRFToken": client.token, "Accept": "application/json"}
        told = client.http.post(f"/api/flows/{flow}/look", json={"step": "t"}, headers=headers)
        assert told.status_code == 202 and told.json["waiting"] == said and told.headers["Retry-After"]


def test_answers_that_wait_for_a_service_do_not_stop_the_others(made, monkeypatch):
    monkeypatch.setattr(module, "SLOW", 0.1)
    waiting, order, gate = Patient(Room(1 << 40), workers=1), [], threading.Event()
    for owner in ("a", "b", "c"):
        waiting.answer(owner, owner, made(owner, order, gate), wait=0.2)
    found = until(lambda: not isinstance(it := waiting.answer("d", "d", made("d", order), wait=0.2), int) and it, 10)
    assert found.json == {"name": "d"} and not gate.is_set()
    gate.set()
