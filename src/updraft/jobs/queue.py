"""The queue: huey on SQLite, so that a run asked for survives whatever is restarted."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from updraft.store import Folders
from updraft.store.orm import SqliteHuey


def make_queue(folders: Folders) -> tuple[SqliteHuey, Callable[[str], Any]]:
    """The queue of this data folder and its one task, `execute(run id)`."""
    queue = SqliteHuey("updraft", filename=str(folders.queue), results=False)

    @queue.task(name="execute")
    def execute(run_id: str) -> None:
        from updraft.jobs.supervise import supervise

        supervise(folders, run_id)

    return queue, execute
