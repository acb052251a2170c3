"""Put tables through the cache until it evicts all the time, and compare every save with writing the same files alone."""

from __future__ import annotations

import statistics
import sys
import tempfile
import time
from pathlib import Path

import polars as pl

from updraft.core import Table, TableCache
from updraft.core.engine import digest_of
from updraft.core.engine.cache import BATCH

ROWS = 2_000


def bare(frame: pl.DataFrame, folder: Path, n: int) -> float:
    """Seconds to write what a save writes: the table and what is told of it, each renamed into its place."""
    started = time.perf_counter()
    frame.rechunk().write_ipc(folder / f".{n}", record_batch_size=BATCH)
    digest = digest_of(folder / f".{n}")
    (folder / f".{n}").replace(folder / f"{n}.arrow")
    (folder / f".{n}").write_text(digest * 8)
    (folder / f".{n}").replace(folder / f"{n}.json")
    return time.perf_counter() - started


def measure(many: int = 5_000) -> list[tuple[str, str, str, str, bool]]:
    """Rows of docs/performance.md. The cache holds a fifth of the tables, so four of five saves evict."""
    frame = pl.DataFrame({"Lot": [f"L{n}" for n in range(ROWS)], "Packets": range(ROWS)})
    saves, alone = [], []
    with tempfile.TemporaryDirectory() as one, tempfile.TemporaryDirectory() as other:
        for n in range(20):
            bare(frame, Path(other), n)
        size = sum(path.stat().st_size for path in Path(other).iterdir()) / 20
        cache = TableCache(Path(one), disk_bytes=int(size * many / 5), memory_bytes=1)
        for n in range(many):
            table = Table(f"{n:032x}", {"": frame}, {"": ROWS})
            started = time.perf_counter()
            cache.put(table, wait=True)
            saves.append(time.perf_counter() - started)
            alone.append(bare(frame, Path(other), n))
        kept = len(list(Path(one).glob("*.json")))
    assert kept < many / 4, kept
    usual, worst = statistics.median(alone), max(saves)
    over = [save - usual for save in saves]
    late = statistics.median(saves[-many // 10 :]) / statistics.median(saves[: many // 10])
    return [
        (
            f"a save beyond its writing, the longest of {many:,}",
            f"{max(over) * 1000:.1f} ms",
            "",
            "≤ 20 ms",
            max(over) <= 0.02,
        ),
        (
            "the same, the median",
            f"{statistics.median(over) * 1000:.1f} ms",
            f"of {worst * 1000:.1f} ms at most",
            "",
            True,
        ),
        ("the last tenth of the saves against the first", f"{late:.2f}×", "", "", True),
    ]


if __name__ == "__main__":
    for row in measure(int(sys.argv[1]) if len(sys.argv) > 1 else 5_000):
        print(*row)
