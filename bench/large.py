"""The measured flow by parts, on tables larger than the memory that it may take: `python bench/large.py ROWS MEMORY [TIMES]`.

Beside it the same flow in Polars' streaming engine and in DuckDB, and, where the machine's memory holds them (`ROWS` up to
10 million), in memory and in Polars by hand. Each time in a fresh process; memory is what the process holds for itself at most, without pages of mapped files.
"""

from __future__ import annotations

import statistics
import sys
import tempfile
from pathlib import Path

from data import DATA, orders
from watched import watched
from whole import HERE

_HELD_WHOLE = 10_000_000  # rows
_TEN = 10_000_000


def many_orders(rows: int) -> Path:
    """Orders of ten million rows, again and again."""
    path = DATA / f"orders_{rows}.csv"
    if rows <= _TEN or path.exists():
        return orders(rows) if rows <= _TEN else path
    with orders(_TEN).open("rb") as source, path.open("wb") as target:
        target.write(source.readline())
        begin = source.tell()
        for _ in range(rows // _TEN):
            source.seek(begin)
            for line in source:
                if not line.startswith(b"Total"):
                    target.write(line)
    return path


def once(way: str, rows: int, memory: str) -> tuple[float, int]:
    """Seconds of the flow, and the most memory held, in MB."""
    with tempfile.TemporaryDirectory() as out, (Path(out) / "said").open("w+") as said:
        call = [sys.executable, str(HERE / "by_hand.py"), way, out, str(rows)]
        _, held = watched(call, memory, said)
        said.seek(0)
        return float(said.read().rsplit("seconds ", 1)[1]), held


def main() -> None:
    rows, memory = int(sys.argv[1]), sys.argv[2]
    times = int(sys.argv[3]) if len(sys.argv) > 3 else 3
    many_orders(rows)
    whole = {"updraft": "64GB", "polars": ""} if rows <= _HELD_WHOLE else {}
    ways = {**whole, "parts": memory, "streaming": "", "duckdb": ""}
    turns = [{way: once(way, rows, limit) for way, limit in ways.items()} for _ in range(times)]
    for way in ways:
        seconds, held = zip(*(turn[way] for turn in turns), strict=True)
        middle = statistics.median(seconds)
        print(
            f"{way}: {middle:.1f} s ({min(seconds):.1f}–{max(seconds):.1f}), {max(held):,} MB, {middle / rows * 1e6:.3f} µs a row"
        )


if __name__ == "__main__":
    main()
