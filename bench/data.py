"""Orders of any length for measuring, in the example world: 12 columns, messy the way the flow expects."""

from __future__ import annotations

import random
from pathlib import Path

import numpy as np
import polars as pl

from updraft.demo.names import GARDENS, HUBS, SPELLINGS, VARIETIES

DATA = Path(__file__).parent / "data"
CHANGES = {old: new for new, olds in SPELLINGS.items() for old in olds}


def orders(rows: int = 1_000_000) -> Path:
    """A CSV of orders with a totals row; made once."""
    path = DATA / f"orders_{rows}.csv"
    if path.exists():
        return path
    DATA.mkdir(parents=True, exist_ok=True)
    pick = np.random.default_rng(7)
    names = [
        *VARIETIES,
        *CHANGES,
        *(f" {v}" for v in VARIETIES[:5]),
        *(v.replace(" ", "  ") for v in VARIETIES[:3]),
    ]
    packets = pick.integers(1, 100, rows)
    pl.DataFrame(
        {
            "Order": [f"LM-{n}" for n in range(rows)],
            "Ordered on": pl.Series(pick.integers(20_000, 20_365, rows), dtype=pl.Int32).cast(pl.Date),
            "Grower": [f"GR-{n:04d}" for n in pick.integers(1, 1003, rows)],
            "Variety": pick.choice(names, rows),
            "Region": pick.choice([*HUBS, *(f"{h} " for h in HUBS)], rows),
            "Garden": pick.choice(GARDENS, rows),
            "Packets": packets,
            "Price": (packets * 2.2).round(2),
            "Weight": pick.random(rows).round(3),
            "Reference": pick.integers(10_000, 99_999, rows),
            "Paid": pick.choice(["yes", "no"], rows),
            "Note": pick.choice(["", "", "gift packing", "call before delivery"], rows),
        }
    ).write_csv(path)
    with path.open("a") as file:
        file.write(f"Total,,,,,,{packets.sum()},,,,,\n")
    return path


def growers() -> Path:
    path = DATA / "growers.csv"
    if not path.exists():
        DATA.mkdir(parents=True, exist_ok=True)
        pick = random.Random(3)
        pl.DataFrame(
            {
                "Code": [f"GR-{n:04d}" for n in range(1, 1001)],
                "Full name": [f"Grower {n}" for n in range(1, 1001)],
                "Hub": [pick.choice(HUBS) for _ in range(1000)],
            }
        ).write_csv(path)
    return path


def flow_document(orders_path: Path) -> dict:
    """The flow that is measured: read, drop, tidy, recode, look up, summarise, write."""

    def step(kind: str, settings: dict, name: str = "", **inputs: str) -> dict:
        return {"id": name or kind, "kind": kind, "settings": settings, "inputs": inputs}

    return {
        "updraft": 1,
        "name": "Measured",
        "steps": [
            step("read_file", {"path": orders_path.name}, "orders"),
            step(
                "drop_rows",
                {"by": "rule", "rule": {"match": "all", "of": [{"column": "Grower", "test": "empty"}]}},
                table="orders",
            ),
            step(
                "tidy_text", {"columns": {"by": "names", "names": ["Variety", "Region"]}}, table="drop_rows"
            ),
            step(
                "recode_values",
                {"column": "Variety", "changes": [{"old": o, "new": n} for o, n in CHANGES.items()]},
                table="tidy_text",
            ),
            step("read_file", {"path": "growers.csv"}, "growers"),
            step(
                "look_up",
                {
                    "keys": [{"column": "Grower", "reference": "Code"}],
                    "bring": [{"column": "Full name"}, {"column": "Hub"}],
                },
                table="recode_values",
                reference="growers",
            ),
            step(
                "summarise",
                {
                    "by": ["Hub", "Variety"],
                    "figures": [
                        {"figure": "rows", "name": "Orders"},
                        {"figure": "sum", "column": "Packets", "name": "Packets"},
                        {"figure": "sum", "column": "Price", "name": "Revenue"},
                    ],
                },
                table="look_up",
            ),
            step("write_file", {"name": "report.csv"}, table="summarise"),
        ],
    }
