"""Fifty people at once: each browses, profiles and edits a flow of their own on a table of 1 million rows, works in
its wide desks (value lists, look-alikes, formulas as they are typed) and by example.

`python bench/load.py [people] [seconds]` starts the app on an empty folder, fills it, and prints how long answers took,
and the memory of the server after each twelfth of the time, once what it keeps is settled.
"""

from __future__ import annotations

import os
import random
import sys
import tempfile
import threading
import time
from collections import defaultdict
from pathlib import Path

import httpx

sys.path.insert(0, str(Path(__file__).parents[1]))

from tests.served import Served

from data import DATA, orders

THINKING = (1.0, 3.0)  # seconds between what a person does
LONGEST = 60.0
# What people do, of a hundred times.
MIX = {
    "rows": 40, "look": 10, "edit": 10, "home": 8, "column": 9, "findings": 5,
    "values": 7, "look-alikes": 3, "formula": 5, "examples": 3,
}  # fmt: skip
Times = dict[str, list[float]]


class Person:
    """Somebody with a flow of their own: a table, rows kept by a condition, and rows counted by group."""

    def __init__(self, served: Served, path: Path, seed: int, times: Times, wrong: list[str]) -> None:
        self.web = httpx.Client(base_url=served.url, timeout=LONGEST)
        self.pick, self.times, self.wrong = random.Random(seed), times, wrong
        self.token = self.web.get("/").text.split('name="csrf-token" content="')[1].split('"')[0]
        self.flow = self.ask("begin", "POST", "/api/flows", {"name": f"Person {seed}"})["id"]
        files = served.data / "flows" / self.flow / "files"
        files.mkdir(parents=True, exist_ok=True)
        os.link(path, files / path.name)  # as an upload would leave it
        self.seen: dict | None = None
        steps = [
            {"op": "add", "step": {"id": "read", "kind": "read_file", "settings": {"path": path.name}}},
            {
                "op": "add",
                "step": {"id": "keep", "kind": "keep_rows", "settings": self.rule()},
                "after": "read",
            },
        ]
        self.ask("begin", "POST", f"/api/flows/{self.flow}/edits", {"edits": steps})

    def rule(self) -> dict:
        condition = {"column": "Packets", "test": "more", "value": str(self.pick.randrange(1, 90))}
        return {"by": "rule", "rule": {"match": "all", "of": [condition]}}

    def ask(self, what: str, method: str, path: str, body: dict | None = None) -> dict:
        """Ask, and ask again while the answer is that it is being worked out; times each single answer."""
        for times in range(10_000):
            begun = time.perf_counter()
            try:
                answer = self.web.request(
                    method,
                    path,
                    json=body,
                    headers={
                        "X-CSRFToken": self.token,
                        "Accept": "application/json",
                        **({"X-Asked-Before": "1"} if times else {}),
                    },
                )
            except httpx.HTTPError as error:
                self.wrong.append(f"{what}: {type(error).__name__}")
                return {}
            self.times[what if answer.status_code != 202 else f"{what}, told to wait"].append(
                time.perf_counter() - begun
            )
            if answer.status_code == 202:
                time.sleep(0.3 * min(1 + times / 4, 3))
                continue
            if answer.status_code >= 500 or answer.status_code in (408, 429):
                self.wrong.append(f"{what}: {answer.status_code}")
            return answer.json() if "json" in answer.headers["content-type"] else {}

    def act(self) -> None:
        what = self.pick.choices(list(MIX), list(MIX.values()))[0]
        flow = f"/api/flows/{self.flow}"
        kept = f"{flow}/tables/{self.seen['key']}" if self.seen else ""
        if what == "home":
            self.ask("home", "GET", "/")
        elif what == "edit":
            edit = {"op": "set", "id": "keep", "settings": self.rule()}
            self.ask("edits", "POST", f"{flow}/edits", {"edits": [edit]})
        elif what == "findings":
            self.ask("findings", "GET", f"{flow}/steps/keep/findings")
        elif what == "look" or self.seen is None:
            begun = time.perf_counter()
            found = self.ask("looks", "POST", f"{flow}/look", {"step": self.pick.choice(["read", "keep"])})
            self.times["looks, to the table"].append(time.perf_counter() - begun)
            self.seen = found.get("table") or self.seen
        elif what == "column":
            name = self.pick.choice(self.seen["columns"])["name"]
            self.ask("columns", "GET", f"{flow}/tables/{self.seen['key']}/column?column={name}")
        elif what == "values":
            search = self.pick.choice(["", "a", "pea"])
            self.ask(
                "value lists", "GET", f"{kept}/values?column=Variety&search={search}&order=most&most=500"
            )
        elif what == "look-alikes":
            self.ask(
                "look-alikes",
                "POST",
                f"{kept}/look-alikes",
                {"column": self.pick.choice(["Variety", "Region"])},
            )
        elif what == "formula":
            formula = f"Packets * {self.pick.randrange(2, 9)} + round(Price)"
            columns = [{"name": "Made", "formula": formula}]
            self.ask("formulas typed", "POST", f"{kept}/tries", {"step": "keep", "columns": columns, "at": 0})
        elif what == "examples":
            give = {"0": f"{self.pick.choice(['LM', 'lot'])} {self.pick.randrange(9)}"}
            self.ask("by example", "POST", f"{kept}/examples", {"columns": ["Order", "Region"], "give": give})
        else:
            offset = self.pick.randrange(max(self.seen["rows"], 1))
            self.ask("rows", "GET", f"{kept}/rows?offset={offset}&limit=100")

    def live(self, until: float) -> None:
        while time.monotonic() < until:
            time.sleep(self.pick.uniform(*THINKING))
            try:
                self.act()
            except (KeyError, ValueError) as error:
                self.wrong.append(f"{type(error).__name__} {error}")


def memory_of(pid: int) -> int:
    """Bytes that a process holds for itself; pages of mapped files do not count."""
    lines = Path(f"/proc/{pid}/status").read_text().splitlines()
    return next((int(line.split()[1]) * 1024 for line in lines if line.startswith("RssAnon")), 0)


def main() -> None:
    asked = [int(text) for text in sys.argv[1:]]
    people, seconds = (asked + [50, 60][len(asked) :])[:2]
    sources = [orders(), orders(1_000_001)]
    times: Times = defaultdict(list)
    wrong: list[str] = []
    with tempfile.TemporaryDirectory(dir=DATA) as folder:
        served = Served(Path(folder) / "data", "serve", "--memory", "6")
        try:
            crowd = [Person(served, sources[n % 2], n, times, wrong) for n in range(people)]
            times.clear()
            began, until, most = time.monotonic(), time.monotonic() + seconds, 0
            after: list[int] = []
            lives = [threading.Thread(target=person.live, args=(until,)) for person in crowd]
            for life in lives:
                life.start()
            while any(life.is_alive() for life in lives):
                now = memory_of(served.process.pid)
                most = max(most, now)
                if time.monotonic() > began + seconds * (len(after) + 1) / 12:
                    after.append(now)
                time.sleep(0.25)
        finally:
            served.stop()
    print(
        f"{people} people, {seconds} s, {sum(map(len, times.values()))} answers, {len(wrong)} errors, {most / 2**30:.2f} GiB"
    )
    print("GiB after each twelfth of the time:", " ".join(f"{one / 2**30:.2f}" for one in after))
    for what, taken in sorted(times.items()):
        taken.sort()
        p50, p95 = (taken[min(int(len(taken) * part), len(taken) - 1)] for part in (0.5, 0.95))
        print(f"{what:28} {len(taken):5}  p50 {p50:6.2f}  p95 {p95:6.2f}  longest {taken[-1]:6.2f}")
    print("\n".join(sorted(set(wrong))[:10]))


if __name__ == "__main__":
    main()
