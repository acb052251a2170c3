"""Reading files as people send them, and writing them back."""

from pathlib import Path

import openpyxl
import polars as pl
import pytest
import tzdata
from hypothesis import given
from hypothesis import strategies as st

from updraft.core import Problem
from updraft.core.formats import ReadOptions, detect, read, write_csv, write_xlsx

ZONES = Path(tzdata.__file__).parent / "zoneinfo"


def put(folder: Path, content: str | bytes, name: str = "x.csv") -> Path:
    path = folder / name
    path.write_bytes(content if isinstance(content, bytes) else content.encode())
    return path


def test_the_order_book_is_read_below_its_title_lines(world):
    found = read(world / "packet_orders_2026-03.xlsx")
    assert found.frame.columns == [
        "Order",
        "Ordered on",
        "Grower",
        "Variety",
        "Region",
        "Garden",
        "Packets",
        "Price",
        "Note",
    ]
    assert found.frame.height == 1214
    assert found.detected.options.skip == 3 and found.detected.options.header == "first"
    assert found.detected.preamble[:2] == ("Larkmoor Seed Exchange", "Packet orders, March 2026")
    assert found.detected.reasons["sheet"] == "the only sheet"


def test_a_real_file_without_header_with_comments_and_ragged_rows():
    found = read(ZONES / "zone1970.tab")
    assert found.frame.width == 4 and found.frame.height > 300
    assert found.frame.row(0) == ("AD", "+4230+00131", "Europe/Andorra", None)
    options = found.detected.options
    assert (options.header, options.delimiter, options.comment) == ("comment", "\t", "#")
    assert found.frame.columns == ["codes", "coordinates", "TZ", "comments"]
    lines = [line for line in (ZONES / "zone1970.tab").read_text().splitlines() if not line.startswith("#")]
    assert [line.split("\t")[0] for line in lines] == found.frame["codes"].to_list()
    assert any("fewer than 4 cells" in text for text in found.warnings)
    codes = read(ZONES / "iso3166.tab").frame
    assert codes.height == 249 and codes.row(0) == ("AD", "Andorra")


def test_delimiters_are_found_with_a_reason(tmp_path):
    for sign, title in ((",", "comma"), (";", "semicolon"), ("\t", "tab"), ("|", "bar")):
        path = put(
            tmp_path,
            "\n".join(sign.join(row) for row in (["Code", "Hub", "Plots"], ["GR-1", "Aldermere, east", "4"]))
            if sign != ","
            else "Code,Hub,Plots\nGR-1,Aldermere,4",
        )
        found = detect(path)
        assert found.options.delimiter == sign
        assert found.reasons["delimiter"] == f"{title}, because 2 of 2 lines split into 3"


def test_encodings(tmp_path):
    text = "Sorte;Anzahl\nRübe;1\nMöhre;2\nSellerie groß;3\n"
    for encoding in ("utf-8", "utf-8-sig", "utf-16", "cp1252"):
        frame = read(put(tmp_path, text.encode(encoding), f"{encoding}.csv")).frame
        assert frame["Sorte"].to_list() == ["Rübe", "Möhre", "Sellerie groß"], encoding
        assert frame.columns == ["Sorte", "Anzahl"], encoding


def test_quotes_hold_delimiters_and_line_breaks(tmp_path):
    frame = read(put(tmp_path, 'a,b\n"x, y","two\nlines"\n"say ""hi""",z\n')).frame
    assert frame.rows() == [("x, y", "two\nlines"), ('say "hi"', "z")]


def test_ragged_rows_are_kept_whole_and_counted(tmp_path):
    found = read(put(tmp_path, "a,b,c\n1,2,3\n4,5\n6,7,8,9\n"))
    assert found.frame.rows() == [("1", "2", "3", None), ("4", "5", None, None), ("6", "7", "8", "9")]
    assert any("1 rows have fewer" in text for text in found.warnings)
    assert any("1 rows have more" in text for text in found.warnings)


def test_a_ragged_row_far_below_the_sample_is_not_lost(tmp_path):
    found = read(put(tmp_path, "a,b\n" + "1,2\n" * 30_000 + "1,2,3\n"))
    assert found.frame.height == 30_001 and found.frame.row(-1) == ("1", "2", "3")


def test_double_and_missing_names_are_told_apart(tmp_path):
    found = read(put(tmp_path, "Hub,Hub,\nAldermere,North Fen,x\nColdwater,Saltmarsh,y\n"), ReadOptions(header="first"))
    assert found.frame.columns == ["Hub", "Hub (2)", "Column 3"]
    assert len(found.warnings) == 2


def test_what_a_person_sets_wins(tmp_path, world):
    path = put(tmp_path, "1;2\n3;4\n")
    assert read(path).detected.options.header == "none"
    assert read(path, ReadOptions(header="first")).frame.columns == ["1", "2"]
    assert read(path, ReadOptions(delimiter=",", header="none")).frame["Column 1"].to_list() == ["1;2", "3;4"]
    assert (
        read(world / "growers.xlsx", ReadOptions(skip=0, header="none")).frame["Column 1"][0]
        == "Growers and their hubs"
    )


def test_three_hundred_columns(tmp_path):
    names = [f"Trait {n}" for n in range(300)]
    frame = read(put(tmp_path, ",".join(names) + "\n" + ",".join("5" for _ in names) + "\n" * 2)).frame
    assert frame.columns == names


def book(path: Path, sheets: dict[str, list[list]]) -> Path:
    made = openpyxl.Workbook()
    made.remove(made.active)
    for title, rows in sheets.items():
        page = made.create_sheet(title)
        for row in rows:
            page.append(row)
    made.save(path)
    return path


def test_the_first_sheet_with_data_is_taken_and_another_can_be_chosen(tmp_path):
    path = book(
        tmp_path / "x.xlsx",
        {"Notes": [], "Seed": [["Lot", "Grams"], ["L1", 5], ["L2", 7]], "Old": [["A", "B"], ["x", 1]]},
    )
    assert read(path).detected.options.sheet == "Seed"
    assert read(path, ReadOptions(sheet="Old")).frame.columns == ["A", "B"]
    with pytest.raises(Problem, match="nearest name is “Seed”"):
        read(path, ReadOptions(sheet="Seeds"))


@pytest.mark.parametrize(
    ("name", "content", "said"),
    [
        ("x.csv", b"", "empty"),
        ("x.csv", b"  \n ", "empty"),
        ("x.xlsx", b"", "0 bytes"),
        ("x.xlsx", b"a,b\n1,2\n", "its name says workbook"),
        ("x.csv", b"PK\x03\x04rest", "its name says text"),
        ("x.csv", b"a,b\n\x00\x00,1\n", "NUL"),
        ("x.xlsx", b"PK\x03\x04 and then nothing", "cannot be opened"),
    ],
)
def test_bad_files_say_what_is_wrong_with_them(tmp_path, name, content, said):
    with pytest.raises(Problem, match=said) as caught:
        read(put(tmp_path, content, name))
    assert caught.value.thing == name and caught.value.way_out


def test_a_truncated_workbook_and_one_without_data(tmp_path, world):
    whole = (world / "growers.xlsx").read_bytes()
    with pytest.raises(Problem, match="cut off on the way"):
        read(put(tmp_path, whole[: len(whole) // 2], "half.xlsx"))
    with pytest.raises(Problem, match="none of its 1 sheets holds data"):
        read(book(tmp_path / "none.xlsx", {"Empty": []}))
    with pytest.raises(Problem, match="not here"):
        read(tmp_path / "gone.csv")


CELLS = st.text(
    st.characters(blacklist_categories=("Cs", "Cc"), blacklist_characters="\ufeff"), min_size=1, max_size=12
)


@given(st.lists(st.tuples(CELLS, CELLS, CELLS), min_size=1, max_size=12), st.sampled_from([",", ";", "\t"]))
def test_what_is_written_as_csv_is_read_back(tmp_path_factory, rows, sign):
    table = pl.DataFrame(rows, schema=["first", "second", "third"], orient="row")
    path = tmp_path_factory.mktemp("csv") / "x.csv"
    write_csv(table, path, delimiter=sign, formulas="keep")
    found = read(path, ReadOptions(delimiter=sign, header="first", skip=0, comment=""))
    assert found.frame.rows() == table.rows()


@given(st.lists(st.tuples(CELLS, st.integers(-(10**9), 10**9), st.dates()), min_size=1, max_size=8))
def test_what_is_written_as_a_workbook_is_read_back(tmp_path_factory, rows):
    rows = [(text, number, day) for text, number, day in rows if day.year >= 1901]
    table = pl.DataFrame(rows, schema={"text": pl.String, "number": pl.Int64, "day": pl.Date}, orient="row")
    path = tmp_path_factory.mktemp("xlsx") / "x.xlsx"
    write_xlsx(table, path, sheet="Report")
    page = openpyxl.load_workbook(path)["Report"]
    cells = [[cell.value for cell in row] for row in page.iter_rows(min_row=2)]
    assert [(str(a), b, c.date()) for a, b, c in cells] == [(a, b, c) for a, b, c in rows]


def test_text_that_looks_like_a_formula_stays_text(tmp_path):
    write_xlsx(pl.DataFrame({"x": ["=1+1", "http://example.org", None]}), tmp_path / "x.xlsx")
    page = openpyxl.load_workbook(tmp_path / "x.xlsx").active
    assert page["A2"].value == "=1+1" and page["A2"].data_type == "s" and page["A3"].hyperlink is None


def test_a_sheet_name_that_workbooks_refuse(tmp_path):
    with pytest.raises(Problem, match="1 to 31 characters"):
        write_xlsx(pl.DataFrame({"x": [1]}), tmp_path / "x.xlsx", sheet="a/b")
