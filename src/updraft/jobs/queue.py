"""The queue: huey, on SQLite here, or on Redis where several machines share one.

The table of runs is the record of what was asked for and what came of it; the queue only brings each run to a
worker, the urgent first. A run that stands in the queue twice is executed once: `RunStore.start` sees to it.
"""

from __future__ import annotations

import os
import sqlite3
from collections.abc import Callable, Collection
from contextlib import closing
from pathlib import Path
from typing import Any

from updraft.core import Problem
from updraft.store import Folders
from updraft.store.orm import Huey, PriorityRedisHuey, SqliteHuey

ADDRESS = "UPDRAFT_QUEUE"  # variable of the environment with the address of a Redis, redis://host:port/0
ASKED_FOR, BY_ITSELF = 10, 0  # priorities: somebody waits for the run, or nobody does
RETRIES, RETRY_AFTER = 3, 5  # when a run could not even be begun; seconds in between


def make_queue(folders: Folders) -> tuple[Huey, Callable[[str], Any]]:
    """The queue of this data folder and its one task, `execute(run id, priority=…)`.

    Raises:
        Problem: a Redis is named, and this Updraft cannot use one.
    """
    queue = _queue(folders)

    @queue.task(name="execute", priority=ASKED_FOR, retries=RETRIES, retry_delay=RETRY_AFTER)
    def execute(run_id: str) -> None:
        from updraft.jobs.supervise import supervise

        supervise(folders, run_id)

    return queue, execute


def bring_back(queue: Huey, execute: Callable[[str], Any], waiting: Collection[str]) -> list[str]:
    """Put runs that wait into the queue where they are not in it; gives those.

    They are missing when the machine stopped between writing a run down and queueing it, or when the queue
    was lost.
    """
    queued = {task.args[0] for task in (*queue.pending(), *queue.scheduled()) if task.args}
    missing = [run_id for run_id in waiting if run_id not in queued]
    for run_id in missing:
        execute(run_id)
    return missing


def _set_aside_damaged(path: Path) -> None:
    """A queue that is no database any more is put aside: the table of runs knows what waits."""
    if not path.exists():
        return
    try:
        with closing(sqlite3.connect(path)) as db:
            sound = db.execute("PRAGMA quick_check").fetchone()[0] == "ok"
    except sqlite3.DatabaseError as error:
        sound = "locked" in str(error)
    if not sound:
        path.replace(path.with_suffix(".damaged"))
        for beside in ("-wal", "-shm"):
            path.with_name(path.name + beside).unlink(missing_ok=True)


def _queue(folders: Folders) -> Huey:
    address = os.environ.get(ADDRESS, "")
    if not address:
        _set_aside_damaged(folders.queue)
        return SqliteHuey("updraft", filename=str(folders.queue), results=False, strict_fifo=True)
    try:
        import redis  # noqa: F401
    except ImportError:
        raise Problem(
            f"{ADDRESS}={address}",
            "the package redis is not installed here.",
            "Install it, or unset the variable; the queue is then a file.",
            code="no_redis",
        ) from None
    return PriorityRedisHuey("updraft", url=address, results=False)
