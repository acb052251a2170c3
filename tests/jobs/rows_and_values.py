"""Rows dropped, spellings settled, rules applied, formulas calculated."""

import sqlite3
from collections import Counter
from decimal import ROUND_HALF_UP, Decimal

import openpyxl
import polars as pl

from tests.jobs import csv_rows, job, json_rows, one_blank, read, sheet_rows, step
from updraft.demo.material import lots
from updraft.demo.names import HUBS, SPELLINGS


@job(
    "The totals row",
    ("packet_orders_2026-03.xlsx", "packet_orders_2026-04.xlsx"),
    read("orders", "packet_orders_*.xlsx"),
    step("drop", "drop_rows", {"by": "rule", "rule": {"of": [{"column": "Grower", "test": "empty"}]}}, "orders"),
    step("out", "write_file", {"name": "orders.csv"}, "drop"),
)
def totals_row(out, world):
    """Wherever the totals row stands in a month, it is gone and nothing else is."""
    found = [(row["File"], row["Order"]) for row in csv_rows(out / "orders.csv")]
    expected = []
    for month in ("03", "04"):
        name = f"packet_orders_2026-{month}.xlsx"
        rows = sheet_rows(world / name, 3)
        assert sum(row["Order"] == "Total" for row in rows) == 1
        expected += [(name, row["Order"]) for row in rows if row["Order"] != "Total"]
    assert found == expected


@job(
    "Two workbooks into one",
    ("packet_orders_2026-03.xlsx", "growers.xlsx"),
    read("orders", "packet_orders_2026-03.xlsx"),
    read("growers", "growers.xlsx"),
    step("drop", "drop_rows", {"by": "rule", "rule": {"of": [{"column": "Grower", "test": "empty"}]}}, "orders"),
    step("tidy", "tidy_text", {"columns": {"by": "names", "names": ["Grower"]}}, "drop"),
    step(
        "up",
        "look_up",
        {
            "keys": [{"column": "Grower", "reference": "Code"}],
            "bring": [{"column": "Hub"}, {"column": "Plots", "name": "Plots of the grower"}],
            "many": "first",
        },
        "tidy",
        reference="growers",
    ),
    step("out", "write_file", {"name": "orders_with_hubs.xlsx", "sheet": "March"}, "up"),
)
def two_workbooks(out, world):
    known = {}
    for row in sheet_rows(world / "growers.xlsx", 1):
        known.setdefault(row["Code"], (row["Hub"], row["Plots"]))
    orders = [row for row in sheet_rows(world / "packet_orders_2026-03.xlsx", 3) if row["Grower"]]
    expected = [(row["Order"], *known.get(one_blank(row["Grower"]), (None, None))) for row in orders]
    found = sheet_rows(out / "orders_with_hubs.xlsx")
    assert [(row["Order"], row["Hub"], row["Plots of the grower"]) for row in found] == expected


@job(
    "One spelling for one thing",
    ("packet_orders_2026-03.xlsx",),
    read("orders", "packet_orders_2026-03.xlsx"),
    step("drop", "drop_rows", {"by": "rule", "rule": {"of": [{"column": "Grower", "test": "empty"}]}}, "orders"),
    step("tidy", "tidy_text", {"columns": {"by": "names", "names": ["Variety", "Region"]}}, "drop"),
    step("regions", "merge_look_alikes", {"column": "Region"}, "tidy"),
    step("varieties", "merge_look_alikes", {"column": "Variety", "undecided": "leave"}, "regions"),
    step("count", "summarise", {"by": ["Region", "Variety"], "figures": [{"figure": "rows"}]}, "varieties"),
    step("out", "write_file", {"name": "counts.csv"}, "count"),
    decisions={"varieties": [[old, new, "", ""] for new, olds in SPELLINGS.items() for old in olds]},
)
def one_spelling(out, world):
    """Regions by what is proposed, varieties by a list of decisions."""
    hubs, named = {hub.casefold(): hub for hub in HUBS}, {old: new for new, olds in SPELLINGS.items() for old in olds}
    counts = Counter()
    for row in sheet_rows(world / "packet_orders_2026-03.xlsx", 3):
        if row["Grower"]:
            variety = one_blank(row["Variety"])
            counts[hubs[one_blank(row["Region"]).casefold()], named.get(variety, variety)] += 1
    found = {(row["Region"], row["Variety"]): int(row["Rows"]) for row in csv_rows(out / "counts.csv")}
    assert found == counts


def _identifiers(folder):
    lines = ["Lot,Grams"]
    for number, (lot, _, _, _, grams) in enumerate(lots()):
        written = {0: f"GZ-{lot}", 1: f"gz-{lot} ", 2: lot, 3: f"GZ{lot}"}[number % 17 if number % 17 < 4 else 0]
        lines += [f"{written},{grams}"] * (2 if number % 13 == 0 else 1)
    (folder / "identifiers.csv").write_text("\n".join(lines) + "\n")


@job(
    "Identifiers",
    ("identifiers.csv",),
    read("lots", "identifiers.csv"),
    step("tidy", "tidy_text", {"columns": {"by": "names", "names": ["Lot"]}, "case": "upper"}, "lots"),
    step(
        "fit",
        "keep_rows",
        {"by": "rule", "rule": {"of": [{"column": "Lot", "test": "matches", "value": "^GZ-[0-9]{5}$"}]}},
        "tidy",
    ),
    step("single", "remove_duplicates", {}, "fit"),
    step("out", "write_file", {"name": "lots.json"}, "single"),
    made=_identifiers,
)
def identifiers(out, world):
    fits = [(f"GZ-{lot}", grams) for n, (lot, _, _, _, grams) in enumerate(lots()) if n % 17 not in (2, 3)]
    assert [(row["Lot"], row["Grams"]) for row in json_rows(out / "lots.json")] == fits


@job(
    "The earliest revision",
    ("seed_lots.sqlite",),
    read("lots", "seed_lots.sqlite", table="lots"),
    step("sort", "sort_rows", {"order": [{"column": "revision", "down": True}]}, "lots"),
    step("first", "remove_duplicates", {"keys": ["lot"], "order": [{"column": "revision"}]}, "sort"),
    step(
        "grams",
        "calculate",
        {"columns": [{"name": "grams", "formula": "round(amount * 1000 if unit == 'kg' else amount, 1)"}]},
        "first",
    ),
    step("order", "sort_rows", {"order": [{"column": "lot"}]}, "grams"),
    step("out", "write_file", {"name": "first.csv"}, "order"),
)
def earliest_revision(out, world):
    query = "select lot, min(revision), round(case unit when 'kg' then amount * 1000 else amount end, 1) from lots group by lot"
    expected = sqlite3.connect(world / "seed_lots.sqlite").execute(query).fetchall()
    found = [(row["lot"], int(row["revision"]), float(row["grams"])) for row in csv_rows(out / "first.csv")]
    assert found == expected and len(found) == len(lots())


@job(
    "If this, then that",
    ("germination.xml",),
    read("tests", "germination.xml", records="/laboratory/batch/*/test"),
    step(
        "fate",
        "apply_rules",
        {
            "column": "What becomes of it",
            "rules": [
                {
                    "when": {
                        "match": "all",
                        "of": [
                            {"column": "germinated", "test": "at_least", "value": "85"},
                            {"column": "abnormal", "test": "empty"},
                        ],
                    },
                    "then": "sow",
                },
                {
                    "when": {
                        "match": "any",
                        "of": [
                            {"column": "germinated", "test": "at_least", "value": "70"},
                            {"column": "remark", "test": "equals", "value": "late"},
                        ],
                    },
                    "then": "test again",
                },
            ],
            "value": "discard",
        },
        "tests",
    ),
    step("count", "summarise", {"by": ["What becomes of it"], "figures": [{"figure": "rows"}]}, "fate"),
    step("out", "write_file", {"name": "fates.csv"}, "count"),
)
def if_then(out, world):
    from xml.etree import ElementTree

    counts, space = Counter(), "{urn:larkmoor:germination}"
    for test in ElementTree.parse(world / "germination.xml").iter(f"{space}test"):
        rate, odd, remark = (test.find(space + name).text for name in ("germinated", "abnormal", "remark"))
        if int(rate) >= 85 and not odd:
            counts["sow"] += 1
        else:
            counts["test again" if int(rate) >= 70 or remark == "late" else "discard"] += 1
    assert {row["What becomes of it"]: int(row["Rows"]) for row in csv_rows(out / "fates.csv")} == counts


@job(
    "Ask the table",
    ("lot_register.xlsx",),
    read("lots", "lot_register.xlsx", marks=[{"column": "Lot", "what": "fill"}]),
    step(
        "sound", "keep_rows", {"by": "rule", "rule": {"of": [{"column": "Lot: fill colour", "test": "empty"}]}}, "lots"
    ),
    step("heavy", "take_rows", {"by": "largest", "column": "Grams", "count": 3, "within": ["Hub"]}, "sound"),
    step(
        "few",
        "choose_columns",
        {"columns": [{"column": "Hub"}, {"column": "Lot"}, {"column": "Grams"}], "others": "drop"},
        "heavy",
    ),
    step("order", "sort_rows", {"order": [{"column": "Hub"}, {"column": "Grams", "down": True}]}, "few"),
    step("out", "write_file", {"name": "heaviest.csv"}, "order"),
)
def ask_the_table(out, world):
    """The three heaviest lots of each hub that are not in quarantine, which only a colour tells."""
    page = openpyxl.load_workbook(world / "lot_register.xlsx").active
    sound = [
        (row[2].value, row[0].value, row[4].value)
        for row in page.iter_rows(min_row=4)
        if row[0].fill.fill_type != "solid"
    ]
    expected = []
    for hub in sorted({hub for hub, _, _ in sound}):
        expected += sorted((lot for lot in sound if lot[0] == hub), key=lambda lot: -lot[2])[:3]
    found = [(row["Hub"], row["Lot"], float(row["Grams"])) for row in csv_rows(out / "heaviest.csv")]
    assert found == expected


@job(
    "Many formulas, one step",
    ("seed_lots.sqlite",),
    read("lots", "seed_lots.sqlite", table="lots"),
    step(
        "made",
        "calculate",
        {
            "columns": [
                {"name": "code", "formula": "joined('-', upper(hub), pad(lot, 6), text(revision))"},
                {"name": "amount", "formula": "round(amount * 1000 if unit == 'kg' else amount, 0)"},
                {
                    "name": "season",
                    "formula": "text(year(harvested)) + (' late' if month(harvested) >= 10 else ' early')",
                },
                {"name": "share", "formula": "round(100 * share(amount, by=hub), 3)"},
            ]
        },
        "kinds",
    ),
    step(
        "kinds", "set_types", {"columns": [{"column": "harvested", "type": "date", "formats": ["YYYY-MM-DD"]}]}, "lots"
    ),
    step("out", "write_file", {"name": "formulas.arrow"}, "made"),
)
def many_formulas(out, world):
    rows = sqlite3.connect(world / "seed_lots.sqlite").execute("select * from lots order by lot, revision").fetchall()
    found = pl.read_ipc(out / "formulas.arrow").sort("lot", "revision").to_dicts()
    amounts, sums = [], Counter()
    for _, _, _, hub, _, amount, unit in rows:
        grams = Decimal(str(amount)) * (1000 if unit == "kg" else 1)
        amounts.append(grams.quantize(Decimal(1), rounding=ROUND_HALF_UP))
        sums[hub] += amounts[-1]
    for row, (lot, revision, _, hub, day, _, _), amount in zip(found, rows, amounts, strict=True):
        assert row["code"] == f"{hub.upper()}-0{lot}-{revision}"
        assert row["amount"] == float(amount)
        assert row["season"] == f"{day[:4]} {'late' if int(day[5:7]) >= 10 else 'early'}"
        assert abs(row["share"] - float(100 * amount / sums[hub])) < 0.0006
