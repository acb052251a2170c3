"""Each detector on both sides of its threshold: what it must say, and the table just beside that it must leave alone."""

import random
from datetime import date, datetime, timedelta

import polars as pl
import pytest

from updraft.core.insight import apply_repair, find
from updraft.demo.names import FIRST, GARDENS, HUBS, LAST, VARIETIES

ROWS = 120

PLOTTED = {
    "Plot lat": [51.5 + n * 37 % 100 / 100 for n in range(ROWS)],
    "Plot lon": [-5.9 + n * 53 % 100 / 100 for n in range(ROWS)],
}
COUNTRIES = ("Germany", "France", "Peru", "Kenya", "Japan", "Chile")
PLACES = ("Aldermere", "Coldwater", "Harbourfield", "Sedgeley", "Withycombe", "Marsh", "Heath")


def table(**more) -> dict[str, list]:
    """A quiet table of lots; `more` puts columns in or takes others' place."""
    pick = random.Random("lots")
    cells = {
        "Lot": [f"L{1000 + 7 * n}" for n in range(ROWS)],
        "Hub": [pick.choice(HUBS) for _ in range(ROWS)],
        "Grams": [round(pick.gauss(40, 6), 1) for _ in range(ROWS)],
        "Sown": [date(2026, 3, 1) + timedelta(days=n % 50) for n in range(ROWS)],
    }
    return {**cells, **more}


def working_days(rows: int, without: set[int]) -> list[date]:
    """So many weekdays from a Monday on, some left out by their place."""
    days = (date(2025, 1, 6) + timedelta(days=n) for n in range(2 * rows))
    return [day for n, day in enumerate(day for day in days if day.weekday() < 5) if n not in without][:rows]


def with_rows(cells: dict[str, list], *rows: dict, at: int | None = None) -> dict[str, list]:
    """The table with rows put in, at the end or before a place."""
    done = {name: list(values) for name, values in cells.items()}
    for row in rows:
        for name, values in done.items():
            values.insert(len(values) if at is None else at, row.get(name))
    return done


def changed(cells: dict[str, list], column: str, **places) -> dict[str, list]:
    """The table with some cells of a column changed: `_5="x"` sets row 5."""
    values = list(cells[column])
    for place, value in places.items():
        values[int(place[1:])] = value
    return {**cells, column: values}


def said(cells: dict[str, list], others=None) -> dict[str, object]:
    frame = pl.DataFrame(cells, strict=False)
    return {finding.code: finding for finding in find(frame, others)}


def test_the_quiet_table_is_quiet():
    assert said(table()) == {}


def daily() -> dict[str, list]:
    """What five hubs weighed on twenty-four days each."""
    cells = {
        "Hub": [HUBS[n % 5] for n in range(ROWS)],
        "Day": [date(2026, 3, 1) + timedelta(days=n // 5) for n in range(ROWS)],
    }
    return {**cells, "Grams": table()["Grams"], "Depth": [n * 7 % 50 + 1 for n in range(ROWS)]}


def spread(values: list, share: float, fresh) -> list:
    """Every n-th value changed, so that `share` of them are."""
    every = max(round(1 / share), 1)
    return [fresh(value) if n % every == 0 else value for n, value in enumerate(values)]


def grown() -> dict[str, list]:
    """The table with growers, so that rows hardly agree by chance."""
    return table(Grower=[f"{FIRST[n * 7 % 20]} {LAST[n * 11 % 18]}" for n in range(ROWS)])


# what it is → (code, a table in which it is said, a table beside it in which it is not)
PAIRS = {
    "a total at the end adds up": (
        "totals",
        with_rows(table(), {"Lot": "Total", "Grams": round(sum(table()["Grams"]), 2)}),
        with_rows(table(), {"Lot": "L9999", "Hub": "Coldwater", "Grams": 41.5, "Sown": date(2026, 4, 1)}),
    ),
    "a total need not say so, if half of its cells are empty and it adds up": (
        "totals",
        with_rows(table(Kind=["a", "b"] * (ROWS // 2)), {"Grams": round(sum(table()["Grams"]), 2)}),
        with_rows(table(Kind=["a", "b"] * (ROWS // 2)), {"Lot": "L9999", "Kind": "a", "Grams": 41.5}),
    ),
    "a note below the table": (
        "footer_lines",
        with_rows(table(), {"Lot": "Printed by the exchange"}),
        with_rows(table(), {"Lot": "L9999", "Hub": "Coldwater"}),
    ),
    "a blank row": ("blank_rows", with_rows(table(), {}, at=40), with_rows(table(), {"Lot": "L8888"}, at=40)),
    "a column without a value": (
        "blank_columns",
        table(Note=[None] * ROWS),
        table(Note=["late" if n % 9 == 0 else None for n in range(ROWS)]),
    ),
    "the header once more": (
        "repeated_header",
        with_rows({k: [str(v) for v in vs] for k, vs in table().items()}, dict(zip(table(), table(), strict=True)), at=50),
        with_rows({k: [str(v) for v in vs] for k, vs in table().items()}, {"Lot": "Lot", "Hub": "Coldwater", "Grams": "7", "Sown": "2026-03-01"}, at=50),
    ),
    "a blank behind": (
        "stray_blanks",
        changed(table(), "Hub", _7="Coldwater "),
        changed(table(), "Hub", _7="Coldwater"),
    ),
    "a sign that cannot be seen": (
        "control_characters",
        changed(table(), "Hub", _7="Cold\x0bwater"),
        table(Note=["two\nlines" if n % 9 == 0 else None for n in range(ROWS)]),
    ),
    "another case": (
        "variants",
        changed(table(), "Hub", _7="COLDWATER"),
        table(Size=["A" if n % 2 else "a" for n in range(ROWS)]),
    ),
    "a plus and a minus are no punctuation": (
        "variants",
        changed(table(), "Hub", _7="north-fen"),
        table(Shift=["+1" if n % 2 else "-1" for n in range(ROWS)]),
    ),
    "a slip of the pen": (
        "look_alikes",
        changed(table(), "Hub", _7="Coldwatr"),
        table(Hub=["Coldwater" if n % 2 else "Coldwaters" for n in range(ROWS)]),
    ),
    "another number is no slip": (
        "look_alikes",
        table(Bed=["Coldwatr bed 1" if n == 5 else "Coldwater bed 1" for n in range(ROWS)]),
        table(Bed=["Coldwater bed 2" if n == 5 else "Coldwater bed 1" for n in range(ROWS)]),
    ),
    "numbers with words among them": (
        "numbers_as_text",
        table(Amount=spread([str(n) for n in range(ROWS)], 0.02, lambda v: f"about {v}")),
        table(Amount=spread([str(n) for n in range(ROWS)], 0.5, lambda v: f"about {v}")),
    ),
    "codes with leading zeros are no numbers": (
        "numbers_as_text",
        table(Amount=[*map(str, range(100, 100 + ROWS - 1)), "twelve"]),
        table(Code=[f"{n:04d}" for n in range(ROWS)]),
    ),
    "currency": (
        "number_writing",
        table(Price=[f"€ {n + 0.5}" for n in range(ROWS)]),
        table(Price=[f"Stall {n}" for n in range(ROWS)]),
    ),
    "units": (
        "units_in_cells",
        table(Weight=[f"{n} {'kg' if n % 9 == 0 else 'g'}" for n in range(1, ROWS + 1)]),
        table(Row=[f"{n % 12 + 1}{'ABCDEFGHIJKL'[n % 7]}" for n in range(ROWS)]),
    ),
    "dates with words among them": (
        "dates_as_text",
        table(Packed=spread([f"{1 + n % 28:02d}.03.2026" for n in range(ROWS)], 0.02, lambda _: "soon")),
        table(Packed=spread([f"{1 + n % 28:02d}.03.2026" for n in range(ROWS)], 0.5, lambda _: "soon")),
    ),
    "two forms of dates": (
        "date_forms",
        table(Packed=spread([f"{1 + n % 28:02d}.03.2026" for n in range(ROWS)], 0.1, lambda v: f"2026-03-{v[:2]}")),
        table(Voucher=[f"{n % 90 + 10}/{n + 100}" for n in range(ROWS)]),
    ),
    "a year that cannot be": (
        "far_dates",
        changed(table(), "Sown", _7=date(2206, 3, 1)),
        table(Joined=[date(1970 + n % 55, 3, 1) for n in range(ROWS)]),
    ),
    "a word for nothing": (
        "placeholders",
        changed(table(), "Hub", _7="n/a", _9="n/a"),
        table(Mark=["-" if n % 3 else "+" for n in range(ROWS)]),
    ),
    "a number for nothing": (
        "placeholders",
        table(Count=[9999 if n in (5, 50) else n % 30 + 1 for n in range(ROWS)]),
        table(Count=[n * 97 % 12000 for n in range(ROWS)]),
    ),
    "a day for nothing": (
        "placeholders",
        changed(table(), "Sown", _7=date(1900, 1, 1)),
        table(Born=[date(1898 + n, 1, 1) for n in range(ROWS)]),
    ),
    "a row twice": (
        "duplicate_rows",
        with_rows(table(), {name: values[7] for name, values in table().items()}),
        {"Hub": [HUBS[n % 5] for n in range(ROWS)], "Size": ["a"] * ROWS, "Score": [n % 3 for n in range(ROWS)]},
    ),
    "a key twice": (
        "almost_key",
        changed(table(), "Lot", _9="L1000"),
        table(Ticket=[random.Random(n).randrange(10_000) for n in range(ROWS)]),
    ),
    "a key of several lengths twice": (
        "almost_key",
        table() | {"Parcel": [f"{7 + 31 * (n if n != 9 else 4)}-{(n if n != 9 else 4) * 37 % 900}-B" for n in range(ROWS)]},
        table(Parcel=[f"plot {n % (ROWS - 1)} of {n % (ROWS - 1) * 7}" for n in range(ROWS)]),
    ),
    "names to log in with, of any shape, twice": (
        "almost_key",
        grown() | {"Login": [f"{FIRST[n % 20].lower()}{n * 77}" if n % 3 else f"u.{LAST[n % 18].lower()}.{n}" for n in [*range(ROWS - 2), 4, 5]]},
        grown() | {"Login": [f"{FIRST[n % 20].lower()}{n * 77}" if n % 3 else f"u.{LAST[n % 18].lower()}.{n}" for n in range(ROWS)]},
    ),
    "a hub and its day twice": (
        "almost_key",
        with_rows(daily(), {"Hub": HUBS[2], "Day": date(2026, 3, 8), "Grams": 44.4, "Depth": 3}),
        daily(),
    ),
    "columns under each other's name": (
        "swapped_columns",
        grown() | {"Email": [f"+44 1514 {961000 + n * 7}" for n in range(ROWS)], "Phone": [f"{FIRST[n % 20].lower()}{n}@larkmoor.example" for n in range(ROWS)]},
        grown() | {"Phone": [f"+44 1514 {961000 + n * 7}" for n in range(ROWS)], "Email": [f"{FIRST[n % 20].lower()}{n}@larkmoor.example" for n in range(ROWS)]},
    ),
    "beds in a cell, with a word between": (
        "several_values",
        table(Bed=[" and ".join(["North", "South", "Sandy"][n % 3 : n % 3 + 1 + n % 2]) for n in range(ROWS)]),
        table(Bed=["Salt and Sand", "Sandy", "North"] * (ROWS // 3)),
    ),
    "beds in a cell, a line each": (
        "several_values",
        table(Bed=["\n".join(["North", "South", "Sandy"][n % 3 : n % 3 + 1 + n % 2]) for n in range(ROWS)]),
        table(Bed=["\n".join([GARDENS[n % 15], str(n * 7919)]) for n in range(ROWS)]),
    ),
    "a longitude without its sign": (
        "turned_coordinates",
        changed(table() | PLOTTED, "Plot lon", _7=5.2, _9=5.4),
        changed(table() | PLOTTED, "Plot lon", _7=25.2),
    ),
    "latitude and longitude swapped": (
        "turned_coordinates",
        changed(changed(table() | PLOTTED, "Plot lon", _7=52.0), "Plot lat", _7=-5.5),
        changed(table() | PLOTTED, "Plot lat", _7=58.5),
    ),
    "a letter of another alphabet": (
        "two_alphabets",
        changed(table(), "Hub", _7=table()["Hub"][7].replace("e", "е").replace("o", "о")),
        changed(table(), "Hub", _7="Δe of 5 µm"),
    ),
    "postcodes without their zero": (
        "odd_shapes",
        table(Zip=[10001 + n * 7919 % 83000 if n % 20 else 2139 + n for n in range(ROWS)]),
        table(Zip=[10001 + n * 7919 % 83000 if n % 20 else 213 + n for n in range(ROWS)]),
    ),
    "a company with and without its form": (
        "legal_forms",
        table(Grower=[f"Fen {PLACES[n % 7]} Ltd" if n != 9 else f"Fen {PLACES[2]}" for n in range(ROWS)]),
        table(Grower=[f"Fen {PLACES[n % 7]} Ltd" if n != 9 else f"Fen {PLACES[2]} North" for n in range(ROWS)]),
    ),
    "a country by another name": (
        "one_country",
        table(Origin=["Alemania" if n == 7 else COUNTRIES[n % 6] for n in range(ROWS)]),
        table(Origin=["Korea" if n == 7 else COUNTRIES[n % 6] for n in range(ROWS)]),
    ),
    "one thing, two keys": (
        "two_identifiers",
        with_rows(grown(), {**{name: values[7] for name, values in grown().items()}, "Lot": "L9997"}),
        with_rows(grown(), {**{name: values[7] for name, values in grown().items()}, "Lot": "L9997", "Grams": 31.5}),
    ),
    "a number far off": (
        "outliers",
        changed(table(), "Grams", _7=4000.0),
        table(Grams=[round(random.Random(n).lognormvariate(3, 0.9), 1) for n in range(ROWS)]),
    ),
    "two units": (
        "mixed_units",
        table(Grams=spread(table()["Grams"], 0.1, lambda v: v / 1000)),
        table(Grams=[round(random.Random(n).lognormvariate(3, 1.6), 3) for n in range(ROWS)]),
    ),
    "a sign turned round": (
        "negatives",
        changed(table(), "Grams", _7=-41.0),
        table(Chill=[round(random.Random(n).gauss(12, 5.5), 1) for n in range(ROWS)]),
    ),
    "a nought among large numbers": (
        "zeros",
        changed(table(), "Grams", _7=0.0),
        table(Broken=[n % 60 % 7 for n in range(ROWS)]),
    ),
    "letters from a wrong encoding": (
        "broken_text",
        table(Variety=["MusquÃ©e" if n == 5 else "Musquée" for n in range(ROWS)]),
        table(Variety=["Â la carte" if n == 5 else "Ärmel" for n in range(ROWS)]),
    ),
    "several values in a cell": (
        "several_values",
        table(Tags=["early; frost hardy" if n % 5 == 0 else ["early", "frost hardy"][n % 2] for n in range(ROWS)]),
        table(Name=[f"{LAST[n % 18]}, {FIRST[n % 20]}" for n in range(ROWS)]),
    ),
    "two things in a cell": (
        "compound_cells",
        table(Place=[f"{HUBS[n % 5]} / {100 + n}" for n in range(ROWS)]),
        table(Place=[f"{HUBS[n % 5]} Lane" for n in range(ROWS)]),
    ),
    "the first row of a group alone": (
        "fill_down",
        {"Garden": [GARDENS[n // 8] if n % 8 == 0 else None for n in range(ROWS)], **table()},
        {**table(), "Garden": [GARDENS[n % 15] if n % 8 == 0 else None for n in range(ROWS)]},
    ),
    "months as columns": (
        "values_as_columns",
        {"Lot": table()["Lot"], **{f"2026-0{m}": [n * m % 50 for n in range(ROWS)] for m in (1, 2, 3)}},
        {"Lot": table()["Lot"], "2026-01": [n % 50 for n in range(ROWS)], "March": [n * 3 % 50 for n in range(ROWS)]},
    ),
    "months as columns, in another language": (
        "values_as_columns",
        {"Lot": table()["Lot"], **{name: [n * len(name) % 50 for n in range(ROWS)] for name in ("janvier", "févr.", "mars")}},
        {"Lot": table()["Lot"], **{name: [n * len(name) % 50 for n in range(ROWS)] for name in ("janvier", "Februar", "mars")}},
    ),
    "a code with two names": (
        "broken_dependency",
        changed(table(Code=[f"V-{n % 8}" for n in range(ROWS)], Variety=[VARIETIES[n % 8] for n in range(ROWS)]), "Variety", _9=VARIETIES[3]),
        table(Code=[f"V-{n % 8}" for n in range(ROWS)], Variety=[VARIETIES[n * 7 % 11 % 8] for n in range(ROWS)]),
    ),
    "a gap that its group fills": (
        "agreed_gaps",
        changed(table(Code=[f"V-{n % 8}" for n in range(ROWS)], Variety=[VARIETIES[n % 8] for n in range(ROWS)]), "Variety", _9=None),
        changed(table(), "Hub", _9=None),
    ),
    "a column of one value": (
        "constant_columns", table(Batch=["B-7"] * ROWS), table(Batch=["B-7"] * (ROWS - 1) + ["B-8"]),
    ),
    "a column twice": (
        "identical_columns",
        table(Mass=table()["Grams"]),
        table(Mass=[*table()["Grams"][:-1], 1.5]),
    ),
    "letters as a web page writes them": (
        "html_entities",
        table(Note=["Rowan &amp; Sons" if n == 5 else f"Stall {'ABCDEFG'[n % 7]}" for n in range(ROWS)]),
        table(Note=["R&D; later" if n == 5 else f"Stall {'ABCDEFG'[n % 7]}" for n in range(ROWS)]),
    ),
    "yes in several words": (
        "yes_no_words",
        table(Sound=[["yes", "no", "Y", "N"][n % 4] for n in range(ROWS)]),
        table(Sound=[["yes", "no", "later"][n % 3] for n in range(ROWS)]),
    ),
    "records in cells": (
        "json_cells",
        table(Place=[f'{{"bay": {n}}}' for n in range(ROWS)]),
        table(Place=[f"{{bay {n}}}" for n in range(ROWS)]),
    ),
    "an address that is none": (
        "odd_shapes",
        table(**{"E-mail": ["rowan at larkmoor" if n == 5 else f"grower{n}@larkmoor.example" for n in range(ROWS)]}),
        table(**{"E-mail": [f"grower{n}@larkmoor.example" if n % 2 else f"grower {n}" for n in range(ROWS)]}),
    ),
    "a postcode of another country": (
        "odd_shapes",
        table(Country=["Netherlands"] * 60 + ["Poland"] * 60, Postcode=["1234 AB"] * 59 + ["99-200"] + ["12-345"] * 60),
        table(Country=["Netherlands"] * 60 + ["Elsewhere"] * 60, Postcode=["1234 AB"] * 60 + ["12-345"] * 60),
    ),
    "a month that cannot be": (
        "impossible_values",
        table(Month=[15 if n == 5 else n % 12 + 1 for n in range(ROWS)]),
        table(Age=[n * 11 % 190 for n in range(ROWS)]),
    ),
    "an end before its beginning": (
        "start_after_end",
        table(Start=[date(2026, 1, 1 + n % 20) for n in range(ROWS)], End=[date(2026, 1 if n == 5 else 2, 1) if n == 5 else date(2026, 2, 1 + n % 9) for n in range(ROWS)]),
        table(Seen=[date(2026, 1, 1 + n % 20) for n in range(ROWS)], End=[date(2025, 2, 1) if n == 5 else date(2026, 2, 1 + n % 9) for n in range(ROWS)]),
    ),
    "a day missing": (
        "date_gaps",
        {**table(), "Sown": [date(2026, 1, 1) + timedelta(days=n + 2 * (n > 50)) for n in range(ROWS)]},
        {**table(), "Sown": [date(2026, 1, 1) + timedelta(days=n * n) for n in range(ROWS)]},
    ),
    "an hour missing": (
        "date_gaps",
        table(Read=[datetime(2026, 5, 1) + timedelta(hours=n + 3 * (n > 50)) for n in range(ROWS)]),
        table(Read=[datetime(2026, 3, 28) + timedelta(hours=n + (n > 25)) for n in range(ROWS)]),  # the clock goes on
    ),
    "a sum that misses": (
        "sums_that_miss",
        table(A=[n * 7 % 31 + 1 for n in range(ROWS)], B=[n * 11 % 37 + 1 for n in range(ROWS)], All=[n * 7 % 31 + n * 11 % 37 + (9 if n == 5 else 2) for n in range(ROWS)]),
        table(A=[n * 7 % 31 + 1 for n in range(ROWS)], B=[0] * (ROWS - 1) + [4], All=[n * 7 % 31 + (9 if n == 5 else 1) for n in range(ROWS)]),
    ),
    "units below the header": (
        "second_header",
        {"Lot": [None, *table()["Lot"]], "Grams": ["(g)", *map(str, table()["Grams"])], "Depth": ["(mm)", *[str(n * 7 % 50) for n in range(ROWS)]]},
        {"Lot": [None, *table()["Lot"]], "Grams": ["12", *map(str, table()["Grams"])], "Depth": ["n/a", *[str(n * 7 % 50) for n in range(ROWS)]]},
    ),
    "a mean at the end": (
        "summary_rows",
        with_rows(table(), {"Lot": "Average", "Grams": sum(table()["Grams"]) / ROWS}),
        with_rows(table(), {"Lot": "L9999", "Hub": "Mean", "Grams": 41.5, "Sown": date(2026, 4, 1)}),
    ),
    "two cells swapped": (
        "swapped_cells",
        changed(changed(table(Depth=[str(n * 7 % 50 + 1) for n in range(ROWS)]), "Hub", _5="36"), "Depth", _5=table()["Hub"][5]),
        changed(table(Depth=[str(n * 7 % 50 + 1) for n in range(ROWS)]), "Hub", _5="Northfen"),
    ),
    "a row pushed to the right": (
        "shifted_cells",
        {"Hub": [None if n == 5 else HUBS[n % 5] for n in range(ROWS)], "Grams": [HUBS[0] if n == 5 else str(n * 3 % 41 + 1) for n in range(ROWS)], "Garden": ["16" if n == 5 else GARDENS[n % 15] for n in range(ROWS)], "Depth": [GARDENS[5] if n == 5 else str(n * 7 % 50 + 1) for n in range(ROWS)]},
        {"Hub": [None if n == 5 else HUBS[n % 5] for n in range(ROWS)], "Grams": [str(n * 3 % 41 + 1) for n in range(ROWS)], "Garden": [GARDENS[n % 15] for n in range(ROWS)], "Depth": [str(n * 7 % 50 + 1) for n in range(ROWS)]},
    ),
    "a row nearly twice": (
        "near_duplicates",
        with_rows({name: values for name, values in grown().items() if name != "Lot"} | {"Plot": [f"{w} {v}" for n in range(ROWS) for w, v in [(GARDENS[n % 15], VARIETIES[n // 15])]]},
            {"Hub": grown()["Hub"][7], "Grams": grown()["Grams"][7], "Sown": grown()["Sown"][7], "Grower": grown()["Grower"][7], "Plot": f"{GARDENS[7]} {VARIETIES[0]}"[:-1]}),
        with_rows({name: values for name, values in grown().items() if name != "Lot"} | {"Plot": [f"{w} {v}" for n in range(ROWS) for w, v in [(GARDENS[n % 15], VARIETIES[n // 15])]]},
            {"Hub": grown()["Hub"][7], "Grams": 77.7, "Sown": grown()["Sown"][7], "Grower": grown()["Grower"][7], "Plot": f"{GARDENS[7]} {VARIETIES[0]}"[:-1]}),
    ),
    "two currencies": (
        "mixed_currencies",
        table(Price=[f"{n + 0.5} {'EUR' if n % 5 else 'USD'}" for n in range(ROWS)]),
        table(Price=[f"{n + 0.5} EUR" for n in range(ROWS)]),
    ),
    "days written as numbers": (
        "dates_as_text",
        table(Date=[20260100 + n % 28 + 1 for n in range(ROWS)]),
        table(Date=[20261300 + n % 28 + 1 for n in range(ROWS)]),
    ),
}  # fmt: skip


@pytest.mark.parametrize("what", PAIRS)
def test_it_is_said_here_and_not_beside(what):
    code, here, beside = PAIRS[what]
    found = said(here)
    assert code in found, f"not said: {code}; said {list(found)}"
    assert set(found) <= {code}, f"one defect, one finding: {[f.sentence for f in found.values()]}"
    assert code not in said(beside), said(beside)[code].sentence if code in said(beside) else ""
    finding = found[code]
    frame = pl.DataFrame(here, strict=False)
    if not finding.repairs:  # nothing but a person who knows more can mend it
        assert finding.rows.len() or finding.columns
        return
    mended, effect = apply_repair(frame, finding.repairs[0])
    assert effect != "nothing to see changed"
    if finding.repairs[0].sentence.startswith("Mark"):  # marked, not changed: emptied by the second repair
        assert mended.to_series(-1).sum() == finding.rows.len()
        if len(finding.repairs) == 1:
            return
        mended, _ = apply_repair(frame, finding.repairs[1])
    assert code not in {f.code for f in find(mended)}, effect


@pytest.mark.parametrize(
    ("way", "mine", "theirs", "how"),
    [
        ("zeros lost", [str(n) for n in range(7, 27)], [f"{n:05d}" for n in range(7, 27)], "leading zeros"),
        ("zeros too many", [f"{n:05d}" for n in range(7, 27)], [str(n) for n in range(7, 27)], "leading zeros"),
        ("small letters", [f"gr-{n}" for n in range(20)], [f"GR-{n}" for n in range(20)], "case"),
        ("spelling", ["Aldermere", "Northfen", "Coldwater", "Saltmarch", "Highcombe"], HUBS, "spelling"),
    ],
)
def test_keys_that_miss_by_little_are_brought_together(way, mine, theirs, how):
    here = pl.DataFrame({"Key": [mine[n % len(mine)] for n in range(100)], "Score": [n * 37 % 101 for n in range(100)]})
    there = pl.DataFrame({"Name": theirs, "Meaning": [f"book {n}" for n in range(len(theirs))]})
    [finding] = [f for f in find(here, {"Book": there}) if f.code == "keys_that_miss"]
    assert f"by {how} alone" in finding.sentence
    mended, _ = apply_repair(here, finding.repairs[0])
    assert set(mended["Key"]) <= set(theirs), way
    assert not [f for f in find(mended, {"Book": there}) if f.code == "keys_that_miss"]


def test_tables_that_have_nothing_to_do_with_each_other_are_let_be():
    here = pl.DataFrame({"Key": [VARIETIES[n % 20] for n in range(100)]})
    there = pl.DataFrame({"Name": GARDENS, "Hub": [HUBS[n % 5] for n in range(15)]})
    assert not [f for f in find(here, {"Gardens": there}) if f.code == "keys_that_miss"]


def test_a_header_below_titles_is_taken_and_kinds_are_decided_anew():
    rows = [
        ["Larkmoor lots", None, None],
        [None, None, None],
        ["Lot", "Grams", "Sown"],
        *([f"00{n}", str(n * 2), f"2026-03-{n:02d}"] for n in range(1, 20)),
    ]
    frame = pl.DataFrame({f"Column {n + 1}": [row[n] for row in rows] for n in range(3)})
    [finding] = find(frame)
    assert finding.code == "misplaced_header" and finding.rows.to_list() == [0, 1, 2]
    mended, _ = apply_repair(frame, finding.repairs[0])
    assert (
        mended.columns == ["Lot", "Grams", "Sown"]
        and mended.dtypes == [pl.String, pl.Int64, pl.Date]
        and mended.height == 19
    )
    assert find(mended) == []


def test_rows_that_are_dropped_are_told_by_a_rule_where_there_is_one_and_by_their_place_otherwise():
    ending = with_rows(table(), {"Lot": "Total", "Grams": round(sum(table()["Grams"]), 2)})
    assert said(ending)["totals"].repairs[0].steps[0]["settings"]["rule"]["of"][0]["test"] == "contains"
    cells = table(Other=[n % 7 for n in range(ROWS)], Kind=["a" if n % 11 else None for n in range(ROWS)])
    unsaid = with_rows(cells, {"Grams": round(sum(table()["Grams"]), 2), "Other": sum(cells["Other"])}, at=0)
    steps = said(unsaid)["totals"].repairs[0].steps
    assert steps[0]["settings"]["rule"]["of"][0] == {"column": "Lot", "test": "empty"}


def test_a_row_that_says_nothing_is_a_total_where_it_is_the_sum_of_all_others():
    cells = table(Other=[n % 7 for n in range(ROWS)], Kind=["a"] * ROWS, Held=[n % 5 + 2 for n in range(ROWS)])
    sums = {name: round(sum(cells[name]), 2) for name in ("Grams", "Other", "Held")}
    full = with_rows(cells, {**{name: values[0] for name, values in cells.items()}, **sums}, at=41)
    assert said(full)["totals"].rows.to_list() == [41]
    off = with_rows(
        cells, {**{name: values[0] for name, values in cells.items()}, **sums, "Other": 3, "Held": 4}, at=41
    )
    assert "totals" not in said(off), "one figure that is half of its column is chance"


def test_subtotals_are_found_with_their_totals():
    cells: dict[str, list] = {"Hub": [], "Garden": [], "Packets": []}
    for hub in HUBS:
        for n in range(6):
            for name, value in zip(cells, (hub, GARDENS[n], n * 3 + len(hub)), strict=True):
                cells[name].append(value)
        for name, value in zip(cells, (f"{hub} total", None, sum(cells["Packets"][-6:])), strict=True):
            cells[name].append(value)
    finding = said(cells)["totals"]
    assert finding.rows.to_list() == [6, 13, 20, 27, 34] and "Packets" in finding.sentence


def test_one_error_is_told_once_at_the_column_that_is_wrong():
    families = {name: ["Solanaceae", "Fabaceae", "Poaceae"][n % 3] for n, name in enumerate(VARIETIES)}
    varieties = [VARIETIES[n % 9] for n in range(ROWS)]
    cells = table(
        Code=[f"V-{VARIETIES.index(v) + 10}" for v in varieties],
        Variety=list(varieties),
        Family=[families[v] for v in varieties],
    )
    cells["Variety"][30] = VARIETIES[4]
    [finding] = find(pl.DataFrame(cells))
    assert finding.code == "broken_dependency" and finding.columns[-1] == "Variety" and finding.rows.to_list() == [30]
    mended, _ = apply_repair(pl.DataFrame(cells), finding.repairs[0])
    assert mended["Variety"].to_list() == varieties


def test_examples_are_few_and_short_and_what_is_dropped_was_counted():
    cells = changed(
        table(Note=[None] * (ROWS - 1) + ["x" * 4000 + " "]),
        "Hub",
        **{f"_{n}": f"{HUBS[n % 5]} " for n in range(0, 90, 3)},
    )
    for finding in find(pl.DataFrame(cells)):
        assert len(finding.examples) <= 5 and all(len(text) <= 80 for text in finding.examples)
        assert finding.as_dict()["rows"] == finding.rows.head(100).to_list()
        assert finding.count == finding.rows.len() or not finding.rows.len()


def test_codes_written_in_several_ways_are_told_and_brought_to_the_usual_one():
    lots = [f"PN-{1000 + 7 * (n // 2)}" for n in range(ROWS)]
    messy = list(lots)
    messy[3], messy[8], messy[30] = "pn-1007", "PN1028", "PN 1105"
    found = said(table(Part=messy))["variants"]
    assert found.rows.to_list() == [3, 8, 30] and "6 spellings of 3 codes" in found.sentence
    mended = apply_repair(pl.DataFrame(table(Part=messy), strict=False), found.repairs[0])
    assert mended[0]["Part"].to_list() == lots
    apart = list(lots)
    apart[3:5] = ["PN1-007", "PN10-07"]  # marks at other places
    assert "variants" not in said(table(Part=apart))
    pick = random.Random(5)
    cased = ["".join(pick.choice("aAbBcC") for _ in range(5)) + f"{n % 60:02}" for n in range(ROWS)]
    cased[61] = cased[1].swapcase()
    assert "variants" not in said(table(Part=cased)), "case tells codes apart"


def test_short_words_in_two_cases_are_told():
    sorts = ["MX", "FR", "DE", "UK"] * (ROWS // 4)
    found = said(table(Land=spread(sorts, 0.05, str.lower)))["variants"]
    assert found.rows.to_list() == [n for n in range(ROWS) if n % 20 == 0] and "of 1 short word" in found.sentence
    long = ["Mexico", "fr", "FR", "Germany"] * (ROWS // 4)
    assert "variants" not in said(table(Land=long)), "a column of long words"


def test_blanks_and_commas_inside_amounts_are_no_defects_of_their_own():
    sums = [f"{1 + n % 9}\u00a0{100 + n}\u00a0{300 + n},50 zł" for n in range(ROWS)]
    assert set(said(table(Sum=sums))) == {"number_writing"}
    assert "stray_blanks" in said(table(Sum=[f"{text}\u00a0" for text in sums]))


def test_swapping_coordinates_changes_the_rows_that_are_told_and_no_other():
    wrong = changed(changed(PLOTTED, "Plot lon", _7=52.0), "Plot lat", _7=-5.5, _9=-5.5)
    [finding] = [f for f in find(pl.DataFrame(wrong)) if f.code == "turned_coordinates" and len(f.columns) == 2]
    assert finding.rows.to_list() == [7]
    mended = apply_repair(pl.DataFrame(wrong), finding.repairs[0])[0]
    right = changed(changed(PLOTTED, "Plot lon", _7=-5.5), "Plot lat", _7=52.0, _9=-5.5)
    assert mended.to_dict(as_series=False) == right


@pytest.mark.parametrize(
    ("without", "holidays"), [({40, 90, 91, 140}, True), ({40, 41, 42, 43, 90}, False), ({50, 100, 150}, True)]
)
def test_working_days_that_are_missing_singly_are_told_as_holidays_are(without, holidays):
    cells = {"Lot": [f"K{n * 7 % 997}" for n in range(2 * ROWS)], "Sown": working_days(2 * ROWS, without)}
    finding = said(cells)["date_gaps"]
    assert f"{len(without)} weekdays are missing" in finding.sentence
    assert ("as holidays are" in finding.sentence) == holidays and (finding.weight < 40) == holidays
