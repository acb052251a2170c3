"""Figures of all rows at once (totals, shares, no groups) from what was counted and added up part by part."""

from fractions import Fraction

import polars as pl
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st
from polars.testing import assert_frame_equal

from tests.core.test_spreading import check, cut, of_all, of_parts
from updraft.core.engine import spreading
from updraft.core.engine.hands import Here
from updraft.core.engine.pieces import in_memory
from updraft.core.engine.spreading import Way
from updraft.core.steps import kinds

SUMMARISE = kinds()["summarise"]
FIGURES = ["rows", "rows_share", "filled", "sum", "share", "mean", "min", "max", "range"]
COLUMNS = {"hub": pl.String, "n": pl.Int64, "kg": pl.Float64, "day": pl.Date}
KG = st.none() | st.decimals(-9, 9, places=2).map(float) | st.sampled_from([0.1, 0.2, 4e8 + 0.1, 7e9 + 0.000001, -7e9])
ODD = st.sampled_from([1 / 3, 1e15, 1e16, -1e16, 0.1234567, float("nan"), float("inf")])
ROWS = st.lists(
    st.tuples(
        st.sampled_from(["Fen", "Dale", "", None]), st.none() | st.integers(-9, 9) | st.sampled_from([10**14, -(10**13)]),
        KG, st.none() | st.dates(),
    ),
    max_size=14,
)  # fmt: skip


def figure(name, column):
    rows = name in ("rows", "rows_share")
    return {"figure": name, **({} if rows else {"column": column}), "name": f"{name} {column}"}


CHOSEN = st.fixed_dictionaries(
    {
        "by": st.sampled_from([[], ["hub"], ["hub", "day"], ["kg"]]),
        "figures": st.lists(st.builds(figure, st.sampled_from(FIGURES), st.sampled_from([*COLUMNS])), min_size=1,
                            max_size=4, unique_by=lambda one: one["name"]),
        "totals": st.sampled_from(["none", "all", "each"]),
    }
)  # fmt: skip


def table_of(rows, odd=None) -> pl.DataFrame:
    table = pl.DataFrame(rows, schema=COLUMNS, orient="row")
    if odd is None or not table.height:
        return table
    return table.with_columns(kg=pl.when(pl.int_range(pl.len()) == table.height // 2).then(odd).otherwise("kg"))


# A sum whose last places are lost in numbers a billion times as large: told are the places that are sure.
@example(
    {"by": ["kg"], "figures": [figure("sum", "kg")], "totals": "none"},
    [("Fen", None, 0.01, None), ("Fen", None, 7e9 + 0.000001, None), ("Fen", None, -7e9, None)],
    None, [], 1,
)  # fmt: skip
@settings(max_examples=300)
@given(CHOSEN, ROWS, st.none() | ODD, st.lists(st.integers(0, 14), max_size=4), st.integers(1, 5))
def test_parts_give_what_the_whole_gives_to_the_last_place(chosen, rows, odd, cuts, size):
    made = SUMMARISE.Settings.model_validate(chosen)
    check(SUMMARISE, made, {"table": [table_of(rows, odd)]}, cuts, 2, size)


LOTS = [("Fen" if n % 3 else "Dale", n % 7 or None, n % 1000 / 100 + n % 2 * 4e5, None) for n in range(5000)]


def of_lots(chosen: dict, rows=LOTS, odd=None):
    made = SUMMARISE.Settings.model_validate({"by": [], **chosen})
    pieces = cut(table_of(rows, odd), range(0, 5000, 97))
    return of_parts(SUMMARISE, made, {"table": [pieces]}, (), Way(in_memory, Here(in_memory), 97, 4, 0))


@pytest.mark.parametrize(
    "chosen",
    [
        {"figures": [figure("sum", "kg"), figure("mean", "n"), figure("rows", "")]},
        {"by": ["hub"], "figures": [figure("share", "kg")]},
        {"by": ["n", "kg"], "totals": "each", "figures": [figure("sum", "kg"), figure("mean", "kg")]},
        {"by": ["hub"], "totals": "all", "figures": [figure("range", "kg"), figure("max", "day")]},
    ],
)
def test_no_more_than_a_part_is_held_for_figures_of_all_rows(chosen, monkeypatch):
    asked = []
    monkeypatch.setattr(spreading, "groups_of", lambda *some: asked.append(1) or groups_of(*some))
    made = of_lots(chosen)
    assert not made.together and len(asked) > 50 and made.rows_in == 5000
    whole = of_all(SUMMARISE, SUMMARISE.Settings.model_validate({"by": [], **chosen}), {"table": [table_of(LOTS)]})
    assert_frame_equal(made.outputs[""].lazy().collect(), whole.frames[""].lazy().collect(), check_exact=True)
    assert made.facts == whole.facts


groups_of = spreading.groups_of


@pytest.mark.parametrize("more", [{}, {"by": ["hub"], "totals": "all"}])
def test_a_sum_of_all_rows_does_not_tell_in_what_pieces_they_lay(more):
    chosen = {"figures": [figure("sum", "kg"), figure("mean", "kg")], **more}
    rows = [("Fen", None, None, None), ("Fen", None, 1.89, None), ("Fen", None, 1 / 3, None), ("Fen", None, 0.01, None)]
    made = SUMMARISE.Settings.model_validate(chosen)
    whole = pl.DataFrame(rows, schema=COLUMNS, orient="row")
    sums = [
        of_all(SUMMARISE, made, {"table": [one]}) for one in (whole, pl.concat([whole[:2], whole[2:]], rechunk=False))
    ]
    one, other = (table.frames[""].lazy().collect() for table in sums)
    assert_frame_equal(one, other, check_exact=True)


@pytest.mark.parametrize("odd", [1 / 3, 1e16, float("nan")])
def test_where_the_order_of_rows_would_tell_all_are_held_and_that_is_said(odd):
    assert "round them before" in of_lots({"figures": [figure("sum", "kg")]}, odd=odd).together
    assert not of_lots({"figures": [figure("max", "kg")]}, odd=odd).together, "nothing is added up"


def test_a_total_beyond_what_a_decimal_holds_keeps_its_last_places():
    rows = [("Fen", None, 3e9 + n / 1_000_000, None) for n in range(1, 401)]
    made = of_lots({"figures": [figure("sum", "kg")]}, rows)
    [total] = made.outputs[""].lazy().collect().row(0)
    exact = 400 * 3_000_000_000 + Fraction(400 * 401 // 2, 1_000_000)
    assert total == float(exact) and not made.together
