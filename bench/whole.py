"""The measured flow against the same by hand, each time in a fresh process: `python bench/whole.py [ROWS [TIMES]]`."""

from __future__ import annotations

import os
import statistics
import subprocess
import sys
import tempfile
from pathlib import Path
from typing import NamedTuple

import polars as pl

HERE = Path(__file__).resolve().parent
MB = 1024  # KB, in which the system tells memory


class Once(NamedTuple):
    seconds: float  # of the flow, start-up left out
    memory: int  # the process's peak, in MB


def once(way: str, out: Path, rows: int) -> Once:
    with (out / f"{way}.said").open("w+") as said:
        process = subprocess.Popen(
            [sys.executable, str(HERE / "by_hand.py"), way, str(out), str(rows)], stdout=said
        )
        _, status, used = os.wait4(process.pid, 0)
        process.returncode = os.waitstatus_to_exitcode(status)
        assert not process.returncode, f"{way} failed"
        said.seek(0)
        return Once(float(said.read().rsplit("seconds ", 1)[1]), used.ru_maxrss // MB)


def processes(rows: int, times: int, ways: tuple[str, ...]) -> dict[str, list[Once]]:
    """Each way so many times after a warm-up, the ways in turn; all must give the same table."""
    with tempfile.TemporaryDirectory() as scratch:
        out = Path(scratch)
        turns = [{way: once(way, out, rows) for way in ways} for _ in range(times + 1)]
        tables = [
            pl.read_csv(out / ("report.csv" if way == "updraft" else f"{way}.csv"))
            .sort("Hub", "Variety")
            .with_columns(pl.col("Revenue").round(2), pl.col("Packets").cast(pl.Int64))
            for way in ways
        ]
        assert all(tables[0].equals(table) for table in tables), "the ways must agree"
    return {way: [turn[way] for turn in turns[1:]] for way in ways}


def ratio(pairs: list[float]) -> str:
    """The median of pairwise ratios with the smallest and largest: how noisy the machine was."""
    return f"{statistics.median(pairs):.2f}× ({min(pairs):.2f}–{max(pairs):.2f})"


def compared(what: str, ours: list[float], theirs: list[float], unit: str, aim: str, most: float) -> tuple:
    """A row of docs/performance.md: two ways, the median of their pairwise ratios, and whether it is low enough."""
    pairs = [a / b for a, b in zip(ours, theirs, strict=True)]
    digits = 2 if unit == "s" else 0
    times = " / ".join(f"{statistics.median(found):,.{digits}f} {unit}" for found in (ours, theirs))
    return what, times, ratio(pairs), aim, statistics.median(pairs) <= most


def measure(times: int = 9, large: int = 5) -> list[tuple]:
    """Rows of docs/performance.md."""
    found = processes(1_000_000, times, ("updraft", "polars", "pandas"))
    many = processes(10_000_000, large, ("updraft", "polars"))
    flow = "the flow, `updraft run` against Polars by hand"

    def seconds(runs: list[Once]) -> list[float]:
        return [run.seconds for run in runs]

    def memory(runs: list[Once]) -> list[float]:
        return [float(run.memory) for run in runs]

    pandas = [b / a for a, b in zip(seconds(found["updraft"]), seconds(found["pandas"]), strict=True)]
    middle = [statistics.median(seconds(found[way])) for way in ("pandas", "updraft")]
    return [
        compared(flow, seconds(found["updraft"]), seconds(found["polars"]), "s", "≤ 1.2×", 1.2),
        compared(
            f"{flow}, 10 million rows", seconds(many["updraft"]), seconds(many["polars"]), "s", "≤ 1.2×", 1.2
        ),
        compared(
            "the same, peak memory", memory(many["updraft"]), memory(many["polars"]), "MB", "≤ 1.3×", 1.3
        ),
        (
            "the flow, pandas against `updraft run`",
            f"{middle[0]:.2f} s / {middle[1]:.2f} s",
            ratio(pandas),
            "≥ 3×",
            statistics.median(pandas) >= 3,
        ),
    ]


if __name__ == "__main__":
    length, often = (int(text) for text in (sys.argv[1:] + ["1000000", "5"][len(sys.argv) - 1 :])[:2])
    runs = processes(length, often, ("updraft", "polars"))
    for part in ("seconds", "memory"):
        ours, theirs = ([float(getattr(run, part)) for run in runs[way]] for way in ("updraft", "polars"))
        print(*compared(part, ours, theirs, "s" if part == "seconds" else "MB", "", 0)[:3])
