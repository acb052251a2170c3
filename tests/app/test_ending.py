"""A run whose process dies tells why, at the step it was at, and never in the words of a library."""

import polars as pl
import pytest

from tests.app.conftest import small_flow
from updraft.core.engine.told import told
from updraft.jobs import supervise
from updraft.store import FlowStore, Folders, RunStore, open_database


@pytest.mark.parametrize(
    ("way", "code", "said"),
    [
        (
            "killed",
            "memory",
            "the system ended its process while “Keep rows” was computed, as it does when memory runs",
        ),
        ("no room", "memory", "the memory of this machine did not suffice while “Keep rows” was computed"),
        ("ended", "ended", "ended from outside while “Keep rows”"),
        ("full", "cannot_store", "the disk is full while “Keep rows” was computed; what was delivered before stands"),
        (
            "fault",
            "fault",
            "an error of its own while “Keep rows” was computed; your data and your flow are as they were",
        ),
    ],
)
def test_a_run_that_dies_says_why_and_where(tmp_path, monkeypatch, way, code, said):
    folders = Folders(tmp_path / "data")
    open_database(folders.database)
    run = RunStore().create(FlowStore(folders).create(small_flow(), "made"), small_flow(), 1, {})
    monkeypatch.setattr(supervise, "PROCESS", "tests.app.dying")
    monkeypatch.setenv("DYING", way)
    supervise.supervise(folders, run)
    found = RunStore().get(run)
    error = found["report"]["error"]
    assert (found["status"], error["code"], error["step"]) == ("failed", code, "k")
    assert said in error["reason"] and error["way_out"] and "secret" not in error["text"]
    assert ("secret" in folders.log(run).read_text()) == (way == "fault"), "those who mend it find the traceback"
    if way == "fault":
        assert f"runs/{run}.log" in error["way_out"]


@pytest.mark.parametrize(
    ("made", "code", "said"),
    [
        (lambda t: t.select("Hib"), "missing_column", "Column “Hib”: it is not in the table"),
        (lambda t: t.select("Hub", pl.col("Lot").alias("Hub")), "two_columns", "Column “Hub”: two columns"),
        (lambda t: t.select(pl.col("Hub") + 1), "failed", "of a type"),
        (lambda t: t.select(pl.col("Hub").cast(pl.Int64)), "failed", "values of “Hub”"),
        (lambda t: t.select(pl.col("Hub").str.extract("(")), "failed", "cannot be computed with the values"),
    ],
)
def test_errors_of_the_library_are_told_in_our_words(made, code, said):
    table = pl.DataFrame({"Hub": ["Fen"], "Lot": ["L1"]}).lazy()
    with pytest.raises(pl.exceptions.PolarsError) as raised:
        made(table).collect()
    problem = told(raised.value, "Keep rows")
    assert problem.code == code and said in str(problem) and problem.way_out
    assert not {"polars", "dtype", "expr", "resolved"} & set(str(problem).lower().split())
