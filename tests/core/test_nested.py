"""JSON and XML: records found or chosen, flattened, expanded, taken as child tables, in long form."""

import json

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.core.test_formats import put
from updraft.core import Problem
from updraft.core.formats import ReadOptions, read
from updraft.core.formats.records import find_records, outline, table_of

REQUESTS = {
    "exported": "2026-03-01",
    "requests": [
        {
            "id": 7,
            "hub": {"code": "A", "name": "Aldermere"},
            "tags": ["early", "dry"],
            "lines": [{"variety": "Lacinato", "amount": "12 x 5 g"}, {"variety": "Chioggia", "amount": 3}],
        },
        {"id": 9, "hub": {"code": "B"}, "lines": []},
    ],
}
LABORATORY = """<?xml version="1.0"?>
<lab xmlns="urn:lab" xmlns:g="urn:geo">
  <batch id="b1"><g:place>Fen</g:place><place>Hall</place>
    <test kind="g"><pct>88</pct><seen/></test><test kind="h"><pct/></test></batch>
  <batch id="b2"><test kind="g"><pct>91</pct><note lang="en">fine</note></test></batch>
</lab>"""


def test_the_list_of_records_is_found_with_a_reason_and_objects_become_columns(tmp_path):
    found = read(put(tmp_path, json.dumps(REQUESTS), "r.json"))
    assert found.detected.options.records == "/requests"
    assert found.detected.reasons["records"] == "“requests” is a list of 2 records with 4 fields"
    assert found.frame.columns == ["id", "hub.code", "hub.name", "tags", "lines"]
    assert found.frame["tags"].to_list() == [["early", "dry"], None] and found.frame["id"].dtype == pl.Int64


def test_nested_lists_are_expanded_or_taken_as_a_child_table_with_a_key(tmp_path):
    path = put(tmp_path, json.dumps(REQUESTS), "r.json")
    parent = read(path, ReadOptions(lists="leave_out", number=True)).frame
    child = read(path, ReadOptions(records="/requests/*/lines", parent=("id",))).frame
    assert parent.columns == ["requests number", "id", "hub.code", "hub.name"]
    assert child.columns == ["requests number", "requests.id", "variety", "amount"]
    joined = child.join(parent, on="requests number", how="left")
    assert joined["id"].to_list() == joined["requests.id"].to_list() == [7, 7]
    assert child["amount"].to_list() == ["12 x 5 g", "3"], "mixed values are text"
    rows = read(path, ReadOptions(lists="expand")).frame
    assert rows.select("id", "tags", "lines.variety").rows() == [
        (7, "early", "Lacinato"),
        (7, "dry", "Chioggia"),
        (9, None, None),
    ]


def test_other_shapes_of_json(tmp_path):
    keyed = {"GR-1": {"plots": 1}, "GR-2": {"plots": 2.5}, "GR-3": {"plots": None}}
    assert read(put(tmp_path, json.dumps(keyed), "k.json")).frame.rows() == [
        ("GR-1", 1.0),
        ("GR-2", 2.5),
        ("GR-3", None),
    ]
    assert read(put(tmp_path, '["a", "b"]', "v.json")).frame.rows() == [("a",), ("b",)]
    assert read(put(tmp_path, '{"lot": "L1", "big": 12345678901234567890}', "o.json")).frame.rows() == [
        ("L1", "12345678901234567890")
    ]
    assert read(put(tmp_path, '[{"x": NaN}, {"x": 2}]', "n.json")).frame["x"].to_list() == [None, 2]
    lines = read(put(tmp_path, '{"a": 1}\n{"a": 2, "b": "x"}\noops\n\n', "l.jsonl"))
    assert lines.frame.rows() == [(1, None), (2, "x")]
    assert lines.warnings == ("1 line is not JSON and left out: line 3.",)


@pytest.mark.parametrize(
    "name, text, said",
    [
        ("x.json", '{"a": [1, 2,\n', "line 2 is not JSON"),
        ("x.json", "[" * 100_000, "nested too deeply"),
        ("x.xml", "<lab><batch></lab>", "not well-formed XML at line 1"),
        ("x.xml", "<lab>", "not well-formed XML"),
    ],
)
def test_damaged_files_are_said_with_their_line(tmp_path, name, text, said):
    with pytest.raises(Problem, match=said):
        read(put(tmp_path, text, name))


def test_a_path_that_is_not_there_names_the_nearest(tmp_path):
    with pytest.raises(Problem, match="has no “request” there; there is “requests”"):
        read(put(tmp_path, json.dumps(REQUESTS), "r.json"), ReadOptions(records="/request"))


def test_xml_records_attributes_namespaces_and_child_tables(tmp_path):
    path = put(tmp_path, LABORATORY, "lab.xml")
    batches = read(path)
    assert batches.detected.options.records == "/lab/batch"
    assert batches.frame.columns == ["@id", "g:place", "place", "test"]
    tests = read(path, ReadOptions(records="/lab/batch/*/test", parent=("@id",), drop_empty=True)).frame
    assert tests.columns == ["batch number", "batch.@id", "@kind", "pct", "note.@lang", "note"]
    assert tests["pct"].to_list() == ["88", None, "91"] and tests["batch.@id"].to_list() == ["b1", "b1", "b2"]
    long = read(path, ReadOptions(long=True)).frame
    assert (2, "/test", "kind", "g") not in long.rows() and (2, "/test/1", "kind", "g") in long.rows()
    assert (2, "/test/1/note", None, "fine") in long.rows()


def test_xml_reads_nothing_from_elsewhere(tmp_path):
    secret = put(tmp_path, "hidden words", "secret.txt")
    text = f'<!DOCTYPE l [<!ENTITY a SYSTEM "{secret.as_uri()}">]><l><r><v>&a;</v></r><r><v>2</v></r></l>'
    assert "hidden" not in str(read(put(tmp_path, text, "evil.xml")).frame.rows())
    bomb = '<!DOCTYPE l [<!ENTITY a "aaaaaaaaaa">' + "".join(
        f'<!ENTITY a{n} "{"&a" + (str(n - 1) if n else "") + ";"}{"&a" + (str(n - 1) if n else "") + ";"}">'
        for n in range(40)
    )
    with pytest.raises(Problem, match="entity nesting depth"):
        read(put(tmp_path, bomb + "]><l><r>&a39;</r><r>2</r></l>", "bomb.xml"))


VALUES = st.one_of(st.none(), st.booleans(), st.integers(-(2**40), 2**40), st.text("aé1", max_size=4))
RECORDS = st.lists(
    st.dictionaries(st.sampled_from(["a", "b", "c/d"]), st.one_of(VALUES, st.lists(VALUES, max_size=3))),
    min_size=1,
    max_size=6,
)


@given(RECORDS)
def test_no_value_of_a_record_is_lost(records):
    """Long form holds every single value, and keeping lists gives one row a record."""
    kept, _ = table_of(records, ReadOptions(records=""), name="x")
    if kept.width:
        assert kept.height == len(records)
    long, _ = table_of(records, ReadOptions(records="", long=True), name="x")
    single = sum(len(v) if isinstance(v, list) else 1 for record in records for v in record.values())
    assert long.height == single


@given(RECORDS)
def test_every_place_of_the_picture_can_be_read(records):
    value = {"top": {"many": records}}

    def visit(node):
        table_of(value, ReadOptions(records=node.path), name="x")
        for child in node.children.values():
            visit(child)

    visit(outline(value))
    path, reason = find_records(outline(value))
    assert reason and path in ("/top/many", "", "/*")
