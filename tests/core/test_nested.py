"""JSON and XML: records found or chosen, flattened, expanded, taken as child tables, in long form."""

import json
from dataclasses import replace
from xml.sax.saxutils import escape, quoteattr

import polars as pl
import pytest
from hypothesis import example, given
from hypothesis import strategies as st
from polars.testing import assert_frame_equal

from tests.core.test_formats import put
from updraft.core import Problem
from updraft.core.formats import ReadOptions, growing, json_stream, json_text, read, xml_text
from updraft.core.formats.reading import scan
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
    child = read(path, ReadOptions(records="/requests/*/lines", parent=("id", "hub.name", "hub.lost"))).frame
    assert parent.columns == ["requests number", "id", "hub.code", "hub.name"]
    asked = ["requests.id", "requests.hub.name", "requests.hub.lost"]
    assert child.columns == ["requests number", *asked, "variety", "amount"]
    joined = child.join(parent, on="requests number", how="left")
    assert joined["id"].to_list() == joined["requests.id"].to_list() == [7, 7]
    assert joined["requests.hub.name"].to_list() == joined["hub.name"].to_list()
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
    rare = {
        f"seed/{n}": {"from": "fen", **({"kept": n} if n % 3 else {}), **({"note": "x"} if n == 7 else {})}
        for n in range(24)
    }
    found = read(put(tmp_path, json.dumps(rare), "rare.json")).frame
    assert found.height == 24 and found.columns == ["Key", "from", "kept", "note"], (
        "few share all fields, most share one"
    )
    apart = {f"part {n}": {f"field {n}": n, f"other {n}": 1} for n in range(24)}
    assert read(put(tmp_path, json.dumps(apart), "apart.json")).frame.height == 1, "things of their own are no records"


@pytest.mark.parametrize(
    "name, text, said",
    [
        ("x.json", '{"a": [1, 2,\n', "line 2 is not JSON"),
        ("x.json", "[" * 100_000, "nested too deeply"),
        ("x.xml", "<lab><batch></lab>", "not well-formed XML at line 1"),
        ("x.xml", "<lab>", "not well-formed XML"),
        ("x.xml", "<lab>" * 300, "nested more than 256 deep"),
        ("x.xml", f"<lab>{'grain ' * 2_000_000}</lab>", "longer than 10 MB"),
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
    with pytest.raises(Problem, match="entities grow beyond measure"):
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


SIGNS = st.text('ab"\\\\,[]{}é\u20ac', max_size=5)
MIXED = st.one_of(
    st.none(), st.booleans(), st.integers(-(2**70), 2**70), st.floats(allow_nan=False, allow_infinity=False), SIGNS
)
NESTED = st.recursive(
    MIXED, lambda inner: st.lists(inner, max_size=5) | st.dictionaries(SIGNS, inner, max_size=4), max_leaves=25
)


def in_parts(path, options, whole):
    """What is brought in part by part, if it can be, is what is read as a whole: all of it, and a column alone."""
    found = scan(path, options)
    if found is None:
        return
    frame = pl.concat(found.query.collect_batches(chunk_size=3, maintain_order=True))
    assert_frame_equal(frame, whole.frame)
    assert found.warnings == whole.warnings and found.detected == replace(whole.detected, tree=None)
    last = whole.frame.columns[-1]
    assert_frame_equal(scan(path, options, frozenset([last])).query.select(last).collect(), whole.frame.select(last))


def both(monkeypatch, path, options):
    """What is read from a file as a whole, and in the smallest blocks there can be."""
    found = []
    for small in (False, True):
        with monkeypatch.context() as patch:
            if small:
                for module, name, value in [(json_text, "LARGE", 0), (json_stream, "_BLOCK", 7), (json_stream, "_LIST", 3),
                                            (growing, "_BLOCK", 2), (xml_text, "_LARGE", 0), (xml_text, "_FEW", 1)]:  # fmt: skip
                    patch.setattr(module, name, value)
            try:
                one = read(path, options)
                found.append((one.frame, one.warnings, one.detected.tree.as_dict(), one.detected.reasons))
                in_parts(path, options, one)
            except Problem as problem:
                found.append(str(problem))
    if isinstance(found[0], str) or isinstance(found[1], str):
        assert found[0] == found[1]
    else:
        assert_frame_equal(found[0][0], found[1][0])
        assert found[0][1:] == found[1][1:]
    return found[0]


@example(value=[[None, None], [None, None]], indent=None, ascii=False, lists="keep", cut=None)
@example(value=[["hub", "lots"], ["Fen", 3], ["Dale", 4]], indent=1, ascii=False, lists="keep", cut=None)
@example(value={"hub": ["Fen", "Dale"], "lots": [3, 4]}, indent=None, ascii=False, lists="keep", cut=None)
@given(value=st.lists(NESTED, min_size=1) | st.dictionaries(SIGNS, NESTED, min_size=1), indent=st.sampled_from([None, 1]),
       ascii=st.booleans(), lists=st.sampled_from(["keep", "expand"]), cut=st.none() | st.integers(1, 40))  # fmt: skip
def test_json_read_block_by_block_is_the_same(tmp_path_factory, monkeypatch, value, indent, ascii, lists, cut):
    """Strings with any sign, blocks that end anywhere, damaged ends: the same table, picture, words, or the same problem."""
    text = json.dumps(value, indent=indent, ensure_ascii=ascii)[:cut] or "["
    path = put(tmp_path_factory.mktemp("j"), text, "x.json")
    both(monkeypatch, path, ReadOptions(format="json", lists=lists))
    if isinstance(value, list) and cut is None:
        lines = put(path.parent, "\n".join(json.dumps(one) for one in value) + "\noops\n{}\n", "x.jsonl")
        both(monkeypatch, lines, ReadOptions(format="json_lines"))


ELEMENTS = st.recursive(
    st.tuples(st.sampled_from("ab"), st.sampled_from(["", "x", " y & z "]), st.just([]), st.sampled_from(["", "1"])),
    lambda inner: st.tuples(
        st.sampled_from("abc"),
        st.sampled_from(["", "t"]),
        st.lists(inner, max_size=4),
        st.sampled_from(["", "<&", "&#38;"]),
    ),
    max_leaves=14,
)


def written(element) -> str:
    tag, text, children, attribute = element
    at = f" k={quoteattr(attribute)}" if attribute else ""
    return f"<{tag}{at}>{escape(text)}<!-- -->{''.join(map(written, children))}</{tag}>{escape(text)}"


@given(elements=st.lists(ELEMENTS, min_size=1, max_size=6), long=st.booleans())
def test_xml_read_element_by_element_is_the_same(tmp_path_factory, monkeypatch, elements, long):
    path = put(tmp_path_factory.mktemp("x"), f"<top>{''.join(map(written, elements))}</top>", "x.xml")
    found = both(monkeypatch, path, ReadOptions(long=long))
    assert not isinstance(found, str)
    # The picture, made while going through the file, is that of the data.
    tree = xml_text.survey(path)
    names = xml_text._names(tree)
    assert tree.node(names).as_dict() == outline(xml_text._load(path, tree, names)).as_dict()


LOT = st.fixed_dictionaries({"name": st.text("ab", min_size=1)}, optional={f: st.integers(0, 9) for f in ("kg", "hub")})


@given(st.dictionaries(st.text("LM-0123", min_size=1), LOT, min_size=5, max_size=12), st.booleans())
def test_records_by_their_keys_become_rows_with_the_key(tmp_path_factory, lots, within):
    """At the top of the file or within it, with fields that some records lack."""
    lots = {f"k{key}": {**lot, "kg": 1} for key, lot in lots.items()}
    value = {"head": {"made": "today"}, "lots": lots} if within else lots
    path = tmp_path_factory.mktemp("keyed") / "lots.json"
    path.write_text(json.dumps(value))
    found = read(path)
    assert found.frame["Key"].to_list() == list(lots)
    assert found.frame["name"].to_list() == [lot["name"] for lot in lots.values()]


def test_parts_of_one_thing_are_no_records():
    garden = {"name": "Nettle Bank", "post": {"street": "a", "town": "b"}, "bill": {"street": "c", "town": "d"}}
    assert find_records(outline({"garden": garden}))[0] == ""
    listed = {"about": {f"k{n}": {"x": 1} for n in range(9)}, "lots": [{"lot": 1}, {"lot": 2}]}
    assert find_records(outline(listed))[0] == "/lots", "a list as near goes before keys"


HEAD = {
    "made": "2026-03-01",
    "by": {"hub": "Fen", "desk": 2},
    "lots": [{"no": 1, "bags": [{"kg": 5}, {"kg": 6}]}, {"no": 2, "bags": [{"kg": 7}]}],
}


def test_fields_of_the_head_of_a_file_and_of_every_record_around_come_along(tmp_path):
    file = tmp_path / "lots.json"
    file.write_text(json.dumps(HEAD))
    lots = read(file, ReadOptions(records="/lots", parent=("/made", "/by/hub"))).frame
    assert lots.select("made", "by.hub", "no").rows() == [("2026-03-01", "Fen", 1), ("2026-03-01", "Fen", 2)]
    bags = read(file, ReadOptions(records="/lots/*/bags", parent=("no", "/by/desk", "/lots/*/no"))).frame
    assert bags.select("lots.no", "by.desk", "kg").rows() == [(1, 2, 5), (1, 2, 6), (2, 2, 7)]
    gone = read(file, ReadOptions(records="/lots", parent=("/by/room",))).frame
    assert gone["by.room"].to_list() == [None, None], "what one file lacks is empty there"


@pytest.mark.parametrize("lots", [3, 60_000])  # the second stays in its file
def test_fields_of_the_head_of_an_xml_file_come_along_whatever_its_size(tmp_path, lots):
    file = tmp_path / "lots.xml"
    rows = "".join(
        f'<lot no="{n}"><grams>{n * 10}</grams><hub>North Fen, the old barn</hub></lot>' for n in range(lots)
    )
    file.write_text(f'<export at="2026-03-01"><head><period>March</period></head><lots>{rows}</lots></export>')
    options = ReadOptions(records="/export/lots/lot", parent=("/export/@at", "/export/head/period"))
    frame = read(file, options).frame
    assert frame.height == lots and frame.columns[:2] == ["export.@at", "export.head.period"]
    assert frame["export.head.period"].unique().to_list() == ["March"] and frame["@no"].to_list() == [
        str(n) for n in range(lots)
    ]


def test_what_stands_across_two_blocks_of_a_file_is_found(tmp_path):
    """A large file in which two letters of a wrong encoding stand where one look ends is read as a whole, and told."""
    row = '{"hub": "%s"}\n'
    many = (4 << 20) // len(row % "Fen") + 1
    text = (row % "Fen") * many
    for shift in range(12):  # the pair begins before the end of the first 4 MB, on it and behind it
        path = put(tmp_path, text[: (4 << 20) - 16 + shift] + r"\u00c3\u00a9" + text[-20:], "x.jsonl")
        assert scan(path, ReadOptions(format="json_lines")) is None, shift
    found = scan(put(tmp_path, text, "x.jsonl"), ReadOptions(format="json_lines")).query
    assert found.head(5_000).collect().height == 5_000
    assert found.filter(pl.col("hub") == "Fen").select(pl.len()).collect().item() == many
