"""The queue: what waits stays in it over starts, nothing comes twice, and the urgent come first."""

import pytest

from tests.app.conftest import small_flow
from updraft.core import Problem
from updraft.jobs import make_queue
from updraft.jobs.queue import ADDRESS, BY_ITSELF, bring_back
from updraft.store import FlowStore, Folders, RunStore, open_database


@pytest.fixture
def asked(tmp_path):
    folders = Folders(tmp_path / "data")
    open_database(folders.database)
    flow = small_flow()
    flow_id = FlowStore(folders).create(flow, "made")
    return folders, lambda: RunStore().create(flow_id, flow, 1, {})


def taken(queue) -> list[str]:
    """The runs in the order in which a worker gets them."""
    found = []
    while (task := queue.dequeue()) is not None:
        found.append(task.args[0])
    return found


def test_what_waits_stays_in_the_queue_over_starts_and_only_what_is_missing_is_brought_back(asked):
    folders, ask = asked
    _, execute = make_queue(folders)
    first, lost, last = ask(), ask(), ask()
    for run in (first, last):
        execute(run)
    again, execute = make_queue(folders)
    assert bring_back(again, execute, RunStore().waiting()) == [lost]
    assert bring_back(again, execute, RunStore().waiting()) == []
    assert taken(again) == [first, last, lost]


def test_a_run_that_somebody_waits_for_comes_before_those_that_run_by_themselves(asked):
    folders, ask = asked
    queue, execute = make_queue(folders)
    by_itself, person = ask(), ask()
    execute(by_itself, priority=BY_ITSELF)
    execute(person)
    assert taken(queue) == [person, by_itself]


def test_a_run_that_stands_in_the_queue_twice_is_begun_once(asked):
    _, ask = asked
    run = ask()
    assert [RunStore().start(run), RunStore().start(run)] == [True, False]


def test_a_run_that_could_not_be_begun_is_tried_again(asked, monkeypatch):
    folders, ask = asked
    queue, execute = make_queue(folders)
    run, tries = ask(), []

    def busy(folders, run_id):
        tries.append(run_id)
        raise OSError("the database is busy")

    monkeypatch.setattr("updraft.jobs.supervise.supervise", busy)
    execute(run)
    queue.execute(queue.dequeue())
    (later,) = queue.scheduled()
    assert tries == [run] and later.args == (run,) and later.retries == 2


def test_a_redis_that_cannot_be_used_is_said(asked, monkeypatch):
    monkeypatch.setenv(ADDRESS, "redis://elsewhere:6379/0")
    monkeypatch.setitem(__import__("sys").modules, "redis", None)
    with pytest.raises(Problem, match=r"redis://elsewhere.*not installed here"):
        make_queue(asked[0])
