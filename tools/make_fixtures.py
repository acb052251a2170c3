"""Have LibreOffice write the workbooks in tests/fixtures: `python tools/make_fixtures.py`. Needed once; the tests need no office suite.

A small workbook is made, opened by LibreOffice without a screen, and saved as xlsx, xls and ods, formulas worked out anew.
"""

import datetime
import subprocess
import tempfile
from pathlib import Path

from openpyxl import Workbook
from openpyxl.comments import Comment
from openpyxl.styles import Font, PatternFill

OUT = Path(__file__).resolve().parent.parent / "tests/fixtures"
ROWS = [
    ["Lot", "Hub", "Grams", "Sown", "Weighed", "Tested", "Per day"],
    [
        "0071",
        "Aldermere",
        5.25,
        datetime.date(2026, 3, 1),
        datetime.datetime(2026, 4, 2, 7, 30),
        True,
        "=C3/2",
    ],
    ["0072", None, 12, datetime.date(2026, 2, 28), datetime.datetime(2026, 4, 2, 18, 5, 9), False, "=C4/0"],
    ["0073", "Große Höhe", 1234567.5, None, datetime.datetime(2026, 4, 3), None, "=NA()"],
    ["0074", " North  Fen ", -0.004, datetime.date(1999, 12, 31), None, True, '=IF(C6<0,"less","more")'],
]


def build(path: Path) -> None:
    book = Workbook()
    page = book.active
    page.title = "Lots"
    page["A1"] = "Seed lots, as they were counted"
    page.merge_cells("A1:G1")
    for row in ROWS:
        page.append(row)
    page.merge_cells("B3:B4")
    for row in range(3, 7):
        page.cell(row, 1).number_format = "@"
    page["A4"].fill = PatternFill("solid", fgColor="F4B6A6")
    page["A5"].font = Font(bold=True, strike=True)
    page["C6"].comment = Comment("weighed again", "Store room")
    old = book.create_sheet("Old lots")
    old.append(["Lot", "Hub"])
    old.append(["0001", "Saltmarsh"])
    old.sheet_state = "hidden"
    book.save(path)


if __name__ == "__main__":
    OUT.mkdir(exist_ok=True)
    with tempfile.TemporaryDirectory() as folder:
        build(Path(folder) / "lots.xlsx")
        for ending in ("xlsx", "xls", "ods"):
            subprocess.run(
                [
                    "soffice",
                    "--headless",
                    "--convert-to",
                    ending,
                    "--outdir",
                    str(OUT),
                    str(Path(folder) / "lots.xlsx"),
                ],
                check=True,
            )
