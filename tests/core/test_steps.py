"""Every kind of step, through the real engine."""

from datetime import date

import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from updraft.core import Problem
from updraft.core.problems import wrong_pattern
from updraft.core.steps import Incoming, Tables, find_kinds, kinds
from updraft.core.steps.choice import ColumnChoice
from updraft.core.steps.conditions import Rule, compiled
from updraft.core.steps.naming import check_named

ORDERS = pl.DataFrame(
    {
        "Order": ["LM-1", "LM-2", "LM-3", "Total"],
        "Grower": ["GR-1", " GR-2", "GR-9", None],
        "Variety": ["Chioggia", "chioggia ", "Lemon  Drop", None],
        "Packets": [5, 7, None, 12],
        "On": [date(2026, 3, 1), date(2026, 3, 5), date(2026, 4, 1), None],
    }
)


def where(test: str, column: str = "Packets", **more) -> dict:
    return {"by": "rule", "rule": {"match": "all", "of": [{"column": column, "test": test, **more}]}}


@pytest.mark.parametrize(
    ("settings", "kept"),
    [
        (where("empty", "Grower"), [3]),
        (where("filled", "Grower"), [0, 1, 2]),
        (where("equals", value="7"), [1]),
        (where("not_equals", value="7"), [0, 2, 3]),
        (where("one_of", values=["5", "12"]), [0, 3]),
        (where("more", value="5"), [1, 3]),
        (where("between", value="5", to="7"), [0, 1]),
        (where("at_most", value="7"), [0, 1]),
        (where("less", value="6.5"), [0]),
        (where("contains", "Variety", value="OGG", ignore_case=True), [0, 1]),
        (where("starts", "Variety", value="Ch"), [0]),
        (where("ends", "Variety", value="Drop"), [2]),
        (where("matches", "Order", value=r"^LM-\d$"), [0, 1, 2]),
        (where("at_least", "On", value="2026-03-05"), [1, 2]),
        (where("between", "On", value="2026-03-01", to="2026-03-31"), [0, 1]),
        ({"by": "first", "count": 2}, [0, 1]),
        ({"by": "last", "count": 1}, [3]),
        ({"by": "last", "count": 9}, [0, 1, 2, 3]),
        ({"by": "range", "start": 2, "end": 3}, [1, 2]),
        ({"by": "every", "every": 2}, [0, 2]),
        (
            {
                "by": "rule",
                "rule": {
                    "match": "any",
                    "of": [
                        {"column": "Packets", "test": "equals", "value": "5"},
                        {
                            "match": "all",
                            "of": [
                                {"column": "Packets", "test": "more", "value": "6"},
                                {"column": "Grower", "test": "filled"},
                            ],
                        },
                    ],
                },
            },
            [0, 1],
        ),
    ],
)
def test_keep_and_drop_are_exact_opposites(bench, settings, kept):
    rows = ORDERS.to_dicts()
    assert bench.rows("keep_rows", settings, ORDERS) == [rows[n] for n in kept]
    assert bench.rows("drop_rows", settings, ORDERS) == [rows[n] for n in range(4) if n not in kept]


VALUES = st.one_of(st.none(), st.text("ab ", max_size=3))
CONDITION = st.builds(
    lambda c, t, v: {"column": c, "test": t, "value": v, "to": "b", "values": [v, "a"]},
    st.sampled_from("xy"),
    st.sampled_from(
        [
            "equals",
            "not_equals",
            "one_of",
            "none_of",
            "contains",
            "starts",
            "ends",
            "empty",
            "filled",
            "less",
            "between",
        ]
    ),
    st.text("ab ", max_size=2),
)
RULES = st.builds(
    lambda m, of, g: {"match": m, "of": [*of, *([{"match": "any", "of": g}] if g else [])]},
    st.sampled_from(["all", "any"]),
    st.lists(CONDITION, min_size=1, max_size=3),
    st.lists(CONDITION, max_size=2),
)


@given(st.lists(st.tuples(VALUES, VALUES), min_size=1, max_size=8), RULES)
def test_a_rule_is_true_or_false_in_every_row(rows, rule):
    table = pl.DataFrame(rows, schema={"x": pl.String, "y": pl.String}, orient="row")
    answer = table.select(compiled(Rule.model_validate(rule), table.schema).alias("a"))["a"]
    assert answer.null_count() == 0 and answer.len() == table.height


@pytest.mark.parametrize(
    ("settings", "said"),
    [
        (where("equals", "Packts"), "Did you mean “Packets”"),
        (where("equals", value="many"), "of type whole number"),
        (where("equals", "On", value="yesterday"), "such as 2026-03-31"),
        (where("matches", "Order", value="("), "not a regular expression"),
        ({"by": "rule", "rule": {"of": []}}, "no condition yet"),
        ({"by": "range", "start": 3, "end": 2}, "comes before"),
    ],
)
def test_conditions_that_do_not_fit_say_so(bench, settings, said):
    with pytest.raises(Problem, match=said) as caught:
        bench.apply("keep_rows", settings, ORDERS)
    assert caught.value.step == "it"


def test_text_of_blanks_only_counts_as_empty(bench):
    table = pl.DataFrame({"x": ["a", " ", "\u00a0\u200b", "", None]})
    assert bench.rows("keep_rows", where("filled", "x"), table) == [{"x": "a"}]


def test_tidy_text(bench):
    table = pl.DataFrame({"x": [" a  b\u00a0", "É\tclair", "\u200bz", "   ", None], "n": [1, 2, 3, 4, 5]})
    done = bench.apply("tidy_text", {}, table)
    assert done.frames[""]["x"].to_list() == ["a b", "É clair", "z", None, None]
    assert done.changed == {"x": 4} and done.touched == ("x",)
    plain = {"accents": True, "control": True, "case": "upper", "columns": {"by": "all"}}
    assert bench.rows("tidy_text", plain, pl.DataFrame({"x": ["é\x07e", "straße"]})) == [{"x": "EE"}, {"x": "STRASSE"}]
    for case, text in (
        ("lower", "red russian"),
        ("title", "Red Russian"),
        ("first", "Red russian"),
        ("keep", "RED Russian"),
    ):
        assert bench.rows("tidy_text", {"case": case}, pl.DataFrame({"x": ["RED Russian"]})) == [{"x": text}]


@given(
    st.lists(st.one_of(st.none(), st.text(max_size=20)), min_size=1, max_size=10),
    st.booleans(),
    st.booleans(),
    st.sampled_from(["keep", "lower", "upper"]),
)
@settings(max_examples=30)
def test_tidying_twice_changes_nothing_more(bench, values, accents, control, case):
    chosen = {"accents": accents, "control": control, "case": case}
    once = bench.apply("tidy_text", chosen, pl.DataFrame({"x": values}, schema={"x": pl.String})).frames[""]
    if all(v is None or v.isascii() for v in values):  # upper case of ß and the like is not a fixed point
        assert bench.apply("tidy_text", chosen, once).changed == {}


def test_recode(bench):
    changes = [{"old": "chioggia", "new": "Chioggia"}, {"old": "Lemon  Drop", "new": ""}, {"old": "never", "new": "x"}]
    done = bench.apply("recode_values", {"column": "Variety", "changes": changes, "ignore_blanks": True}, ORDERS)
    assert done.frames[""]["Variety"].to_list() == ["Chioggia", "Chioggia", None, None]
    assert done.changed == {"Variety": 2}
    assert [fact.count for fact in done.facts if fact.code == "unused_changes"] == [1]
    assert bench.apply(
        "recode_values", {"column": "Packets", "changes": [{"old": "5", "new": "50"}], "others": "empty"}, ORDERS
    ).frames[""]["Packets"].to_list() == [50, None, None, None]
    with pytest.raises(Problem, match="of type whole number"):
        bench.apply("recode_values", {"column": "Packets", "changes": [{"old": "5", "new": "five"}]}, ORDERS)
    with pytest.raises(Problem, match="become both"):
        bench.apply(
            "recode_values",
            {"column": "Grower", "ignore_case": True, "changes": [{"old": "a", "new": "1"}, {"old": "A", "new": "2"}]},
            ORDERS,
        )


def test_choose_columns(bench):
    chosen = {"columns": [{"column": "Packets"}, {"column": "Order", "name": "Number"}], "others": "drop"}
    assert bench.apply("choose_columns", chosen, ORDERS).frames[""].columns == ["Packets", "Number"]
    kept = {"columns": [{"column": "On"}], "drop": ["Variety", "gone already"], "others": "keep"}
    assert bench.apply("choose_columns", kept, ORDERS).frames[""].columns == ["On", "Order", "Grower", "Packets"]
    with pytest.raises(Problem, match="two columns would have this name"):
        bench.apply("choose_columns", {"columns": [{"column": "Order", "name": "On"}]}, ORDERS)
    with pytest.raises(Problem, match="no column is left"):
        bench.apply("choose_columns", {"others": "drop"}, ORDERS)


def test_set_types_counts_and_handles_what_does_not_convert(bench):
    table = pl.DataFrame({"n": ["1", " 2 ", "x", None], "d": ["2026-03-01", "31.03.26", "1 Mar 2026", "soon"]})
    settings = {
        "columns": [
            {"column": "n", "type": "whole"},
            {"column": "d", "type": "date", "formats": ["YYYY-MM-DD", "DD.MM.YY"]},
        ]
    }
    done = bench.apply("set_types", settings, table)
    assert done.frames[""]["n"].to_list() == [1, 2, None, None]
    assert done.frames[""]["d"].to_list() == [date(2026, 3, 1), date(2026, 3, 31), None, None]
    assert {f.code: f.count for f in done.facts} == {"not_converted:n": 1, "not_converted:d": 2, "cells_changed": 5}
    assert done.frames["rejected"].rows() == table.rows()[2:]
    rejecting = bench.apply("set_types", {**settings, "failing": "reject"}, table)
    assert rejecting.frames[""].height == 2 and rejecting.frames["rejected"].height == 2
    with pytest.raises(Problem, match="1 value of n is not a whole number: the step is set to stop"):
        bench.apply("set_types", {**settings, "failing": "stop"}, table)
    back = bench.apply("set_types", {"columns": [{"column": "On", "type": "text"}]}, ORDERS)
    assert back.frames[""]["On"][0] == "2026-03-01" and back.changed == {}


def test_any_column_becomes_the_text_that_a_reader_sees(bench):
    table = pl.DataFrame(
        {
            "yes": [True, False, None],
            "n": [60.0, 2.5, None],
            "lots": [["L1", "L2"], [], None],
            "at": [{"hub": "Fen", "day": date(2026, 3, 1)}, None, None],
        }
    )
    columns = [{"column": name, "type": "text"} for name in table.columns]
    done = bench.apply("set_types", {"columns": columns}, table).frames[""]
    assert done["yes"].to_list() == ["yes", "no", None] and done["n"].to_list() == ["60", "2.5", None]
    assert done["lots"].to_list() == ['["L1", "L2"]', "[]", None]
    assert done["at"].to_list() == ['{"hub": "Fen", "day": "2026-03-01"}', None, None]
    lists = bench.apply("set_types", {"columns": [{"column": "lots", "type": "whole"}]}, table)
    assert (
        lists.frames[""]["lots"].null_count() == 3 and {f.code: f.count for f in lists.facts}["not_converted:lots"] == 2
    )


GROWERS = pl.DataFrame(
    {"Code": ["GR-1", "GR-2", "GR-2", None], "Hub": ["Aldermere", "Coldwater", "Saltmarsh", "Highcombe"]}
)
LOOK = {"keys": [{"column": "Grower", "reference": "Code"}], "bring": [{"column": "Hub"}], "ignore_blanks": True}


def test_look_up(bench):
    done = bench.apply("look_up", {**LOOK, "many": "first"}, ORDERS, GROWERS)
    assert done.frames[""]["Hub"].to_list() == ["Aldermere", "Coldwater", None, None]
    assert done.frames[""].columns == [*ORDERS.columns, "Hub"] and done.brought == ("Hub",)
    assert done.frames["unmatched"].rows() == ORDERS.rows()[2:]
    assert done.frames["shared"].rows() == [("GR-2", "Coldwater"), ("GR-2", "Saltmarsh")]
    assert {f.code: f.count for f in done.facts} == {"double_keys": 2, "unmatched_values": 2, "unmatched": 2}
    last = bench.apply("look_up", {**LOOK, "many": "last"}, ORDERS, GROWERS)
    assert last.frames[""]["Hub"].to_list() == ["Aldermere", "Saltmarsh", None, None]
    repeat = bench.apply("look_up", {**LOOK, "many": "repeat"}, ORDERS, GROWERS)
    assert repeat.frames[""]["Hub"].to_list() == ["Aldermere", "Coldwater", "Saltmarsh", None, None]
    with pytest.raises(Problem, match="2 rows of the other table share their key"):
        bench.apply("look_up", LOOK, ORDERS, GROWERS)
    with pytest.raises(Problem, match="one is of type whole number, the other text"):
        bench.apply("look_up", {**LOOK, "keys": [{"column": "Packets", "reference": "Code"}]}, ORDERS, GROWERS)
    with pytest.raises(Problem, match="two columns of this name"):
        bench.apply("look_up", {**LOOK, "bring": [{"column": "Hub", "name": "On"}]}, ORDERS, GROWERS)


def test_look_up_by_several_keys_of_mixed_number_kinds(bench):
    table = pl.DataFrame({"a": [1, 1, 2], "b": ["x", "Y", "x"]})
    other = pl.DataFrame({"k": [1.0, 1.0], "l": ["x", "y"], "v": ["one", "two"]})
    keys = [{"column": "a", "reference": "k"}, {"column": "b", "reference": "l"}]
    done = bench.apply(
        "look_up", {"keys": keys, "bring": [{"column": "v", "name": "word"}], "ignore_case": True}, table, other
    )
    assert done.frames[""]["word"].to_list() == ["one", "two", None]


@given(
    st.lists(st.sampled_from(["a", "b", "c", None]), min_size=1, max_size=12),
    st.lists(st.sampled_from(["a", "b", "c", None]), max_size=6),
    st.sampled_from(["first", "last"]),
)
@settings(max_examples=25)
def test_look_up_keeps_every_row_in_order(bench, left, right, many):
    table = pl.DataFrame({"k": left, "n": range(len(left))}, schema={"k": pl.String, "n": pl.Int64})
    other = pl.DataFrame({"k": right, "v": range(len(right))}, schema={"k": pl.String, "v": pl.Int64})
    done = bench.apply(
        "look_up", {"keys": [{"column": "k", "reference": "k"}], "bring": [{"column": "v"}], "many": many}, table, other
    )
    places = {
        key: n
        for n, key in (enumerate(right) if many == "last" else reversed(list(enumerate(right))))
        if key is not None
    }
    assert done.frames[""]["n"].to_list() == list(range(len(left)))
    assert done.frames[""]["v"].to_list() == [places.get(key) for key in left]


def test_summarise(bench):
    figures = [
        {"figure": "rows"},
        {"figure": "sum", "column": "Packets"},
        {"figure": "mean", "column": "Packets", "name": "Usual"},
        {"figure": "min", "column": "On"},
        {"figure": "max", "column": "On"},
        {"figure": "distinct", "column": "Grower"},
        {"figure": "filled", "column": "Packets"},
    ]
    table = ORDERS.with_columns(Kind=pl.Series(["b", "a", "a", None]))
    rows = bench.rows("summarise", {"by": ["Kind"], "figures": figures}, table)
    assert [row["Kind"] for row in rows] == ["a", "b", None]
    assert rows[0] == {
        "Kind": "a",
        "Rows": 2,
        "Sum of Packets": 7,
        "Usual": 7.0,
        "Smallest of On": date(2026, 3, 5),
        "Largest of On": date(2026, 4, 1),
        "Distinct values of Grower": 2,
        "Filled values of Packets": 1,
    }
    assert [r["Kind"] for r in bench.rows("summarise", {"by": ["Kind"], "order": "first"}, table)] == ["b", "a", None]
    whole = bench.rows("summarise", {"figures": figures[:2]}, table)
    assert whole == [{"Rows": 4, "Sum of Packets": 24}]
    with pytest.raises(Problem, match="cannot be added up"):
        bench.apply("summarise", {"figures": [{"figure": "sum", "column": "Order"}]}, ORDERS)
    with pytest.raises(Problem, match="two columns of the summary"):
        bench.apply("summarise", {"figures": figures[:1] * 2}, ORDERS)


@given(
    st.lists(
        st.tuples(st.sampled_from(["a", "b", None]), st.one_of(st.none(), st.integers(-1000, 1000))),
        min_size=1,
        max_size=30,
    )
)
@settings(max_examples=25)
def test_groups_add_up_to_the_whole(bench, rows):
    table = pl.DataFrame(rows, schema={"g": pl.String, "n": pl.Int64}, orient="row")
    figures = [{"figure": "rows", "name": "rows"}, {"figure": "sum", "column": "n", "name": "sum"}]
    groups = bench.rows("summarise", {"by": ["g"], "figures": figures}, table)
    assert sum(group["rows"] for group in groups) == table.height
    assert sum(group["sum"] or 0 for group in groups) == sum(n or 0 for _, n in rows)


def test_a_column_choice_survives_columns_that_come_and_go():
    schema = pl.Schema({"a": pl.String, "b": pl.Int64, "other a": pl.String})
    assert ColumnChoice(by="types", types=("text",)).resolve(schema) == ["a", "other a"]
    assert ColumnChoice(by="pattern", pattern=".*a$", but=("a",)).resolve(schema) == ["other a"]
    assert ColumnChoice(by="all").resolve(schema) == ["a", "b", "other a"]
    with pytest.raises(Problem, match="“other b”"):
        ColumnChoice(names=("other b",)).resolve(schema)


def test_every_kind_describes_itself():
    for kind in kinds().values():
        if kind.family == "Test":
            continue
        assert kind.__doc__ or type(kind).__doc__
        assert kind.title[0].isupper() and kind.summary and kind.words
        for name, field in kind.Settings.model_fields.items():
            assert field.title, f"{kind.kind}.{name} has no title for its form"
        schema = kind.Settings.model_json_schema()
        assert all("widget" in part for part in schema["properties"].values()), kind.kind


@pytest.mark.parametrize(
    ("query", "first"),
    [
        ("vlookup", "look_up"),
        ("trim", "tidy_text"),
        ("group by", "summarise"),
        ("sumarise", "summarise"),
        ("rename", "rename_columns"),
        ("exclude", "drop_rows"),
        ("Drop", "drop_rows"),
        ("keep rows", "keep_rows"),
        ("export", "write_file"),
        ("find and replace", "find_and_replace"),
        ("text to number", "set_types"),
        ("csv", "read_file"),
    ],
)
def test_steps_are_found_by_plain_and_trade_words(query, first):
    assert find_kinds(query)[0].kind == first


def test_nonsense_finds_no_step():
    assert find_kinds("qqqqzz") == []


@pytest.mark.parametrize(
    ("pattern", "said"),
    [
        ("(a", "a ( is not closed, at character 1"),
        ("a)", "a ) too many"),
        ("[a", "a [ is not closed"),
        ("*a", "nothing stands before"),
        ("[z-a]", "runs backwards"),
        ("(?<=a)b", "looking ahead"),
        ("a{9}{9}", "two signs of repeating"),
    ],
)
def test_a_wrong_pattern_is_told_in_words(pattern, said):
    assert said in wrong_pattern(pattern)


def _naming() -> list[tuple[str, str, dict]]:
    """The settings of all kinds that name columns: kind, setting, its hints."""
    every = (
        (kind, name, info.json_schema_extra)
        for kind in kinds().values()
        for name, info in kind.Settings.model_fields.items()
    )
    hinted = (
        (kind.kind, name, hints) for kind, name, hints in every if isinstance(hints, dict) and "free" not in hints
    )
    return [one for one in hinted if one[2].get("widget") in ("column", "names", "columns", "order", "keys")]


@pytest.mark.parametrize(("kind", "name", "hints"), _naming())
def test_a_column_that_a_setting_names_must_be_there_and_of_a_type_that_fits(kind, name, hints):
    asked = kinds()[kind]
    port = hints.get("port") or (asked.main_port.name if asked.main_port else "")
    there = {one.name: pl.LazyFrame({"Here": [1], "Text": ["a"]}) for one in asked.inputs}
    if port not in there:
        return  # names that a file is to have, or that a service has
    tables = Tables({one: [Incoming(table)] for one, table in there.items()}, asked.main_port.name)

    # A setting that has to hold something holds what is there.
    needed = (one for one, info in asked.Settings.model_fields.items() if info.is_required())
    begun = {**dict.fromkeys(needed, "Here"), **asked.starting_settings()}

    def problem(column: str) -> Problem | None:
        value = {
            "column": column, "names": [column], "order": [{"column": column}], "columns": {"names": [column]},
            "keys": [{"column": column if port == asked.main_port.name else "Here", "reference": column}],
        }[hints["widget"]]  # fmt: skip
        chosen = {other: options[0] for other, options in hints.get("when", {}).items()}
        try:
            check_named(asked.Settings.model_validate({**begun, **chosen, name: value}), tables)
        except Problem as raised:
            return raised
        return None

    gone = problem("Nowhere")
    assert gone is not None and (gone.thing, gone.field, gone.code) == ("Column “Nowhere”", name, "missing_column")
    for column, found in (("Here", "whole"), ("Text", "text")):
        said = problem(column)
        fits = found in hints.get("kinds", [found])
        assert (said is None) is fits and (said is None or (said.code, said.field) == ("wrong_kind", name))
