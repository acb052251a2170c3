"""Figures of groups, against Python's statistics; patterns of columns' names, which mean the same wherever one stands."""

import json
import re
import statistics

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.core.test_cleaning import done
from updraft.core import Problem
from updraft.core.flow import dump, load
from updraft.core.steps.choice import ColumnChoice
from updraft.core.values.common import names_like

ROWS = st.lists(
    st.tuples(
        st.sampled_from("ab"), st.none() | st.integers(-50, 50), st.sampled_from(["Rev. 2", "Rev. 10", "rev. 1", None])
    ),
    min_size=1,
    max_size=12,
)
FIGURES = [
    {"figure": "percentile", "column": "n", "share": 25, "name": "quarter"},
    {"figure": "deviation", "column": "n", "name": "spread"},
    {"figure": "rows", "name": "above", "where": {"of": [{"column": "n", "test": "more", "value": "0"}]}},
    {"figure": "sum", "column": "n", "name": "sum above", "where": {"of": [{"column": "n", "test": "more", "value": "0"}]}},
    {"figure": "first", "column": "n", "along": "rev", "name": "of the first"},
    {"figure": "last", "column": "n", "along": "rev", "name": "of the last"},
    {"figure": "max", "column": "rev", "name": "newest"},
]  # fmt: skip


def number_in(rev: str) -> int:
    return int(re.sub(r"\D", "", rev))


@given(ROWS)
def test_figures_are_what_plain_python_makes_of_each_group(rows):
    table = pl.DataFrame(rows, schema={"g": pl.String, "n": pl.Int64, "rev": pl.String}, orient="row")
    for made in done("summarise", table, by=["g"], figures=FIGURES).lazy().collect().to_dicts():
        its = [row for row in rows if row[0] == made["g"]]
        numbers = sorted(n for _, n, _ in its if n is not None)
        above = [n for n in numbers if n > 0]
        ranked = sorted(((n, rev) for _, n, rev in its if n is not None and rev), key=lambda one: number_in(one[1]))
        assert made["above"] == len(above) and made["sum above"] == (sum(above) if above else None)
        assert made["spread"] == (pytest.approx(statistics.stdev(numbers)) if len(numbers) > 1 else None)
        if numbers:
            low, rest = divmod((len(numbers) - 1) * 0.25, 1)
            upper = numbers[min(int(low) + 1, len(numbers) - 1)]
            assert made["quarter"] == pytest.approx(numbers[int(low)] + rest * (upper - numbers[int(low)]))
        assert made["of the first"] == (ranked[0][0] if ranked else None)
        if ranked:
            assert (made["of the last"], number_in(ranked[-1][1])) == (
                ranked[-1][0],
                max(number_in(r) for _, r in ranked),
            )
        revs = [rev for *_, rev in its if rev]
        assert made["newest"] == (max(revs, key=number_in) if revs else None), "texts are in natural order"


def test_a_figure_of_some_rows_says_which_in_its_name():
    table = pl.DataFrame({"hub": ["Fen", "Fen"], "kg": [1, 5]})
    some = {"of": [{"column": "kg", "test": "more", "value": "2"}]}
    found = done(
        "summarise",
        table,
        by=["hub"],
        figures=[{"figure": "percentile", "column": "kg"}, {"figure": "rows", "where": some}],
    )
    assert found.lazy().collect().columns == ["hub", "90 % percentile of kg", "Rows where kg is more than 2"]
    with pytest.raises(Problem, match="gone"):
        done("summarise", table, figures=[{"figure": "first", "column": "kg", "along": "gone"}])


NAMES = ["Score 1", "Score 2 (raw)", "score", "No. 7", "2024", "2025"]


@pytest.mark.parametrize(
    "pattern, fits",
    [
        ("Score *", ["Score 1", "Score 2 (raw)"]),
        ("score", ["score"]),
        ("* (raw)", ["Score 2 (raw)"]),
        ("No. ?", ["No. 7"]),
        ("score .*", ["Score 1", "Score 2 (raw)"]),
        ("[0-9]{4}", ["2024", "2025"]),
        ("2024|score", ["score", "2024"]),
    ],
)
def test_a_pattern_of_names_means_the_same_in_a_choice_a_figure_and_a_formula(pattern, fits):
    assert names_like(NAMES, pattern) == fits
    table = pl.DataFrame({name: [n] for n, name in enumerate(NAMES)})
    assert ColumnChoice(by="pattern", pattern=pattern).resolve(table.schema) == fits
    summed = done("summarise", table, figures=[{"figure": "sum", "like": pattern, "name": "of *"}])
    assert summed.lazy().collect().columns == [f"of {name}" for name in fits]
    worked = done("calculate", table, columns=[{"name": "sum", "formula": f'sum(columns("{pattern}"))'}])
    assert worked.lazy().collect()["sum"].to_list() == [sum(NAMES.index(name) for name in fits)]


def test_a_choice_in_an_older_flow_takes_the_columns_that_it_took():
    step = {"id": "a", "kind": "tidy_text", "settings": {"columns": {"by": "pattern", "pattern": "ore 1|^2"}}}
    flow = load(json.dumps({"updraft": 3, "steps": [step]}))
    chosen = ColumnChoice.model_validate(flow.steps[0].settings["columns"])
    assert chosen.resolve(pl.Schema(dict.fromkeys(NAMES, pl.String))) == ["Score 1", "2024", "2025"]
    assert load(dump(flow)) == flow, "and is not changed a second time"
