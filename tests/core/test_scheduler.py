"""Work in the background: once each, owners in turn, nothing behind a slow source, the person first."""

import threading
import time

import pytest

from tests.served import until
from updraft.core.engine.scheduler import Job, Scheduler


class Notes:
    """What was done, in order; `gate` lets a job wait."""

    def __init__(self):
        self.done, self.gates, self.lock = [], {}, threading.Lock()

    def job(self, key, after=(), gate=None, fails=False, **more) -> Job:
        if gate:
            self.gates.setdefault(gate, threading.Event())

        def work():
            if gate:
                assert self.gates[gate].wait(20)
            with self.lock:
                self.done.append(key)
            if fails:
                raise ValueError(key)

        return Job(key, work, frozenset(after), **more)


@pytest.fixture
def notes():
    found = Notes()
    yield found
    for gate in found.gates.values():
        gate.set()


def test_owners_take_turns_and_each_one_keeps_its_order(notes):
    scheduler = Scheduler(workers=1)
    scheduler.submit("first", [notes.job("hold", gate="g")])
    until(lambda: scheduler.pending("first") and not scheduler._owners["first"].waiting, what="the first job")
    ends = [scheduler.submit(owner, [notes.job(f"{owner}{n}") for n in range(3)]) for owner in ("a", "b")]
    notes.gates["g"].set()
    assert all(end.wait(20) for end in ends)
    assert notes.done == ["hold", "a0", "b0", "a1", "b1", "a2", "b2"]


def test_a_slow_source_holds_up_what_follows_from_it_and_nothing_else(notes):
    scheduler = Scheduler(workers=1, outside=2)
    slow = scheduler.submit(
        "a",
        [
            notes.job("slow", gate="g", outside=True),
            notes.job("after", after=["slow"]),
            notes.job("beside"),
            notes.job("later", after=["beside"]),
        ],
    )
    assert scheduler.submit("b", [notes.job("other", outside=True), notes.job("b")]).wait(20)
    until(lambda: "later" in notes.done, 20)
    assert set(notes.done) == {"beside", "later", "other", "b"} and not slow.is_set() and scheduler.pending("a")
    notes.gates["g"].set()
    assert slow.wait(20) and notes.done[-2:] == ["slow", "after"] and not scheduler.pending("a")


def test_what_follows_from_a_failure_is_left_and_the_worker_goes_on(notes):
    scheduler = Scheduler()
    jobs = [
        notes.job("a", fails=True),
        notes.job("b", ["a"]),
        notes.job("c", ["b"]),
        notes.job("d"),
        notes.job("e", ["d"]),
    ]
    assert scheduler.submit("x", jobs).wait(20)
    assert notes.done == ["a", "d", "e"]
    assert scheduler.submit("x", [notes.job("again")]).wait(20) and notes.done[-1] == "again"


def test_newer_wishes_replace_older_ones_and_cancelling_leaves_the_rest(notes):
    scheduler = Scheduler(workers=1)
    old = scheduler.submit("x", [notes.job("under way", gate="g"), notes.job("old")])
    until(lambda: len(scheduler._owners["x"].waiting) == 1, what="the first job")
    new = scheduler.submit("x", [notes.job("new")])
    notes.gates["g"].set()
    assert old.wait(20) and new.wait(20) and notes.done == ["under way", "new"]
    scheduler.submit("x", [notes.job("held", gate="h"), notes.job("never")])
    until(lambda: len(scheduler._owners["x"].waiting) == 1, what="the job")
    scheduler.cancel("x")
    notes.gates["h"].set()
    assert scheduler.submit("y", [notes.job("last")]).wait(20)
    assert "never" not in notes.done and not scheduler.pending("x")


def test_a_result_is_made_once_for_all_who_want_it_at_the_same_time():
    scheduler, made, results = Scheduler(), [], []
    barrier = threading.Barrier(4)

    def work():
        made.append(1)
        time.sleep(0.2)
        return object()

    def want():
        barrier.wait()
        results.append(scheduler.now("key", work))

    threads = [threading.Thread(target=want) for _ in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert len(made) == 1 and len(results) == 4 and len(set(map(id, results))) == 1
    with pytest.raises(ZeroDivisionError):
        scheduler.once("bad", lambda: 1 / 0)
    assert scheduler.once("bad", lambda: 2) == 2, "a failure is not kept"


def test_background_work_stands_back_while_a_person_looks(notes):
    scheduler = Scheduler()
    scheduler.submit("x", [notes.job("first", gate="g"), notes.job("second")])
    until(lambda: len(scheduler._owners["x"].waiting) == 1, what="the first job")

    def look():
        notes.gates["g"].set()
        until(lambda: "first" in notes.done, 20)
        time.sleep(0.3)
        notes.done.append("looked")

    scheduler.now("seen", look)
    until(lambda: "second" in notes.done, 20)
    assert notes.done == ["first", "looked", "second"]
