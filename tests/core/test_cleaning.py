"""The kinds that clean, in their full range: what each makes of a small table, worked out by hand."""

from datetime import date, datetime

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from updraft.core import Problem
from updraft.core.engine.table import compute
from updraft.core.steps import Tables, kinds


class Flow:
    """What a step may ask of its flow here."""

    presummed = None

    @staticmethod
    def parameter(name):
        return {"least": 85}[name]

    @staticmethod
    def learnt(by, make):
        return make()


def done(kind, table, **settings):
    """What a step makes; tables among the settings stand at ports of their names."""
    others = {name: settings.pop(name).lazy() for name in list(settings) if isinstance(settings[name], pl.DataFrame)}
    made = kinds()[kind].Settings.model_validate(settings)
    return compute(kinds()[kind], made, Tables.of(table.lazy(), **others), Flow)


def of(kind, values, name="x", **settings):
    """What a step makes of one column, without that column where it stays as it was."""
    table = pl.DataFrame({name: values}, strict=False)
    found = done(kind, table, **settings).lazy().collect()
    fresh = [column for column in found.columns if column != name]
    return {column: found[column].to_list() for column in fresh or [name]}


def facts(found):
    return {fact.code: fact.count for fact in found.facts}


GRAMS = [1.0, 25, 99.5, None]


@pytest.mark.parametrize(
    ("settings", "expected"),
    [
        ({}, ["0 to 10", "20 to 30", "90 to 100", None]),
        ({"width": 0.5, "start": 1}, ["1 to 1.5", "25 to 25.5", "99.5 to 100", None]),
        ({"by": "edges", "edges": ["25", "50"]}, ["below 25", "25 to 50", "50 and above", None]),
        ({"by": "edges", "edges": ["50"], "names": ["light", "heavy"]}, ["light", "light", "heavy", None]),
        ({"by": "equal", "many": 3, "names": ["a", "b", "c"]}, ["a", "a", "c", None]),
        ({"by": "even", "many": 3}, ["below 25", "25 to 99.5", "99.5 and above", None]),
    ],
)
def test_numbers_go_into_bins(settings, expected):
    assert of("bins", GRAMS, column="x", **settings) == {"Bin": expected}


@given(st.lists(st.floats(-1e6, 1e6), min_size=1, max_size=30), st.sampled_from([0.1, 0.25, 3.0, 10.0]))
def test_each_number_lies_in_its_bin(numbers, width):
    for number, text in zip(numbers, of("bins", numbers, column="x", width=width)["Bin"], strict=True):
        low, high = map(float, text.split(" to "))
        near = 1e-9 * max(abs(number), 1)
        assert low - near <= number < high + near


@pytest.mark.parametrize(
    ("unit", "to", "expected"),
    [
        ("kg", "g", [1000.0, 25000.0, 99500.0, None]),
        ("°C", "F", [33.8, 77.0, 211.1, None]),
        ("acres", "ha", [0.40468564224, 10.117141056, 40.26622140288, None]),
        ("lb", "oz", [16.0, 400.0, 1592.0, None]),
    ],
)
def test_units_are_brought_to_another(unit, to, expected):
    found = of("convert_units", GRAMS, columns={"names": ["x"]}, unit=unit, to=to)["x"]
    assert found == [None if one is None else pytest.approx(one, rel=1e-13) for one in expected]


def test_mixed_units_become_one_and_unknown_ones_are_counted():
    table = pl.DataFrame({"x": [2.0, 1, 5, 3, None], "unit": ["kg", "OZ", "tray", None, "kg"]})
    settings = {"columns": {"names": ["x"]}, "by": "column", "unit_column": "unit", "to": "g"}
    found = done("convert_units", table, **settings)
    assert found.lazy().collect().rows() == [(2000, "g"), (28.349523125, "g"), (5, "tray"), (3, None), (None, "g")]
    assert facts(found)["unit_unknown"] == 2
    more = done("convert_units", table, **settings, further=[{"unit": "Tray", "times": 250}])
    assert more.lazy().collect()["x"].to_list()[2] == 1250


TEXTS = [
    "12 x 5 g, 1,5 kg",
    "ask ann@fen.example, https://fen.example/a. by 3 March 2026",
    "5/4/2026 or 2026-12-31",
    None,
]


@pytest.mark.parametrize(
    ("settings", "expected"),
    [
        ({"what": "number", "place": -1, "comma": True}, [1.5, 2026, 31, None]),
        ({"what": "unit"}, ["x", "March", "or", None]),
        ({"what": "unit", "place": -1}, ["kg", "March", "or", None]),
        ({"what": "email"}, [None, "ann@fen.example", None, None]),
        ({"what": "url"}, [None, "https://fen.example/a", None, None]),
        ({"what": "date"}, [None, date(2026, 3, 3), date(2026, 4, 5), None]),
        ({"what": "date", "month_first": True}, [None, date(2026, 3, 3), date(2026, 5, 4), None]),
        ({"what": "date", "place": 2}, [None, None, date(2026, 12, 31), None]),
        ({"what": "start", "count": 2}, ["12", "as", "5/", None]),
        ({"what": "end", "count": 2}, ["kg", "26", "31", None]),
        ({"what": "pattern", "pattern": r"(\d+) [a-z]", "place": 2}, ["5", None, None, None]),
    ],
)
def test_a_part_of_text_is_taken_out(settings, expected):
    assert of("extract_text", TEXTS, column="x", **settings) == {"Extracted": expected}


@pytest.mark.parametrize(
    ("settings", "expected"),
    [
        ({"by": "change"}, {"x 1": ["GZ", "A", None, None], "x 2": ["1042", "1", None, None]}),
        ({"by": "change", "names": ["letters"]}, {"letters": ["GZ1042", "A1", None, None]}),
        ({"by": "pattern", "pattern": "[0-9]"}, {f"x {n}": ["GZ" if n == 1 else None, "A" if n == 1 else None, None, None]
                                                 for n in range(1, 6)}),
        ({"by": "places", "places": ["1", "4"]}, {"x 1": ["G", "A", None, None], "x 2": ["Z10", "1", None, None],
                                                  "x 3": ["42", None, None, None]}),
        ({"by": "places", "places": ["1", "4"], "names": ["a", "b"]}, {"a": ["G", "A", None, None],
                                                                     "b": ["Z1042", "1", None, None]}),
        ({"by": "mark", "at": "0"}, {"x 1": ["GZ1", "A1", None, None], "x 2": ["42", None, None, None]}),
    ],
)  # fmt: skip
def test_text_is_split_in_several_ways(settings, expected):
    assert of("split_column", ["GZ1042", "A1", "", None], column="x", **settings) == expected


def test_a_split_keeps_every_character_whatever_the_way():
    texts = ["GZ-1042/b", "12ab", "no", "a1b2c3"]
    for settings in ({"by": "change"}, {"by": "places", "places": ["1", "3", "9"]}):
        rows = of("split_column", texts, column="x", into="rows", **settings)["x"]
        assert "".join(one for one in rows if one) == "".join(texts)


@pytest.mark.parametrize(
    ("template", "empty", "expected"),
    [
        ("{v} ({h})", False, ["Pea (Fen)", "Bean", None]),
        ("{v} ({h})", True, ["Pea (Fen)", "Bean ()", None]),
        ("lot {v}/{h}, {{x}}", False, ["lot Pea/Fen, {x}", "lot Bean, {x}", None]),
    ],
)
def test_columns_are_combined_by_a_template(template, empty, expected):
    table = pl.DataFrame({"v": ["Pea", "Bean", None], "h": ["Fen", None, None]})
    found = done("combine_columns", table, by="template", template=template, empty=empty, into="t")
    assert found.lazy().collect()["t"].to_list() == expected


@pytest.mark.parametrize(
    ("to", "expected"),
    [
        ("year", [2026, 2027]), ("half", ["2026-H1", "2027-H1"]), ("quarter", ["2026-Q2", "2027-Q1"]),
        ("month", ["2026-06", "2027-01"]), ("week", ["2026-W27", "2026-W53"]), ("month_number", [6, 1]),
        ("month_name", ["June", "January"]), ("day", [30, 1]), ("weekday", [2, 5]),
        ("weekday_name", ["Tuesday", "Friday"]), ("day_of_year", [181, 1]), ("time", ["14:05", "00:00"]),
    ],
)  # fmt: skip
def test_a_part_is_taken_of_dates(to, expected):
    days = [datetime(2026, 6, 30, 14, 5), datetime(2027, 1, 1)]
    assert of("format_dates", days, to=to) == {"x": expected}
    assert of("format_dates", days, to=to, keep=True) == {f"x {to.replace('_', ' ')}": expected}


@pytest.mark.parametrize(
    ("language", "expected"),
    [
        ("any", "ä č c2 c10 ch cz h ñ nz o ö z"), ("sv", "č c2 c10 ch cz h ñ nz o z ä ö"),
        ("cs", "ä c2 c10 cz č h ch ñ nz o ö z"), ("es", "ä č c2 c10 ch cz h nz ñ o ö z"),
        ("de", "ä č c2 c10 ch cz h ñ nz o ö z"), ("da", "č c2 c10 ch cz h ñ nz o z ä ö"),
    ],
)  # fmt: skip
def test_rows_are_sorted_as_a_language_does(language, expected):
    words = ["z", "ö", "o", "nz", "ñ", "h", "cz", "ch", "č", "c10", "c2", "ä"]
    assert of("sort_rows", words, order=[{"column": "x"}], language=language)["x"] == expected.split()


LIST = pl.DataFrame({"old": ["Fenn", "FEN", None], "new": ["Fen", "Fen", "x"]})


@pytest.mark.parametrize(
    ("others", "expected"),
    [
        ("keep", [("Fen",), ("Dale",), ("Fen",), (None,)]),
        ("empty", [("Fen",), (None,), ("Fen",), (None,)]),
        ("mark", [("Fen", False), ("Dale", True), ("Fen", False), (None, False)]),
        ("reject", [("Fen",), ("Fen",), (None,)]),
    ],
)
def test_values_are_recoded_by_another_table(others, expected):
    table = pl.DataFrame({"h": ["Fenn", "Dale", "FEN", None]})
    found = done("recode_values", table, column="h", by="table", old="old", new="new", others=others, list=LIST)
    assert found.lazy().collect().rows() == expected
    assert found.frames["others"].rows() == [("Dale", 1)] and facts(found)["not_listed"] == 1
    assert ("rejected" in found.frames) == (others == "reject")


def test_names_come_from_a_typed_list_and_lists_open_into_columns():
    table = pl.DataFrame({"a": [["x", "y"], [], None, ["z"]], "a 2": [1, 2, 3, 4]})
    found = done("expand_lists", table, column="a", into="columns").lazy().collect()
    assert found.columns == ["a 1", "a 2_", "a 2"] and found["a 1"].to_list() == ["x", None, None, "z"]
    named = done("rename_columns", table, by="typed", pairs=[{"old": "a 2", "new": "n"}, {"old": "q", "new": "r"}])
    assert named.lazy().collect().columns == ["a", "n"]


LOTS = pl.DataFrame({"germ": [90, 101, None, 90], "hub": ["Fen", "Dale", "Nowhere", "Fen"]})
HUBS = pl.DataFrame({"name": ["Fen", "Dale"]})


@pytest.mark.parametrize(
    ("rule", "broken"),
    [
        ({"must": "filled", "columns": ["germ", "hub"]}, [2]),
        ({"must": "unique", "columns": ["hub"]}, [0, 3]),
        ({"must": "unique", "columns": ["hub", "germ"]}, [0, 3]),
        ({"must": "one_of", "columns": ["hub"], "values": ["Fen", "Nowhere"]}, [1]),
        ({"must": "range", "columns": ["germ"], "low": "95", "high": "100"}, [0, 1, 3]),
        ({"must": "matches", "columns": ["hub"], "pattern": "[A-Z]en"}, [0, 1, 2, 3][1:3]),
        ({"must": "exists", "columns": ["hub"], "reference": "name"}, [2]),
        ({"must": "formula", "formula": "germ >= params.least and hub != 'Dale'"}, [1, 2]),
    ],
)
def test_rows_that_do_not_meet_a_rule_are_rejected_with_the_reason(rule, broken):
    table = LOTS.with_row_index("at")
    found = done("check", table, rules=[{**rule, "then": "reject"}], reference=HUBS)
    assert found.lazy().collect()["at"].to_list() == [at for at in range(4) if at not in broken]
    rejected = found.frames["rejected"]
    assert rejected["at"].to_list() == broken and set(rejected["Why"]) != {None}
    assert facts(found) == {"check:1": len(broken)}
    warned = done("check", table, rules=[rule], reference=HUBS)
    assert warned.lazy().collect().equals(table) and warned.frames["results"]["Not met"].to_list() == [len(broken)]


def test_rules_of_the_table_warn_or_stop():
    rules = [
        {"must": "rows", "low": "4", "high": "4"},
        {"must": "sum", "columns": ["germ"], "low": "281", "high": "281"},
    ]
    assert facts(done("check", LOTS, rules=rules)) == {}
    wrong = [{"must": "rows", "low": "5"}, {"must": "sum", "columns": ["germ"], "high": "280"}]
    assert facts(done("check", LOTS, rules=wrong)) == {"check:1": 1, "check:2": 1}
    with pytest.raises(Problem, match="there are 5 to … rows"):
        done("check", LOTS, rules=[{**wrong[0], "then": "stop"}])
    with pytest.raises(Problem, match="cannot be rejected row by row"):
        done("check", LOTS, rules=[{**wrong[0], "then": "reject"}])


def test_picked_rows_are_found_by_their_key():
    picked = [{"key": ["Fen", "90"]}, {"key": ["Nowhere", ""]}, {"key": ["Moor", "1"]}]
    found = done("pick_rows", LOTS, keys=["hub", "germ"], rows=picked)
    assert found.lazy().collect()["Picked"].to_list() == [True, False, True, True]
    assert found.frames["missing"].rows() == [("Moor", "1")] and facts(found) == {"not_there": 1, "not_alone": 1}
    for do, left in (("keep", [0, 2, 3]), ("drop", [1])):
        kept = done("pick_rows", LOTS.with_row_index("at"), keys=["hub", "germ"], rows=picked, do=do)
        assert kept.lazy().collect()["at"].to_list() == left


@pytest.mark.parametrize(
    ("kind", "settings", "said"),
    [
        ("bins", {"column": "germ", "width": 0}, "it is not above 0"),
        ("bins", {"column": "germ", "by": "edges", "edges": ["5", "5"]}, "not above the edge before"),
        ("bins", {"column": "germ", "by": "equal", "many": 3, "names": ["a"]}, "there are 1 for 3 bins"),
        ("convert_units", {"columns": {"names": ["germ"]}, "unit": "kg", "to": "m"}, "mass, the other of length"),
        ("convert_units", {"columns": {"names": ["germ"]}, "unit": "gramms", "to": "g"}, "Did you mean “grams”"),
        ("split_column", {"column": "hub", "by": "places", "places": ["3", "2"]}, "no number above the one before"),
        ("split_column", {"column": "hub", "by": "pattern", "pattern": "("}, "a \\( is not closed"),
        ("combine_columns", {"by": "template", "template": "{hubb}", "into": "t"}, "Did you mean “hub”"),
        ("combine_columns", {"by": "template", "template": "hub", "into": "t"}, "it names no column"),
        ("check", {"rules": [{"must": "range", "columns": ["hub"], "low": "1"}]}, "neither numbers nor dates"),
        ("check", {"rules": [{"must": "formula", "formula": "germ + 1"}]}, "no yes or no"),
        ("pick_rows", {"keys": ["hub"], "rows": [{"key": ["a", "b"]}]}, "the key has 1 columns now"),
        ("recode_values", {"column": "hub", "by": "table", "list": LIST}, "Old values in”: none is chosen yet"),
    ],
)
def test_what_is_wrong_is_said_with_a_way_out(kind, settings, said):
    with pytest.raises(Problem, match=said):
        done(kind, LOTS, **settings)


def test_a_split_into_ten_thousand_columns_is_refused():
    with pytest.raises(Problem, match="it would become 10,000 columns; 500 are the most"):
        of("split_column", [",".join("x" * 10_000)], column="x", at=",")
