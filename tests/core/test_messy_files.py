"""How files look that people send: titles, units, notes, comments, covers, old encodings; each against what a person reads."""

import csv
import gettext
import zipfile

import openpyxl
import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.core.test_formats import put
from updraft.core import Problem
from updraft.core.formats import ReadOptions, detect, read
from updraft.core.formats.encoding import find_encoding
from updraft.core.insight import find
from updraft.core.similarity.families import Ways, families
from updraft.core.steps.sources.read_file import ReadFileSettings
from updraft.core.steps.sources.reading import as_result
from updraft.core.values import Kind, decide


@pytest.mark.parametrize(
    "name, text, expected",
    [
        pytest.param(
            "lots.csv",
            '"Lot","Grams"\n"1","L1",20\n"2","L2",35\n',
            [("Column 1", "Lot", "Grams"), ("1", "L1", "20"), ("2", "L2", "35")],
            id="names of rows without a name of their own",
        ),
        pytest.param(
            "lots.csv",
            "Lot,Grams\nL1,20,\nL2,35,\n",
            [("Lot", "Grams"), ("L1", "20"), ("L2", "35")],
            id="a delimiter at each row's end is no column",
        ),
        pytest.param(
            "lots.tsv",
            "\tGrams\nL1\t20\nL2\t35\nL3\t7\n",
            [("Column 1", "Grams"), ("L1", "20"), ("L2", "35"), ("L3", "7")],
            id="only the second of two columns has a name",
        ),
        pytest.param(
            "tests.csv",
            "Lot,Weight,Share\n,kg,%\nL1,1.5,20\nL2,2.5,30\nL3,2,35\nL4,9,12\n",
            [
                ("Lot", "Weight", "Share"),
                ("L1", "1.5", "20"),
                ("L2", "2.5", "30"),
                ("L3", "2", "35"),
                ("L4", "9", "12"),
            ],
            id="a row of units",
        ),
        pytest.param(
            "tests.txt",
            "# Germination at the hub\n# Lot Grams Share\nL1 1.5 20\nL2 2.5 30\nL3 2.0 35\n",
            [("Lot", "Grams", "Share"), ("L1", "1.5", "20"), ("L2", "2.5", "30"), ("L3", "2.0", "35")],
            id="names in a comment line",
        ),
        pytest.param(
            "tests.txt",
            "// Germination\n// by hub\nLot;Grams\nL1;20\n   // again\nL2;35\n",
            [("Lot", "Grams"), ("L1", "20"), ("L2", "35")],
            id="another sign of comments, one of them indented",
        ),
        pytest.param(
            "curve.csv",
            "Variety,0.5,1,1.5,2,2.5\nPea,0.1,0.4,0.3,0.9,0.2\nBean,0.7,0.1,0.8,0.2,0.5\n",
            [
                ("Variety", "0.5", "1", "1.5", "2", "2.5"),
                ("Pea", "0.1", "0.4", "0.3", "0.9", "0.2"),
                ("Bean", "0.7", "0.1", "0.8", "0.2", "0.5"),
            ],
            id="names that are rising numbers",
        ),
        pytest.param(
            "hubs.txt",
            "".join(f"{code}:Hub {code}\n" for code in ["AB", "CD", "EF", "GH", "IJ", "KL", "MN", "OP", "QR", "ST"]),
            [
                ("Column 1", "Column 2"),
                *((code, f"Hub {code}") for code in ["AB", "CD", "EF", "GH", "IJ", "KL", "MN", "OP", "QR", "ST"]),
            ],
            id="a list of codes with colons",
        ),
        pytest.param(
            "hubs.csv",
            "id,value\nAM,Aldermere\nCW,Coldwater\nFB,Fellbeck\nLM,Larkmoor\n",
            [("id", "value"), ("AM", "Aldermere"), ("CW", "Coldwater"), ("FB", "Fellbeck"), ("LM", "Larkmoor")],
            id="short words above codes of their length",
        ),
        pytest.param(
            "paths.txt",
            "/lots/a\n/lots/b\n/hubs/c\n/hubs/d\n/hubs/e\n/x/f\n",
            [("Column 1",), *((path,) for path in ["/lots/a", "/lots/b", "/hubs/c", "/hubs/d", "/hubs/e", "/x/f"])],
            id="paths without a name above",
        ),
        pytest.param(
            "people.txt",
            "Anna Birch         LM       418-Y11\nJohn Field         CW       319-Z19\n",
            [("Column 1", "Column 2", "Column 3"), ("Anna Birch", "LM", "418-Y11"), ("John Field", "CW", "319-Z19")],
            id="two lines of fixed width",
        ),
        pytest.param(
            "notes.txt",
            "sown early\nnot yet up\nmoved to bed 4\nup, at last\nthinned\nfed\nwatered twice\ncovered\n",
            [
                ("sown early",),
                ("not yet up",),
                ("moved to bed 4",),
                ("up, at last",),
                ("thinned",),
                ("fed",),
                ("watered twice",),
                ("covered",),
            ],
            id="a comma in one line parts no others",
        ),
        pytest.param(
            "tests.tsv",
            "Sown\tLot\tGrams\n01/06/26\tL1\t0.2\t25\t0.24\n17/08/26\tL2\t0.3\t25\t0.31\n04/10/26\tL3\t0.5\t26\t0.12\n",
            [
                ("Sown", "Lot", "Grams", "Column 4", "Column 5"),
                ("01/06/26", "L1", "0.2", "25", "0.24"),
                ("17/08/26", "L2", "0.3", "25", "0.31"),
                ("04/10/26", "L3", "0.5", "26", "0.12"),
            ],
            id="fewer names than columns",
        ),
        pytest.param(
            "table.txt",
            "H \t4.528 \t13.89  0.82\nHe\t9.66  \t29.84  1.76\nLi\t3.006\t 4.77  2.40\n",
            [
                ("Column 1", "Column 2", "Column 3", "Column 4"),
                ("H", "4.528", "13.89", "0.82"),
                ("He", "9.66", "29.84", "1.76"),
                ("Li", "3.006", "4.77", "2.40"),
            ],
            id="tabs among blanks",
        ),
        pytest.param(
            "hubs.csv",
            "Hub,Beds,Kind\n#\n# beds as counted in spring\nFen,12,raised\nDale,7,flat\n",
            [("Hub", "Beds", "Kind"), ("Fen", "12", "raised"), ("Dale", "7", "flat")],
            id="comments below the names",
        ),
        pytest.param(
            "lots.tsv",
            "Lot, weighed\tKind\tLook\nL1, new\tpea\nL2, old\tbean\nL3, new\tkale\tcurly\n",
            [
                ("Lot, weighed", "Kind", "Look"),
                ("L1, new", "pea", None),
                ("L2, old", "bean", None),
                ("L3, new", "kale", "curly"),
            ],
            id="tabs by the file's name, whatever else splits it",
        ),
    ],
)
def test_a_file_opens_as_a_person_reads_it(tmp_path, name, text, expected):
    path = tmp_path / name
    path.write_text(text)
    found = read(path).frame
    assert [tuple(found.columns), *found.rows()] == expected


NOTED = "Lot,Hub,Grams,Sold\n" + "".join(f"L{n},Larkmoor,{n * 7},{n}\n" for n in range(1, 9))


def test_notes_below_are_left_out_said_and_kept_on_request(tmp_path):
    path = put(tmp_path, NOTED + "Source: the hub's own scales,,,\n* weighed twice,,,\n")
    found = read(path)
    assert found.frame.height == 8
    assert found.warnings[-1] == "2 lines of notes below the table left out, such as “Source: the hub's own scales”."
    assert read(path, ReadOptions(notes="keep")).frame.height == 10
    assert read(path, columns=frozenset({"Lot"})).frame["Lot"].to_list() == found.frame["Lot"].to_list()


@pytest.mark.parametrize(
    "end", ["Source: the hubs,,,\n", "", '"Source: the hubs,\nand ""others""",,,\n', "Total,,9,9\n"]
)
def test_a_large_file_ends_alike_whichever_columns_are_read(tmp_path, end):
    path = put(tmp_path, "Lot,Hub,Grams,Sold\n" + "".join(f"L{n},Larkmoor,{n * 7},{n}\n" for n in range(20_000)) + end)
    assert path.stat().st_size > 256 * 1024
    whole = read(path)
    assert whole.frame.height == (20_001 if end.startswith("Total") else 20_000)
    for column in whole.frame.columns:
        assert read(path, columns=frozenset({column})).frame[column].equals(whole.frame[column])


@pytest.mark.parametrize("ragged", ["widen", "leave_out"])
def test_no_row_goes_with_notes_that_were_left_out_before(tmp_path, ragged):
    """Lines of another width may be gone already, and a comment at the end is no row."""
    lots = "".join(f"L{n},Larkmoor,{n * 7},{n}\n" for n in range(20_000))
    wide = "L0,Larkmoor,7,1,too much\n"
    short = put(tmp_path, f"Lot,Hub,Grams,Sold\n{lots}{wide}{lots}Source: the hubs\n* weighed twice\n")
    said = "# the scales of the hubs have been read twice by two people\n"
    told = put(tmp_path, f"# Scales\nLot,Hub,Grams,Sold\n{lots}{said}", "told.csv")
    for path, many in ((short, 40_001 if ragged == "widen" else 40_000), (told, 20_000)):
        frame = read(path, ReadOptions(ragged=ragged)).frame
        assert frame.height == many and frame["Lot"][-1] == "L19999"
        assert read(path, ReadOptions(ragged=ragged), frozenset({"Lot"})).frame["Lot"].equals(frame["Lot"])


def test_an_empty_cell_before_a_sign_of_comments_is_a_row(tmp_path):
    path = put(tmp_path, "# colours\nName\tCode\nred\t#F00\n\t#0F0\n", "colours.tsv")
    assert read(path).frame.rows() == [("red", "#F00"), (None, "#0F0")]


@pytest.mark.parametrize(
    "last",
    ["Total,,252,36", "L9,,,", "L9,Coldwater,,", ",,63,", "Total of all the hubs that sell,,252,"],
    ids=["a total", "a lot alone", "half a row", "a number alone", "a long total"],
)
def test_rows_that_may_be_data_are_no_notes(tmp_path, last):
    assert read(put(tmp_path, f"{NOTED}{last}\n")).frame.height == 9


@given(st.integers(5, 30), st.integers(3, 6), st.data())
def test_no_row_of_a_table_is_taken_for_a_note(height, width, data):
    """Whatever cells are empty: where every cell is like the others of its column, all rows stay."""
    from updraft.core.formats.notes import notes_below

    columns = {
        f"c{n}": data.draw(
            st.lists(
                st.none() | (st.integers(0, 999).map(str) if n % 2 else st.sampled_from(["pea", "bean", "kale"])),
                min_size=height,
                max_size=height,
            )
        )
        for n in range(width)
    }
    assert notes_below(pl.DataFrame(columns, schema=dict.fromkeys(columns, pl.String))) == []


def test_a_cover_is_no_table_and_neither_is_a_readme_in_an_archive(tmp_path):
    book = openpyxl.Workbook()
    book.active.title = "Read me"
    for row in (["Seed lots of Larkmoor"], ["Weighed in March"], ["Ask the hub"]):
        book.active.append(row)
    sheet = book.create_sheet("Lots")
    for row in (["Lot", "Grams"], ["L1", 20], ["L2", 35]):
        sheet.append(row)
    book.save(tmp_path / "lots.xlsx")
    found = read(tmp_path / "lots.xlsx")
    assert found.frame.rows() == [("L1", "20"), ("L2", "35")]
    assert found.detected.reasons["sheet"] == "the first sheet with a table; “Read me” holds words about it"
    assert read(tmp_path / "lots.xlsx", ReadOptions(sheet="Read me")).frame.height > 0
    with zipfile.ZipFile(tmp_path / "lots.zip", "w") as archive:
        archive.writestr("README.txt", "Seed lots, weighed in March.\n")
        archive.writestr("lots.csv", "Lot,Grams\nL1,20\n")
    assert read(tmp_path / "lots.zip").frame.columns == ["Lot", "Grams"]


def test_a_title_that_fills_nearly_all_cells_is_no_header(tmp_path):
    book = openpyxl.Workbook()
    sheet = book.active
    for row in (
        ["Lots"],
        ["see", "the", "notes", None, "at the", "end"],
        ["or", "ask"],
        ["Lot", "Hub", "Kind", "Grams", "Sold", "Left"],
    ):
        sheet.append(row)
    for n in range(6):
        sheet.append([f"L{n}", "Larkmoor", "pea", n * 10, n, n * 9])
    book.save(tmp_path / "lots.xlsx")
    assert read(tmp_path / "lots.xlsx").frame.columns == ["Lot", "Hub", "Kind", "Grams", "Sold", "Left"]


LANGUAGES = [
    *(("cp1252", language) for language in ("fr", "de", "es", "it", "pt", "nl", "sv", "da", "fi", "is")),
    *(("cp1250", language) for language in ("cs", "pl", "hu", "hr")),
    *(("cp1251", language) for language in ("ru", "bg")),
    ("cp1253", "el"),
    ("cp1254", "tr"),
    ("cp1257", "lt"),
    ("mac_roman", "fr"),
    ("cp866", "ru"),
    ("koi8_r", "ru"),
    ("shift_jis", "ja"),
    ("gb18030", "zh_CN"),
]


@pytest.mark.parametrize("encoding, language", LANGUAGES)
def test_names_of_countries_in_their_languages_and_old_encodings(encoding, language):
    """The translations that come with the lists of ISO codes: words that nobody here wrote."""
    catalog = gettext.translation("iso_3166-1", "/usr/share/locale", [language])._catalog
    names = sorted(new for old, new in catalog.items() if old and isinstance(new, str) and new != old)
    text = "code,name\n" + "".join(f"{n},{name}\n" for n, name in enumerate(names))
    raw = text.encode(encoding, "ignore")
    found, _ = find_encoding(raw, whole=True, wanted=None, name="countries.csv")
    assert raw.decode(found) == raw.decode(encoding)


@pytest.mark.parametrize(
    "values, kind, evidence",
    [
        ([f"{month}/1/2025" for month in range(1, 13)], Kind.DATE, "first day of a month"),
        (["2/3/2025", "2/9/2025", "3/4/2025", "3/11/2025", "5/2/2025", "6/1/2025"], Kind.DATE, "stand in order"),
        (["2/3/2025", "9/2/2025", "3/4/2025", "11/3/2025", "5/2/2025", "6/1/2025"], Kind.TEXT, "alike"),
        (["1,200", "850", "12,450", "7,310", "99", "1,005", "2,775", "100,000"], Kind.WHOLE, "groups of three digits"),
        (["1,205", "850", "12,455", "7,315", "99", "1,005", "2,775", "100,001"], Kind.TEXT, "alike"),
        (["1,200", "5,000", "2,750"], Kind.TEXT, "alike"),
    ],
)
def test_what_a_column_tells_of_values_that_read_two_ways(values, kind, evidence):
    table, (decision,) = decide(pl.DataFrame({"it": values}))
    assert decision.kind is kind and evidence in decision.evidence
    if kind is Kind.DATE:
        assert table["it"].is_sorted() and table["it"].dt.month().n_unique() > 3
    if kind is Kind.WHOLE:
        assert table["it"].to_list() == [int(value.replace(",", "")) for value in values]


def test_many_na_and_few_numbers_are_numbers():
    table, (decision,) = decide(pl.DataFrame({"speed": ["NA"] * 300 + ["90", "105", "432"]}))
    assert decision.kind is Kind.WHOLE and table["speed"].drop_nulls().to_list() == [90, 105, 432]
    _, (decision,) = decide(pl.DataFrame({"code": ["-"] * 300 + ["90", "105", "432"]}))
    assert decision.kind is Kind.TEXT


def test_units_below_the_names_can_be_kept(tmp_path):
    path = put(tmp_path, "Lot,Grams,Share\n,g,%\nL1,20,3\nL2,35,4\nL3,5,9\nL4,7,1\n")
    assert detect(path).options.skip_after == 1
    assert read(path, ReadOptions(skip_after=0)).frame.height == 5


def test_what_is_left_out_or_emptied_is_told_with_a_way_back(tmp_path):
    rows = "".join(f"L{n},{n * 7},{'NA' if n % 3 else n}\n" for n in range(1, 13))
    path = put(tmp_path, f"Tests of the spring\nLot,Weight,Share\n,g,%\n{rows}")
    settings = ReadFileSettings(path=path.name)
    found = as_result(read(path, settings.options()), settings, None)
    above, below, emptied = found.warnings
    assert above == "1 line above the table left out, such as “Tests of the spring”."
    assert below == "1 line below the names left out: “g · %”." and found.evidence["Weight"].endswith("stands “g”")
    assert emptied.startswith("8 cells are read as empty for “NA”, in Share.")
    kept = ReadFileSettings(path=path.name, missing="keep")
    share = as_result(read(path, kept.options()), kept, None).table.collect()["Share"]
    assert share.dtype == pl.String and (share == "NA").sum() == 8


@pytest.mark.parametrize(
    "inside", [("word/document.xml", "<w/>"), ("mimetype", "application/vnd.oasis.opendocument.text")]
)
def test_a_text_document_that_calls_itself_a_workbook_is_said_to_be_one(tmp_path, inside):
    path = tmp_path / "lots.xlsx"
    with zipfile.ZipFile(path, "w") as archive:
        archive.writestr("[Content_Types].xml", "<Types/>")
        archive.writestr(*inside)
    with pytest.raises(Problem, match="it is a text document, whatever its name says") as caught:
        read(path)
    assert str(tmp_path) not in str(caught.value)


HOSTILE = {
    "digits": "1" * 10**5 + "a",
    "blanks": " " * 10**5 + "x",
    "points": "1." * 50_000 + "a",
    "commas": "1," * 50_000 + "a",
    "letters": "a" * 10**5 + "1",
    "dashes": "-" * 10**5 + "1",
    "words": "a 1 " * 25_000,
    "quotes": '"' * 10**5,
    "slashes": "1/" * 50_000,
    "times": "12:" * 33_333 + "x",
    "brackets": "(" * 50_000 + ")" * 50_000,
}


@pytest.mark.parametrize("name", HOSTILE)
def test_no_cell_stops_the_app(tmp_path, name):
    """What tries every split of a cell would take hours here: a pattern that is tried on cells takes linear time, or bounds
    what it looks at.
    """
    path = tmp_path / "lots.csv"
    with path.open("w", newline="") as file:
        csv.writer(file).writerows(
            [["id", "Lot", "Hub"], *([n, HOSTILE[name] if n == 3 else n * 2, f"Hub {n % 5}"] for n in range(40))]
        )
    table = decide(read(path).frame)[0]
    assert table.height == 40 and table["Lot"][3] == (HOSTILE[name] if HOSTILE[name].strip() else None)
    find(table)
    names = pl.DataFrame({"value": [*table["Lot"].cast(pl.String), "Fen Ltd", "Fen"], "n": [1] * 42}).drop_nulls()
    families(names.unique("value", maintain_order=True), Ways(True, True, True, True, 0.83))


@pytest.mark.parametrize(
    ("text", "form"),
    [
        ('[{"Lot": "a"}]', "json"),
        ('{"Lot": "a"}\n{"Lot": "b"}\n', "json_lines"),
        ('<?xml version="1.0"?><lots><lot><Lot>a</Lot></lot><lot><Lot>b</Lot></lot></lots>', "xml"),
        ("[note], Lot\n[x], a\n[y], b\n", "delimited"),
        ("{Lot}\ta\n{Lot}\tb\n", "delimited"),
    ],
)
def test_a_name_that_ends_in_txt_promises_nothing(tmp_path, text, form):
    (tmp_path / "lots.txt").write_text(text)
    reading = read(tmp_path / "lots.txt")
    assert reading.detected.format == form and reading.frame.height >= 1
    if form != "delimited":
        assert reading.frame["Lot"][0] == "a"
