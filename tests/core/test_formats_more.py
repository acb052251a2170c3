"""Every other format and option: text of all sorts, fixed columns, workbooks, archives, typed files."""

import bz2
import csv
import datetime
import gzip
import io
import lzma
import random
import sqlite3
import time
import zipfile
from copy import copy
from dataclasses import replace

import openpyxl
import polars as pl
import pytest
import xlwt
import zstandard
from hypothesis import given, settings
from hypothesis import strategies as st
from openpyxl.comments import Comment
from openpyxl.styles import Color, Font, PatternFill
from openpyxl.worksheet.table import Table

from tests.books import write_ods, write_xlsb
from tests.core.test_formats import book, put
from updraft.core import Problem
from updraft.core.formats import ReadOptions, apart, delimited, detect, packed, read, read_all
from updraft.core.formats.fixed import find_widths
from updraft.core.formats.formatting import formatting
from updraft.core.formats.signs import evened

LOTS = [["Lot", "Hub", "Grams"], ["L1", "Aldermere", 5.0], ["L2", "Coldwater", 7.5]]


@pytest.mark.parametrize(
    "encoding, text",
    [
        ("utf-16", "Lot;Ort\nL1;Köln\nL2;Füssen\n"),
        ("utf-16-le", "Lot;Hub\nL1;Aldermere\nL2;Coldwater\n"),
        ("utf-16-be", "Lot;Hub\nL1;Aldermere\nL2;Coldwater\n"),
        ("utf-8-sig", "Lot;Ort\nL1;Köln\nL2;Füssen\n"),
        ("cp1252", "Sorte;Ort\nMusquée de Provence;Köln\nRübe;Füssen\nFrühe Möhre;Göttingen\n"),
        (
            "cp1250",
            "Odmiana;Miasto\nżółta rzepa;Łódź\nczerwona cebula;Kraków\nświeża mięta;Gdańsk\nwczesna gruszka;Białystok\n",
        ),
        ("mac_roman", "Lot;Ort\n1;Köln\n2;Füssen\n3;Göttingen\n4;Äpfelhof\n"),
        ("mac_roman", "Ville;Sorte\n" + "Orléans;a\nBesançon;b\nNîmes;c\nÉpinal;d\nChâlons;e\n" * 3),
        ("cp874", "จังหวัด;พันธุ์\n" + "กรุงเทพ;ถั่ว\nเชียงใหม่;ข้าว\nขอนแก่น;งา\nภูเก็ต;ถั่ว\n" * 3),
    ],
)
def test_text_in_any_encoding(tmp_path, encoding, text):
    found = read(put(tmp_path, text.encode(encoding)), ReadOptions(header="first"))
    rows = [line.split(";") for line in text.splitlines()]
    assert found.frame.columns == rows[0]
    assert [list(row) for row in found.frame.iter_rows()] == rows[1:]


def test_text_that_went_through_a_wrong_encoding_is_noticed_and_mended(tmp_path):
    good = ["Musquée de Provence", "Rübe", "plain", "naïve Ähre"]
    path = put(tmp_path, "Sorte\n" + "\n".join(text.encode().decode("cp1252", errors="replace") for text in good))
    found = read(path, ReadOptions(header="first"))
    assert any("3 values look like text read in a wrong encoding" in text for text in found.warnings)
    mended = read(path, ReadOptions(header="first", mend=True))
    assert mended.frame["Sorte"].to_list() == good and not mended.warnings
    fine = read(put(tmp_path, "Sorte\n" + "\n".join(good)), ReadOptions(header="first", mend=True))
    assert fine.frame["Sorte"].to_list() == good


def test_quotes_escapes_and_breaks_in_cells(tmp_path):
    found = read(put(tmp_path, 'Lot;Note\nL1;"two\nlines; one ""quote"""\nL2;x\n'))
    assert found.frame["Note"].to_list() == ['two\nlines; one "quote"', "x"]
    single = read(put(tmp_path, "Lot;Note\n'L1';'a; b'\n'L2';'c'\n"))
    assert single.frame.rows() == [("L1", "a; b"), ("L2", "c")]
    assert "single quotes" in single.detected.reasons["quote"]
    escaped = read(put(tmp_path, 'Lot,Note\nL1,"say \\"yes, please\\" now"\nL2,"x, y"\n'))
    assert escaped.frame["Note"].to_list() == ['say "yes, please" now', "x, y"]
    none = read(put(tmp_path, 'Lot;Length\nL1;5"\nL2;"7\n'), ReadOptions(quote="", header="first"))
    assert none.frame["Length"].to_list() == ['5"', '"7']
    with pytest.raises(Problem, match="more than one character"):
        read(put(tmp_path, "a,b\n1,2\n"), ReadOptions(delimiter="::"))


def test_rows_of_another_width_are_counted_placed_and_treated_as_chosen(tmp_path):
    path = put(tmp_path, "# stock\na;b;c\n1;2;3\n1;2\n1;2;3;4\n5;6;7\n")
    wide = read(path)
    assert wide.frame.columns == ["a", "b", "c", "Column 4"] and wide.frame.height == 4
    assert [text.split(";")[0] for text in wide.warnings] == [
        "Column 4 has no name",
        "1 rows have fewer than 3 cells",
        "1 rows have more than 3 cells",
    ]
    assert read(path, ReadOptions(ragged="cut")).frame.rows()[1:3] == [("1", "2", None), ("1", "2", "3")]
    strict = read(path, ReadOptions(ragged="leave_out"))
    assert strict.frame.rows() == [("1", "2", "3"), ("5", "6", "7")]
    assert "2 rows do not have 3 cells and are left out" in strict.warnings[0]


def test_headers_over_several_lines_and_lines_below_them(tmp_path):
    text = "Lot,Weight,,Price\n,net,gross,\n,g,g,EUR\nL1,1,2,3\nL2,4,5,6\n"
    found = read(put(tmp_path, text), ReadOptions(header="first", header_lines=2, skip_after=1))
    assert found.frame.columns == ["Lot", "Weight net", "Weight gross", "Price"]
    assert found.frame.rows() == [("L1", "1", "2", "3"), ("L2", "4", "5", "6")]


def test_words_for_empty_and_empty_columns(tmp_path):
    path = put(tmp_path, "Lot,Hub,Old\nL1,n/a,-\nL2,Coldwater,N/A\n")
    found = read(path, ReadOptions(empty=("N/A", "-"), drop_empty=True))
    assert found.frame.to_dict(as_series=False) == {"Lot": ["L1", "L2"], "Hub": [None, "Coldwater"]}
    assert found.warnings == ("1 columns are empty throughout and left out.",)


def test_fixed_columns_are_found_and_can_be_moved(tmp_path):
    rows = [
        ("L1", "Aldermere", "12"),
        ("L22", "North Fen", "120"),
        ("L333", "Coldwater", "7"),
        ("L4", "Salt marsh", "99"),
    ]
    lines = ["Stock at the hubs", f"{'Lot':<7}{'Hub':<13}{'Grams':>6}"]
    lines += [f"{lot:<7}{hub:<13}{grams:>6}" for lot, hub, grams in rows]
    path = put(tmp_path, "\n".join(lines), "stock.txt")
    found = read(path)
    assert found.detected.format == "fixed" and found.frame.columns == ["Lot", "Hub", "Grams"]
    assert found.frame.rows() == rows
    moved = read(path, ReadOptions(format="fixed", widths=(7, 6, 13), skip=1))
    assert moved.frame.row(1) == ("L22", "North", "Fen       120")
    with pytest.raises(Problem, match="no border between columns"):
        read(put(tmp_path, "one\ntwo\nthree\n", "p.txt"), ReadOptions(format="fixed"))


@given(st.lists(st.integers(3, 9), min_size=2, max_size=6), st.integers(0, 999))
def test_borders_between_full_columns_are_always_found(widths, seed):
    pick = random.Random(seed)
    lines = ["".join("".join(pick.choices("abc123", k=w - 1)) + " " for w in widths) for _ in range(12)]
    found = find_widths(lines)
    assert found[:-1] == tuple(widths[:-1]) and len(found) == len(widths)


@pytest.fixture
def marked_book(tmp_path):
    """Lots whose quarantine is told by colour, with merged cells, an error, a hidden sheet and a table."""
    book = openpyxl.Workbook()
    page = book.active
    page.title = "Register"
    page.append(["Lot register"])
    page.append([])
    page.append(["Lot", "Hub", "Grams", "Sown"])
    for number in range(6):
        page.append(
            [f"00{number}", None if number % 3 else f"Hub {number}", number * 2.5, datetime.date(2026, 3, 1 + number)]
        )
    page["A5"].fill = PatternFill("solid", fgColor="FFFFC7CE")
    page["A6"].font = Font(bold=True, strike=True)
    page["A7"].comment = Comment("sent back", "Ines")
    page["C8"] = "#N/A"
    page["C8"].data_type = "e"
    page.merge_cells("B4:B6")
    page.merge_cells("B7:B9")
    page.add_table(Table(displayName="Lots", ref="A3:C6"))
    hidden = book.create_sheet("Notes")
    hidden.append(["internal"])
    hidden.sheet_state = "hidden"
    april = book.create_sheet("April")
    april.append(["Lot", "Grams", "Plot"])
    april.append(["100", 3, "east"])
    book.save(tmp_path / "register.xlsx")
    return tmp_path / "register.xlsx"


LOOKS = st.fixed_dictionaries(
    {},
    optional={
        "fill": st.sampled_from(
            [
                PatternFill("solid", fgColor="FFCC00"),
                PatternFill("solid", fgColor=Color(theme=4)),
                PatternFill("solid", fgColor=Color(indexed=13)),
                PatternFill("gray125"),
                PatternFill(fgColor="00FF00"),
            ]
        ),
        "font": st.builds(Font, bold=st.booleans(), strike=st.booleans()),
        "comment": st.sampled_from(["to check", "two\nlines", "é"]),
    },
)


def test_quotes_that_end_nothing_are_read_as_they_were_meant(tmp_path):
    text = '"No","Said","Hub"\n"1","he said "now" twice","Fen"\n"2","a ""sound"", one","Fen"\n"3","of two\nlines, ""so""","Fen"\n'
    found = read(put(tmp_path, text)).frame
    assert found["Said"].to_list() == ['he said "now" twice', 'a "sound", one', 'of two\nlines, "so"']
    later = '"No","Said"\n' + '"1","sound"\n' * 1200 + '"2","he said "now"."\n'
    assert read(put(tmp_path, later)).frame["Said"].to_list()[-1] == 'he said "now".', "beyond what is looked at first"


@given(st.lists(st.lists(st.text('ab", \n', max_size=5), min_size=2, max_size=2), min_size=1, max_size=5))
def test_what_a_writer_of_csv_wrote_is_never_mended(rows):
    written = io.StringIO()
    csv.writer(written, quoting=csv.QUOTE_ALL, lineterminator="\n").writerows(rows)
    lines = written.getvalue().splitlines(keepends=True)
    assert list(evened(lines, ",", '"', "")) == lines


def test_comments_at_the_ends_of_most_lines_are_left_out_and_told(tmp_path):
    text = (
        "Hub,Plots\n# of the year\n# 2026\n"
        + "".join(f"Fen {n},{n}\t# field {n}, wet\n" for n in range(8))
        + "Marsh #2,9\n"
    )
    found = read(put(tmp_path, text))
    assert (
        found.frame.shape == (9, 2) and found.frame.row(0) == ("Fen 0", "0") and found.frame.row(8) == ("Marsh #2", "9")
    )
    assert "Comments at the ends of lines left out, such as “# field 0, wet”." in found.warnings


@pytest.mark.parametrize(
    ("text", "names", "skip"),
    [
        (
            "Yield by hub\n,2023,,2024,\nHub,kg,lots,kg,lots\nAldermere,12,3,14,4\nFen,10,2,11,3\n",
            ["Hub", "2023 kg", "2023 lots", "2024 kg", "2024 lots"],
            1,
        ),
        (
            "Hub;Dry;Dry;Wet;Wet\n;sown;kg;sown;kg\nFen;2024-03-01;4;2024-09-01;5\nMarsh;2024-03-02;6;2024-09-04;7\nWold;2024-03-02;6;2024-09-04;7\n",
            ["Hub", "Dry sown", "Dry kg", "Wet sown", "Wet kg"],
            0,
        ),
        ("Hub,kg,kg,kg\nFen,1,2,3\nMarsh,4,5,6\n", ["Hub", "kg", "kg (2)", "kg (3)"], 0),
        ("2023,2024\nHub,kg,kg,kg\nFen,1,2,3\nMarsh,4,5,6\n", ["Hub", "kg", "kg (2)", "kg (3)"], 1),
    ],
)
def test_names_that_come_again_are_told_apart_by_a_second_row(tmp_path, text, names, skip):
    found = read(put(tmp_path, text))
    assert found.frame.columns == names and found.frame.height in (2, 3)
    assert found.detected.options.skip == skip
    one = read(put(tmp_path, text), ReadOptions(header_lines=1)).frame
    assert any(name.endswith("(2)") for name in one.columns), "a person may say that it is one"


@settings(max_examples=40)
@given(st.lists(st.lists(LOOKS, min_size=2, max_size=2), min_size=1, max_size=5), st.booleans())
def test_formatting_is_what_a_library_reads_from_the_same_file(tmp_path_factory, rows, second):
    """Against openpyxl, which reads the whole workbook for it."""
    path = tmp_path_factory.mktemp("looks") / "looks.xlsx"
    book = openpyxl.Workbook()
    page = book.active if not second else book.create_sheet("Second")
    for n, row in enumerate(rows, start=1):
        for m, looks in enumerate(row, start=1):
            cell = page.cell(n, m, f"{n} {m}")
            if "fill" in looks:
                cell.fill = copy(looks["fill"])
            if "font" in looks:
                cell.font = copy(looks["font"])
            if "comment" in looks:
                cell.comment = Comment(looks["comment"], "Rook")
    book.save(path)
    found = formatting(path, path.stat().st_mtime_ns, page.title)
    again = openpyxl.load_workbook(path)[page.title]
    for row in again.iter_rows():
        for cell in row:
            at = (cell.row - 1, cell.column - 1)
            assert (found["bold"].get(at) == "yes") == bool(cell.font.bold)
            assert (found["strike"].get(at) == "yes") == bool(cell.font.strike)
            assert found["comment"].get(at) == (cell.comment.text.strip() if cell.comment else None)
            colour = cell.fill.fgColor if cell.fill.fill_type else None
            number = colour and (colour.theme if colour.type == "theme" else colour.indexed)
            said = colour and (f"#{colour.rgb[-6:].lower()}" if colour.type == "rgb" else f"{colour.type} {number}")
            assert found["fill"].get(at) == said


def test_formatting_becomes_columns_and_merged_cells_are_filled(marked_book):
    marks = (("Lot", "fill"), ("Lot", "bold"), ("Lot", "strike"), ("Lot", "comment"))
    found = read(marked_book, ReadOptions(merged="fill", marks=marks)).frame
    assert found["Lot"].to_list() == ["000", "001", "002", "003", "004", "005"]
    assert found["Hub"].to_list() == ["Hub 0"] * 3 + ["Hub 3"] * 3
    assert found["Sown"].to_list()[0] == "2026-03-01" and found["Grams"][4] == "#N/A"
    assert found["Lot: fill colour"].to_list() == [None, "#ffc7ce", None, None, None, None]
    assert (
        found["Lot: bold"].to_list() == found["Lot: struck through"].to_list() == [None, None, "yes", None, None, None]
    )
    assert found["Lot: comment"].to_list() == [None, None, None, "sent back", None, None]
    plain = read(marked_book)
    assert plain.frame["Hub"].to_list() == ["Hub 0", None, None, "Hub 3", None, None]
    assert any("1 cells hold a formula error (#N/A)" in text for text in plain.warnings)
    assert any("2 merged cells" in text for text in plain.warnings)
    assert plain.detected.choices["hidden"] == ("Notes",) and plain.detected.choices["ranges"] == ("Lots",)
    with pytest.raises(Problem, match="Did you mean “Lot”"):
        read(marked_book, ReadOptions(marks=(("Lots", "fill"),)))


def test_ranges_by_cells_and_by_name(marked_book):
    table = read(marked_book, ReadOptions(range="Lots")).frame
    assert table.columns == ["Lot", "Hub", "Grams"] and table["Lot"].to_list() == ["000", "001", "002"]
    cells = read(marked_book, ReadOptions(range="C3:D5", marks=(("Grams", "fill"),)))
    assert cells.frame.columns == ["Grams", "Sown", "Grams: fill colour"] and cells.frame.height == 2
    for wrong in ("Z900:Z999", "nowhere!"):
        with pytest.raises(Problem, match="Range"):
            read(marked_book, ReadOptions(range=wrong))


def test_sheets_are_stacked_with_their_names(marked_book):
    both = read(marked_book, ReadOptions(sheets=("Register", "April")))
    assert both.frame.columns == ["Sheet", "Lot", "Hub", "Grams", "Sown", "Plot"]
    assert both.frame["Sheet"].to_list() == ["Register"] * 6 + ["April"]
    assert both.frame.row(6) == ("April", "100", None, "3", None, "east")
    assert any("Sheet “April”: columns “Hub”, “Sown” are gone" in text for text in both.warnings)
    assert read(marked_book, ReadOptions(sheets=("*",))).frame["Sheet"].unique(maintain_order=True).to_list() == [
        "Register",
        "April",
    ]


def test_every_kind_of_workbook_gives_the_same_table(tmp_path):
    old = xlwt.Workbook()
    page = old.add_sheet("Stock")
    for number, row in enumerate(LOTS):
        for place, value in enumerate(row):
            page.write(number, place, value)
    old.save(str(tmp_path / "a.xls"))
    write_ods(tmp_path / "a.ods", "Stock", LOTS)
    write_xlsb(tmp_path / "a.xlsb", "Stock", LOTS)
    for name in ("a.xls", "a.ods", "a.xlsb"):
        found = read(tmp_path / name)
        assert found.frame.columns == LOTS[0], name
        assert found.frame.rows() == [("L1", "Aldermere", "5"), ("L2", "Coldwater", "7.5")], name
        assert found.detected.options.sheet == "Stock"
    with pytest.raises(Problem, match="only xlsx workbooks"):
        read(tmp_path / "a.xls", ReadOptions(marks=(("Lot", "fill"),)))


def test_typed_files_keep_their_types(tmp_path):
    table = pl.DataFrame(
        {"Lot": ["L1", "L2"], "Sown": [datetime.date(2026, 3, 1), None], "Grams": [5, 7], "Ok": [True, None]}
    )
    table.write_parquet(tmp_path / "a.parquet")
    table.write_ipc(tmp_path / "a.arrow")
    table.write_ipc_stream(tmp_path / "a.arrows")
    for name in ("a.parquet", "a.arrow", "a.arrows"):
        assert read(tmp_path / name).frame.equals(table), name
    (tmp_path / "cut.parquet").write_bytes((tmp_path / "a.parquet").read_bytes()[:40])
    with pytest.raises(Problem, match="cannot be read"):
        read(tmp_path / "cut.parquet")


def test_a_sqlite_file_gives_its_largest_table_or_the_chosen_one(tmp_path):
    with sqlite3.connect(tmp_path / "lots.db") as db:
        db.execute("create table small (a)")
        db.execute("create table lots (lot text, grams, photo blob)")
        db.executemany("insert into lots values (?, ?, ?)", [("L1", 5, b"\x01\x02"), ("L2", "about 7", None)])
    found = read(tmp_path / "lots.db")
    assert found.frame.rows() == [("L1", "5", "0102"), ("L2", "about 7", None)]
    assert found.detected.reasons["table"] == "the table with the most rows"
    assert read(tmp_path / "lots.db", ReadOptions(table="small")).frame.columns == ["a"]
    with pytest.raises(Problem, match="the nearest name is “lots”"):
        read(tmp_path / "lots.db", ReadOptions(table="lot"))


def test_archives_are_looked_into(tmp_path):
    with gzip.open(tmp_path / "a.csv.gz", "wb") as file:
        file.write(b"Lot,Hub\nL1,Aldermere\n")
    assert read(tmp_path / "a.csv.gz").frame.rows() == [("L1", "Aldermere")]
    with zipfile.ZipFile(tmp_path / "a.zip", "w") as archive:
        archive.writestr("2026/march.csv", "Lot,Grams\nL1,5\n")
        archive.writestr("2026/april.csv", "Lot,Weight\nL2,6\n")
        archive.writestr("../../escape.json", '[{"Lot": "L3"}]')
    first = read(tmp_path / "a.zip")
    assert first.frame.rows() == [("L1", "5")] and first.detected.reasons["member"] == "the first of 3 files inside"
    both = read(tmp_path / "a.zip", ReadOptions(member="2026/*"))
    assert both.frame.columns == ["File", "Lot", "Grams", "Weight"]
    assert any("“Grams” is gone and “Weight” is new: perhaps renamed" in text for text in both.warnings)
    assert read(tmp_path / "a.zip", ReadOptions(member="*.json")).frame.rows() == [("L3",)]
    assert not (tmp_path.parent / "escape.json").exists()
    (tmp_path / "cut.csv.gz").write_bytes((tmp_path / "a.csv.gz").read_bytes()[:20])
    with pytest.raises(Problem, match="damaged"):
        read(tmp_path / "cut.csv.gz")
    with pytest.raises(Problem, match="no such file inside"):
        read(tmp_path / "a.zip", ReadOptions(member="none.csv"))


def test_what_was_made_to_do_harm_is_refused_at_once(tmp_path, monkeypatch):
    """Files that unpack without end, one line without end, a quote without end, signs that are no text, a page in disguise."""
    bomb = bytes(60 << 20)
    monkeypatch.setattr(packed, "_HARMLESS", 1 << 20)
    monkeypatch.setattr(delimited, "_LONGEST", 4 << 20)
    with zipfile.ZipFile(tmp_path / "bomb.zip", "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("lots.csv", bomb)
    (tmp_path / "bomb.csv.gz").write_bytes(gzip.compress(bomb))
    pl.DataFrame({"Lot": ["L1"]}).write_excel(tmp_path / "bomb.xlsx")
    with zipfile.ZipFile(tmp_path / "bomb.xlsx", "a", zipfile.ZIP_DEFLATED) as book:
        book.writestr("xl/worksheets/sheet2.xml", bomb)
    lied = (tmp_path / "bomb.zip").read_bytes().replace(len(bomb).to_bytes(4, "little"), (9).to_bytes(4, "little"))
    (tmp_path / "lied.zip").write_bytes(lied)
    far = openpyxl.Workbook()
    far.active["A1"], far.active["XFD1048576"] = "Lot", "stray"
    far.save(tmp_path / "far.xlsx")
    put(tmp_path, b"ab," * 5_000_000, "wide.csv")
    put(tmp_path, b"a" * (5 << 20), "long.csv")
    put(tmp_path, b'Lot,Hub\nL1,"Fen\n' + b"L2,Fen\n" * 1_000_000, "quote.csv")
    put(tmp_path, b"Lot,Hub\nL1\x00,Fen\n", "nul.csv")
    put(tmp_path, "<!DOCTYPE html>\n<html><table></table></html>", "export.csv")
    put(tmp_path, "  <html><body>", "export.xml")
    for name, said in {
        "bomb.zip": "more than 200 times", "bomb.csv.gz": "more than 200 times", "bomb.xlsx": "more than 200 times",
        "lied.zip": "damaged", "far.xlsx": "reaches to row 1,048,576 and column 16,384", "wide.csv": "more than 20,000 cells", "long.csv": "longer than 4 MB", "quote.csv": "longer than 4 MB",
        "nul.csv": "NUL", "export.csv": "a web page", "export.xml": "a web page",
    }.items():  # fmt: skip
        started = time.monotonic()
        with pytest.raises(Problem, match=said):
            read(tmp_path / name)
        assert time.monotonic() - started < 60, name


def test_dates_of_a_workbook_that_counts_from_1904_are_right(tmp_path):
    book = openpyxl.Workbook()
    book.epoch = openpyxl.utils.datetime.CALENDAR_MAC_1904
    book.active.append(["Sown", "At"])
    book.active.append([datetime.date(2026, 3, 9), datetime.datetime(2026, 3, 9, 14, 30)])
    book.save(tmp_path / "mac.xlsx")
    assert read(tmp_path / "mac.xlsx").frame.row(0) == ("2026-03-09", "2026-03-09 14:30:00")


@pytest.mark.parametrize(
    ("text", "rows"),
    [
        ("id  x    y\n1 2.5 3\n10 20.25   4\n100  2 77\n", [("id", "x", "y"), ("1", "2.5", "3"), ("10", "20.25", "4")]),
        ("a:b:c\n1:x:3\n2:y:4\n5:z:6\n", [("a", "b", "c"), ("1", "x", "3")]),
        ("| a | b |\n|---|---|\n| 1 | x y |\n| 2 | z |\n", [("a", "b"), ("1", "x y"), ("2", "z")]),
        ("Name  Count\n----  -----\nAsh 1\nElm 22\nOak 3\n", [("Name", "Count"), ("Ash", "1")]),
        # what is no table of several columns
        ("Ash Grove\nElm Road\nOak Lane\nBirch Way\n", [("Ash Grove",), ("Elm Road",)]),
        ("10:30:05\n11:45:10\n09:15:00\n", [("Column 1",), ("10:30:05",)]),
    ],
)
def test_columns_apart_by_blanks_colons_or_framed_by_bars(tmp_path, text, rows):
    path = tmp_path / "lots.txt"
    path.write_text(text)
    found = read(path)
    assert [tuple(found.frame.columns), *found.frame.rows()][: len(rows)] == rows
    # The same again with what was detected as options, as a flow keeps them.
    assert read(path, found.detected.options).frame.equals(found.frame)


@pytest.mark.parametrize("sign", ["::", "||", "^^"])
@pytest.mark.parametrize("named", [True, False])
def test_a_delimiter_of_two_equal_signs_leaves_no_columns_between(tmp_path, sign, named):
    rows = [["lot", "hub", "grams"], ["L1", "Aldermere", "5"], ["L2", "Cold water", "7"], ["L3", "", "8"]][not named :]
    path = put(tmp_path, "\n".join(sign.join(row) for row in rows).encode(), "lots.txt")
    found = read(path, ReadOptions())
    names = rows[0] if named else ["Column 1", "Column 2", "Column 3"]
    assert found.frame.columns == names and any(sign in one for one in found.warnings)
    assert [[cell or "" for cell in row] for row in found.frame.rows()] == rows[named:]
    some = read(path, ReadOptions(), frozenset(names[1:2]))
    assert some.frame[names[1]].to_list() == found.frame[names[1]].to_list(), "asked for alone, it is the same column"


def test_an_empty_column_between_two_stays(tmp_path):
    path = put(tmp_path, b"lot,,hub\nL1,,Aldermere\nL2,,Cold\n", "lots.csv")
    assert read(path, ReadOptions()).frame.width == 3


def test_years_name_columns_and_words_for_missing_say_nothing(tmp_path):
    path = tmp_path / "births.csv"
    path.write_text("Land,2019,2020,2021\nA,1.5,NA,1.7\nB,2.1,2.2,-\n")
    assert read(path).frame.columns == ["Land", "2019", "2020", "2021"]
    path.write_text("2019,2020,2021\n2018,2017,2020\n2011,2012,2013\n")
    assert read(path).frame.height == 3, "years above years are data"
    path.write_text("2020,2021\n" + "377,106\n544,596\n243,734\n")
    assert read(path).frame.columns == ["2020", "2021"], "two years above what are none"
    path.write_text("2020,2021\n" + "377,106\n2022,596\n243,734\n")
    assert read(path).frame.height == 4, "one of them may be a year: nothing is certain"


@pytest.mark.parametrize(("ending", "packer"), [("bz2", bz2.open), ("xz", lzma.open), ("zst", zstandard.open)])
def test_packed_in_other_ways(tmp_path, ending, packer):
    path = tmp_path / f"a.csv.{ending}"
    with packer(path, "wb") as file:
        file.write(b"Lot,Hub\nL1,Aldermere\n")
    assert read(path).frame.rows() == [("L1", "Aldermere")]
    path.write_bytes(path.read_bytes()[:-12])
    with pytest.raises(Problem, match="damaged"):
        read(path)


def test_all_sheets_are_told_and_stack_by_name_or_by_place_with_their_names_where_asked(tmp_path):
    path = book(
        tmp_path / "hubs.xlsx",
        {
            "Fen": [["lot", "kg"], ["A1", 5], ["A2", 6]],
            "Dale": [["Los", "Menge", "note"], ["B1", 7, "wet"]],
            "Empty": [],
        },
    )
    found = detect(path)
    assert found.choices["sheets"] == ("Fen", "Dale", "Empty") and found.choices["rows"] == (
        "3 rows × 2",
        "2 rows × 3",
        "empty",
    )
    assert found.reasons["sheet"] == "the first sheet with data; beside it “Dale” 2 rows × 3"
    both = ReadOptions(sheets=("Fen", "Dale"), stack="place")
    placed = read(path, both)
    assert placed.frame.rows() == [("Fen", "A1", "5", None), ("Fen", "A2", "6", None), ("Dale", "B1", "7", "wet")]
    assert placed.frame.columns == ["Sheet", "lot", "kg", "note"]
    assert "“Los” stands as “lot”, “Menge” stands as “kg”" in " ".join(placed.warnings)
    assert read(path, replace(both, sheet_column="never")).frame.columns == ["lot", "kg", "note"]
    assert read(path, replace(both, stack="name")).frame.columns == ["Sheet", "lot", "kg", "Los", "Menge", "note"]
    one = read(path, ReadOptions(sheet="Dale", sheet_column="always")).frame
    assert one.rows() == [("Dale", "B1", "7", "wet")] and one.columns[0] == "Sheet"
    assert "Sheet" not in read(path, ReadOptions()).frame.columns


@pytest.mark.parametrize(
    "ending, write", [("parquet", "write_parquet"), ("arrow", "write_ipc"), ("arrow", "write_ipc_stream")]
)
def test_several_files_are_seen_to_by_one_process_and_the_damaged_one_is_told(tmp_path, monkeypatch, ending, write):
    paths, started = [tmp_path / f"lots {n}.{ending}" for n in range(5)], []
    for n, path in enumerate(paths):
        getattr(pl.DataFrame({"lot": [n, n + 1]}), write)(path)
    run = apart.subprocess.run
    monkeypatch.setattr(apart.subprocess, "run", lambda *some, **more: started.append(1) or run(*some, **more))
    assert [one.frame.height for one in read_all(paths, ReadOptions()).values()] == [2] * 5
    assert len(read_all(paths, ReadOptions())) == 5 and len(started) == 1, "what was read without harm is remembered"
    paths[3].write_bytes(paths[3].read_bytes()[: paths[3].stat().st_size // 2])
    paths[4].touch()
    with pytest.raises(Problem, match="lots 3"):
        read_all(paths, ReadOptions())
