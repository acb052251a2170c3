"""Kinds of steps on a million rows against the bare Polars expression of the same: `python bench/kinds.py [TIMES]`."""

from __future__ import annotations

import statistics
import sys
import time
from collections.abc import Callable

import numpy as np
import polars as pl

from updraft.core.engine.table import compute
from updraft.core.steps import Tables, kinds

ROWS, OTHERS = 1_000_000, 20_000


def orders() -> pl.DataFrame:
    pick = np.random.default_rng(5)
    packets = pick.integers(1, 100, ROWS)
    return pl.DataFrame(
        {
            "Order": [f"LM-{n}" for n in range(ROWS)],
            "Garden": pick.integers(0, int(OTHERS * 1.1), ROWS),
            "Hub": pick.choice(["Fen", "Dale", "Coldwater", "North Fen"], ROWS),
            "Packets": packets,
            "Price": (packets * 2.237).round(3),
            "Weight": [f"{w:.1f} kg" for w in pick.random(ROWS) * 9],
            "Day": pl.Series(pick.integers(20_000, 20_365, ROWS), dtype=pl.Int32).cast(pl.Date),
        }
    )


class World:
    """No parameters, no decisions."""

    decisions: dict[str, str] = {}

    def parameter(self, name: str) -> str:
        raise KeyError(name)


def bare(table: pl.LazyFrame, other: pl.LazyFrame) -> dict[str, tuple[dict, Callable[[], pl.LazyFrame]]]:
    """Kind → its settings, and what a practised person writes for the same table."""
    hub, price = pl.col("Hub"), pl.col("Price")
    whole = {"by": "names", "names": ["Hub"]}
    named = "calculate"
    fen = {"column": "Hub", "test": "contains", "value": "Fen"}
    many = {"column": "Packets", "test": "more", "value": "50"}
    rules = [{"when": {"of": [fen, many]}, "then": "van"}, {"when": {"of": [fen]}, "then": "post"}]
    return {
        named: (
            {
                "columns": [
                    {"name": "a", "formula": "round(Price * Packets, 1)"},
                    {"name": "b", "formula": "upper(Hub) + '-' + last(Order, 3)"},
                    {"name": "c", "formula": "total(Packets, by=Hub)"},
                ]
            },
            lambda: table.with_columns(
                a=(price * pl.col("Packets")).round(1),
                b=hub.str.to_uppercase() + "-" + pl.col("Order").str.tail(3),
                c=pl.col("Packets").sum().over("Hub"),
            ),
        ),
        "apply_rules": (
            {"column": "Sent by", "rules": rules, "value": "none"},
            lambda: table.with_columns(
                pl.when(hub.str.contains("Fen", literal=True) & (pl.col("Packets") > 50)).then(pl.lit("van"))
                .when(hub.str.contains("Fen", literal=True)).then(pl.lit("post"))
                .otherwise(pl.lit("none")).alias("Sent by")
            ),
        ),
        "find_and_replace": (
            {"columns": whole, "find": "Fen", "new": "Marsh"},
            lambda: table.with_columns(hub.str.replace_all("Fen", "Marsh", literal=True)),
        ),
        "extract_text": (
            {"column": "Order", "what": "pattern", "pattern": "[0-9]+$", "into": "n"},
            lambda: table.with_columns(n=pl.col("Order").str.extract("([0-9]+$)", 1)),
        ),
        "combine_columns": (
            {"columns": ["Order", "Hub"], "mark": " ", "into": "x"},
            lambda: table.with_columns(x=pl.concat_str("Order", "Hub", separator=" ", ignore_nulls=True)),
        ),
        "round_numbers": (
            {"columns": {"by": "names", "names": ["Price"]}, "places": 1},
            lambda: table.with_columns(price.round(1)),
        ),
        "format_dates": (
            {"columns": {"by": "names", "names": ["Day"]}},
            lambda: table.with_columns(pl.col("Day").dt.to_string("%d.%m.%Y")),
        ),
        "number_rows": (
            {"name": "n", "by": ["Hub"]},
            lambda: table.with_columns(n=pl.int_range(1, pl.len() + 1).over("Hub")),
        ),
        "number_and_unit": (
            {"column": "Weight", "number": "g", "unit": "u", "to": "g"},
            lambda: table.with_columns(
                g=pl.col("Weight").str.extract(r"([\d.]+)", 1).cast(pl.Float64) * 1000,
                u=pl.col("Weight").str.extract(r"([a-z]+)$", 1),
            ),
        ),
        "join": (
            {
                "keys": [{"column": "Garden", "reference": "Code"}],
                "rows": "left",
                "bring": [{"column": "Plots"}, {"column": "Keeper"}],
            },
            lambda: table.join(other, left_on="Garden", right_on="Code", how="left"),
        ),
    }  # fmt: skip


def measure(times: int = 5) -> list[tuple[str, str, str, str, bool]]:
    """Rows of docs/performance.md: kind, times, ratio of the pairs, aim, met."""
    table = orders()
    other = pl.DataFrame(
        {
            "Code": range(OTHERS),
            "Plots": np.arange(OTHERS) % 9,
            "Keeper": [f"Keeper {n}" for n in range(OTHERS)],
        }
    )
    rows = []
    for name, (settings, by_hand) in bare(table.lazy(), other.lazy()).items():
        kind = kinds()[name]
        made = kind.Settings.model_validate(settings)
        tables = Tables.of(table.lazy(), reference=other.lazy())
        ours, theirs = [], []
        for turn in range(times + 1):
            started = time.perf_counter()
            compute(kind, made, tables, World())
            middle = time.perf_counter()
            by_hand().collect(engine="in-memory")
            if turn:
                ours.append(middle - started)
                theirs.append(time.perf_counter() - middle)
        pairs = sorted(a / b for a, b in zip(ours, theirs, strict=True))
        most = 1.3 if name == "join" else 1.5
        rows.append(
            (
                kind.title + (f" with {OTHERS:,} rows" if name == "join" else ""),
                f"{statistics.median(ours):.3f} s / {statistics.median(theirs):.3f} s",
                f"{statistics.median(pairs):.2f}× ({pairs[0]:.2f}–{pairs[-1]:.2f})",
                f"≤ {most}×",
                statistics.median(pairs) <= most,
            )
        )
    return rows


if __name__ == "__main__":
    for row in measure(int(sys.argv[1]) if len(sys.argv) > 1 else 5):
        print(*row)
