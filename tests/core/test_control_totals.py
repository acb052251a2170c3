"""Whether what a column adds up to is the same before and after a step is said, and is so."""

import re

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from updraft.core import Files
from updraft.core.engine import Door
from updraft.core.engine.table import compute
from updraft.core.steps import Tables, kinds
from updraft.core.steps.counts import ControlTotal

NUMBER = st.none() | st.integers(-50, 50).map(lambda n: n / 4)
ROWS = st.lists(
    st.tuples(st.sampled_from(["Fen", "Dale", None]), st.sampled_from(["sown", "sold", ""]), NUMBER), max_size=9
)
SUM = {"figure": "sum", "column": "kg"}
SOLD = {"of": [{"column": "state", "test": "one_of", "values": ["sold"]}]}


class Deciding(Door):
    """The context of a step whose questions were answered."""

    decisions: dict = {}


def totals(kind: str, settings: dict, rows, tmp_path, decided=None):
    found = kinds()[kind]
    table = pl.DataFrame(rows, schema={"hub": pl.String, "state": pl.String, "kg": pl.Float64}, orient="row")
    door = Deciding(Files(tmp_path), "it")
    door.decisions = decided or {}
    done = compute(found, found.Settings.model_validate(settings), Tables.of(table.lazy()), door)
    return table, done.lazy().collect(), [fact.text for fact in done.facts if fact.code.startswith("total:")]


def numbers(text: str) -> list[float]:
    return [float(found.replace(",", "")) for found in re.findall(r"-?[\d,]*\d(?:\.\d+)?", text)]


@given(ROWS, st.sampled_from(["none", "all", "each"]), st.booleans())
def test_a_summary_says_what_was_added_up_before_and_after(tmp_path, rows, level, some):
    figure = SUM | ({"where": SOLD} if some else {})
    settings = {"by": ["hub", "state"], "figures": [figure], "totals": level}
    table, made, told = totals("summarise", settings, rows, tmp_path)
    groups = made.filter(pl.col("Row") == "group") if level != "none" else made
    before, after = float(table["kg"].sum()), float(groups[made.columns[-1]].sum())
    if not table["kg"].abs().sum():
        assert told == []
    elif before == after:
        assert numbers(told[0]) == [before] and told[0].endswith("before and after")
    else:
        assert some and numbers(told[0])[:2] == [before, after]


@given(ROWS, st.sets(st.sampled_from(["sold", "sown"])))
def test_what_is_left_out_of_new_columns_is_missing_after(tmp_path, rows, left):
    decided = dict.fromkeys(left, "leave out")
    settings = {"names": "state", "stay": ["hub"], "values": [SUM]}
    table, made, told = totals("rows_to_columns", settings, rows, tmp_path, decided)
    before = float(table["kg"].sum())
    after = float(made.drop("hub").select(pl.sum_horizontal(pl.all().sum())).item() or 0) if made.width > 1 else None
    if not table["kg"].abs().sum() or after is None:
        assert told == []
    else:
        assert numbers(told[0])[:2] == ([before] if before == after else [before, after])


@pytest.mark.parametrize(
    ("parts", "said"),
    [
        ([(0.1, 0.1, 0.1)] * 10, "kg adds up to 1 before and after"),
        ([(1e15, 1e15, 1e15), (0.25, 0.5, 0.25)], "kg adds up to 1,000,000,000,000,000 before and after"),
        ([(12345.5, 12345.25, 20000.0)], "kg adds up to 12,345.5 before and 12,345.25 after: why"),
        ([(0.0, 0.0, 7.0)], "kg adds up to 0 before and after"),
        ([(float("nan"), 1.0, 1.0)], None),
        ([(None, None, 0.0)], None),
    ],
)
def test_totals_of_parts_are_added_up_and_told_without_the_noise_of_adding(parts, said):
    frames = [pl.DataFrame([one], schema=["before", "after", "size"], orient="row") for one in parts]
    told = ControlTotal("kg", pl.LazyFrame(), "why").told(frames)
    assert (told and told[2]) == said
