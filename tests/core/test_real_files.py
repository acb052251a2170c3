"""Files that nobody here wrote: Debian's lists of ISO codes, workbooks saved by LibreOffice; and the rules of RFC 4180."""

import csv
import json
from pathlib import Path
from xml.etree import ElementTree

import polars as pl
import pytest
from polars.testing import assert_frame_equal

from tests import real_files
from tests.core.test_formats import put
from updraft.core import Problem
from updraft.core.formats import ReadOptions, json_text, read, xml_text
from updraft.core.values import decide

CODES = Path("/usr/share/iso-codes/json")
XML = Path("/usr/share/xml/iso-codes")
FIXTURES = Path(__file__).parents[1] / "fixtures"  # see tools/make_fixtures.py


def test_countries_come_the_same_from_json_and_from_xml():
    found = read(CODES / "iso_3166-1.json")
    assert found.detected.reasons["records"] == f"“3166-1” is a list of {found.frame.height} records with 7 fields"
    plain = json.loads((CODES / "iso_3166-1.json").read_text())["3166-1"]
    assert found.frame.to_dicts() == [{name: record.get(name) for name in found.frame.columns} for record in plain]
    decided, decisions = decide(found.frame)
    assert (
        decided["numeric"].dtype == pl.String
        and "leading zeros" in decisions[found.frame.columns.index("numeric")].evidence
    )

    entries = read(XML / "iso_3166.xml")
    elements = ElementTree.parse(XML / "iso_3166.xml").getroot()
    assert entries.detected.options.records == f"/{elements.tag}/iso_3166_entry"
    assert entries.frame.to_dicts() == [
        {name: element.get(name[1:]) for name in entries.frame.columns}
        for element in elements.findall("iso_3166_entry")
    ]
    assert entries.frame.sort("@alpha_2_code")["@numeric_code"].equals(
        found.frame.sort("alpha_2")["numeric"], check_names=False
    )


@pytest.mark.parametrize("path", [CODES / "iso_639-3.json", XML / "iso_639_3.xml"], ids=lambda path: path.name)
def test_thousands_of_languages_come_the_same_as_a_whole_and_streamed(path, monkeypatch):
    whole = read(path)
    monkeypatch.setattr(json_text, "LARGE", 0)
    monkeypatch.setattr(xml_text, "_LARGE", 0)
    streamed = read(path)
    assert whole.frame.height > 7000 and whole.detected == streamed.detected
    assert_frame_equal(whole.frame, streamed.frame)


def test_a_real_file_that_is_damaged_is_said_with_its_line():
    path = XML / "iso_3166_2.xml"
    lines = path.read_text().splitlines()
    bare = next((n for n, line in enumerate(lines, start=1) if "&" in line and ";" not in line.split("&")[1]), 0)
    if not bare:  # it was mended in a newer package
        assert read(path).frame.height > 1000
        return
    with pytest.raises(Problem, match=f"not well-formed XML at line {bare:,} "):
        read(path)


LOTS = [
    ("0071", "Aldermere", "5.25", "2026-03-01", "2026-04-02 07:30:00", "true", "2.625"),
    ("0072", None, "12", "2026-02-28", "2026-04-02 18:05:09", "false", "#DIV/0!"),
    ("0073", "Große Höhe", "1234567.5", None, "2026-04-03 00:00:00", None, "#N/A"),
    ("0074", " North  Fen ", "-0.004", "1999-12-31", None, "true", "less"),
]


@pytest.mark.parametrize("ending", ["xlsx", "xls", "ods"])
def test_workbooks_saved_by_libreoffice(ending):
    """Title line, leading zeros, dates with and without a time, yes/no, formulas and their errors, merged cells, a hidden sheet."""
    found = read(FIXTURES / f"lots.{ending}")
    errors = {"#DIV/0!": None, "#N/A": None} if ending != "xlsx" else {}
    answers = {"true": "1", "false": "0"} if ending == "ods" else {}  # which LibreOffice keeps as numbers there
    assert found.frame.columns == ["Lot", "Hub", "Grams", "Sown", "Weighed", "Tested", "Per day"]
    assert found.frame.rows() == [tuple({**errors, **answers}.get(cell, cell) for cell in row) for row in LOTS]
    assert found.detected.choices["hidden"] == ("Old lots",) and found.detected.options.skip == 1
    kinds = {name: str(dtype) for name, dtype in decide(found.frame)[0].schema.items()}
    assert kinds["Lot"] == kinds["Hub"] == "String" and kinds["Grams"] == "Float64" and kinds["Sown"] == "Date"
    assert kinds["Weighed"].startswith("Datetime")


def test_the_formatting_of_a_workbook_saved_by_libreoffice():
    marks = (("Lot", "fill"), ("Lot", "bold"), ("Lot", "strike"), ("Grams", "comment"))
    found = read(FIXTURES / "lots.xlsx", ReadOptions(marks=marks, merged="fill")).frame
    assert found["Hub"].to_list()[:2] == ["Aldermere", "Aldermere"]
    assert found.select("Lot: fill colour", "Lot: bold", "Lot: struck through", "Grams: comment").rows() == [
        (None, None, None, None),
        ("#f4b6a6", None, None, None),
        (None, "yes", "yes", None),
        (None, None, None, "weighed again"),
    ]


@pytest.mark.parametrize(
    "rule, text, rows",
    [
        ("1 records end with CRLF", "aaa,bbb,ccc\r\nzzz,yyy,xxx\r\n", [["aaa", "bbb", "ccc"], ["zzz", "yyy", "xxx"]]),
        ("2 the last one may lack its end", "aaa,bbb,ccc\r\nzzz,yyy,xxx", [["aaa", "bbb", "ccc"], ["zzz", "yyy", "xxx"]]),
        ("4 blanks belong to their field", "aaa, bbb ,ccc\r\nzzz,yyy,xxx\r\n", [["aaa", " bbb ", "ccc"], ["zzz", "yyy", "xxx"]]),
        ("5 fields may be quoted or not", '"aaa","bbb","ccc"\r\nzzz,yyy,xxx', [["aaa", "bbb", "ccc"], ["zzz", "yyy", "xxx"]]),
        ("6 a line break in quotes", '"aaa","b\r\nbb","ccc"\r\nzzz,yyy,xxx', [["aaa", "b\r\nbb", "ccc"], ["zzz", "yyy", "xxx"]]),
        ("6 a comma in quotes", '"aaa","b,bb","ccc"\r\nzzz,yyy,xxx', [["aaa", "b,bb", "ccc"], ["zzz", "yyy", "xxx"]]),
        ("7 a doubled quote is one", '"aaa","b""bb","ccc"\r\nzzz,yyy,xxx', [["aaa", 'b"bb', "ccc"], ["zzz", "yyy", "xxx"]]),
    ],
    ids=lambda value: value if isinstance(value, str) and value[0].isdigit() else "",
)  # fmt: skip
def test_rfc_4180(tmp_path, rule, text, rows):
    """Each rule of its section 2, without and with the header that rule 3 allows."""
    assert [list(row) for row in csv.reader(text.splitlines(keepends=True))] == rows, (
        "the rule as Python's reader has it"
    )
    bare = read(put(tmp_path, text.encode(), "bare.csv"), ReadOptions(header="none"))
    assert [list(row) for row in bare.frame.rows()] == rows
    headed = read(
        put(tmp_path, b"field_name,field_name2,field_name3\r\n" + text.encode(), "headed.csv"),
        ReadOptions(header="first"),
    )
    assert headed.frame.columns == ["field_name", "field_name2", "field_name3"]
    assert [list(row) for row in headed.frame.rows()] == rows and not headed.warnings


# What the reader gets wrong today, and why; a file that is mended leaves the list.
NOT_YET = {
    "usr/share/misc/abbrevs.gen.gz": "runs of tabs after a colon",
    "etc/rpc": "tabs and blanks mixed, the last column with blanks in it",
    "usr/lib/R/library/spatial/ppdata/eagles.dat": "three title lines, one of them as wide as the table",
    "usr/lib/R/site-library/readxl/extdata/geometry.xlsx": "names of the same shape as the cells",
}
SMALL_FILES = [(answer, path) for answer, path in real_files.known() if answer["package"] in real_files.SMALL]


def test_enough_real_files_are_there():
    assert len(SMALL_FILES) >= 20, "run tools/need-real-files"


@pytest.mark.parametrize(
    "answer, path", SMALL_FILES, ids=[f"{answer['package']}/{path.name}" for answer, path in SMALL_FILES]
)
def test_a_real_file_opens_as_a_person_reads_it(answer, path):
    names, rows, first, last, letters = real_files.ours(path)
    wrong = real_files.wrong(answer, names, rows, first, last)
    told = [
        f"{n}: {a}, not {b}"
        for n, a, b in zip(names, letters, answer["types"], strict=False)
        if b != "?" and a not in b
    ]
    if answer["file"] in NOT_YET:
        assert wrong or told, f"{path.name} is right now: take it from the list"
    else:
        assert not wrong and not told, (wrong, told)
