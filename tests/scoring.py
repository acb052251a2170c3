"""How many planted defects are found, how many findings are right, and what repairs give back."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass, field

import polars as pl

from tests.planting import Garden, Plant, as_text, clean_table, messy_table
from updraft.core.insight.findings import Finding, find, repair_all


@dataclass
class Score:
    """Counts by detector (its number in the list of docs/findings.md) and overall."""

    planted: dict[int, int] = field(default_factory=lambda: defaultdict(int))
    found: dict[int, int] = field(default_factory=lambda: defaultdict(int))
    right: dict[int, int] = field(default_factory=lambda: defaultdict(int))
    said: dict[int, int] = field(default_factory=lambda: defaultdict(int))
    cells: int = 0
    restored: int = 0
    alarms: list[int] = field(default_factory=list)  # findings of each clean table
    misses: list[str] = field(default_factory=list)

    @property
    def recall(self) -> float:
        return sum(self.found.values()) / max(sum(self.planted.values()), 1)

    @property
    def precision(self) -> float:
        return sum(self.right.values()) / max(sum(self.said.values()), 1)


GROUPS = {
    "misplaced_header": 1,
    "repeated_header": 1,
    "totals": 1,
    "footer_lines": 1,
    "blank_rows": 1,
    "blank_columns": 1,
    "stray_blanks": 2,
    "control_characters": 2,
    "variants": 2,
    "look_alikes": 3,
    "numbers_as_text": 4,
    "number_writing": 4,
    "units_in_cells": 4,
    "dates_as_text": 5,
    "date_forms": 5,
    "date_order_open": 5,
    "far_dates": 5,
    "placeholders": 6,
    "duplicate_rows": 7,
    "almost_key": 7,
    "two_identifiers": 7,
    "negatives": 8,
    "zeros": 8,
    "outliers": 8,
    "mixed_units": 8,
    "broken_text": 9,
    "several_values": 10,
    "compound_cells": 10,
    "fill_down": 11,
    "values_as_columns": 11,
    "broken_dependency": 12,
    "agreed_gaps": 12,
    "keys_that_miss": 13,
}


def fits(finding: Finding, plant: Plant, garden: Garden) -> bool:
    """Whether a finding tells this defect: its code, its column, and at least one of its rows."""
    if finding.code not in plant.codes or (
        plant.columns and finding.columns and not set(plant.columns) & set(finding.columns)
    ):
        return False
    return not plant.rows or any(garden.ids[row] in plant.rows for row in finding.rows)


def read_right(garden: Garden, plant: Plant) -> bool:
    """Whether reading alone made the planted cells what they should be: words for empty in a column of numbers."""
    frame, places = garden.frame(), {own: place for place, own in enumerate(garden.ids)}
    return bool(plant.cells) and all(
        name in frame.columns
        and row in places
        and as_text(frame[name][places[row]])
        in [as_text(one) for one in (value if isinstance(value, tuple) else (value,))]
        for (row, name), value in plant.cells.items()
    )


def weigh(garden: Garden, name: str, score: Score) -> None:
    """Look at a messy table, then repair it, and add to the score."""
    frame = garden.frame()
    found = find(frame, garden.others)
    for plant in garden.plants:
        score.planted[plant.group] += 1
        if any(fits(finding, plant, garden) for finding in found) or read_right(garden, plant):
            score.found[plant.group] += 1
        else:
            score.misses.append(
                f"{name} {garden.shape}: missed {plant.codes[0]} in {', '.join(plant.columns) or 'rows'}; said {[f.key for f in found]}"
            )
    for finding in found:
        score.said[GROUPS[finding.code]] += 1
        if any(fits(finding, plant, garden) for plant in garden.plants):
            score.right[GROUPS[finding.code]] += 1
        else:
            score.misses.append(
                f"{name} {garden.shape}: false alarm {finding.key}: {finding.sentence} {finding.examples[:4]}; planted {[(p.codes[0], p.columns) for p in garden.plants]}"
            )
    cells, restored = given_back(garden, repair_all(frame, garden.others, open_too=True)[0])
    score.cells += cells
    score.restored += restored
    if restored < cells * 0.9:
        score.misses.append(
            f"{name} {garden.shape}: {restored} of {cells} cells given back; planted {[(p.codes[0], p.columns) for p in garden.plants]}"
        )


def given_back(garden: Garden, repaired: pl.DataFrame) -> tuple[int, int]:
    """Cells planted (a row put in counts each of its cells), and those that the repaired table has as the clean one."""
    clean = garden.clean_frame()
    names = clean.columns
    same_rows = repaired.height == clean.height
    texts = (
        {name: _texts(repaired, name if name in repaired.columns else None, place) for place, name in enumerate(names)}
        if same_rows
        else {}
    )
    cells = restored = 0
    for plant in garden.plants:
        cells += plant.gone * len(names)
        restored += plant.gone * len(names) if same_rows else 0
        for (row, name), value in plant.cells.items():
            cells += 1
            accepted = [as_text(one) for one in (value if isinstance(value, tuple) else (value,))]
            restored += bool(same_rows and texts[name] is not None and texts[name][row] in accepted)
    return cells, restored


def _texts(frame: pl.DataFrame, name: str | None, place: int) -> list[str | None] | None:
    if name is None and place >= frame.width:
        return None
    values = frame[name] if name else frame.to_series(place)
    return [as_text(value) for value in values]


def measure(messy: Iterable[int], clean: Iterable[int]) -> Score:
    score = Score()
    for seed in messy:
        weigh(messy_table(seed), f"messy {seed}", score)
    for seed in clean:
        garden = clean_table(seed)
        found = find(garden.frame(), garden.others)
        score.alarms.append(len(found))
        score.misses += [f"clean {seed} {garden.shape}: {f.key}: {f.sentence} {f.examples[:4]}" for f in found]
    return score
