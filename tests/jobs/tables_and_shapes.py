"""Tables joined, compared, nested and reshaped."""

import json
import math
import re
import sqlite3
from collections import Counter, defaultdict
from contextlib import closing
from datetime import date, datetime
from xml.etree import ElementTree

import openpyxl

from tests.jobs import csv_rows, job, json_rows, one_blank, read, ready_job, sheet_rows, step
from updraft.demo.flows import first_revisions, laboratory, requests, requests_in_grams
from updraft.demo.names import HUB_SPELLINGS, HUBS
from updraft.demo.stores import WEEKS
from updraft.standins.ledger import make_entities

LISTED = [["Name", "Code"], *([hub, hub[:3].upper()] for hub in HUBS)]


@job(
    "Nearly the same",
    ("growers.xlsx",),
    read("growers", "growers.xlsx"),
    step("hubs", "type_in_a_table", {"rows": LISTED[1:], "columns": LISTED[0]}),
    step(
        "alike",
        "look_up_alike",
        {
            "fields": [{"column": "Hub", "reference": "Name"}],
            "least": 75,
            "bring": [{"column": "Name", "name": "Hub meant"}],
            "missing": "keep",
        },
        "growers",
        reference="hubs",
    ),
    step("out", "write_file", {"name": "growers.csv"}, "alike"),
)
def nearly_the_same(out, world):
    """Nearly every misspelt hub finds its own, and none finds another's."""
    meant = {spelling: hub for hub, spellings in HUB_SPELLINGS.items() for spelling in [hub, *spellings]}
    rows = csv_rows(out / "growers.csv")
    assert len(rows) == len(sheet_rows(world / "growers.xlsx", 1))
    for row in rows:
        assert row["Hub meant"] in (meant[row["Hub"]], row["Hub"]), row
    assert sum(row["Hub meant"] == meant[row["Hub"]] for row in rows) >= 0.95 * len(rows)


AMOUNT = re.compile(r"(?:(\d+)\s*[xX×]\s*)?([\d.]+)\s*([a-zA-Z]+)")
GRAMS = {"g": 1, "gr": 1, "grams": 1, "kg": 1000, "kilo": 1000, "mg": 0.001}


def requested(world):
    """For each hub and variety the grams, the lines and the last day that requests say; and what says no weight."""
    meant = {spelling: hub for hub, spellings in HUB_SPELLINGS.items() for spelling in [hub, *spellings]}
    grams, lines, last, aside = defaultdict(float), defaultdict(int), {}, []
    for request in json.loads((world / "hub_requests.json").read_text())["requests"]:
        day = datetime.strptime(request["asked"].split(", ")[1], "%d %B %Y").date()
        for line in request["lines"]:
            packs, each, unit = AMOUNT.match(line["amount"]).groups()
            key = meant[request["hub"]["name"]], line["variety"]
            if unit.lower() not in GRAMS:
                aside.append((request["request"], line["amount"]))
                continue
            grams[key] += int(packs or 1) * float(each) * GRAMS[unit.lower()]
            lines[key] += 1
            last[key] = f"{max(day, date.fromisoformat(last.get(key, '2000-01-01')))}"
    assert aside and any(value % 5 for value in grams.values()), "there are trays, and other units than grams"
    return grams, lines, last, aside


@ready_job(requests_in_grams())
def grams_for_each_hub(out, world):
    grams, lines, last, aside = requested(world)
    rows = csv_rows(out / "requests_in_grams.csv")
    found = {(row["requests.hub.name"], row["variety"]): row for row in rows}
    assert {
        key: (round(float(row["Grams"]), 6), int(row["Lines"]), row["Last asked"]) for key, row in found.items()
    } == {key: (round(value, 6), lines[key], last[key]) for key, value in grams.items()}
    left = csv_rows(out / "requests_without_weight.csv")
    assert sorted((row["requests.request"], row["amount"]) for row in left) == sorted(aside)


@ready_job(requests())
def requests_against_shipments(out, world):
    grams, _, last, _ = requested(world)
    shipped, weighed = defaultdict(int), defaultdict(float)
    with closing(sqlite3.connect(world / "seed_lots.sqlite")) as db:
        size = dict(db.execute("SELECT variety, grams FROM packets"))
    entities = make_entities()
    hub_of = {head["Shipment"]: head["Hub"] for head in entities["Shipments"]}
    for line in entities["ShipmentLines"]:
        key = hub_of[line["Shipment"]], line["Variety"]
        shipped[key] += line["Packets"] or 0
        weighed[key] += (line["Packets"] or 0) * size[line["Variety"]]
    found = {
        (row["Hub"], row["variety"]): (
            round(float(row["Grams asked for"]), 6),
            row["Last asked"],
            int(row["Packets shipped"] or 0),
        )
        for row in csv_rows(out / "requests_against_shipments.csv")
        if row["Grams asked for"]
    }
    expected = {key: (round(grams[key], 6), last[key], shipped.get(key, 0)) for key in grams}
    off = {key: (value, found.get(key)) for key, value in expected.items() if found.get(key) != value}
    assert not {key: value for key, value in off.items() if value[0][0] != (value[1] or (0,))[0]}, "grams"
    assert len(found) == len(expected)
    rows = csv_rows(out / "requests_that_differ.csv")
    told = {(row["Hub"], row["variety"]): row["Status"] for row in rows}
    met = sum(found[key] == value for key, value in expected.items())
    assert met > 0.9 * len(expected)
    wrong = []
    for key in {*grams, *weighed}:
        mine, its = grams.get(key), weighed.get(key)
        far = abs(mine - its) > 0.1 * max(mine, its) if mine is not None and its is not None else True
        status = (
            ("differs" if far else None)
            if mine is not None and its is not None
            else "only here"
            if its is None
            else "only there"
        )
        if told.get(key) != status:
            wrong.append((key, mine, its, told.get(key)))
    assert not wrong
    assert {"differs", "only there"} == set(told.values()) and len(told) < len({*grams, *weighed})


def registered(world):
    """Of each lot its earliest revision: variety, day of harvest, grams; and its tests by day."""
    with closing(sqlite3.connect(world / "seed_lots.sqlite")) as db:
        rows = db.execute("SELECT lot, variety, harvested, amount, unit FROM lots WHERE revision = 1 ORDER BY lot")
        lots = {
            lot: (variety, date.fromisoformat(day), amount * GRAMS[unit]) for lot, variety, day, amount, unit in rows
        }
        several = db.execute("SELECT count(*) FROM lots").fetchone()[0]
    assert several > len(lots) > 100
    tests = defaultdict(list)
    for batch in ElementTree.parse(world / "germination.xml").iter("{urn:larkmoor:germination}batch"):
        for test in batch.iter("{urn:larkmoor:germination}test"):
            day, rate = (test.find(f"{{urn:larkmoor:germination}}{name}").text for name in ("sown", "germinated"))
            tests[batch.get("lot")].append((datetime.strptime(day, "%d/%m/%Y").date(), int(rate)))
    return lots, tests


@ready_job(first_revisions())
def lots_by_their_first_revision(out, world):
    """Each lot once, with the first test after its harvest; figures of varieties and of all; the scales that differ."""
    lots, tests = registered(world)
    first = {
        lot: min((day for day, _ in tests.get(lot, []) if day >= harvested), default=None)
        for lot, (_, harvested, _) in lots.items()
    }
    rows = csv_rows(out / "first_revisions.csv")
    assert sorted(row["lot"] for row in rows) == sorted(lots), "each lot stands once"
    rates = {}
    for row in rows:
        variety, harvested, grams = lots[row["lot"]]
        assert (row["variety"], row["harvested"]) == (variety, f"{harvested}")
        assert math.isclose(float(row["amount"]), grams, rel_tol=1e-9)
        assert row["sown"] == ("" if first[row["lot"]] is None else f"{first[row['lot']]}")
        if row["sown"]:
            # Of two tests on one day either is the first.
            assert (first[row["lot"]], int(row["germinated"])) in tests[row["lot"]]
            rates[row["lot"]] = int(row["germinated"])
    assert 30 < len(rates) < len(lots)
    *varieties, of_all = csv_rows(out / "lots_by_variety.csv")
    by = defaultdict(list)
    for lot, (variety, _, grams) in lots.items():
        by[variety].append((lot, grams))
    assert {row["variety"] for row in varieties} == set(by)
    for row in [*varieties, of_all]:
        those = by[row["variety"]] if row is not of_all else [one for each in by.values() for one in each]
        weighed = [(rates[lot], grams) for lot, grams in those if lot in rates]
        assert int(row["Lots"]) == len(those) and int(row["Tested"]) == len(weighed)
        assert math.isclose(float(row["Grams"]), math.fsum(grams for _, grams in those), abs_tol=0.051)
        mean = math.fsum(rate * grams for rate, grams in weighed) / sum(g for _, g in weighed) if weighed else None
        said = row["Germinated, by weight"]
        assert math.isclose(float(said), mean, abs_tol=0.051) if weighed else said == ""
    scales = {line[:8].strip(): float(line[32:]) for line in (world / "scales.txt").read_text().splitlines()[3:]}
    far = {lot: lots[lot][2] - grams for lot, grams in scales.items() if abs(lots[lot][2] - grams) > 0.2}
    apart = csv_rows(out / "scales_apart.csv")
    agree = {row["lot"] for row in csv_rows(out / "scales_agree.csv")}
    assert agree == set(scales) - set(far) and agree
    assert {row["lot"] for row in apart if row["Status"] == "only here"} == set(lots) - set(scales)
    differ = [row for row in apart if row["Status"] == "differs"]
    assert {row["lot"] for row in differ} == set(far) and 5 < len(far) < len(agree)
    sizes = [abs(float(row["amount difference"])) for row in differ]
    assert all(math.isclose(float(row["amount difference"]), far[row["lot"]], abs_tol=1e-9) for row in differ)
    assert sizes == sorted(sizes, reverse=True), "the largest difference first"


@ready_job(laboratory())
def forty_files(out, world):
    """All weeks are read in their order; what is 85 or more is sown, and less than 70 discarded."""
    expected = []
    for path in sorted((world / "laboratory").iterdir()):
        for test in ElementTree.parse(path).iter("test"):
            day = "/".join(test.find("sown").text.split("/")).replace("/", ".")
            rate = int(test.find("germinated").text)
            fate = "sow" if rate >= 85 else "test again" if rate >= 70 else "discard"
            expected.append((path.name, test.get("lot"), day, rate, fate))
    lines = [json.loads(line) for line in (out / "germination.jsonl").read_text().splitlines()]
    found = [(row["File"], row["@lot"], row["sown"], row["germinated"], row["What becomes of it"]) for row in lines]
    assert found == expected and len({name for name, *_ in found}) == WEEKS and "remark" not in lines[0]
    book = openpyxl.load_workbook(out / "germination.xlsx")
    assert {page.title: page.max_row - 1 for page in book} == Counter(fate for *_, fate in expected)


@job(
    "A laboratory's XML",
    ("germination.xml",),
    read("tests", "germination.xml", records="/laboratory/batch/*/test", parent=["@lot", "variety"]),
    step("full", "remove_empty_columns", {}, "tests"),
    step("kinds", "set_types", {"columns": [{"column": "sown", "type": "date", "formats": ["DD/MM/YYYY"]}]}, "full"),
    step("dates", "format_dates", {"columns": {"by": "names", "names": ["sown"]}, "format": "DD.MM.YYYY"}, "kinds"),
    step(
        "sand",
        "keep_rows",
        {"by": "rule", "rule": {"of": [{"column": "@method", "test": "equals", "value": "sand"}]}},
        "dates",
    ),
    step("csv", "write_file", {"name": "sand.csv"}, "sand"),
    step("book", "write_file", {"name": "tests.xlsx", "sheets": "@method"}, "dates"),
    step("lines", "write_file", {"name": "tests.jsonl"}, "dates"),
)
def a_laboratory(out, world):
    space, expected = "{urn:larkmoor:germination}", []
    for batch in ElementTree.parse(world / "germination.xml").iter(f"{space}batch"):
        for test in batch.iter(f"{space}test"):
            day = date(*reversed([int(part) for part in test.find(f"{space}sown").text.split("/")]))
            expected.append(
                (batch.get("lot"), test.get("method"), f"{day:%d.%m.%Y}", test.find(f"{space}germinated").text)
            )

    def told(row):
        return row["batch.@lot"], row["@method"], row["sown"], str(row["germinated"])

    assert [told(row) for row in csv_rows(out / "sand.csv")] == [row for row in expected if row[1] == "sand"]
    lines = [json.loads(line) for line in (out / "tests.jsonl").read_text().splitlines()]
    assert [told(row) for row in lines] == expected and "mould" not in lines[0]
    book = openpyxl.load_workbook(out / "tests.xlsx")
    assert sorted(book.sheetnames) == ["paper", "sand"]


@job(
    "Columns that change",
    ("lot_register.xlsx",),
    read("lots", "lot_register.xlsx"),
    step("low", "rename_columns", {"by": "rule", "case": "lower"}, "lots"),
    step(
        "store",
        "choose_columns",
        {"columns": [{"column": "lot"}, {"column": "grams", "name": "weight"}], "others": "drop"},
        "low",
    ),
    step("shop", "choose_columns", {"columns": [{"column": "variety"}, {"column": "hub"}], "others": "drop"}, "low"),
    step("single", "remove_duplicates", {}, "shop"),
    step("one", "write_file", {"name": "store.csv"}, "store"),
    step("two", "write_file", {"name": "shop.csv"}, "single"),
)
def columns_that_change(out, world):
    """One table to two files with different columns, in one pass."""
    rows = sheet_rows(world / "lot_register.xlsx", 2)
    store = [(row["lot"], float(row["weight"])) for row in csv_rows(out / "store.csv")]
    assert store == [(row["Lot"], row["Grams"]) for row in rows]
    shop = [(row["variety"], row["hub"]) for row in csv_rows(out / "shop.csv")]
    assert shop == list(dict.fromkeys((row["Variety"], row["Hub"]) for row in rows))


@job(
    "Groups",
    ("packet_orders_2026-03.xlsx",),
    read("orders", "packet_orders_2026-03.xlsx"),
    step("drop", "drop_rows", {"by": "rule", "rule": {"of": [{"column": "Grower", "test": "empty"}]}}, "orders"),
    step("tidy", "tidy_text", {"columns": {"by": "names", "names": ["Region"]}, "case": "title"}, "drop"),
    step("kinds", "set_types", {"columns": [{"column": "Packets", "type": "whole"}]}, "tidy"),
    step(
        "groups",
        "summarise",
        {
            "by": ["Garden"],
            "figures": [
                {"figure": "rows", "name": "Orders"},
                {"figure": "sum", "like": "P*", "name": "* in all"},
                {"figure": "mean", "column": "Packets", "name": "Packets on average"},
                {"figure": "list", "column": "Region", "name": "Regions"},
            ],
        },
        "kinds",
    ),
    step("out", "write_file", {"name": "gardens.json"}, "groups"),
)
def groups(out, world):
    found = {row["Garden"]: row for row in json_rows(out / "gardens.json")}
    orders = defaultdict(list)
    for row in sheet_rows(world / "packet_orders_2026-03.xlsx", 3):
        if row["Grower"]:
            orders[row["Garden"]].append(row)
    assert set(found) == set(orders)
    for garden, rows in orders.items():
        packets = [int(row["Packets"]) for row in rows if row["Packets"] is not None]
        regions = dict.fromkeys(one_blank(row["Region"]).title() for row in rows)
        one = found[garden]
        assert (one["Orders"], one["Packets in all"]) == (len(rows), sum(packets))
        assert abs(one["Price in all"] - sum(row["Price"] for row in rows)) < 1e-6
        assert abs(one["Packets on average"] - sum(packets) / len(packets)) < 1e-9
        assert one["Regions"] == ", ".join(regions)


@job(
    "A join",
    ("packet_orders_2026-03.xlsx", "growers.xlsx"),
    read("orders", "packet_orders_2026-03.xlsx"),
    read("growers", "growers.xlsx"),
    step("tidy", "tidy_text", {"columns": {"by": "names", "names": ["Grower"]}}, "orders"),
    step(
        "join",
        "join",
        {
            "keys": [{"column": "Grower", "reference": "Code"}],
            "rows": "full",
            "keep": ["Order", "Grower"],
            "bring": [{"column": "Plots"}],
        },
        "tidy",
        reference="growers",
    ),
    step("out", "write_file", {"name": "joined.csv"}, "join"),
    step("lost", "write_file", {"name": "without.csv"}, "join.unmatched"),
)
def a_join(out, world):
    """Every order with its grower's plots, one line for each match; growers without orders at the end."""
    growers = defaultdict(list)
    for row in sheet_rows(world / "growers.xlsx", 1):
        growers[row["Code"]].append(row["Plots"])
    expected, lost, met = [], [], set()
    for row in sheet_rows(world / "packet_orders_2026-03.xlsx", 3):
        code = one_blank(row["Grower"])
        met.add(code)
        expected += [(row["Order"], code or "", str(plots)) for plots in growers.get(code, [""])]
        lost += [row["Order"]] if code not in growers else []
    expected += [("", code, str(plots)) for code, found in growers.items() if code not in met for plots in found]
    assert [tuple(row.values()) for row in csv_rows(out / "joined.csv")] == expected
    assert [row["Order"] for row in csv_rows(out / "without.csv")] == lost
    assert len(expected) > len(lost) > 0
