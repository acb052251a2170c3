"""Material of the store room and the laboratory: packing, what is on the road, forty weekly files."""

from __future__ import annotations

import csv
import random
from collections.abc import Iterable
from datetime import date, timedelta
from pathlib import Path
from typing import Any

from updraft.demo.names import HUBS, VARIETIES

WEEKS = 40
PACKINGS = {
    "paper bag": ["Paper bag", "PAPER BAG", "paper  bag", " paper bag"],
    "glass jar": ["Glass jar", "glass jar ", "glass-jar"],
    "jute sack": ["Jute sack", "jute  sack"],
    "tin": ["Tin", "tin "],
    "foil": ["FOIL", " foil"],
}


def build_stores(folder: Path) -> list[Path]:
    """Write the files; their paths."""
    weekly = folder / "laboratory"
    weekly.mkdir(exist_ok=True)
    return [
        _packing(folder),
        _on_the_road(folder),
        *(_week(weekly, number) for number in range(1, WEEKS + 1)),
    ]


def _packing(folder: Path) -> Path:
    """Kinds of packing in many forms; weights from single grains to sacks in three units, some unknown."""
    pick = random.Random("packing")
    rows = []
    for number in range(1, 601):
        plain = pick.choice(list(PACKINGS))
        grams = 10 ** pick.uniform(-3.2, 4.7)
        unit, factor = pick.choice([("g", 1), ("g", 1), ("kg", 1000), ("mg", 0.001)])
        weight = f"{grams / factor:.4g}"
        weight = f"{float(weight):.10f}".rstrip("0").rstrip(".") if "e" in weight else weight
        chance = pick.random()
        told = "0 g" if chance < 0.03 else "?" if chance < 0.05 else f"{weight} {unit}"
        packing = pick.choice(PACKINGS[plain]) if pick.random() < 0.4 else plain
        rows.append([f"P-{number:04d}", pick.choice(VARIETIES), packing, told])
    return _csv(folder / "packing.csv", ["Pack", "Variety", "Packing", "Weight"], rows)


def _on_the_road(folder: Path) -> Path:
    """What is sent and has not arrived."""
    pick = random.Random("road")
    rows = [
        [
            variety,
            pick.choice(HUBS),
            pick.randint(10, 160),
            f"{date(2026, 4, 1) + timedelta(pick.randint(1, 20))}",
        ]
        for variety in pick.sample(VARIETIES, 11)
    ]
    return _csv(folder / "on_the_road.csv", ["Variety", "From", "Packets", "Expected"], rows)


def _week(folder: Path, number: int) -> Path:
    """One week's file of the laboratory."""
    pick = random.Random(f"week {number}")
    day = date(2025, 9, 1) + timedelta(weeks=number)
    tests = "".join(
        f'<test lot="{pick.randint(301, 560):05d}"><sown>{day:%d/%m/%Y}</sown>'
        f"<germinated>{pick.randint(50, 100)}</germinated><remark/></test>"
        for _ in range(pick.randint(5, 12))
    )
    path = folder / f"week_{number:02d}.xml"
    head = '<?xml version="1.0" encoding="UTF-8"?>\n'
    path.write_text(f'{head}<week number="{number}">{tests}</week>\n', encoding="utf-8")
    return path


def _csv(path: Path, header: list[str], rows: Iterable[list[Any]]) -> Path:
    with path.open("w", newline="", encoding="utf-8") as file:
        csv.writer(file, lineterminator="\n").writerows([header, *rows])
    return path
