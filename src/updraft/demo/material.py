"""The rest of the example world's material: lot register, seed lots, hub requests, the germination
laboratory, varieties, and what other files of this package make.
"""

from __future__ import annotations

import csv
import json
import random
import sqlite3
from contextlib import closing
from datetime import date, timedelta
from pathlib import Path
from typing import Any
from xml.sax.saxutils import escape

import openpyxl
from openpyxl.comments import Comment
from openpyxl.styles import Font, PatternFill

from updraft.demo.names import HUB_SPELLINGS, HUBS, SPECIES, SPECIES_WRITTEN, VARIETIES
from updraft.demo.stores import build_stores
from updraft.demo.tasting import build_tasting

LOTS = 260
_QUARANTINE = PatternFill("solid", fgColor="FFF4B6A6")


def build_material(folder: Path) -> list[Path]:
    """Write the files into the folder and return their paths."""
    made = [make(folder) for make in (_register, _seed_lots, _requests, _germination, _weights, _varieties)]
    return [*made, *build_tasting(folder), *build_stores(folder)]


def lots() -> list[tuple[str, str, str, date, float]]:
    """Lot, variety, hub, day of harvest and grams, as they should be."""
    pick = random.Random("lots")
    return [
        (
            f"{number:05d}",
            pick.choice(VARIETIES),
            pick.choice(HUBS),
            date(2025, 8, 1) + timedelta(days=pick.randint(0, 90)),
            round(pick.uniform(120, 9000), 1),
        )
        for number in range(301, 301 + LOTS)
    ]


def _register(folder: Path) -> Path:
    """Lots in quarantine are marked by the colour of their cell alone; a few are struck through or
    commented.
    """
    pick = random.Random("register")
    book = openpyxl.Workbook()
    page = book.active
    page.title = "Register"
    page.append(["Lot register 2025"])
    page.append([])
    page.append(["Lot", "Variety", "Hub", "Harvested", "Grams"])
    for row, lot in enumerate(lots(), start=4):
        page.append(list(lot))
        chance = pick.random()
        if chance < 0.07:
            page.cell(row, 1).fill = _QUARANTINE
        elif chance < 0.09:
            page.cell(row, 1).font = Font(strike=True)
        elif chance < 0.11:
            page.cell(row, 1).comment = Comment("weighed twice", "Store room")
    notes = book.create_sheet("Notes")
    notes.append(["Red lots are in quarantine."])
    notes.sheet_state = "hidden"
    path = folder / "lot_register.xlsx"
    book.save(path)
    return path


def _seed_lots(folder: Path) -> Path:
    """Hub codes in lower case, several revisions of one lot, grams and kilograms mixed."""
    pick = random.Random("seed lots")
    path = folder / "seed_lots.sqlite"
    path.unlink(missing_ok=True)
    rows = []
    for lot, variety, hub, harvested, grams in lots():
        for revision in range(1, pick.choices([2, 3, 4], weights=[6, 3, 1])[0]):
            unit = "kg" if pick.random() < 0.25 else "g"
            amount = round(grams / (1000 if unit == "kg" else 1), 3)
            rows.append((lot, revision, variety, hub[:3].lower(), f"{harvested}", amount, unit))
    with closing(sqlite3.connect(path)) as db, db:
        db.execute("CREATE TABLE hubs (code TEXT PRIMARY KEY, name TEXT NOT NULL)")
        db.execute("CREATE TABLE packets (variety TEXT PRIMARY KEY, grams REAL NOT NULL)")
        grams = [(variety, pick.choice([0.5, 1.5, 2, 3, 5, 7.5, 25])) for variety in VARIETIES]
        db.executemany("INSERT INTO packets VALUES (?, ?)", grams)
        db.execute(
            "CREATE TABLE lots (lot TEXT, revision INTEGER, variety TEXT, hub TEXT REFERENCES hubs (code), "
            "harvested DATE, amount REAL, unit TEXT, PRIMARY KEY (lot, revision))"
        )
        db.executemany("INSERT INTO hubs VALUES (?, ?)", [(hub[:3].lower(), hub) for hub in HUBS])
        db.executemany("INSERT INTO lots VALUES (?, ?, ?, ?, ?, ?, ?)", rows)
    return path


def _requests(folder: Path) -> Path:
    """Amounts inside text, textual dates, units in several spellings, lists within requests."""
    pick, odd = random.Random("requests"), random.Random("requests in other units")
    found: list[dict[str, Any]] = []
    for number in range(90):
        hub = pick.choice(HUBS)
        day = date(2026, 3, 1) + timedelta(days=number // 3)
        lines = [
            {
                "variety": pick.choice(VARIETIES),
                "amount": _amount(
                    odd,
                    f"{pick.randint(1, 30)} {pick.choice(['x', 'X', '×'])} {pick.choice([5, 10, 25])} "
                    f"{pick.choice(['g', 'gr', 'grams', 'G'])}",
                ),
            }
            for _ in range(pick.randint(1, 5))
        ]
        contact = {"phone": f"01{pick.randint(200, 999)} 555"}
        found.append(
            {
                "request": f"HR-{510 + number}",
                "asked": f"{day:%A}, {day.day} {day:%B %Y}",
                "hub": {"name": pick.choice([hub, *HUB_SPELLINGS[hub]]), "contact": contact},
                "tags": pick.sample(["urgent", "spring", "school", "cold room"], pick.randint(0, 2)),
                "lines": lines,
            }
        )
    path = folder / "hub_requests.json"
    path.write_text(json.dumps({"exported": "2026-03-31", "requests": found}, ensure_ascii=False, indent=1))
    return path


def _amount(odd: random.Random, usual: str) -> str:
    """An amount, one in six in another form or unit, and hardly ever in one that says no weight."""
    ways = {
        0: f"{odd.choice([1, 2, 1.5, 0.5])} {odd.choice(['kg', 'KG', 'kilo'])}",
        1: f"{odd.randint(2, 9)} × {odd.choice([250, 500])} mg",
        2: f"{odd.choice([40, 80, 120])}{odd.choice(['g', ' g'])}",
    }
    way = odd.randrange(19)
    return "1 tray" if odd.randrange(90) == 0 else ways.get(way, usual)


def _germination(folder: Path) -> Path:
    """Many fields that are mostly empty, dates in another form, tests nested in batches."""
    pick = random.Random("germination")
    batches = []
    for lot, variety, *_ in lots()[:70]:
        tests = "".join(
            f'<test method="{pick.choice(["paper", "sand"])}">'
            f"<sown>{pick.randint(1, 28):02d}/{pick.randint(1, 3):02d}/2026</sown>"
            f"<germinated>{pick.randint(55, 100)}</germinated>"
            f"<abnormal>{pick.choice(['', pick.randint(1, 9)])}</abnormal>"
            f"<mould/><remark>{pick.choice(['', '', '', 'late'])}</remark></test>"
            for _ in range(pick.randint(1, 3))
        )
        batches.append(
            f'<batch lot="{lot}"><variety>{escape(variety)}</variety>'
            f"<moisture>{pick.choice(['', '', '8.1'])}</moisture>{tests}</batch>"
        )
    path = folder / "germination.xml"
    path.write_text(
        '<?xml version="1.0" encoding="UTF-8"?>\n<laboratory xmlns="urn:larkmoor:germination" year="2026">\n'
        + "\n".join(batches)
        + "\n</laboratory>\n",
        encoding="utf-8",
    )
    return path


def _weights(folder: Path) -> Path:
    """The store room's scales print columns of fixed width."""
    lines = ["Larkmoor store room, scales 2", ""]
    lines += [f"{'Lot':<8}{'Variety':<24}{'Grams':>9}"]
    lines += [f"{lot:<8}{variety:<24}{grams:>9.1f}" for lot, variety, _, _, grams in lots()[:120]]
    path = folder / "scales.txt"
    path.write_text("\n".join(lines) + "\n", encoding="utf-8")
    return path


def _varieties(folder: Path) -> Path:
    """Varieties with genus and epithet as people wrote them; family and origin are often missing."""
    pick = random.Random("varieties")
    origins = {
        "Brandywine": "North America",
        "Chioggia": "Italy",
        "Black Krim": "Crimea",
        "Paris Market": "France",
    }
    meant = {variety: name for name, varieties in SPECIES.items() for variety in varieties}
    path = folder / "varieties.csv"
    with path.open("w", newline="", encoding="utf-8") as file:
        rows = csv.writer(file, lineterminator="\n")
        rows.writerow(["Variety", "Genus", "Epithet", "Family", "Origin", "Introduced", "Kept by"])
        for variety in VARIETIES:
            genus, epithet = SPECIES_WRITTEN.get(variety, meant[variety]).split(" ")
            family = "Solanaceae" if genus == "Capsicum" else ""
            day = f"{pick.randint(1880, 1996)}-{pick.randint(1, 12):02d}-{pick.randint(1, 28):02d}"
            rows.writerow([variety, genus, epithet, family, origins.get(variety, ""), day, pick.choice(HUBS)])
    return path
