"""A flow of ten steps that reshape and combine, in bounded memory: `python bench/ten_steps.py [ROWS [MEMORY]]`.

Orders are tidied, computed, looked up, joined with what each grower ordered, ranked within their hubs, turned and
summarised; time and the most memory that the process held for itself, in one run in a fresh process.
"""

from __future__ import annotations

import json
import sys
import tempfile
from pathlib import Path

from data import DATA, growers, orders
from watched import watched


def flow(path: Path) -> dict:
    def step(name: str, kind: str, settings: dict, main: str = "", **ports: str) -> dict:
        inputs = {"table": main, **ports} if main else {}
        return {"id": name, "kind": kind, "settings": settings, "inputs": inputs}

    def total(figure: str, column: str, name: str) -> dict:
        return {"figure": figure, "column": column, "name": name}

    by_grower = {"by": ["Grower"], "figures": [total("sum", "Packets", "Of the grower")]}
    month = [{"name": "Month", "formula": "text(`Ordered on`, 'YYYY-MM')"}]
    of_hub = {"names": "Month", "stay": ["Hub", "Variety"], "values": [total("sum", "Packets", "Packets")]}
    steps = [
        step("orders", "read_file", {"path": path.name}),
        step("growers", "read_file", {"path": "growers.csv"}),
        step(
            "filled",
            "keep_rows",
            {"by": "rule", "rule": {"match": "all", "of": [{"column": "Grower", "test": "filled"}]}},
            "orders",
        ),
        step("tidy", "tidy_text", {"columns": {"by": "names", "names": ["Variety", "Region"]}}, "filled"),
        step("months", "calculate", {"columns": month}, "tidy"),
        step("sums", "summarise", by_grower, "months"),
        step(
            "beside",
            "join",
            {"keys": [{"column": "Grower", "reference": "Grower"}]},
            "months",
            reference="sums",
        ),
        step(
            "share",
            "calculate",
            {"columns": [{"name": "Share", "formula": "Packets / `Of the grower`"}]},
            "beside",
        ),
        step(
            "hubs",
            "look_up",
            {"keys": [{"column": "Grower", "reference": "Code"}], "bring": [{"column": "Hub"}]},
            "share",
            reference="growers",
        ),
        step("once", "remove_duplicates", {"keys": ["Order"]}, "hubs"),
        step("wide", "rows_to_columns", of_hub, "once"),
        step("out", "write_file", {"name": "report.csv"}, "wide"),
    ]
    return {"updraft": 6, "name": "Ten steps", "steps": steps}


def main() -> None:
    rows = int(sys.argv[1]) if len(sys.argv) > 1 else 10_000_000
    memory = sys.argv[2] if len(sys.argv) > 2 else "1500MB"
    growers()
    path = DATA / "ten_steps.updraft.json"
    path.write_text(json.dumps(flow(orders(rows))))
    with tempfile.TemporaryDirectory() as out:
        call = [sys.executable, "-m", "updraft", "run", str(path), "--out", out, "--memory", memory]
        seconds, held = watched(call)
        lines = sum(1 for _ in (Path(out) / "report.csv").open()) - 1
    print(f"{rows:,} rows, ten steps: {seconds:.1f} s, {held:,} MB, {lines:,} rows written")


if __name__ == "__main__":
    main()
