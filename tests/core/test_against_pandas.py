"""Summaries, turns, joins and figures of groups beside pandas, over tables of some hundred rows with empty cells, keys
that come again, names that clash, and names in other writing.
"""

import math
from numbers import Real
from random import Random

import pandas as pd
import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.test_new_columns import Context
from updraft.core.engine.table import compute
from updraft.core.formula import compile_formula
from updraft.core.steps import Tables, kinds
from updraft.core.steps.tables import Incoming
from updraft.core.values import kind_of

HUBS = ["Fen", "fen", "Ærø", "Мост", "港", "a·b", "", " Fen"]
LOT, KG, N, DAY = "Лот", "kg \u00d7", "n", "day"
SEEDS = st.integers(0, 10_000)


def table(seed: int, rows: int = 200, keys: int = 5) -> pl.DataFrame:
    """Rows with empty cells everywhere, figures that tie, and few keys."""
    pick = Random(seed)

    def or_none(value):
        return None if pick.random() < 0.12 else value

    return pl.DataFrame(
        {
            "Hub": [or_none(pick.choice(HUBS[:keys])) for _ in range(rows)],
            LOT: [or_none(pick.choice(["a", "b", "c"])) for _ in range(rows)],
            KG: [or_none(round(pick.uniform(-50, 900), pick.choice([0, 1, 3]))) for _ in range(rows)],
            N: [or_none(pick.randint(-4, 9)) for _ in range(rows)],
            DAY: [or_none(pick.choice(["2026-01", "2026-02", "2026-03"])) for _ in range(rows)],
        },
        schema={"Hub": pl.String, LOT: pl.String, KG: pl.Float64, N: pl.Int64, DAY: pl.String},
    )


def made(kind: str, here: pl.DataFrame, other: pl.DataFrame | None = None, **given_settings) -> pl.DataFrame:
    found = kinds()[kind]
    tables = Tables.of(here.lazy()) if other is None else Tables.of(here.lazy(), reference=other.lazy())
    return compute(found, found.Settings.model_validate(given_settings), tables, Context()).lazy().collect()


def in_pandas(here: pl.DataFrame) -> pd.DataFrame:
    """Without its own ideas of what an empty cell is: texts as objects, figures with NaN for nothing."""
    figures = {name: dtype.is_numeric() for name, dtype in here.schema.items()}
    return pd.DataFrame(
        {name: pd.Series(here[name].to_list(), dtype="float64" if figures[name] else "object") for name in here.columns}
    )


class Near(float):
    """A figure that equals those which the order of adding up alone sets apart."""

    __hash__ = float.__hash__

    def __eq__(self, other: object) -> bool:
        return isinstance(other, float) and math.isclose(self, other, rel_tol=1e-9, abs_tol=1e-12)

    def __str__(self) -> str:
        return f"{float(self):.6g}"


def plain(value):
    """A cell that both write the same: nothing is None, a figure is a `Figure`."""
    if value is None or (isinstance(value, float) and math.isnan(value)) or value is pd.NaT:
        return None
    if isinstance(value, bool):
        return value
    return Near(value) if isinstance(value, Real) else value


def rows_of(frame: pd.DataFrame | pl.DataFrame, order: bool = False) -> list[tuple]:
    found = frame.itertuples(index=False, name=None) if isinstance(frame, pd.DataFrame) else frame.rows()
    cells = [tuple(map(plain, row)) for row in found]
    return cells if order else sorted(cells, key=lambda row: [(cell is not None, str(cell)) for cell in row])


FIGURES = {
    "sum": lambda s: s.sum(min_count=1),
    "mean": lambda s: s.mean(),
    "median": lambda s: s.median(),
    "min": lambda s: s.min(),
    "max": lambda s: s.max(),
    "deviation": lambda s: s.std(ddof=1),
    "filled": lambda s: s.count(),
    "distinct": lambda s: s.nunique(),
    "range": lambda s: s.max() - s.min(),
    "first": lambda s: s.dropna().iloc[0] if s.count() else None,
    "last": lambda s: s.dropna().iloc[-1] if s.count() else None,
}


@given(SEEDS, st.sampled_from([["Hub"], [LOT, "Hub"], []]), st.sampled_from([KG, N]))
@settings(max_examples=25)
def test_figures_of_groups(seed, by, column):
    here = table(seed)
    asked = [{"figure": name, "column": column, "name": name} for name in FIGURES]
    found = made("summarise", here, by=by, figures=[{"figure": "rows", "name": "rows"}, *asked])
    frame = in_pandas(here)
    groups = frame.groupby(by, dropna=False, sort=False) if by else [((), frame)]
    expected = [
        (*(key if isinstance(key, tuple) else (key,)), len(rows), *(of(rows[column]) for of in FIGURES.values()))
        for key, rows in groups
    ]
    wanted = pd.DataFrame(expected, columns=found.columns).astype(object)
    assert rows_of(found) == rows_of(wanted)


@given(SEEDS, st.sampled_from([10, 25, 50, 75, 90]))
@settings(max_examples=15)
def test_percentiles_between_two_values(seed, share):
    here = table(seed)
    found = made(
        "summarise", here, by=[LOT], figures=[{"figure": "percentile", "column": KG, "share": share, "name": "p"}]
    )
    expected = in_pandas(here).groupby(LOT, dropna=False)[KG].quantile(share / 100).reset_index()
    assert rows_of(found) == rows_of(expected.astype(object))


@given(SEEDS)
@settings(max_examples=15)
def test_shares_and_weighted_means(seed):
    here = table(seed).with_columns(pl.col(N).abs())
    figures = [
        {"figure": "share", "column": N, "name": "share"},
        {"figure": "rows_share", "name": "rows"},
        {"figure": "weighted", "column": KG, "weight": N, "name": "mean"},
    ]
    found = made("summarise", here, by=["Hub"], figures=figures)
    frame = in_pandas(here)
    expected = []
    for key, rows in frame.groupby("Hub", dropna=False):
        both = rows.dropna(subset=[KG, N])
        weight = both[N].sum()
        mean = (both[KG] * both[N]).sum() / weight if weight else None
        expected.append((key, rows[N].sum() / frame[N].sum(), len(rows) / len(frame), mean))
    wanted = pd.DataFrame(expected, columns=found.columns).astype(object)
    assert rows_of(found) == rows_of(wanted)


WHICH = {"inner": "inner", "left": "left", "right": "right", "full": "outer"}


@given(SEEDS, st.sampled_from(list(WHICH)), st.booleans())
@settings(max_examples=30)
def test_rows_that_meet_by_one_key_or_two(seed, rows, two):
    here, other = table(seed, 40, 6), table(seed + 1, 25, 8)
    keys = ["Hub", LOT] if two else ["Hub"]
    found = made(
        "join", here, other, keys=[{"column": key, "reference": key} for key in keys], rows=rows,
        bring=[{"column": name, "name": f"{name} 2"} for name in (KG, DAY)],
    )  # fmt: skip
    # An empty key meets none, which pandas sees otherwise: each gets a mark of its own side.
    left, right = in_pandas(here), in_pandas(other)[[*keys, KG, DAY]]
    for frame, mark in ((left, "\0left"), (right, "\0right")):
        frame[keys] = frame[keys].where(frame[keys].notna(), mark)
    both = left.merge(right, on=keys, how=WHICH[rows], suffixes=("", " 2")).astype(object)
    both = both.replace({"\0left": None, "\0right": None})
    assert list(both.columns) == found.columns
    assert rows_of(found) == rows_of(both)


@given(SEEDS, st.sampled_from(["sum", "mean", "max", "filled", "first"]))
@settings(max_examples=20)
def test_a_columns_values_become_columns(seed, figure):
    here = table(seed)
    found = made(
        "rows_to_columns", here, names=DAY, stay=[LOT], values=[{"figure": figure, "column": KG}], order="name"
    )
    frame = in_pandas(here)
    names = sorted({name for name in here[DAY].to_list() if name is not None})
    expected = {name: {} for name in names}
    for (lot, name), rows in frame.groupby([LOT, DAY], dropna=False):
        if isinstance(name, str):
            expected[name][lot if isinstance(lot, str) else None] = FIGURES[figure](rows[KG])
    cells = {row[0]: dict(zip(found.columns[1:], row[1:], strict=True)) for row in found.rows()}
    assert set(names) <= set(found.columns) and set(cells) == set(here[LOT].to_list())
    for name in names:
        for lot, row in cells.items():
            got, want = plain(row[name]), plain(expected[name].get(lot))
            assert got == want or (figure == "filled" and not got and not want), (lot, name)


@given(SEEDS, st.sampled_from(["keep", "leave_out"]))
@settings(max_examples=15)
def test_columns_become_rows_and_come_back(seed, empty):
    here = table(seed, 30).with_row_index("row").select("row", "Hub", N, KG)
    found = made(
        "columns_to_rows", here, columns={"by": "names", "names": [N, KG]}, name="what", value="is", empty=empty
    )
    frame = in_pandas(here)
    long = frame.melt(["row", "Hub"], [N, KG], "what", "is")
    if empty == "leave_out":
        long = long.dropna(subset=["is"])
    assert rows_of(found) == rows_of(long.astype(object))
    back = made(
        "rows_to_columns", found, names="what", stay=["row", "Hub"], values=[{"figure": "first", "column": "is"}]
    )
    kept = here.filter(pl.any_horizontal(pl.col(N, KG).is_not_null())) if empty == "leave_out" else here
    assert rows_of(back.select([name for name in here.columns if name in back.columns])) == rows_of(
        kept.select([name for name in here.columns if name in back.columns])
    )


@given(SEEDS, SEEDS)
@settings(max_examples=15)
def test_tables_below_each_other(one, other):
    here, below = table(one, 20), table(other, 15).rename({KG: "Kg", N: "m"}).with_columns(pl.col("m").cast(pl.Float64))
    found = kinds()["stack"]
    tables = Tables({"tables": [Incoming(here.lazy()), Incoming(below.lazy())]}, "tables")
    done = compute(found, found.Settings(), tables, Context()).lazy().collect()
    expected = pd.concat([in_pandas(here), in_pandas(below)], ignore_index=True).astype(object)
    assert rows_of(done.select(list(expected.columns)), order=True) == rows_of(expected, order=True)


OVER = {
    "running_total({n}, by=Hub)": lambda rows: rows[N].fillna(0).cumsum(),
    "previous({n}, by=Hub)": lambda rows: rows[N].shift(1),
    "difference({n}, by=Hub)": lambda rows: rows[N].diff(),
    "rank({n}, by=Hub)": lambda rows: rows[N].rank(method="min", ascending=False),
    "row_number(by=Hub)": lambda rows: pd.Series(range(1, len(rows) + 1), rows.index, dtype="float64"),
    "total({n}, by=Hub)": lambda rows: pd.Series(rows[N].sum(), rows.index),
    "average({n}, by=Hub)": lambda rows: pd.Series(rows[N].mean(), rows.index),
    "highest({n}, by=Hub)": lambda rows: pd.Series(rows[N].max(), rows.index),
    "count({n}, by=Hub)": lambda rows: pd.Series(rows[N].count(), rows.index, dtype="float64"),
}


@pytest.mark.parametrize("formula", list(OVER))
@given(seed=SEEDS)
@settings(max_examples=10)
def test_figures_along_the_rows_of_a_group(formula, seed):
    here = table(seed, 60).with_columns(pl.col("Hub").fill_null("none"), pl.col(N).fill_null(2))
    kinds_of = {name: kind_of(dtype) for name, dtype in here.schema.items()}
    done = here.select(compile_formula(formula.format(n=N), kinds_of).expr.alias("x"))["x"].to_list()
    frame = in_pandas(here)
    wanted = pd.concat([OVER[formula](rows) for _, rows in frame.groupby("Hub")]).sort_index()
    assert list(map(plain, done)) == list(map(plain, wanted.to_list()))
