"""What a turn of *For each* costs beyond its work: a flow that asks a web service, 48 times, against the same requests."""

from __future__ import annotations

import json
import statistics
import sys
import tempfile
import threading
import time
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1]))

import httpx
import polars as pl
from tests import sources  # noqa: F401  the source of the flow
from tests.core.test_parts import Shelf

from updraft.core import Files, Flow, Parameter, Step, plan, run
from updraft.core.connect import Outside, WebService

TURNS, TIMES = 48, 5
LOTS = json.dumps([{"lot": f"L{n}", "grams": n} for n in range(20)]).encode()


class Answering(BaseHTTPRequestHandler):
    protocol_version = "HTTP/1.1"
    wbufsize = 65536  # head and body leave together

    def do_GET(self) -> None:
        self.send_response(200)
        self.send_header("Content-Type", "application/json")
        self.send_header("Content-Length", str(len(LOTS)))
        self.end_headers()
        self.wfile.write(LOTS)

    def log_message(self, *_: object) -> None:
        pass


class Library(Shelf):
    """One flow, which may reach what the outer one may."""

    def __init__(self, folder: Path, outside: Outside, flow: Flow) -> None:
        super().__init__(folder, asked=[flow])
        self.outside = outside

    def files(self, name: str) -> Files:
        return Files(self.folder, library=self, outside=self.outside)


def flows(folder: Path) -> Flow:
    pl.DataFrame({"Hub": [f"H{n}" for n in range(TURNS)]}).write_ipc(folder / "hubs.arrow")
    each = {"flow": "asked", "by": ["Hub"], "parameters": [{"name": "hub", "column": "Hub"}], "source": "-"}
    return Flow(
        steps=(
            Step(id="hubs", kind="test_source", settings={"path": "hubs.arrow"}),
            Step(id="each", kind="for_each", settings=each, inputs={"table": "hubs"}),
            Step(id="out", kind="write_file", settings={"name": "out.csv"}, inputs={"table": "each"}),
        )
    )


def main() -> None:
    server = ThreadingHTTPServer(("127.0.0.1", 0), Answering)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    address = f"127.0.0.1:{server.server_port}"
    asking = {"connection": "Shop", "path": "lots/{params.hub}"}
    asked = Flow(
        parameters=(Parameter(name="hub", value="?"),),
        steps=(Step(id="lots", kind="call_web_service", settings=asking),),
    )
    outside = Outside({"Shop": WebService(name="Shop", url=f"http://{address}/")}, allow=frozenset({address}))
    plain, loop = [], []
    for _ in range(TIMES):
        started = time.perf_counter()
        with httpx.Client() as client:
            for n in range(TURNS):
                client.get(f"http://{address}/lots/H{n}").json()
        plain.append(time.perf_counter() - started)
        with tempfile.TemporaryDirectory() as place:
            folder = Path(place)
            flow = flows(folder)
            files = Files(folder, library=Library(folder, outside, asked), outside=outside)
            started = time.perf_counter()
            report = run(plan(flow, files), files, folder / "out")
            loop.append(time.perf_counter() - started)
        assert report.status == "ok", report.error
        assert report.steps[1].rows_out == TURNS * 20
    turn, request = (1000 * statistics.median(some) / TURNS for some in (loop, plain))
    print(f"{TURNS} turns, median of {TIMES}: {turn:.1f} ms a turn, {request:.1f} ms the plain request")
    server.shutdown()


if __name__ == "__main__":
    main()
