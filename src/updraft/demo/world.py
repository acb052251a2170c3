"""Generate the files of the example world, with the mess that analysts are handed. Same seed, same bytes of
data.
"""

from __future__ import annotations

import random
from calendar import monthrange
from collections.abc import Sequence
from datetime import date, datetime
from pathlib import Path
from typing import Any

import xlsxwriter

from updraft.demo.names import FIRST, GARDENS, HUB_SPELLINGS, HUBS, LAST, NOTES, SPELLINGS, VARIETIES

# month → number of orders, and the row below the header at which that month's totals row stands (-1: the
# last)
MONTHS: dict[str, tuple[int, int]] = {"2026-02": (1087, 0), "2026-03": (1213, -1), "2026-04": (1342, 671)}
GROWERS = 48
HEADER = ["Order", "Ordered on", "Grower", "Variety", "Region", "Garden", "Packets", "Price", "Note"]

Row = list[Any]


def build(folder: Path) -> list[Path]:
    """Write the workbooks into the folder and return their paths: a packet order book a month, and the
    growers.
    """
    folder.mkdir(parents=True, exist_ok=True)
    made = [_orders(folder, month) for month in MONTHS]
    return [*made, _growers(folder)]


def growers() -> list[tuple[str, str, str]]:
    """Code, full name and hub of every grower, as they should be."""
    pick = random.Random("growers")
    names = [f"{first} {last}" for first in FIRST for last in LAST]
    pick.shuffle(names)
    return [(f"GR-{number:03d}", names[number], pick.choice(HUBS)) for number in range(1, GROWERS + 1)]


def _orders(folder: Path, month: str) -> Path:
    many, totals_at = MONTHS[month]
    pick = random.Random(f"orders {month}")
    year, number = map(int, month.split("-"))
    days = monthrange(year, number)[1]
    start = 20314 + 1400 * (number - 3)
    rows = [_order(pick, start + 7 * n, date(year, number, 1 + n * days // many)) for n in range(many)]
    for _ in range(9):  # an order typed twice
        place = pick.randrange(1, many)
        rows[place] = list(rows[place - 1])
    for place in pick.sample(range(many), 3):
        rows[place][6] = None
    total: Row = [
        "Total",
        None,
        None,
        None,
        None,
        None,
        sum(int(row[6] or 0) for row in rows),
        round(sum(row[7] for row in rows), 2),
        None,
    ]
    rows.insert(totals_at if totals_at >= 0 else many, total)
    path = folder / f"packet_orders_{month}.xlsx"
    titles = ["Larkmoor Seed Exchange", f"Packet orders, {date(year, number, 1):%B %Y}", ""]
    _workbook(path, f"{date(year, number, 1):%B}", titles, HEADER, rows)
    return path


def _order(pick: random.Random, number: int, day: date) -> Row:
    variety = pick.choices(VARIETIES, weights=range(len(VARIETIES) + 6, 6, -1))[0]
    region = pick.choice(HUBS)
    grower = (
        f"GR-{pick.randint(1, GROWERS):03d}" if pick.random() > 0.004 else "GR-0" + str(pick.randint(60, 63))
    )
    packets = pick.choices([pick.randint(1, 20), pick.randint(20, 100)], weights=[3, 2])[0]
    return [
        f"LM-{number}",
        _written_date(pick, day),
        _spoiled(pick, grower, 0.05),
        _spoiled(pick, _misspelt(pick, variety, SPELLINGS, 0.22), 0.06),
        _spoiled(pick, region.lower() if pick.random() < 0.08 else region, 0.05),
        pick.choice(GARDENS),
        str(packets) if pick.random() < 0.04 else packets,
        round(packets * pick.choice([1.9, 2.2, 2.4, 2.75]), 2),
        pick.choice(NOTES) or None,
    ]


def _written_date(pick: random.Random, day: date) -> date | str:
    chance = pick.random()
    if chance < 0.012:
        return f"{day:%d.%m.%y}"
    return f"{day.day} {day:%b %Y}" if chance < 0.016 else day


def _misspelt(pick: random.Random, name: str, spellings: dict[str, list[str]], share: float) -> str:
    return pick.choice(spellings[name]) if name in spellings and pick.random() < share else name


def _spoiled(pick: random.Random, text: str, share: float) -> str:
    """Stray blanks, the way they creep in by copying."""
    if pick.random() >= share:
        return text
    return pick.choice([f" {text}", f"{text} ", f"{text}\u00a0", text.replace(" ", "  ", 1)])


def _growers(folder: Path) -> Path:
    pick = random.Random("growers workbook")
    rows: list[Row] = []
    for code, name, hub in growers():
        phone = f"{pick.randint(100, 999)}{pick.randint(1000, 9999)}"
        written = pick.choice(
            [
                f"01{phone[:3]} {phone[3:]}",
                f"(01{phone[:3]}) {phone[3:]}",
                f"+44 1{phone[:3]} {phone[3:]}",
                f"01{phone}",
            ]
        )
        joined = date(pick.randint(1998, 2024), pick.randint(1, 12), pick.randint(1, 28))
        rows.append(
            [code, name, _misspelt(pick, hub, HUB_SPELLINGS, 0.2), written, joined, pick.randint(1, 14)]
        )
    rows.insert(23, [*rows[22][:3], "01555 0142", rows[22][4], rows[22][5]])  # one grower twice
    path = folder / "growers.xlsx"
    _workbook(
        path,
        "Growers",
        ["Growers and their hubs"],
        ["Code", "Full name", "Hub", "Phone", "Joined", "Plots"],
        rows,
    )
    return path


def _workbook(
    path: Path, sheet: str, titles: Sequence[str], header: Sequence[str], rows: Sequence[Row]
) -> None:
    with xlsxwriter.Workbook(path) as book:
        book.set_properties({"created": datetime(2026, 1, 1)})  # so that the file is the same each time
        page = book.add_worksheet(sheet)
        bold, day = book.add_format({"bold": True}), book.add_format({"num_format": "dd.mm.yyyy"})
        for number, title in enumerate(titles):
            page.write(number, 0, title, bold)
        page.write_row(len(titles), 0, header, bold)
        for number, row in enumerate(rows, start=len(titles) + 1):
            for place, value in enumerate(row):
                if isinstance(value, date):
                    page.write_datetime(number, place, value, day)
                elif value is not None:
                    page.write(number, place, value)
        page.set_column(0, len(header) - 1, 16)
