"""Kinds of steps on a million rows against the bare Polars expression of the same: `python bench/kinds.py [TIMES]`."""

from __future__ import annotations

import statistics
import sys
import time
from collections.abc import Callable
from typing import Any

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
            "Note": [("late" if n % 21 else "early") if n % 7 else None for n in range(ROWS)],
        }
    )


class World:
    """No parameters, no decisions, nothing learnt before."""

    decisions: dict[str, str] = {}
    presummed = None

    def learnt(self, what: object, learn: Callable[[], Any]) -> Any:
        return learn()

    def parameter(self, name: str) -> str:
        raise KeyError(name)


def bare(table: pl.LazyFrame, other: pl.LazyFrame) -> dict[str, tuple[dict, Callable[[], pl.LazyFrame]]]:
    """Kind → its settings, and what a practised person writes for the same table."""
    hub, price = pl.col("Hub"), pl.col("Price")
    whole = {"by": "names", "names": ["Hub"]}
    named = "calculate"
    fen = {"column": "Hub", "test": "contains", "value": "Fen"}
    many = {"column": "Packets", "test": "more", "value": "50"}
    fen_many = {"of": [fen, many]}
    met = hub.str.contains("Fen", literal=True) & (pl.col("Packets") > 50)
    rules = [{"when": fen_many, "then": "van"}, {"when": {"of": [fen]}, "then": "post"}]
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
                pl.when(met).then(pl.lit("van"))
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
        "recode_values": (
            {"column": "Hub", "changes": [{"old": "Fen", "new": "Marsh"}, {"old": "Dale", "new": "Vale"}]},
            lambda: table.with_columns(hub.replace({"Fen": "Marsh", "Dale": "Vale"})),
        ),
        "tidy_text": (
            {"columns": {"by": "names", "names": ["Order"]}, "case": "upper"},
            lambda: table.with_columns(
                pl.col("Order").str.replace_all(r"\s+", " ").str.strip_chars().str.to_uppercase()
            ),
        ),
        "split_column": (
            {"column": "Order", "at": "-", "names": ["Prefix", "Number"]},
            lambda: table.with_columns(
                pl.col("Order").str.splitn("-", 2).struct.rename_fields(["Prefix", "Number"])
            ).unnest("Order"),
        ),
        "bins": (
            {"column": "Price", "width": 25, "into": "Bin"},
            lambda: table.with_columns(
                Bin=pl.format("{} to {}", (price // 25 * 25).cast(pl.Int64), (price // 25 * 25 + 25).cast(pl.Int64))
            ),
        ),
        "convert_units": (
            {"columns": {"names": ["Price"]}, "unit": "kg", "to": "g"},
            lambda: table.with_columns(price * 1000),
        ),
        "check": (
            {
                "rules": [
                    {"must": "range", "columns": ["Packets"], "low": "1", "high": "95", "then": "reject"},
                    {"must": "one_of", "columns": ["Hub"], "values": ["Fen", "Dale", "Coldwater"]},
                ]
            },
            lambda: table.filter(
                pl.col("Packets").is_between(1, 95), hub.is_in(["Fen", "Dale", "Coldwater"]) | hub.is_not_null()
            ),
        ),
        "pick_rows": (
            {"keys": ["Order"], "rows": [{"key": [f"LM-{n}"]} for n in range(0, 2000, 20)], "do": "drop"},
            lambda: table.filter(~pl.col("Order").is_in([f"LM-{n}" for n in range(0, 2000, 20)])),
        ),
        "sort_rows": (
            {"order": [{"column": "Hub"}, {"column": "Price", "down": True}], "text": "signs"},
            lambda: table.sort("Hub", "Price", descending=[False, True], nulls_last=True, maintain_order=True),
        ),
        "take_rows": (
            {"by": "largest", "column": "Price", "count": 10, "within": ["Hub"]},
            lambda: table.filter(price.rank("ordinal", descending=True).over("Hub") <= 10),
        ),
        "keep_rows": ({"by": "rule", "rule": fen_many}, lambda: table.filter(met)),
        "mark_rows": ({"name": "m", "rule": fen_many}, lambda: table.with_columns(m=met)),
        "set_values": (
            {"columns": ["Hub"], "to": "value", "value": "Marsh", "rule": fen_many},
            lambda: table.with_columns(pl.when(met).then(pl.lit("Marsh")).otherwise(hub).alias("Hub")),
        ),
        "set_types": (
            {"columns": [{"column": "Packets", "type": "number"}, {"column": "Price", "type": "text"}]},
            lambda: table.with_columns(pl.col("Packets").cast(pl.Float64), price.cast(pl.String)),
        ),
        "fill_gaps": (
            {"columns": ["Note"], "by": "down"},
            lambda: table.with_columns(pl.col("Note").forward_fill()),
        ),
        "one_value_per_group": (
            {"within": ["Garden"], "columns": ["Hub"]},
            lambda: table.with_columns(hub.mode().first().over("Garden")),
        ),
        "remove_duplicates": (
            {"keys": ["Garden", "Hub"]},
            lambda: table.unique(["Garden", "Hub"], keep="first", maintain_order=True),
        ),
        "summarise": (
            {
                "by": ["Garden"],
                "figures": [
                    {"figure": "rows", "name": "n"},
                    {"figure": "sum", "column": "Price", "name": "s"},
                    {"figure": "mean", "column": "Packets", "name": "m"},
                ],
            },
            lambda: table.group_by("Garden").agg(n=pl.len(), s=price.sum(), m=pl.col("Packets").mean()).sort("Garden"),
        ),
        "rows_to_columns": (
            {"names": "Hub", "stay": ["Garden"], "values": [{"figure": "sum", "column": "Price"}]},
            lambda: table.collect().pivot("Hub", index="Garden", values="Price", aggregate_function="sum").lazy(),
        ),
        "columns_to_rows": (
            {"columns": {"by": "names", "names": ["Packets", "Price"]}, "name": "n", "value": "v"},
            lambda: table.unpivot(["Packets", "Price"], index=["Order", "Garden", "Hub", "Weight", "Day", "Note"]),
        ),
        "look_up": (
            {
                "keys": [{"column": "Garden", "reference": "Code"}],
                "bring": [{"column": "Plots"}, {"column": "Keeper"}],
            },
            lambda: table.join(other, left_on="Garden", right_on="Code", how="left"),
        ),
        "rename_columns": (
            {"by": "rule", "find": "e", "instead": "E"},
            lambda: table.rename(lambda name: name.replace("e", "E")),
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


def _frame(table: pl.DataFrame) -> Any:
    import pandas

    frame = pandas.DataFrame({name: table[name].to_numpy() for name in table.columns})
    return (
        frame.convert_dtypes() if "Day" not in frame else frame.assign(Day=pandas.to_datetime(frame["Day"]))
    )


def by_pandas(table: Any, other: Any) -> dict[str, Callable[[], object]]:
    """Kind → the same in pandas, as its manual shows it."""

    def ruled() -> object:
        fen = table["Hub"].str.contains("Fen", regex=False)
        return np.select([fen & (table["Packets"] > 50), fen], ["van", "post"], "none")

    def met() -> Any:
        return table["Hub"].str.contains("Fen", regex=False) & (table["Packets"] > 50)

    def bins() -> object:
        low = (table["Price"] // 25 * 25).astype(int)
        return low.astype(str) + " to " + (low + 25).astype(str)

    return {
        "calculate": lambda: (
            (table["Price"] * table["Packets"]).round(1),
            table["Hub"].str.upper() + "-" + table["Order"].str[-3:],
            table.groupby("Hub")["Packets"].transform("sum"),
        ),
        "apply_rules": ruled,
        "find_and_replace": lambda: table["Hub"].str.replace("Fen", "Marsh", regex=False),
        "extract_text": lambda: table["Order"].str.extract("([0-9]+$)"),
        "combine_columns": lambda: table["Order"] + " " + table["Hub"],
        "round_numbers": lambda: table["Price"].round(1),
        "format_dates": lambda: table["Day"].dt.strftime("%d.%m.%Y"),
        "number_rows": lambda: table.groupby("Hub").cumcount() + 1,
        "number_and_unit": lambda: table["Weight"].str.extract(r"([\d.]+) ([a-z]+)"),
        "recode_values": lambda: table["Hub"].replace({"Fen": "Marsh", "Dale": "Vale"}),
        "tidy_text": lambda: table["Order"].str.replace(r"\s+", " ", regex=True).str.strip().str.upper(),
        "split_column": lambda: table["Order"].str.split("-", n=1, expand=True),
        "bins": bins,
        "convert_units": lambda: table["Price"] * 1000,
        "check": lambda: table[
            table["Packets"].between(1, 95) & table["Hub"].isin(["Fen", "Dale", "Coldwater"])
        ],
        "pick_rows": lambda: table[~table["Order"].isin([f"LM-{n}" for n in range(0, 2000, 20)])],
        "sort_rows": lambda: table.sort_values(["Hub", "Price"], ascending=[True, False], kind="stable"),
        "take_rows": lambda: table.sort_values("Price", ascending=False).groupby("Hub").head(10),
        "keep_rows": lambda: table[met()],
        "mark_rows": lambda: table.assign(m=met()),
        "set_values": lambda: table["Hub"].mask(met(), "Marsh"),
        "set_types": lambda: (table["Packets"].astype(float), table["Price"].astype(str)),
        "fill_gaps": lambda: table["Note"].ffill(),
        "one_value_per_group": lambda: table.groupby("Garden")["Hub"].transform(lambda some: some.mode()[0]),
        "remove_duplicates": lambda: table.drop_duplicates(["Garden", "Hub"]),
        "summarise": lambda: table.groupby("Garden").agg(
            n=("Order", "size"), s=("Price", "sum"), m=("Packets", "mean")
        ),
        "rows_to_columns": lambda: table.pivot_table("Price", "Garden", "Hub", aggfunc="sum"),
        "columns_to_rows": lambda: table.melt(
            ["Order", "Garden", "Hub", "Weight", "Day", "Note"], ["Packets", "Price"]
        ),
        "look_up": lambda: table.merge(other, left_on="Garden", right_on="Code", how="left"),
        "rename_columns": lambda: table.rename(columns=lambda name: name.replace("e", "E")),
        "join": lambda: table.merge(other, left_on="Garden", right_on="Code", how="left"),
    }


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
    pandas = by_pandas(_frame(table), _frame(other))
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
        started = time.perf_counter()
        pandas[name]()
        slower = (time.perf_counter() - started) / statistics.median(ours)
        most = 1.3
        rows.append(
            (
                kind.title + (f" with {OTHERS:,} rows" if name in ("join", "look_up") else ""),
                f"{statistics.median(ours):.3f} s / {statistics.median(theirs):.3f} s",
                f"{statistics.median(pairs):.2f}× ({pairs[0]:.2f}–{pairs[-1]:.2f})",
                f"≤ {most}×; pandas {slower:.1f}× as long",
                statistics.median(pairs) <= most,
            )
        )
    return rows


if __name__ == "__main__":
    for row in measure(int(sys.argv[1]) if len(sys.argv) > 1 else 5):
        print(*row)
