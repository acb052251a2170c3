"""Measure and write docs/performance.md: `make bench`. Ratios within one run on one machine; medians of several."""

from __future__ import annotations

import os
import platform
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import polars as pl

import caching
import looking
import reading
import startup
import updraft
from bringing_in import AIM, measure
from data import flow_document, growers, orders
from updraft.core import Engine, Files, Flow, TableCache
from updraft.core.flow.edits import SetSettings
from updraft.core.steps import SHAPES
from updraft.store import Folders, open_database
from updraft.web import create_app

ROOT = Path(__file__).resolve().parent.parent
RUNS = 9


def processes(out: Path) -> dict[str, list[float]]:
    """Seconds of the whole flow, each time in a fresh process, the ways in turn."""
    found: dict[str, list[float]] = {"updraft": [], "polars": [], "pandas": []}
    for turn in range(RUNS + 1):
        for way, seconds in found.items():
            done = subprocess.run(
                [sys.executable, str(ROOT / "bench/by_hand.py"), way, str(out)],
                capture_output=True,
                text=True,
                check=True,
            )
            if turn:  # the first is a warm-up
                seconds.append(float(done.stdout.rsplit("seconds ", 1)[1]))
    keys = ["Hub", "Variety"]
    tables = [
        pl.read_csv(out / name)
        .sort(keys)
        .with_columns(pl.col("Revenue").round(2), pl.col("Packets").cast(pl.Int64))
        for name in ("report.csv", "polars.csv", "pandas.csv")
    ]
    assert tables[0].equals(tables[1]) and tables[0].equals(tables[2]), "the three ways must agree"
    return found


def timed(act: Callable[[], object], times: int = RUNS) -> list[float]:
    act()
    found = []
    for _ in range(times):
        started = time.perf_counter()
        act()
        found.append(time.perf_counter() - started)
    return found


def windows(scratch: Path) -> tuple[list[float], list[float]]:
    """Seconds of a window of 200 rows at the server: of a fresh table, and of one read back from disk."""
    folders = Folders(scratch / "app")
    open_database(folders.database)
    app = create_app(folders, lambda run: None, secret="bench")
    studio = app.extensions["studio"]
    flow = Flow.model_validate(
        {"steps": [{"id": "orders", "kind": "read_file", "settings": {"path": orders().name}}]}
    )
    flow_id = studio.flows.create(flow, "made")
    (folders.files(flow_id) / orders().name).symlink_to(orders())
    studio._files[flow_id] = Files(orders().parent)
    table = studio.look(flow_id, studio.plan(flow_id, flow), "orders")
    client, places = app.test_client(), iter(range(1, 10_000_000, 99_991))
    address = f"/api/flows/{flow_id}/tables/{table.fingerprint}/rows?limit=200&offset="

    def window() -> None:
        answer = client.get(address + str(next(places) % 999_000)).json
        assert len(answer["rows"]) == 200

    fresh = timed(window)
    studio.engine.cache.flush()
    studio.engine = Engine(TableCache(folders.cache))
    return fresh, timed(window)


def edit(scratch: Path) -> tuple[list[float], list[float]]:
    """Seconds from an edited middle step to its table, and of the bare query on the same table that comes in."""
    files = Files(orders().parent)
    body = flow_document(orders())
    flow = Flow.model_validate({k: v for k, v in body.items() if k != "updraft"})
    engine = Engine(TableCache(scratch / "edit"))
    planned = engine.plan(flow, files)
    incoming = engine.look(planned, "drop_rows", files).lazy().collect()
    engine.cache.flush()
    columns = [
        ["Variety", "Region", "Order"],
        ["Variety", "Garden"],
        ["Region", "Order"],
        ["Variety", "Region", "Note"],
        ["Order"],
        ["Variety", "Note"],
        ["Garden", "Note"],
        ["Variety", "Garden", "Note"],
    ]
    ours, bare = [], []
    for n, names in enumerate(columns):
        changed = SetSettings(id="tidy_text", settings={"columns": {"by": "names", "names": names}}).apply(
            flow, SHAPES
        )
        started = time.perf_counter()
        engine.look(engine.plan(changed, files), "tidy_text", files).lazy().slice(0, 200).collect()
        middle = time.perf_counter()
        tidy = pl.col(names).str.replace_all(r"\s+", " ").str.strip_chars()
        incoming.lazy().with_columns(tidy).collect().slice(0, 200)
        if n:
            ours.append(middle - started)
            bare.append(time.perf_counter() - middle)
        engine.cache.flush()
    return ours, bare


def ratio(pairs: list[float]) -> str:
    """The median of pairwise ratios with the smallest and largest: how noisy the machine was."""
    return f"{statistics.median(pairs):.2f}× ({pairs[0]:.2f}–{pairs[-1]:.2f})"


def main() -> None:
    growers(), orders()
    with tempfile.TemporaryDirectory() as scratch:
        whole = processes(Path(scratch))
        fresh, kept = windows(Path(scratch))
        ours, bare = edit(Path(scratch))
    mid = {way: statistics.median(seconds) for way, seconds in whole.items()}
    by_polars = sorted(a / b for a, b in zip(whole["updraft"], whole["polars"], strict=True))
    by_pandas = sorted(b / a for a, b in zip(whole["updraft"], whole["pandas"], strict=True))
    after_edit = sorted(a / b for a, b in zip(ours, bare, strict=True))
    rows = [
        (
            "the flow, `updraft run` against Polars by hand",
            f"{mid['updraft']:.2f} s / {mid['polars']:.2f} s",
            ratio(by_polars),
            "≤ 1.5×",
            statistics.median(by_polars) <= 1.5,
        ),
        (
            "the flow, pandas against `updraft run`",
            f"{mid['pandas']:.2f} s / {mid['updraft']:.2f} s",
            ratio(by_pandas),
            "≥ 3×",
            statistics.median(by_pandas) >= 3,
        ),
        (
            "200 rows of a fresh table at the server",
            f"{statistics.median(fresh) * 1000:.1f} ms",
            "",
            "≤ 50 ms",
            statistics.median(fresh) <= 0.05,
        ),
        (
            "200 rows of a table kept on disk",
            f"{statistics.median(kept) * 1000:.1f} ms",
            "",
            "≤ 50 ms",
            statistics.median(kept) <= 0.05,
        ),
        (
            "an edited middle step to its table, against the bare query",
            f"{statistics.median(ours):.3f} s / {statistics.median(bare):.3f} s",
            ratio(after_edit),
            "≤ 1.5×",
            statistics.median(after_edit) <= 1.5,
        ),
    ]
    brought = [
        (what, f"{seconds:.1f} s", "", f"≤ {AIM:.0f} s", seconds <= AIM) for what, seconds in measure()
    ]
    started = startup.measure()
    rows += caching.measure()
    looked = looking.measure()
    read = reading.measure()
    fifth = "\n".join(f"| {a} | {b} | {d} | {'yes' if e else 'no'} |" for a, b, _, d, e in started)
    fourth = "\n".join(f"| {a} | {b} | {c} | {d} | {'yes' if e else 'no'} |" for a, b, c, d, e in read)
    third = "\n".join(f"| {a} | {b} | {c} | {d} | {'yes' if e else 'no'} |" for a, b, c, d, e in looked)
    second = "\n".join(f"| {a} | {b} | {d} | {'yes' if e else 'no'} |" for a, b, _, d, e in brought)
    table = "\n".join(f"| {a} | {b} | {c} | {d} | {'yes' if e else 'no'} |" for a, b, c, d, e in rows)
    text = (ROOT / "bench/performance.template.md").read_text()
    machine = f"{os.cpu_count()} cores, {platform.machine()}, Python {platform.python_version()}, Polars {pl.__version__}, Updraft {updraft.__version__}"
    (ROOT / "docs/performance.md").write_text(
        text.replace("{table}", table)
        .replace("{brought}", second)
        .replace("{started}", fifth)
        .replace("{looked}", third)
        .replace("{read}", fourth)
        .replace("{machine}", machine)
        .replace("{runs}", str(RUNS))
    )
    print(table)
    print(fifth)
    print(second)
    print(fourth)
    print(third)


if __name__ == "__main__":
    main()
