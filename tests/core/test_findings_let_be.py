"""What is right and must be let be, or is open to a person: causes of false findings seen on tables that nobody here made."""

import random
from datetime import date

import polars as pl
import pytest

from updraft.core.insight import apply_repair, find, repair_all
from updraft.core.insight.findings import meeting
from updraft.core.values import decide
from updraft.demo.names import FIRST, HUBS, LAST

ROWS = 120


def beside(**cells: list) -> pl.DataFrame:
    """A column beside an identifier and a measure."""
    rows = len(next(iter(cells.values())))
    pick = random.Random("let be")
    quiet = {
        "Lot": [f"L{1000 + 7 * n}" for n in range(rows)],
        "Share": [round(pick.gauss(40, 6), 2) for _ in range(rows)],
    }
    return pl.DataFrame({**quiet, **cells}, strict=False)


def many(*common: str, rare: dict[str, int] | None = None, each: int = 30) -> list[str]:
    return [value for value in common for _ in range(each)] + [v for v, n in (rare or {}).items() for _ in range(n)]


# what it is → the cells of a column, its name, the codes that must not be said of it
QUIET = {
    "postcodes with a leading zero": ("Postcode", [f"{n * 733 % 99999:05d}" for n in range(ROWS)], {"numbers_as_text", "number_writing"}),
    "one leading zero is enough": ("Area", [*map(str, range(100, 219)), "042"], {"numbers_as_text"}),
    "telephone numbers with a plus": ("Dial", [f"+{n * 97 + 1000000}" for n in range(ROWS)], {"numbers_as_text"}),
    "lists of numbers": ("Areas", [f"{n % 800 + 100},{n % 700 + 200},{n % 600 + 300}" for n in range(ROWS)], {"numbers_as_text", "number_writing"}),
    "part codes with an E": ("Part", [f"{n % 9 + 1}E{n % 7}" for n in range(ROWS)], {"numbers_as_text"}),
    "noughts among counts": ("Visits", [0 if n in (3, 9) else n % 40 + 9 for n in range(ROWS)], {"zeros"}),
    "noughts among scores": ("Score", [0.0 if n == 3 else 40.25 + n % 50 for n in range(ROWS - 1)] + [2.5], {"zeros"}),
    "elevations below the sea": ("Elevation", [-40.5 if n == 3 else 12.25 + n for n in range(ROWS)], {"negatives"}),
    "country codes of a hundred and more": ("Country code", [2 if n % 20 == 0 else 200 + n % 90 for n in range(ROWS)], {"mixed_units"}),
    "populations that agree by chance": ("Population", [random.Random(n).randrange(3000) for n in range(ROWS)], {"almost_key"}),
    "salaries that agree by chance": ("Salary", [1000 + 37 * (n % 117) for n in range(ROWS)], {"almost_key"}),
    "steps up and down": ("Change in grants", [[-1, 0, 1, 0][n % 4] for n in range(ROWS)], {"placeholders"}),
    "opposing words": ("State", many("North Carolina", "Ohio", "Iowa", rare={"South Carolina": 3}), {"look_alikes"}),
    "two frequent towns": ("Town", many("Newcastle", "New Castle", "Derby"), {"variants"}),
    "first names a letter apart": ("Name", many("Larry", "Peter", "Susan", rare={"Harry": 4}), {"look_alikes"}),
    "towns a letter apart": ("Town", many("Trenton", "Salem", rare={"Renton": 5}), {"look_alikes"}),
    "wards told by a letter": ("Ward", many("Ward a", "Ward b", "Ward c", rare={"Ward w": 3, "Ward x": 2}), {"look_alikes"}),
    "codes of banks": ("Bank", many("GBWCPLPPXXX", "SKOKPLPWXXX", rare={"GBWCPLPKXXX": 3}), {"look_alikes"}),
    "longer postcodes": ("Zip", [*(str(98101 + n % 90) for n in range(116)), "98126-2920", "98146-1067", "98109-3818"], {"numbers_as_text"}),
    "feet and inches": ("Height", [*(str(60 + n % 14) for n in range(108)), "180 cm", *["5'10", "5'6"] * 5], {"units_in_cells"}),
    "joiners without width": ("Word", ["می\u200cخواهم", "क्\u200dष", "نمی\u200cدانم", "باغ"] * 30, {"stray_blanks", "control_characters"}),
    "a country's code": ("Land", many("DE", "FR", "ZA", rare={"NA": 6}), {"placeholders"}),
    "sodium": ("Element", many("Iron", "Zinc", "Copper", rare={"Na": 4}), {"placeholders"}),
    "codes that read like empty": ("Airport", many("LHR", "JFK", "CDG", rare={"NAN": 3, "TBC": 2}), {"placeholders"}),
    "a surname": ("Surname", [LAST[n % 18] for n in range(ROWS - 1)] + ["Null"], {"placeholders"}),
    "dates told apart both ways": ("Sent", ["13/02/2026", "02/14/2026", "03/04/2026"] * 40, {"date_forms"}),
    "indicators of a model": ("y74", [n % 2 for n in range(ROWS)], {"values_as_columns"}),
}  # fmt: skip


@pytest.mark.parametrize("what", QUIET)
def test_it_is_let_be(what):
    name, cells, codes = QUIET[what]
    frame = beside(**{name: cells})
    said = [f for f in find(frame) if f.code in codes and (not f.columns or name in f.columns)]
    assert not said, said[0].sentence
    # Whatever else is said, repairs taken by themselves leave the values.
    mended, _, _, _ = repair_all(frame)
    assert mended[name].cast(pl.String).to_list() == frame[name].cast(pl.String).to_list()


def test_rows_that_measure_alike_are_no_double_unless_something_tells_them_apart():
    pick = random.Random(5)
    flowers = {name: [round(pick.gauss(5, 0.4), 1) for _ in range(ROWS)] for name in ("Long", "Wide", "High")}
    for cells in flowers.values():
        cells[40] = cells[7]
    assert not [f for f in find(pl.DataFrame(flowers)) if f.code == "duplicate_rows"]
    fitted = pl.DataFrame(
        {
            "Fitted": [n * 0.37 + 0.011 for n in range(ROWS)],
            "Low": [n * 0.3 for n in range(ROWS)],
            "High": [n * 0.4 for n in range(ROWS)],
        }
    )
    assert repair_all(pl.concat([fitted, fitted.slice(7, 1)]))[0].height == ROWS + 1, "two things may measure alike"
    named = pl.DataFrame({"Grower": [f"{FIRST[n % 20]} {LAST[n % 18]} {n}" for n in range(ROWS)], **flowers})
    named = pl.concat([named, named.slice(7, 1)])
    [again] = [f for f in find(named) if f.code == "duplicate_rows"]
    assert not again.open and repair_all(named)[0].height == ROWS


def test_the_more_frequent_spelling_stays_and_a_tie_is_left_to_a_person():
    frame = beside(Hub=many("Coldwater", "Northfen", rare={"COLDWATER": 4, "NORTHFEN": 30}))
    [finding] = [f for f in find(frame) if f.code == "variants"]
    [change] = finding.repairs[0].steps
    assert change["settings"]["changes"] == [{"old": "COLDWATER", "new": "Coldwater"}] and finding.open
    assert "as frequent" in finding.sentence
    tie = find(beside(Hub=many("Northfen", "NORTHFEN")))
    assert [f.repairs for f in tie if f.code == "variants"] == [()]


def test_another_column_tells_two_things_apart():
    towns = many("Aldermere", "Highcombe", "Saltmarch", "Coldwater", "Fernhollow", rare={"Aldermore": 3})
    code = {town: f"T-{n}" for n, town in enumerate(dict.fromkeys(towns))}
    apart = beside(Town=towns, Place=[code[town] for town in towns])
    assert not [f for f in find(apart) if f.code == "look_alikes"]
    code["Aldermore"] = code["Aldermere"]
    alike = beside(Town=towns, Place=[code[town] for town in towns])
    assert [f.code for f in find(alike) if f.code == "look_alikes"] == ["look_alikes"]


def test_na_and_stars_stand_for_empty_among_words():
    frame = beside(Feed=many("grass", "meat", "insects", rare={"NA": 7, "*": 3}))
    [finding] = [f for f in find(frame) if f.code == "placeholders"]
    assert finding.count == 10 and repair_all(frame, open_too=True)[0]["Feed"].null_count() == 10


def test_what_stands_beside_names_of_a_long_list_says_whether_two_are_one():
    parts = [
        a + b
        for a in ("Al", "Be", "Co", "Du", "El", "Fa", "Go")
        for b in ("ra", "ran", "rin", "sa", "san", "sin", "ta")
    ]
    names = [f"{one} {other}" for one in parts for other in parts[:16]]
    rows = [(name, f"P{n % 40:02}") for n, name in enumerate(names) for _ in range(4 if n % 3 else 1)]
    assert not [
        f for f in find(beside(Name=[r[0] for r in rows], Place=[r[1] for r in rows])) if f.code == "look_alikes"
    ]
    slips = [
        ("Bertran Hollis", "Bertran Holis"),
        ("Corisande Weaver", "Corisande Waever"),
        ("Isolde Marchbank", "Isolde Marchbnk"),
    ]
    for n, (right, wrong) in enumerate(slips):
        rows += [*[(right, f"Q{n}")] * 6, (wrong, f"Q{n}")]
    told = beside(Name=[r[0] for r in rows if "ra" not in r[0][:4]], Place=[r[1] for r in rows if "ra" not in r[0][:4]])
    [finding] = [f for f in find(told) if f.code == "look_alikes"]
    assert {change["old"] for change in finding.repairs[0].steps[0]["settings"]["changes"]} >= {
        wrong for _, wrong in slips
    }


def test_a_place_of_the_same_name_elsewhere_breaks_nothing_and_a_slip_does():
    lands = ("Anmark", "Borland", "Cadia", "Delmark")
    cells = {
        "Town": [f"Town {n % 16}" for n in range(320)],
        "Land": [lands[n % 4] for n in range(320)],
        "Region": [f"{lands[n % 4]} {n // 8 % 2}" for n in range(320)],
    }
    elsewhere = {name: list(values) for name, values in cells.items()}
    elsewhere["Land"][5], elsewhere["Region"][5] = "Cadia", "Cadia 1"
    assert not [f for f in find(beside(**elsewhere)) if f.code == "broken_dependency"]
    both = {name: list(values) for name, values in elsewhere.items()}
    both["Land"][9] = "Cadia"
    [finding] = [f for f in find(beside(**both)) if f.code == "broken_dependency"]
    assert finding.rows.to_list() == [9]
    for repair in finding.repairs:
        lands = apply_repair(beside(**both), repair)[0]["Land"]
        assert lands[5] == "Cadia" and lands[9] != "Cadia", "a repair changes the rows that are told and no other"
    cells["Land"][5] = "Cadia"
    [finding] = [f for f in find(beside(**cells)) if f.code == "broken_dependency"]
    assert finding.rows.to_list() == [5] and finding.columns[-1] == "Land" and finding.repairs


def test_dates_decided_both_ways_are_a_mixture_and_open():
    frame = beside(Sent=["13/02/2026", "02/14/2026", "03/04/2026"] * 40)
    [finding] = [f for f in find(frame) if f.columns == ("Sent",)]
    assert (
        finding.code == "date_order_open"
        and finding.open
        and "40 decide for the day, 40 for the month" in finding.sentence
    )


@pytest.mark.parametrize(
    ("name", "cells", "mended"),
    [
        ("Amount", [*map(str, range(100, 219)), "1O7"], 107),  # the letter O
        ("Weight (g)", [f"{n * 10 + 5}" for n in range(118)] + ["0.5 kg", "2 g"], 500.0),
        ("Weight", [f"{n * 10 + 500}" for n in range(118)] + ["3.75 kg", "2 kg"], 3750),
        ("Rate", ["58.125", "57.3", "59.75", "58.5"] * 29 + ["58,4", "57,125", "57,4", "58,125"], 58.4),
    ],
)
def test_numbers_are_repaired_rather_than_emptied_and_by_a_person(name, cells, mended):
    frame = beside(**{name: cells})
    finding = next(
        f
        for f in find(frame)
        if f.columns == (name,) and f.code in ("numbers_as_text", "units_in_cells", "number_writing")
    )
    after = next(step for step in [repair_all(frame, open_too=True)[0][name]])
    odd = cells.index(next(c for c in cells if not c.replace(".", "").isdigit()))
    assert after.dtype.is_numeric() and after[odd] == mended and not after.null_count()
    assert finding.open or not finding.columns or name == "Rate"


def test_day_numbers_of_a_spreadsheet_among_dates_become_dates():
    cells = [f"{1 + n % 28:02d}.03.2026" for n in range(ROWS - 1)] + ["46083"]
    [finding] = [f for f in find(beside(Packed=cells)) if f.columns == ("Packed",)]
    after = repair_all(beside(Packed=cells), open_too=True)[0]["Packed"]
    assert finding.open and after.to_list()[-1] == date(2026, 3, 2) and not after.null_count()


def test_units_of_different_measures_are_taken_apart_not_made_one():
    cells = [["5 mg", "250 kg", "0.5 ml", "7 mg"][n % 4] for n in range(ROWS)]
    [finding] = [f for f in find(beside(Dose=cells)) if f.columns == ("Dose",)]
    assert finding.open and finding.repairs[0].steps[0]["kind"] == "number_and_unit"
    assert repair_all(beside(Dose=cells))[0]["Dose"].to_list() == cells


@pytest.mark.parametrize(
    "name",
    ["n", "value", "key", "bare", "unit", "minus", "reads", "row", "h", "said", "code", "land", "p", "s", "parts"],
)
def test_no_name_of_a_column_collides_with_names_of_ours(name):
    cells = ["1,5", "2.5", "31.03.2026", "x", None, " y", "Coldwater", "COLDWATER", "a;b", "n/a"] * 12
    dates = ["01.03.2026", "2026-03-02", "3 Mar 2026", "12/31/2026"] * 30
    for filled in (
        cells,
        dates,
        [f"{n} kg" for n in range(ROWS)],
        [HUBS[n % 5] for n in range(ROWS - 1)] + ["Coldwatr"],
    ):
        find(decide(beside(**{name: filled}))[0])


def test_a_remark_that_says_sum_is_no_total_and_rates_and_codes_do_not_add_up():
    pick = random.Random("sum")
    rows = 120
    lines = pl.DataFrame(
        {
            "Invoice": [f"R-{500 + n // 4}" for n in range(rows)],
            "Supplier": [pick.choice(HUBS) for _ in range(rows)],
            "Account": [pick.choice([3100, 3400, 4980]) for _ in range(rows)],
            "VAT rate": [19 if n % 12 > 8 else pick.choice([7, 19]) for n in range(rows)],
            "Net": [round(pick.uniform(5, 900), 2) for _ in range(rows)],
            "Remark": [
                "Summe laut Rechnung" if n % 12 in (9, 11) else pick.choice(["paid", "open", ""]) for n in range(rows)
            ],
        }
    )
    assert "totals" not in {one.code for one in find(lines)}
    totalled = pl.concat([lines, pl.DataFrame({"Remark": ["Summe"], "Net": [lines["Net"].sum()]})], how="diagonal")
    assert [one.rows.to_list() for one in find(totalled) if one.code == "totals"] == [[rows]]


def test_columns_that_share_nothing_are_not_compared_letter_by_letter(monkeypatch):
    asked = []
    monkeypatch.setattr(meeting, "near_misses", lambda *given: asked.append(given) or {})
    here = pl.DataFrame({f"c{n}": [f"{i}v{n}" for i in range(60)] for n in range(12)})
    there = pl.DataFrame({f"x{n}": [f"{i}w{n}" for i in range(60)] for n in range(12)})
    find(here, {"Other": there})
    assert not asked
    find(here, {"Other": here.select(x=pl.col("c0").replace("7v0", "7vO"))})
    assert asked, "and those that do are"
