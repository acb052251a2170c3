"""How much memory computing may take: work waits for its turn while the process holds much."""

from __future__ import annotations

import gc
import os
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

FULL = 0.7  # of the limit; beyond it work begins only while no other is under way
_SPARE_EVERY = 2.0  # seconds
_STATUS = Path("/proc/self/status")
# Bytes that a run holds for each byte of a file that it reads; measured on the flow of bench/whole.py.
_HELD = {".parquet": 8.0, ".arrow": 2.0, ".gz": 10.0, ".zip": 10.0, ".xlsx": 20.0}
_OF_TEXT = 2.0


def machine_memory() -> int:
    """Bytes of this machine's memory; 8 GiB where it does not say."""
    try:
        return os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES")
    except (ValueError, OSError, AttributeError):
        return 8 << 30


def held() -> int:
    """Bytes that this process holds for itself; pages of mapped files, which the system takes back, do not
    count.

    0 where the system does not say (it does on Linux): then nothing waits.
    """
    try:
        lines = _STATUS.read_text().splitlines()
    except OSError:
        return 0
    return next((int(line.split()[1]) * 1024 for line in lines if line.startswith("RssAnon")), 0)


def held_by(path: Path) -> int:
    """Bytes that a run holds for a file that it reads, about."""
    return int(path.stat().st_size * _HELD.get(path.suffix.lower(), _OF_TEXT))


class Room:
    """Lets work in.

    Args:
        limit: bytes that the process should hold at most. A single piece of work may need more; then it alone
            is under way.
        spare: gives back what is kept only for speed; called when there is little room.
    """

    def __init__(self, limit: int, spare: Callable[[], None] = lambda: None) -> None:
        self.limit, self.spare = limit, spare
        self._under_way = 0
        self._spared = 0.0
        self._mine = threading.local()
        self._change = threading.Condition()

    @contextmanager
    def entered(self) -> Iterator[None]:
        """Wait for room, then work; a thread that is in already goes on."""
        if getattr(self._mine, "inside", False):
            yield
            return
        with self._change:
            while held() > FULL * self.limit:
                if time.monotonic() - self._spared > _SPARE_EVERY:
                    self._spared = time.monotonic()
                    self.spare()
                    gc.collect()
                if not self._under_way:
                    break
                self._change.wait(0.2)
            self._under_way += 1
        self._mine.inside = True
        try:
            yield
        finally:
            self._mine.inside = False
            with self._change:
                self._under_way -= 1
                self._change.notify_all()
