"""Sort rows and Take rows, against plain Python."""

import re
import unicodedata

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from updraft.core import Problem
from updraft.core.engine.table import compute
from updraft.core.steps import Tables, kinds

WORDS = st.one_of(st.none(), st.sampled_from([" ", "Élan", "elan", "B2", "b2", "b10"]))
ROWS = st.lists(st.tuples(WORDS, st.one_of(st.none(), st.integers(-3, 3))), max_size=25)


def made(rows) -> pl.DataFrame:
    frame = pl.DataFrame(rows, schema={"text": pl.String, "n": pl.Int64}, orient="row")
    return frame.with_columns(pl.int_range(pl.len()).alias("place"))


def done(kind: str, settings: dict, table: pl.DataFrame):
    kind = kinds()[kind]
    return compute(kind, kind.Settings.model_validate(settings), Tables.of(table.lazy()), None)


def natural(text: str) -> tuple:
    """Text without accents and case, its numbers as numbers: the long way round."""
    plain = unicodedata.normalize("NFKD", text.strip())
    plain = "".join(c for c in plain if not unicodedata.category(c).startswith("M")).lower()
    parts = re.findall(r"\d+|\D+", plain)
    return "".join(f"{int(p):024d}" if p.isdigit() else p for p in parts), text


@given(ROWS, st.booleans(), st.booleans(), st.sampled_from(["last", "first"]))
def test_rows_are_sorted_as_plain_python_sorts_them(rows, text_down, n_down, empty):
    table = made(rows)
    order = [{"column": "text", "down": text_down}, {"column": "n", "down": n_down}]
    found = done("sort_rows", {"order": order, "empty": empty}, table).frames[""]
    expected = table.rows()
    for place, down, key in ((1, n_down, lambda v: v), (0, text_down, natural)):
        blank = [row for row in expected if row[place] is None or row[place] in ("", " ")]
        filled = [row for row in expected if row not in blank]
        filled.sort(key=lambda row: key(row[place]), reverse=down)
        expected = filled + blank if empty == "last" else blank + filled
    assert found.rows() == expected


BY = st.sampled_from(["first", "last", "largest", "smallest"])


@given(ROWS, st.integers(0, 5), st.booleans(), BY, st.sampled_from(["n", "text"]))
def test_rows_taken_are_those_plain_python_takes_and_the_rest_is_beside(rows, count, grouped, by, column):
    table, within = made(rows), "text" if column == "n" else "n"
    settings = {"by": by, "count": count, "column": column, "within": [within] if grouped else []}

    def key(row):
        return row[1] if column == "n" else natural(row[0])

    found = done("take_rows", settings, table)
    groups: dict = {}
    for row in table.rows():
        groups.setdefault(row[table.columns.index(within)] if grouped else "", []).append(row)
    expected = []
    for group in groups.values():
        if by in ("first", "last"):
            expected += group[:count] if by == "first" else group[max(len(group) - count, 0) :]
        else:
            filled = [row for row in group if row[table.columns.index(column)] not in (None, "", " ")]
            expected += sorted(filled, key=key, reverse=by == "largest")[:count]
    taken = found.frames[""].rows()
    assert sorted(taken, key=lambda row: row[2]) == sorted(expected, key=lambda row: row[2])
    order = [key(row) for row in taken] if by in ("largest", "smallest") else [row[2] for row in taken]
    assert order == sorted(order, reverse=by == "largest")
    rest = found.frames["rest"]["place"].to_list()
    assert rest == sorted(rest) and sorted([row[2] for row in taken] + rest) == list(range(len(rows)))


def test_rows_at_random_are_as_many_repeatable_and_not_always_the_same():
    table = made([("x" if n % 3 else "y", n) for n in range(300)])
    settings = {"by": "random", "count": 20, "within": ["text"]}
    drawn = [done("take_rows", {**settings, "seed": seed}, table).frames[""]["n"].to_list() for seed in (1, 1, 2)]
    assert drawn[0] == drawn[1] != drawn[2] and len(drawn[0]) == 40 and drawn[0] == sorted(drawn[0])
    assert sum(n % 3 == 0 for n in drawn[0]) == 20
    hits = [sum(drawn_) / 40 for drawn_ in drawn]
    assert all(100 < mean < 200 for mean in hits), "from all parts of the table"


@pytest.mark.parametrize(
    ("kind", "settings", "said"),
    [
        ("sort_rows", {}, "“By”: none is chosen yet"),
        ("sort_rows", {"order": [{"column": "Text"}]}, "Did you mean “text”"),
        ("sort_rows", {"order": [{"column": "list"}]}, "have no order"),
        ("take_rows", {"by": "largest"}, "“By”: none is chosen yet"),
        ("take_rows", {"by": "smallest", "column": "list"}, "have no order"),
        ("take_rows", {"within": ["gone"]}, "not in the table"),
    ],
)
def test_what_cannot_be_put_in_order_is_said(kind, settings, said):
    table = made([("a", 1)]).with_columns(pl.lit([1]).alias("list"))
    with pytest.raises(Problem, match=said):
        done(kind, settings, table)


def test_a_million_groups_no_rows_and_numbers_that_are_none():
    big = pl.DataFrame({"text": [f"g{n}" for n in range(200_000)], "n": range(200_000)})
    assert done("take_rows", {"count": 1, "within": ["text"]}, big).height == 200_000
    assert done("take_rows", {"by": "largest", "column": "n", "count": 2}, big.clear()).height == 0
    odd = pl.DataFrame({"n": [1.0, float("nan"), None, 5.0]})
    assert done("sort_rows", {"order": [{"column": "n", "down": True}]}, odd).frames[""]["n"].to_list()[:2] == [
        5.0,
        1.0,
    ]
    found = done("take_rows", {"by": "largest", "column": "n", "count": 9}, odd)
    assert found.height == 2 and found.facts[0].text == "2 rows have no n"


REVISED = pl.DataFrame({"lot": ["A", "A", "A", "B"], "rev": ["Rev. 10", "Rev. 9", "Rev. 2", "Rev. 1"]})


@pytest.mark.parametrize(
    ("chosen", "stays"),
    [
        ({}, "Rev. 2"),
        ({"stays": "last"}, "Rev. 10"),
        ({"text": "signs"}, "Rev. 10"),
        ({"order": [{"column": "rev", "down": True}]}, "Rev. 10"),
    ],
)
def test_the_first_by_a_text_that_holds_numbers_is_the_one_with_the_smallest(bench, chosen, stays):
    settings = {"keys": ["lot"], "order": [{"column": "rev"}], **chosen}
    assert bench.apply("remove_duplicates", settings, REVISED).frames[""]["rev"].to_list() == [stays, "Rev. 1"]


def test_the_smallest_rows_by_such_a_text_are_the_first_of_that_order(bench):
    taken = bench.apply("take_rows", {"by": "smallest", "count": 2, "column": "rev"}, REVISED)
    assert taken.frames[""]["rev"].to_list() == ["Rev. 1", "Rev. 2"]
