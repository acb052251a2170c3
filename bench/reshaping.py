"""Summaries, joins and turned tables beside Polars, DuckDB and pandas: `python bench/reshaping.py [ROWS]`. Medians, one run.

Polars joins in the order of both tables, as Updraft does; its own unpivot puts whole columns below each other, which
Updraft does not, so that one is also measured with the order it owes. DuckDB works on tables of its own, and its result is
taken as a Polars table; it owes no order but that of a summary.
"""

from __future__ import annotations

import sys
from collections.abc import Callable
from pathlib import Path

import duckdb
import numpy as np
import polars as pl

from looking import timed
from updraft.core import Files
from updraft.core.engine import Door
from updraft.core.engine.table import compute
from updraft.core.steps import Tables, kinds

FIGURES = [
    {"figure": "rows"},
    {"figure": "sum", "column": "packets"},
    {"figure": "mean", "column": "kg"},
    {"figure": "distinct", "column": "grower"},
]
TRAITS = [f"trait {n}" for n in range(10)]
PAIR = [{"column": "grower", "reference": "no"}]


def step(
    kind: str, settings: dict[str, object], table: pl.DataFrame, **others: pl.DataFrame
) -> Callable[[], object]:
    found = kinds()[kind]
    chosen = found.Settings.model_validate(settings)

    def act() -> object:
        lazy = {port: other.lazy() for port, other in others.items()}
        return (
            compute(found, chosen, Tables.of(table.lazy(), **lazy), Door(Files(Path()), "it"))
            .lazy()
            .collect()
        )

    return act


def tables(rows: int) -> tuple[pl.DataFrame, pl.DataFrame, pl.DataFrame]:
    pick = np.random.default_rng(1)
    growers = max(1, rows // 10)
    table = pl.DataFrame(
        {
            "order": np.arange(rows),
            "hub": pick.choice([f"Hub {n}" for n in range(40)], rows),
            "variety": pick.choice([f"Variety {n}" for n in range(300)], rows),
            "month": pick.choice([f"2026-{n:02}" for n in range(1, 13)], rows),
            "packets": pick.integers(1, 100, rows),
            "kg": pick.random(rows),
            "grower": pick.integers(0, growers, rows),
        }
    )
    other = pl.DataFrame(
        {
            "no": np.arange(growers),
            "name": [f"Grower {n}" for n in range(growers)],
            "plots": pick.integers(1, 9, growers),
        }
    )
    return table, other, table.head(growers).select("order", *(pl.col("kg").alias(name) for name in TRAITS))


def main() -> None:
    rows = int(sys.argv[1]) if len(sys.argv) > 1 else 1_000_000
    times = 5 if rows <= 1_000_000 else 3
    t, other, wide = tables(rows)
    pt, po, pw = t.to_pandas(), other.to_pandas(), wide.to_pandas()
    keys, keyed = ["hub", "variety"], {"left_on": "grower", "right_on": "no"}
    turned = {"names": "month", "stay": keys, "values": [{"figure": "sum", "column": "packets"}]}
    unpivoted = (
        wide.lazy()
        .with_row_index()
        .unpivot(TRAITS, index=["index", "order"])
        .sort("index", maintain_order=True)
    )
    base = duckdb.connect()
    for name, frame in (("t", t), ("o", other), ("w", wide)):
        base.register("given", frame.to_arrow())
        base.execute(f"CREATE TABLE {name} AS SELECT * FROM given")

    def asked(query: str) -> Callable[[], object]:
        return lambda: base.sql(query).pl()

    names = ", ".join(f'"{name}"' for name in TRAITS)
    longer = f"UNPIVOT w ON {names} INTO NAME variable VALUE value"
    made: dict[str, tuple[Callable[[], object], ...]] = {
        "Summarise": (
            step("summarise", {"by": keys, "figures": FIGURES}, t),
            lambda: (
                t.lazy()
                .group_by(keys)
                .agg(pl.len(), pl.col("packets").sum(), pl.col("kg").mean(), pl.col("grower").n_unique())
                .sort(keys)
                .collect()
            ),
            asked(
                "SELECT hub, variety, count(*), sum(packets), avg(kg), count(DISTINCT grower) FROM t"
                " GROUP BY hub, variety ORDER BY hub, variety"
            ),
            lambda: pt.groupby(keys, dropna=False).agg(
                n=("order", "size"), s=("packets", "sum"), m=("kg", "mean"), d=("grower", "nunique")
            ),
        ),
        "Join, those that match": (
            step("join", {"keys": PAIR, "rows": "inner"}, t, reference=other),
            lambda: t.lazy().join(other.lazy(), how="inner", maintain_order="left_right", **keyed).collect(),
            asked('SELECT t.*, o.name, o.plots FROM t JOIN o ON t.grower = o."no"'),
            lambda: pt.merge(po, **keyed),
        ),
        "Rows to columns": (
            step("rows_to_columns", turned, t),
            lambda: t.pivot("month", index=keys, values="packets", aggregate_function="sum"),
            asked("PIVOT t ON month USING sum(packets) GROUP BY hub, variety"),
            lambda: pt.pivot_table(index=keys, columns="month", values="packets", aggfunc="sum"),
        ),
        "Columns to rows": (
            step("columns_to_rows", {"columns": {"by": "names", "names": TRAITS}}, wide),
            lambda: wide.lazy().unpivot(TRAITS, index="order").collect(),
            asked(longer),
            lambda: pw.melt("order"),
        ),
        "  in the same order": (
            step("columns_to_rows", {"columns": {"by": "names", "names": TRAITS}}, wide),
            lambda: unpivoted.collect(),
            asked(longer),
            lambda: pw.melt("order", ignore_index=False).sort_index(kind="stable"),
        ),
    }
    for name, acts in made.items():
        ours, *others = (timed(act, times) for act in acts)
        told = (
            f"{way} {took:.3f} s ({ours / took:.2f}×)"
            for way, took in zip(("Polars", "DuckDB", "pandas"), others, strict=True)
        )
        print(f"{name:24} {ours:.3f} s ", " ".join(told))


if __name__ == "__main__":
    main()
