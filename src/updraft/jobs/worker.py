"""The worker process: takes runs from the queue, one after another. `python -m updraft.jobs.worker DATA`.

One worker per data folder: it holds a lock on `worker.lock` as long as it lives.
"""

from __future__ import annotations

import logging
import os
import signal
import sys
import threading
import time
from pathlib import Path

from filelock import FileLock, Timeout

from updraft.jobs import clock
from updraft.jobs.queue import bring_back, make_queue
from updraft.store import Folders, RunStore, open_database

ALREADY = 3  # exit code: another worker holds the folder


def main(data: str) -> int:
    folders = Folders(Path(data))
    lock = FileLock(folders.data / "worker.lock")
    try:
        lock.acquire(timeout=0)
    except Timeout:
        return ALREADY
    logging.getLogger("huey").setLevel(logging.WARNING)
    logging.getLogger("huey.consumer.Worker").addFilter(_NowAndThen())
    open_database(folders.database)
    runs = RunStore()
    runs.cut_off()  # nobody else can be running them
    queue, execute = make_queue(folders)
    bring_back(queue, execute, runs.waiting())
    _leave_with_server()
    clock.start(folders, execute, lambda: bring_back(queue, execute, runs.waiting()))
    queue.create_consumer(workers=1, periodic=False, initial_delay=0.05, max_delay=0.25, backoff=1.1).run()
    return 0


class _NowAndThen(logging.Filter):
    """Lets the same message through once a minute: a full disk would else be told four times a second."""

    def __init__(self) -> None:
        super().__init__()
        self._told: dict[str, float] = {}

    def filter(self, record: logging.LogRecord) -> bool:
        told = self._told.get(record.msg)
        if told is not None and record.created - told < 60:
            return False
        self._told[record.msg] = record.created
        return True


def _leave_with_server() -> None:
    """When the server is gone, finish the run at hand and end, so that the next server's worker can begin."""
    server = os.getppid()

    def watch() -> None:
        while os.getppid() == server:
            time.sleep(0.5)
        os.kill(os.getpid(), signal.SIGINT)  # the consumer takes this as: finish what you do, then stop

    threading.Thread(target=watch, daemon=True).start()


if __name__ == "__main__":
    sys.exit(main(sys.argv[1]))
