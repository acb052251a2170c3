"""What needs all rows, on tables larger than the memory allowed, each in a fresh process: `python bench/heavy.py [MEMORY [ROWS]]`.

A sort and the removal of duplicates of half of the rows, all written as Parquet; a join of all rows with a twentieth
of them, counted and added up by region; the profile of all rows.
"""

from __future__ import annotations

import json
import sys
import tempfile
from pathlib import Path

import polars as pl

from data import DATA, orders
from large import many_orders
from watched import watched


def step(name: str, kind: str, settings: dict, main: str = "", **ports: str) -> dict:
    return {
        "id": name,
        "kind": kind,
        "settings": settings,
        "inputs": {"table": main, **ports} if main else {},
    }


def sort(path: Path) -> list[dict]:
    by = [{"column": "Price", "down": True}, {"column": "Grower"}]
    return [
        step("all", "read_file", {"path": path.name}),
        step("done", "sort_rows", {"order": by}, "all"),
        step("out", "write_file", {"name": "out.parquet"}, "done"),
    ]


def duplicates(path: Path) -> list[dict]:
    return [
        step("all", "read_file", {"path": path.name}),
        step("done", "remove_duplicates", {"keys": ["Order"]}, "all"),
        step("out", "write_file", {"name": "out.parquet"}, "done"),
    ]


def join(path: Path, other: Path) -> list[dict]:
    figures = [
        {"figure": "rows", "name": "Orders"},
        {"figure": "sum", "column": "Packets", "name": "Packets"},
    ]
    return [
        step("all", "read_file", {"path": path.name}),
        step("other", "read_file", {"path": other.name}),
        step("met", "join", {"keys": [{"column": "Order", "reference": "Order"}]}, "all", reference="other"),
        step("done", "summarise", {"by": ["Region"], "figures": figures}, "met"),
        step("out", "write_file", {"name": "out.parquet"}, "done"),
    ]


def profile(path: Path) -> list[dict]:
    return [
        step("all", "read_file", {"path": path.name}),
        step("done", "profile_columns", {}, "all"),
        step("out", "write_file", {"name": "out.parquet"}, "done"),
    ]


def measured(name: str, steps: list[dict], rows: int, memory: str) -> None:
    path = DATA / "heavy.updraft.json"
    path.write_text(json.dumps({"updraft": 6, "name": name, "steps": steps}))
    with tempfile.TemporaryDirectory(dir=DATA) as out:
        call = [sys.executable, "-m", "updraft", "run", str(path), "--out", out, "--scratch", f"{out}/parts"]
        seconds, held = watched(call, memory)
        made = pl.scan_parquet(f"{out}/out.parquet").select(pl.len()).collect().item()
    print(
        f"{name}: {seconds:.0f} s, {seconds / rows * 1e6:.2f} µs a row, {held:,} MB, {made:,} rows written",
        flush=True,
    )


def main() -> None:
    memory = sys.argv[1] if len(sys.argv) > 1 else "2GB"
    rows = int(sys.argv[2]) if len(sys.argv) > 2 else 100_000_000
    half, twentieth = many_orders(rows // 2), orders(rows // 20)
    measured(f"sort of {rows // 2:,}", sort(half), rows // 2, memory)
    measured(f"duplicates of {rows // 2:,}", duplicates(half), rows // 2, memory)
    measured(f"profile of {rows:,}", profile(many_orders(rows)), rows, memory)
    measured(f"join of {rows:,} with {rows // 20:,}", join(many_orders(rows), twentieth), rows, memory)


if __name__ == "__main__":
    main()
