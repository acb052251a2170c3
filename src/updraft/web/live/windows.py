"""Windows of tables on disk, read by a process of its own: what is being computed does not hold it up.

Polars' threads are shared by all queries of a process, and a small one waits for what a large one has begun.
Only the path goes over, and the rows asked for come back.
"""

from __future__ import annotations

import multiprocessing
import os
import threading
from concurrent.futures import BrokenExecutor, ProcessPoolExecutor
from pathlib import Path

import polars as pl

_PATIENCE = 20.0  # seconds; then the window is read here


def _begin() -> None:
    os.environ["POLARS_MAX_THREADS"] = "1"


def _read(path: str, offset: int, limit: int) -> pl.DataFrame:
    import polars

    return polars.scan_ipc(path).slice(offset, limit).collect()


class Windows:
    """Started when the first window is asked for; started again when it ended."""

    def __init__(self) -> None:
        self._pool: ProcessPoolExecutor | None = None
        self._lock = threading.Lock()

    def read(self, path: Path, offset: int, limit: int) -> pl.DataFrame:
        """Rows of an Arrow file from an offset on."""
        try:
            with self._lock:
                if self._pool is None:
                    spawn = multiprocessing.get_context("spawn")
                    self._pool = ProcessPoolExecutor(1, mp_context=spawn, initializer=_begin)
                found = self._pool.submit(_read, str(path), offset, limit)
            return found.result(_PATIENCE)
        except (BrokenExecutor, TimeoutError, RuntimeError):
            self.close()
            return pl.scan_ipc(path).slice(offset, limit).collect()

    def close(self) -> None:
        with self._lock:
            pool, self._pool = self._pool, None
        if pool is not None:
            pool.shutdown(wait=False, cancel_futures=True)
