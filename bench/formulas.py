"""How soon the editor of formulas shows what a formula gives, on a million rows: `make bench-formulas`.

The whole way of a request: read, planned, computed, told; without the network and the page.
"""

from __future__ import annotations

import shutil
import statistics
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

from kinds import orders
from updraft.core import Flow
from updraft.store import Folders, open_database
from updraft.web import create_app

FORMULAS = (
    "round(Price * Packets, 2)",
    "upper(Hub) + '-' + last(Order, 3)",
    "number(Weight) * 1000 if ends(Weight, 'kg') else number(Weight)",
    "'early' if Day < date('2025-03-01') else month_name(Day)",
    "measure(Weight, 'g')",
    "share(Packets, by=Hub)",
    "rank(Price, by=Hub)",
    "running_total(Packets, by=Hub)",
    "previous(Price, by=Garden)",
    "Packets +",
    "Pakcets * 2",
)
TIMES = 9


def measure() -> Iterator[str]:
    """Lines that say how long each formula takes, the median and the longest."""
    with tempfile.TemporaryDirectory() as scratch:
        path = Path(scratch) / "orders.parquet"
        orders().write_parquet(path)
        folders = Folders(Path(scratch) / "app")
        open_database(folders.database)
        app = create_app(folders, lambda run: None, secret="bench")
        app.config["WTF_CSRF_ENABLED"] = False
        studio = app.extensions["studio"]
        steps = [
            {"id": "orders", "kind": "read_file", "settings": {"path": path.name}},
            {"id": "it", "kind": "calculate", "inputs": {"table": "orders"}, "settings": {}},
        ]
        flow = Flow.model_validate({"steps": steps})
        flow_id = studio.flows.create(flow, "made")
        shutil.move(path, folders.files(flow_id) / path.name)
        table = studio.look(flow_id, studio.plan(flow_id, flow), "orders")
        client, worst = app.test_client(), 0.0
        for formula in FORMULAS:
            seconds = []
            for _ in range(TIMES):
                body = {"step": "it", "columns": [{"name": "x", "formula": formula}], "at": 0}
                started = time.perf_counter()
                answer = client.post(f"/api/flows/{flow_id}/tables/{table.fingerprint}/tries", json=body)
                while answer.status_code == 202:
                    answer = client.post(f"/api/flows/{flow_id}/tables/{table.fingerprint}/tries", json=body)
                seconds.append(time.perf_counter() - started)
                assert answer.status_code == 200, answer.data
            worst = max(worst, statistics.median(seconds))
            median, longest = 1000 * statistics.median(seconds), 1000 * max(seconds)
            yield f"`{formula}`: {median:.0f} ms ({longest:.0f})"
        yield f"the slowest median {1000 * worst:.0f} ms (aim 150)"


if __name__ == "__main__":
    for line in measure():
        print(line)
