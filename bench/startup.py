"""How much work starting is: CPU seconds of whole processes, children included. `python bench/startup.py [TIMES]`."""

from __future__ import annotations

import json
import os
import resource
import signal
import socket
import statistics
import subprocess
import sys
import tempfile
import time
import urllib.request
from pathlib import Path

AIMS = {"updraft --help": 0.3, "a run of a tiny flow": 0.9, "serve to its first page": 1.5}  # seconds of CPU
UPDRAFT = str(Path(sys.executable).with_name("updraft"))
FLOW = {
    "updraft": 1,
    "name": "Tiny",
    "steps": [
        {"id": "lots", "kind": "read_file", "settings": {"path": "lots.csv"}},
        {
            "id": "drop",
            "kind": "drop_rows",
            "settings": {"by": "first", "count": 1},
            "inputs": {"table": "lots"},
        },
        {"id": "out", "kind": "write_file", "settings": {"name": "out.csv"}, "inputs": {"table": "drop"}},
    ],
}


def spent(work) -> float:
    before = resource.getrusage(resource.RUSAGE_CHILDREN)
    work()
    after = resource.getrusage(resource.RUSAGE_CHILDREN)
    return after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime


def served(data: str) -> None:
    """Start the server on an empty data folder, fetch its first page, stop it. The worker it starts counts too."""
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    server = subprocess.Popen(
        [UPDRAFT, "serve", "--data", data, "--port", str(port)], stdout=subprocess.DEVNULL
    )
    while True:
        try:
            urllib.request.urlopen(f"http://127.0.0.1:{port}/", timeout=30).read()
            break
        except OSError:
            time.sleep(0.02)
    server.send_signal(signal.SIGTERM)
    server.wait()


def seconds(times: int) -> dict[str, list[float]]:
    with tempfile.TemporaryDirectory() as folder:
        Path(folder, "lots.csv").write_text("Lot,Packets\nGZ-1,3\nBL-2,4\n")
        Path(folder, "tiny.updraft.json").write_text(json.dumps(FLOW))
        quiet = {"stdout": subprocess.DEVNULL, "check": True}
        works = {
            "updraft --help": lambda: subprocess.run([UPDRAFT, "--help"], **quiet),
            "a run of a tiny flow": lambda: subprocess.run(
                [UPDRAFT, "run", f"{folder}/tiny.updraft.json", "--out", f"{folder}/out"], **quiet
            ),
            "serve to its first page": lambda: served(f"{folder}/data{os.urandom(4).hex()}"),
        }
        return {name: [spent(work) for _ in range(times + 1)][1:] for name, work in works.items()}


def measure(times: int = 7) -> list[tuple[str, str, str, str, bool]]:
    """Rows of docs/performance.md: what, median CPU with smallest and largest, nothing, aim, met."""
    rows = []
    for name, found in seconds(times).items():
        middle = statistics.median(found)
        said = f"{middle:.2f} s ({min(found):.2f}–{max(found):.2f})"
        rows.append((name, said, "", f"≤ {AIMS[name]} s", middle <= AIMS[name]))
    return rows


if __name__ == "__main__":
    for row in measure(int(sys.argv[1]) if len(sys.argv) > 1 else 7):
        print(*row)
