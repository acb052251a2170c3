"""Keys of two tables are proposed by what would meet; digits meet as numbers where that is asked for."""

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from updraft.core import Problem
from updraft.core.insight.keys import proposed_keys

ORDERS = pl.DataFrame(
    {
        "Order": [f"O{n}" for n in range(40)],
        "Grower": [f"{n % 10:05}" for n in range(40)],
        "Packets": [n % 7 for n in range(40)],
        "Hub": [["Fen", "Dale", "Bay"][n % 3] for n in range(40)],
    }
)
GROWERS = pl.DataFrame(
    {"No": list(range(10)), "Name": [f"Name {n}" for n in range(10)], "Hub": ["Fen", "Dale", "Fen", "Bay", "Fen"] * 2}
)


def test_the_key_that_rows_meet_by_comes_first_with_how_many_meet():
    first, *others = proposed_keys(ORDERS.lazy(), GROWERS.lazy())
    assert (first.pairs, first.rows, first.of) == ((("Grower", "No"),), 40, 40)
    assert first.numbers and first.unique, "text with zeros against numbers, mended for the comparison"
    assert (("Hub", "Hub"),) in {one.pairs for one in others}
    text = GROWERS.with_columns(pl.col("No").cast(pl.String).str.zfill(5))
    first = proposed_keys(ORDERS.lazy(), text.lazy())[0]
    assert (first.pairs, first.numbers) == ((("Grower", "No"),), False), "nothing is mended that fits"


def test_columns_are_a_key_together_where_none_is_one_by_itself():
    asked = pl.DataFrame(
        {"hub": ["Fen", "Fen", "Dale", "Bay"], "kind": ["pea", "bean", "pea", "pea"], "kg": [1, 2, 3, 4]}
    )
    sent = pl.DataFrame(
        {"To": ["Fen", "Fen", "Dale", "Moor"], "Kind": ["bean", "pea", "pea", "bean"], "kg": [1, 2, 9, 9]}
    )
    first = proposed_keys(asked.lazy(), sent.lazy())[0]
    assert set(first.pairs) == {("hub", "To"), ("kind", "Kind")} and (first.rows, first.of, first.unique) == (
        3,
        4,
        True,
    )
    twice = pl.concat([sent, sent])
    assert all(len(one.pairs) == 1 for one in proposed_keys(asked.lazy(), twice.lazy())), (
        "no key where rows stand twice"
    )


def test_nothing_is_proposed_where_nothing_meets():
    assert proposed_keys(ORDERS.lazy(), pl.DataFrame({"x": ["p", "q", "r"]}).lazy()) == []
    assert proposed_keys(ORDERS.head(0).lazy(), GROWERS.lazy()) == []


CELL = st.none() | st.sampled_from(["1", "01", "2", "x", "X", " ", "3.0", "3"])


@given(st.lists(CELL, min_size=1, max_size=12), st.lists(CELL, min_size=1, max_size=12))
def test_as_many_rows_meet_as_a_proposal_says(bench_of, left, right):
    mine, its = pl.DataFrame({"a": left}, schema={"a": pl.String}), pl.DataFrame({"b": right}, schema={"b": pl.String})
    for one in proposed_keys(mine.lazy(), its.lazy()):
        chosen = {
            "keys": [{"column": column, "reference": reference} for column, reference in one.pairs],
            "as_numbers": one.numbers,
            "many": "first",
            "bring": [{"column": "b", "name": "its"}],
        }
        done = bench_of().apply("look_up", chosen, mine, its)
        assert done.height - done.rows["unmatched"] == one.rows


@pytest.fixture(scope="module")
def bench_of(tmp_path_factory):
    from tests import sources  # noqa: F401
    from tests.conftest import Bench

    return lambda: Bench(tmp_path_factory.mktemp("keys"))


@pytest.mark.parametrize("kind", ["look_up", "join", "compare_tables"])
def test_text_and_numbers_meet_where_digits_are_numbers(bench, kind):
    chosen = {"keys": [{"column": "Grower", "reference": "No"}]}
    if kind != "compare_tables":
        chosen["bring"] = [{"column": "Name", "name": ""}]
    with pytest.raises(Problem, match="never meet") as told:
        bench.apply(kind, chosen, ORDERS, GROWERS)
    assert told.value.way_out == "Choose “Compare digits as numbers”."
    done = bench.apply(kind, {**chosen, "as_numbers": True}, ORDERS, GROWERS)
    if kind != "compare_tables":
        assert done.frames[""]["Name"].to_list() == [f"Name {n % 10}" for n in range(40)]
