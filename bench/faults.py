"""Kill the app at random moments while somebody edits, uploads, looks, runs and writes; then see what is left.

`python bench/faults.py [kills] [seed]` (`make faults`: 200, several minutes). After each kill the app is started again on the
same data, and: every edit and upload that was acknowledged must be there, the database whole, each delivered file whole,
no run under way for ever, and no scratch file left after the start. Then the data folder is damaged file by file.
"""

from __future__ import annotations

import csv
import hashlib
import random
import shutil
import sqlite3
import sys
import tempfile
import threading
import time
from collections import Counter
from pathlib import Path

import httpx

sys.path.insert(0, str(Path(__file__).parents[1]))

from tests.served import Served

ROWS = 20_000
FILES = ("updraft.sqlite", "queue.sqlite", "secret", "connections.key", "cache")


class Somebody:
    """Works without a pause, and remembers what was acknowledged."""

    def __init__(self, served: Served, pick: random.Random) -> None:
        self.served, self.pick = served, pick
        self.flow = self.name = ""
        self.revision = 0
        self.uploads: dict[str, str] = {}
        self.runs: list[str] = []
        self.did: Counter[str] = Counter()

    def connect(self) -> None:
        self.web = httpx.Client(base_url=self.served.url, timeout=30)
        self.token = self.web.get("/").text.split('name="csrf-token" content="')[1].split('"')[0]

    def ask(self, path: str, body: dict) -> dict:
        answer = self.web.post(path, json=body, headers={"X-CSRFToken": self.token})
        answer.raise_for_status()
        return answer.json()

    def begin(self) -> None:
        self.connect()
        self.flow = self.ask("/api/flows", {"name": "Kept"})["id"]
        self.upload("lots.csv", "Lot,Hub\n" + "".join(f"L{n},Hub {n % 7}\n" for n in range(ROWS)))
        steps = [
            {"id": "r", "kind": "read_file", "settings": {"path": "lots.csv"}},
            {
                "id": "s",
                "kind": "sort_rows",
                "settings": {"by": [{"column": "Hub"}]},
                "inputs": {"table": "r"},
            },
            {"id": "w", "kind": "write_file", "settings": {"name": "out.csv"}, "inputs": {"table": "s"}},
            {"id": "x", "kind": "write_file", "settings": {"name": "out.xlsx"}, "inputs": {"table": "s"}},
        ]
        edits = [
            {"op": "add", "step": step, "after": next(iter(step.get("inputs", {}).values()), "")}
            for step in steps
        ]
        self.ask(f"/api/flows/{self.flow}/edits", {"edits": edits})
        self.rename()

    def rename(self) -> None:
        name = f"Kept {self.pick.random()}"
        self.ask(f"/api/flows/{self.flow}/edits", {"edits": [{"op": "describe", "name": name}]})
        self.name = name  # only once it was acknowledged

    def upload(self, name: str, text: str) -> None:
        answer = self.web.post(
            f"/api/flows/{self.flow}/files", files={"file": (name, text)}, headers={"X-CSRFToken": self.token}
        )
        answer.raise_for_status()
        self.uploads[answer.json()["path"]] = hashlib.sha256(text.encode()).hexdigest()

    def work(self) -> None:
        """Until the app goes away."""
        while True:
            what = self.pick.choice(
                ["edit", "edit", "edit", "edit", "upload", "upload", "look", "look", "run"]
            )
            try:
                if what == "edit":
                    self.rename()
                elif what == "upload":
                    number = self.pick.randrange(10**9)
                    self.upload(
                        f"more {number % 5}.csv", f"Lot,Grams\n{number},5\n" * self.pick.choice([3, 30_000])
                    )
                elif what == "look":
                    self.ask(f"/api/flows/{self.flow}/look", {"step": "s"})
                else:
                    self.runs.append(self.ask(f"/api/flows/{self.flow}/runs", {})["id"])
                self.did[what] += 1
            except httpx.HTTPError:
                return

    def wrong(self) -> list[str]:
        """What is not as it must be, after a new start."""
        self.connect()
        found = []
        state = self.web.get(f"/api/flows/{self.flow}").json()
        if (
            state.get("name") != self.name
            and self.name not in str(self.web.get(f"/api/flows/{self.flow}/revisions").json())
            and self.name not in self.web.get(f"/api/flows/{self.flow}/export").text
        ):
            found.append(f"an acknowledged edit is gone: {self.name}")
        folder = self.served.data / "flows" / self.flow
        for name, digest in self.uploads.items():
            path = folder / "files" / name
            if not path.exists() or hashlib.sha256(path.read_bytes()).hexdigest() != digest:
                found.append(f"an acknowledged upload is gone or changed: {name}")
        out = folder / "out" / "out.csv"
        if out.exists():
            rows = sum(1 for _ in csv.reader(out.open()))
            if rows != ROWS + 1:
                found.append(f"half a file was delivered: {rows:,} lines")
        with sqlite3.connect(self.served.data / "updraft.sqlite") as db:
            if (said := db.execute("pragma integrity_check").fetchone()[0]) != "ok":
                found.append(f"the database: {said}")
        end, stuck = time.monotonic() + 60, list(self.runs[-20:])
        while stuck and time.monotonic() < end:
            stuck = [
                run
                for run in stuck
                if self.web.get(f"/api/runs/{run}").json()["status"] in ("waiting", "running")
            ]
            time.sleep(0.1 if stuck else 0)
        found += [f"a run is under way for ever: {run}" for run in stuck]
        return found


def kills(many: int, seed: int) -> list[str]:
    pick, wrong = random.Random(seed), []
    with tempfile.TemporaryDirectory() as folder:
        served = Served(Path(folder) / "data")
        somebody = Somebody(served, random.Random(seed + 1))
        somebody.begin()
        for kill in range(many):
            work = threading.Thread(target=somebody.work)
            work.start()
            time.sleep(pick.uniform(0.01, 1.5))
            served.kill()
            work.join(40)
            served.start()
            wrong += [f"kill {kill}: {what}" for what in somebody.wrong()]
            somebody.runs.clear()
        served.stop()
    print(
        f"{many} kills while {', '.join(f'{what} {n}' for what, n in sorted(somebody.did.items()))}: {len(wrong)} wrong"
    )
    return wrong


def damages(seed: int) -> list[str]:
    """Each file of a data folder cut off, emptied and overwritten: the app starts, or says in a sentence why not."""
    pick, wrong, tried = random.Random(seed), [], 0
    with tempfile.TemporaryDirectory() as folder:
        served = Served(Path(folder) / "data")
        somebody = Somebody(served, random.Random(seed))
        somebody.begin()
        somebody.ask(f"/api/flows/{somebody.flow}/look", {"step": "s"})
        time.sleep(1)
        served.stop()
        whole = Path(folder) / "whole"
        shutil.copytree(served.data, whole)
        for name in FILES:
            for way in ("cut off", "emptied", "overwritten"):
                shutil.rmtree(served.data)
                shutil.copytree(whole, served.data)
                place = served.data / name
                for path in sorted(place.iterdir()) if place.is_dir() else [place]:
                    if path.exists():
                        content = path.read_bytes()
                        noise = bytes(pick.randrange(256) for _ in range(min(len(content), 4000)))
                        path.write_bytes(
                            {"cut off": content[: len(content) // 2], "emptied": b"", "overwritten": noise}[
                                way
                            ]
                        )
                tried += 1
                try:
                    served.start()
                    somebody.connect()
                    if name != "updraft.sqlite":  # that is the record itself
                        somebody.ask(f"/api/flows/{somebody.flow}/look", {"step": "s"})
                    served.stop()
                except AssertionError:
                    served.process.wait(20)
                    if name != "updraft.sqlite":
                        wrong.append(f"{name} {way}: the app does not start")
                except httpx.HTTPError as error:
                    wrong.append(f"{name} {way}: {error}")
                    served.kill()
    print(f"{tried} damaged data folders: {len(wrong)} wrong")
    return wrong


def main() -> None:
    asked = [int(text) for text in sys.argv[1:]]
    many, seed = (asked + [200, 7][len(asked) :])[:2]
    wrong = [*damages(seed), *kills(many, seed)]
    print("\n".join(wrong))
    sys.exit(bool(wrong))


if __name__ == "__main__":
    main()
