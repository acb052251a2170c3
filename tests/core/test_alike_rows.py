"""Rows that tell one thing twice, with slips and gaps: found where they were put, and families let be."""

import random
from datetime import date, timedelta

import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from updraft.core.insight.findings.alike_rows import alike_rows
from updraft.core.insight.findings.view import View
from updraft.demo.names import FIRST, GARDENS, LAST

NAMES = ("Given", "Family", "Born", "Street", "Town", "Phone")
LANES = [
    f"{first} {kind}"
    for first in ("Mill", "Orchard", "Church", "Harbour", "Quarry")
    for kind in ("Lane", "Row", "Hill")
]


def growers(pick: random.Random, many: int = 400) -> list[list]:
    def one(family, day, home):
        born = date(1940, 1, 1) + timedelta(days=day)
        return [pick.choice(FIRST), family, born.isoformat(), *home]

    def home():
        return [
            f"{pick.choice(LANES)} {pick.randrange(1, 90)}",
            pick.choice(GARDENS),
            f"01{pick.randrange(10**8, 10**9)}",
        ]

    rows = []
    while len(rows) < many:
        family, place = pick.choice(LAST), home()
        # A family shares its home; two of it born on one day would be taken for one, and rightly so.
        rows += [one(family, day, place) for day in pick.sample(range(25_000), pick.choice([1, 1, 2, 3]))]
    return rows[:many]


def slipped(pick: random.Random, row: list, fields: int = 2) -> list:
    """The row as somebody enters it again: a letter lost or turned, or nothing."""
    row = list(row)
    for place in pick.sample([0, 1, 3, 4], fields):
        text = row[place]
        at = pick.randrange(1, len(text) - 1)
        row[place] = pick.choice(
            [text[:at] + text[at + 1 :], text[:at] + text[at + 1] + text[at] + text[at + 2 :], None]
        )
    return row


def told(rows: list[list]):
    frame = pl.DataFrame({name: list(values) for name, values in zip(NAMES, zip(*rows, strict=True), strict=True)})
    return next(alike_rows(View(frame.with_row_index("No"))), None)


@settings(max_examples=15)
@given(st.integers(0, 10**6))
def test_what_was_entered_twice_is_found_and_nothing_else(seed):
    pick = random.Random(seed)
    rows = growers(pick)
    sources = pick.sample(range(len(rows)), 20)
    rows += [slipped(pick, rows[source]) for source in sources]
    finding = told(rows)
    ours = {*sources, *range(400, 420)}
    found = set(finding.rows.to_list()) if finding else set()
    assert found <= ours, "two things were taken for one"
    assert len(found) >= 0.7 * len(ours)
    [marking] = finding.repairs[0].steps
    assert {int(no) for no in marking["settings"]["rule"]["of"][0]["values"]} == found


@settings(max_examples=15)
@given(st.integers(0, 10**6))
def test_families_that_share_a_home_are_let_be(seed):
    assert told(growers(random.Random(seed))) is None


@pytest.mark.parametrize("what", ["a gap each", "the next number"])
def test_events_that_are_alike_are_let_be(what):
    """What is entered anew has slips; one row with a gap, or the next telephone, is another thing."""
    pick = random.Random(7)
    rows = growers(pick)
    for source in pick.sample(range(len(rows)), 20):
        row = list(rows[source])
        if what == "a gap each":
            row[0] = None
        else:
            row[5] = str(int(row[5]) + 1).rjust(11, "0")
        rows.append(row)
    assert told(rows) is None
