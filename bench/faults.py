"""Kill the app at random moments while somebody edits, uploads, looks, runs, writes and sends; then see what is left.

`python bench/faults.py [kills] [seed]` (`make faults`: 200, several minutes). A schedule and a trigger begin runs, too. After
each kill the app is started again on the same data, and: every edit and upload that was acknowledged must be there, the
database whole, each delivered file and message whole, no message sent twice by one run, no run under way for ever. Then the
data folder is damaged file by file, and the disk filled while runs deliver (where a small one can be mounted).
"""

from __future__ import annotations

import csv
import hashlib
import os
import random
import shutil
import sqlite3
import subprocess
import sys
import tempfile
import threading
import time
from collections import Counter
from contextlib import suppress
from pathlib import Path

import httpx

sys.path.insert(0, str(Path(__file__).parents[1]))

from tests.served import Served, until

ROWS = 20_000
MESSAGE = {"connection": "Outbox", "sender": "store@larkmoor.example", "to": "fen@larkmoor.example", "subject": "Fen lots",
           "text": "The lots are sorted.", "attach": "none"}  # fmt: skip
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
        box = self.served.data / "outbox"
        (box / "new").mkdir(parents=True)
        [(box / part).mkdir() for part in ("cur", "tmp")]
        self.ask("/api/connections", {"kind": "mail", "name": "Outbox", "path": str(box), "writes": True})
        self.flow = self.ask("/api/flows", {"name": "Kept"})["id"]
        self.upload("lots.csv", "Lot,Hub\n" + "".join(f"L{n},Hub {n % 7}\n" for n in range(ROWS)))
        steps = [
            {"id": "r", "kind": "read_file", "settings": {"path": "lots.csv"}},
            {
                "id": "s",
                "kind": "sort_rows",
                "settings": {"order": [{"column": "Hub"}]},
                "inputs": {"table": "r"},
            },
            {"id": "w", "kind": "write_file", "settings": {"name": "out.csv"}, "inputs": {"table": "s"}},
            {"id": "x", "kind": "write_file", "settings": {"name": "out.xlsx"}, "inputs": {"table": "s"}},
            {"id": "m", "kind": "send_mail", "settings": MESSAGE, "inputs": {"table": "s"}},
        ]
        edits = [
            {"op": "add", "step": step, "after": next(iter(step.get("inputs", {}).values()), "")}
            for step in steps
        ]
        self.ask(f"/api/flows/{self.flow}/edits", {"edits": edits})
        self.rename()
        for new in ({"cron": "* * * * *"}, {"watch": "files"}):
            self.ask(f"/api/flows/{self.flow}/schedules", {"parameters": {}, **new})
        first = self.run()
        assert first["status"] == "ok", first  # or everything that follows would prove nothing

    def run(self) -> dict:
        return self.ended(self.ask(f"/api/flows/{self.flow}/runs", {})["id"])

    def upload_much(self) -> None:
        self.upload("more.csv", "Lot,Grams\n1,5\n" * 90_000)

    def ended(self, run: str) -> dict:
        end = time.monotonic() + 60
        while time.monotonic() < end:
            found = self.web.get(f"/api/runs/{run}").json()
            if found["status"] not in ("waiting", "running"):
                return found
            time.sleep(0.1)
        return {"status": "under way for ever"}

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
        found += self.wrong_mail()
        with sqlite3.connect(self.served.data / "updraft.sqlite") as db:
            if (said := db.execute("pragma integrity_check").fetchone()[0]) != "ok":
                found.append(f"the database: {said}")
        how = {run: self.ended(run)["status"] for run in self.runs[-20:]}
        self.did.update(f"runs {status}" for status in how.values())
        found += [f"a run is {status}: {run}" for run, status in how.items() if "ever" in status]
        return found

    def wrong_mail(self) -> list[str]:
        """Half messages, and more messages than runs began."""
        sent = [path.read_bytes() for path in (self.served.data / "outbox" / "new").iterdir()]
        half = sum(b"Fen lots" not in text or b"are sorted." not in text for text in sent)
        with sqlite3.connect(self.served.data / "updraft.sqlite") as db:
            began = db.execute("select count(*) from run").fetchone()[0]
        self.did["messages"] = len(sent)
        return [f"{half} half messages"] * (half > 0) + [f"{len(sent)} messages of {began} runs"] * (
            len(sent) > began
        )


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
        until(lambda: not served.workers(), what="the workers' end")  # the last run may be under way
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


def full(seed: int) -> list[str]:
    """A disk that fills up while runs deliver: they say so, nothing half is left, and all goes on once there is room."""
    with tempfile.TemporaryDirectory() as folder:
        small = ["mount", "-t", "tmpfs", "-o", "size=60m", "tmpfs", folder]
        if subprocess.run(small, capture_output=True).returncode:
            print("a full disk: not tried, nothing can be mounted here")
            return []
        try:
            return _filled(Path(folder), seed)
        finally:
            subprocess.run(["umount", "-l", folder], check=False)


def _filled(folder: Path, seed: int) -> list[str]:
    served, wrong = Served(folder / "data"), []
    somebody = Somebody(served, random.Random(seed))
    somebody.begin()
    out, filler = folder / "data" / "flows" / somebody.flow / "out", folder / "filler"
    whole = {path.name: path.read_bytes() for path in out.iterdir()}
    for room in (0, 50_000, 200_000, 400_000):
        with suppress(OSError), filler.open("wb") as file:
            while True:  # to the last byte
                file.write(b"0" * 100_000)
                file.flush()
        with suppress(OSError):
            os.truncate(filler, max(filler.stat().st_size - room, 0))
        said = []
        for ask in (somebody.rename, somebody.upload_much, somebody.run):
            try:
                said.append(str((ask() or {}).get("report", {}).get("error")))
            except httpx.HTTPStatusError as error:
                said.append(error.response.text)
        wrong += [
            f"{room} bytes of room: {text[:300]}"
            for text in said
            if "Updraft came to" in text or "Traceback" in text
        ]
        half = [path.name for path in out.iterdir() if path.name not in whole]
        wrong += [f"{room} bytes of room: left {name}" for name in half]
        filler.unlink(missing_ok=True)
        wrong += [f"{room} bytes of room, then more: {what}" for what in somebody.wrong()]
        if (
            ended := somebody.ended(somebody.ask(f"/api/flows/{somebody.flow}/runs", {})["id"])["status"]
        ) != "ok":
            wrong.append(f"{room} bytes of room, then more: a run is {ended}")
    served.stop()
    print(f"a disk with 0 to 400,000 bytes of room, four times: {len(wrong)} wrong")
    return wrong


def main() -> None:
    asked = [int(text) for text in sys.argv[1:]]
    many, seed = (asked + [200, 7][len(asked) :])[:2]
    wrong = [*full(seed), *damages(seed), *kills(many, seed)]
    print("\n".join(wrong))
    sys.exit(bool(wrong))


if __name__ == "__main__":
    main()
