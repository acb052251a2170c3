"""The measured flow as a practised person would write it by hand, in Polars, DuckDB and pandas.

Run as a script it does the work once in a fresh process and prints the seconds, imports left out:
`python bench/by_hand.py polars|streaming|duckdb|pandas|updraft|parts OUT [ROWS]`.
"""

from __future__ import annotations

import contextlib
import io
import json
import sys
import time
from pathlib import Path

from data import CHANGES, DATA, flow_document, growers, orders

ROWS = int(sys.argv[3]) if len(sys.argv) > 3 else 1_000_000


def in_polars(out: Path, engine: str = "auto") -> None:
    import polars as pl

    reference = pl.scan_csv(growers())
    (
        pl.scan_csv(orders(ROWS))
        .filter(pl.col("Grower").is_not_null())
        .with_columns(pl.col("Variety", "Region").str.replace_all(r"\s+", " ").str.strip_chars())
        .with_columns(pl.col("Variety").replace(CHANGES))
        .join(reference, left_on="Grower", right_on="Code", how="left")
        .group_by("Hub", "Variety")
        .agg(pl.len().alias("Orders"), pl.col("Packets").sum(), pl.col("Price").sum().alias("Revenue"))
        .sort("Hub", "Variety", nulls_last=True)
        .collect(engine=engine)
        .write_csv(out / "polars.csv")
    )


def in_duckdb(out: Path) -> None:
    import duckdb

    tidy = "trim(regexp_replace({}, '\\s+', ' ', 'g')) AS {}".format
    changes = ", ".join(
        f"({old!r}, {new!r})" if "'" not in old + new else f"($${old}$$, $${new}$$)"
        for old, new in CHANGES.items()
    )
    duckdb.execute(f"""
        COPY (
            SELECT Hub, coalesce(new, Variety) AS Variety, count(*) AS Orders, sum(Packets) AS Packets, sum(Price) AS Revenue
            FROM (
                SELECT Grower, Packets, Price, {tidy("Variety", "Variety")}, {tidy("Region", "Region")}
                FROM read_csv('{orders(ROWS)}') WHERE Grower IS NOT NULL
            ) LEFT JOIN (VALUES {changes}) AS changes(old, new) ON Variety = old
            LEFT JOIN read_csv('{growers()}') ON Grower = Code
            GROUP BY ALL ORDER BY ALL NULLS LAST
        ) TO '{out / "duckdb.csv"}'
    """)


def in_pandas(out: Path) -> None:
    import pandas as pd

    table = pd.read_csv(orders(ROWS))
    table = table[table["Grower"].notna()]
    for name in ("Variety", "Region"):
        table[name] = table[name].str.replace(r"\s+", " ", regex=True).str.strip()
    table["Variety"] = table["Variety"].replace(CHANGES)
    table = table.merge(pd.read_csv(growers()), left_on="Grower", right_on="Code", how="left")
    (
        table.groupby(["Hub", "Variety"], dropna=False)
        .agg(Orders=("Order", "size"), Packets=("Packets", "sum"), Revenue=("Price", "sum"))
        .reset_index()
        .to_csv(out / "pandas.csv", index=False)
    )


def in_updraft(out: Path, *more: str) -> None:
    from updraft.cli import main

    path = DATA / "measured.updraft.json"
    path.write_text(json.dumps(flow_document(orders(ROWS))))
    main(["run", str(path), "--out", str(out), "--json", *more], standalone_mode=False)


def in_parts(out: Path) -> None:
    in_updraft(out)  # UPDRAFT_MEMORY says what it may take


def warm_up(out: Path) -> None:
    """The same flow on ten orders, so that all it imports is there."""
    path = DATA / "warm.updraft.json"
    path.write_text(json.dumps(flow_document(orders(10))))
    with contextlib.suppress(SystemExit), contextlib.redirect_stdout(io.StringIO()):
        from updraft.cli import main

        main(["run", str(path), "--out", str(out), "--json"], standalone_mode=False)


if __name__ == "__main__":
    way, folder = sys.argv[1], Path(sys.argv[2])
    growers(), orders(ROWS), orders(10)
    if way in ("updraft", "parts"):
        warm_up(folder)  # a run loads what its kinds need when it needs it
    else:
        __import__({"streaming": "polars"}.get(way, way))
    started = time.perf_counter()
    ways = {
        "polars": in_polars,
        "streaming": lambda out: in_polars(out, "streaming"),
        "duckdb": in_duckdb,
        "pandas": in_pandas,
        "updraft": in_updraft,
        "parts": in_parts,
    }
    try:
        ways[way](folder)
    except SystemExit as end:
        assert not end.code, end
    print(f"\nseconds {time.perf_counter() - started:.4f}")
