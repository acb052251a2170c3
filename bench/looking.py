"""Seconds of looking at 1,000,000 rows × 12 columns: profile, value lists, focus, findings; memory of the findings."""

from __future__ import annotations

import json
import resource
import statistics
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path
from urllib.parse import urlencode

import pandas
import polars as pl

from data import orders
from updraft.core import Files, Flow
from updraft.core.figures import profile
from updraft.core.insight import counted_values, find
from updraft.core.values import decide
from updraft.store import Folders, open_database
from updraft.web import create_app

RUNS = 5


def table() -> pl.DataFrame:
    return decide(pl.read_csv(orders(), infer_schema=False))[0]


def bare_profile(frame: pl.DataFrame) -> list[pl.DataFrame]:
    """The same figures as plain Polars expressions, column by column; no words, no records."""
    found = []
    for series in frame:
        value, name = pl.col(series.name), series.name
        counts = series.alias("value").drop_nulls().value_counts()
        found += [counts.top_k(8, by="count"), counts.bottom_k(5, by="count")]
        if series.dtype == pl.String:
            length = pl.col("value").str.len_chars()
            found.append(
                counts.select(
                    length.min().alias("a"),
                    length.max().alias("b"),
                    ((length * pl.col("count")).sum() / pl.col("count").sum()).alias("c"),
                )
            )
            found.append(counts.select((~pl.col("value").str.contains(r"[^\s\u{a0}\u{200b}\u{feff}]")).sum()))
            shape = (
                pl.col("value")
                .str.slice(0, 120)
                .str.replace_all(r"\p{L}+", "a")
                .str.replace_all(r"\p{Nd}+", "9")
            )
            found.append(counts.group_by(shape.alias("shape")).agg(pl.col("count").sum()).sort("count"))
        elif series.dtype.is_numeric():
            figures = [
                value.min(),
                value.max(),
                value.mean(),
                value.median(),
                *(value.quantile(q, "linear") for q in (0.05, 0.25, 0.75, 0.95)),
                value.std(),
                (value == 0).sum(),
                (value < 0).sum(),
                value.null_count(),
            ]
            found.append(frame.lazy().select(f.alias(str(n)) for n, f in enumerate(figures)).collect())
            found.append(series.cast(pl.Float64).hist(bin_count=24))
        elif series.dtype == pl.Date:
            days = counts.sort("value")
            found += [days.select(value=pl.col("value").diff().max()), days.group_by(pl.col("value").dt.weekday()).agg(pl.col("count").sum()),
                      days.group_by(pl.col("value").dt.strftime("%Y-%m")).agg(pl.col("count").sum()), series.to_physical().cast(pl.Float64).hist(bin_count=24)]  # fmt: skip
        found.append(frame.select(value.null_count().alias(name)))
    return found


def pandas_profile(frame) -> list:
    """The same figures in pandas."""
    found = []
    for name in frame.columns:
        series = frame[name]
        counts = series.value_counts()
        found += [counts.head(8), counts.tail(5), series.isna().sum(), counts.size]
        if series.dtype == "str" or series.dtype == object:
            filled = series.dropna().astype(str)
            lengths = filled.str.len()
            found += [lengths.min(), lengths.max(), lengths.mean(), (filled.str.strip() == "").sum()]
            found.append(
                filled.str.replace(r"[^\W\d_]+", "a", regex=True)
                .str.replace(r"\d+", "9", regex=True)
                .value_counts()
            )
        elif series.dtype.kind in "if":
            found += [
                series.describe(percentiles=[0.05, 0.25, 0.5, 0.75, 0.95]),
                (series == 0).sum(),
                (series < 0).sum(),
                series.value_counts(bins=24),
            ]
        elif series.dtype.kind == "M":
            found += [
                counts.sort_index().index.to_series().diff().max(),
                series.dt.day_of_week.value_counts(),
                series.dt.strftime("%Y-%m").value_counts(),
            ]
    return found


def timed(act: Callable[[], object], times: int = RUNS) -> float:
    act()
    found = []
    for _ in range(times):
        started = time.perf_counter()
        act()
        found.append(time.perf_counter() - started)
    return statistics.median(found)


def focus_seconds(scratch: Path) -> float:
    """Seconds from a new focus to its rows, the pictures of all columns and a value list, through the app, one after another."""
    folders = Folders(scratch / "app")
    open_database(folders.database)
    app = create_app(folders, lambda run: None, secret="bench")
    studio = app.extensions["studio"]
    flow_id = studio.flows.create(
        Flow.model_validate(
            {"steps": [{"id": "orders", "kind": "read_file", "settings": {"path": orders().name}}]}
        ),
        "made",
    )
    studio._files[flow_id] = Files(orders().parent)
    looked = studio.look(flow_id, studio.plan(flow_id, studio.flows.get(flow_id).flow), "orders")
    client, gardens = (
        app.test_client(),
        iter(looked.lazy().select("Garden").collect().to_series().drop_nulls().unique(maintain_order=True)),
    )

    def change() -> None:
        focus = {
            "chips": [
                {
                    "label": "x",
                    "column": "Garden",
                    "conditions": [{"column": "Garden", "test": "equals", "value": next(gardens)}],
                }
            ],
            "search": "",
        }
        query = urlencode({"focus": json.dumps(focus), "column": "Variety", "limit": 200})
        for what in ("rows", "summary", "values"):
            assert (
                client.get(f"/api/flows/{flow_id}/tables/{looked.fingerprint}/{what}?{query}").status_code
                == 200
            )

    return timed(change)


def resident() -> int:
    """Bytes of memory that this process holds now (Linux)."""
    return int(Path("/proc/self/statm").read_text().split()[1]) * resource.getpagesize()


def findings_alone() -> None:
    """In a process of its own: seconds, and the most memory held beyond what the table took, in parts of the table's size."""
    frame = table()
    before, most, done = resident(), [0], threading.Event()

    def watch() -> None:
        while not done.wait(0.01):
            most[0] = max(most[0], resident())

    watcher = threading.Thread(target=watch)
    watcher.start()
    started = time.perf_counter()
    found = find(frame)
    seconds = time.perf_counter() - started
    done.set()
    watcher.join()
    print(
        json.dumps(
            {"seconds": seconds, "memory": (most[0] - before) / frame.estimated_size(), "found": len(found)}
        )
    )


def measure() -> list[tuple[str, str, str, str, bool]]:
    """Rows of the page: what, time, ratio, aim, met."""
    frame = table()
    ours, bare = timed(lambda: profile(frame)), timed(lambda: bare_profile(frame))
    by_pandas = timed(partial(pandas_profile, pandas.read_csv(orders(), parse_dates=["Ordered on"])), 1)
    rows = [
        ("profile of every column", f"{ours:.2f} s", "", "≤ 3 s", ours <= 3),
        (
            "profile, against the bare Polars expressions",
            f"{ours:.2f} s / {bare:.2f} s",
            f"{ours / bare:.2f}×",
            "≤ 2×",
            ours <= 2 * bare,
        ),
        (
            "the same profile in pandas, against ours",
            f"{by_pandas:.1f} s / {ours:.2f} s",
            f"{by_pandas / ours:.1f}×",
            "≥ 10×",
            by_pandas >= 10 * ours,
        ),
    ]
    for name, what in (("Variety", "value list of 46 values"), ("Order", "value list of 1,000,000 values")):
        mine, plain = (
            timed(lambda: counted_values(frame[name])),  # noqa: B023
            timed(lambda: frame[name].value_counts(sort=True)),  # noqa: B023
        )
        rows.append(
            (
                f"{what}, against a bare count",
                f"{mine * 1000:.0f} ms / {plain * 1000:.0f} ms",
                f"{mine / plain:.2f}×",
                "≤ 1.5×",
                mine <= 1.5 * plain,
            )
        )
    with tempfile.TemporaryDirectory() as scratch:
        changed = focus_seconds(Path(scratch))
    rows.append(
        (
            "a new focus to its rows, pictures and counts",
            f"{changed * 1000:.0f} ms",
            "",
            "≤ 300 ms",
            changed <= 0.3,
        )
    )
    alone = json.loads(
        subprocess.run(
            [sys.executable, __file__, "findings"], capture_output=True, text=True, check=True
        ).stdout
    )
    rows.append(
        ("all findings, in the background", f"{alone['seconds']:.1f} s", "", "≤ 10 s", alone["seconds"] <= 10)
    )
    rows.append(
        (
            "memory of the findings beyond the table",
            f"{alone['memory']:.1f}× the table",
            "",
            "≤ 3×",
            alone["memory"] <= 3,
        )
    )
    return rows


if __name__ == "__main__":
    if sys.argv[1:] == ["findings"]:
        findings_alone()
    else:
        print("\n".join(" | ".join(map(str, row)) for row in measure()))
