"""Measure and write docs/performance.md: `make bench`. Ratios within one run on one machine; medians of several."""

from __future__ import annotations

import os
import platform
import statistics
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import polars as pl

import caching
import formulas
import kinds
import look_alikes
import looking
import reading
import real_files
import startup
import updraft
import whole
from bringing_in import AIM, measure
from data import flow_document, growers, orders
from updraft.core import Engine, Files, Flow, TableCache
from updraft.core.flow.edits import SetSettings
from updraft.core.steps import SHAPES
from updraft.store import Folders, open_database
from updraft.web import create_app

ROOT = Path(__file__).resolve().parent.parent
RUNS = 9


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


def main() -> None:
    growers(), orders()
    on_real_files, packages = real_files.rows_of_the_page()  # first: without the files there is no page
    with tempfile.TemporaryDirectory() as scratch:
        fresh, kept = windows(Path(scratch))
        ours, bare = edit(Path(scratch))
    after_edit = sorted(a / b for a, b in zip(ours, bare, strict=True))
    rows = [
        *whole.measure(RUNS),
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
            whole.ratio(after_edit),
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
    stepped = kinds.measure()
    read = reading.measure()
    alike = "\n".join(f"- {line}" for line in look_alikes.measure())
    typed = "\n".join(f"- {line}" for line in formulas.measure())
    fifth = "\n".join(f"| {a} | {b} | {d} | {'yes' if e else 'no'} |" for a, b, _, d, e in started)
    fourth = "\n".join(f"| {a} | {b} | {c} | {d} | {'yes' if e else 'no'} |" for a, b, c, d, e in read)
    sixth = "\n".join(f"| {a} | {b} | {c} | {d} | {'yes' if e else 'no'} |" for a, b, c, d, e in stepped)
    third = "\n".join(f"| {a} | {b} | {c} | {d} | {'yes' if e else 'no'} |" for a, b, c, d, e in looked)
    second = "\n".join(f"| {a} | {b} | {d} | {'yes' if e else 'no'} |" for a, b, _, d, e in brought)
    table = "\n".join(f"| {a} | {b} | {c} | {d} | {'yes' if e else 'no'} |" for a, b, c, d, e in rows)
    text = (ROOT / "bench/performance.template.md").read_text()
    machine = f"{os.cpu_count()} cores, {platform.machine()}, Python {platform.python_version()}, Polars {pl.__version__}, Updraft {updraft.__version__}"
    (ROOT / "docs/performance.md").write_text(
        text.replace("{table}", table)
        .replace("{brought}", second)
        .replace("{started}", fifth)
        .replace("{kinds}", sixth)
        .replace("{looked}", third)
        .replace("{alike}", alike)
        .replace("{typed}", typed)
        .replace("{read}", fourth)
        .replace("{real_files}", on_real_files)
        .replace("{packages}", str(packages))
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
