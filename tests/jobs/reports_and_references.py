"""Jobs whose flows come with the demo: what lies outside asked, references matched, reports made, messages sent."""

import csv
import json
import math
import re
import sqlite3
import statistics
from collections import Counter, defaultdict
from datetime import date, timedelta
from email import policy
from email.parser import BytesParser
from io import BytesIO

import openpyxl
from pypdf import PdfReader
from rdflib import RDF, Graph, Literal, URIRef

from tests.jobs import csv_rows, one_blank, ready_job, sheet_rows
from updraft.demo.flows import large_lots, ledger, packing, sold_out, trial, varieties
from updraft.demo.names import HUBS, SPECIES
from updraft.demo.stores import PACKINGS
from updraft.demo.tasting import AGAIN, CODES, TRAITS, TRIAL
from updraft.standins.botany import taxa
from updraft.standins.ledger import make_entities
from updraft.standins.mailbox import DAYS, FIRST, _stock
from updraft.standins.shop import make_sales

GRAMS = {"g": 1, "kg": 1000, "mg": 0.001}


@ready_job(packing())
def what_is_in_this_column(out, world):
    """Every form of a packing becomes one; weights over eight orders of magnitude are in grams; none is lost."""
    plain = {
        form.strip().casefold().replace("  ", " ").replace("-", " "): name
        for name, forms in PACKINGS.items()
        for form in [name, *forms]
    }
    weights, odd = defaultdict(list), []
    for row in csv_rows(world / "packing.csv"):
        name = plain[" ".join(row["Packing"].split()).casefold().replace("-", " ")]
        found = re.fullmatch(r"([\d.]+) (g|kg|mg)", row["Weight"])
        grams = float(found[1]) * GRAMS[found[2]] if found else 0
        if grams > 0:
            weights[name].append(grams)
        else:
            odd.append(row["Pack"])
    assert [row["Pack"] for row in csv_rows(out / "doubtful_weights.csv")] == odd and len(odd) > 10
    assert max(map(max, weights.values())) / min(map(min, weights.values())) > 10**7
    for row in sheet_rows(out / "packing.xlsx"):
        known = weights.pop(row["Packing"].casefold())
        assert row["Packs"] == len(known)
        for figure, value in (("Lightest", min(known)), ("Median", statistics.median(known)), ("Heaviest", max(known))):
            assert math.isclose(row[figure], value, rel_tol=1e-9)
    assert not weights


ID = {taxon.name: taxon.id for taxon in taxa().values()}
FAMILY = {taxon.name: taxon.family for taxon in taxa().values()}
DECIDED = {
    "Phaseolus coccinius": "Phaseolus coccineus",
    "Phaseolus vulgarus": "Phaseolus vulgaris",
    "Capsicum bacatum · Solanaceae": "Capsicum baccatum",
    "Cucumis sativa": "Cucumis sativus",
    "Raphanus raphanus": "Raphanus sativus",
}


@ready_job(varieties(), decisions={"match": [[name, f"{ID[meant]} {meant}"] for name, meant in DECIDED.items()]})
def names_that_others_maintain(out, world):
    """Names by synonym, slip and half are matched, some by a person; family and identifier go into the graph."""
    meant = {variety: name for name, listed in SPECIES.items() for variety in listed}
    rows = csv_rows(out / "varieties_matched.csv")
    assert {row["Variety"]: (row["Species"], row["Species id"], row["Family (reference)"]) for row in rows} == {
        variety: (name, ID[name], FAMILY[name]) for variety, name in meant.items()
    }
    graph = Graph().parse(out / "varieties.ttl")
    dwc, land = "http://rs.tdwg.org/dwc/terms/", "https://larkmoor.example/variety/"
    assert len(set(graph.subjects(RDF.type, URIRef(f"{dwc}Taxon")))) == len(meant)
    runner = URIRef(f"{land}Scarlet%20Runner")
    assert set(graph.objects(runner, URIRef(f"{dwc}scientificName"))) == {Literal("Phaseolus coccineus")}
    assert set(graph.objects(runner, URIRef(f"{dwc}family"))) == {Literal("Fabaceae")}
    [when] = graph.objects(runner, URIRef("http://purl.org/dc/terms/created"))
    assert isinstance(when.value, date)
    for row in csv_rows(world / "varieties.csv"):
        about = URIRef(land + row["Variety"].replace(" ", "%20").replace("é", "%C3%A9"))
        [told] = graph.objects(about, URIRef(f"{dwc}taxonID"))
        assert str(told).endswith("/" + ID[meant[row["Variety"]]])


@ready_job(ledger())
def the_ledger(out, world):
    entities = make_entities()
    heads = [
        head
        for head in entities["Shipments"]
        if not head["Closed"]
        and head["ShippedOn"] >= "2026-03-01"
        and head["Hub"] in ("Aldermere", "Coldwater", "Saltmarsh")
    ]
    expected = [
        (head["Shipment"], head["Hub"], str(line["Line"]), line["Variety"], str(line["Packets"] or ""))
        for head in heads
        for line in entities["ShipmentLines"]
        if line["Shipment"] == head["Shipment"]
    ]
    found = [
        (row["Shipment"], row["Hub"], row["Line"], row["Variety"], row["Packets"])
        for row in csv_rows(out / "open_shipments.csv")
    ]
    assert sorted(found) == sorted(expected) and len(expected) > 10


@ready_job(large_lots())
def a_database(out, world):
    with sqlite3.connect(world / "seed_lots.sqlite") as db:
        rows = db.execute(
            "select lot, revision, amount, grams, hub from lots join packets using (variety) where unit = 'kg' and amount > 2"
        ).fetchall()
    named = {hub[:3].lower(): f"{hub[:3].upper()} · {hub}" for hub in HUBS}
    expected = [
        (lot, str(revision), round(1000 / grams + 1e-9, 1), math.floor(round(amount * 1000 / grams, 9)), named[hub])
        for lot, revision, amount, grams, hub in rows
    ]
    found = [
        (row["lot"], row["revision"], float(row["packets_per_kg"]), int(row["packets"]), row["From"])
        for row in csv_rows(out / "large_lots.csv")
    ]
    assert found == expected and len(found) > 10


@ready_job(sold_out())
def sold_out_before_sowing_ends(out, world):
    """What lasts less than six weeks is listed, mailed with the list, and told to the shop."""
    sold, road, store = defaultdict(int), {}, defaultdict(int)
    for sale in make_sales():
        if sale["sold_on"] >= "2026-03-20":
            for line in sale["lines"]:
                sold[line["variety"]] += line["packets"]
    for row in csv_rows(world / "on_the_road.csv"):
        road[row["Variety"]] = int(row["Packets"])
    for row in _stock_of_the_last_day():
        store[row["Variety"]] += int(row["Packets"])
    lasts = {}
    for variety, packets in store.items():
        weekly = _half_up(sold[variety] / 6)
        if weekly:
            lasts[variety] = _half_up((packets + road.get(variety, 0)) / weekly)
    short = {variety: weeks for variety, weeks in lasts.items() if weeks < 6}
    assert 2 < len(short) < len(store)
    rows = sheet_rows(out / "sold_out.xlsx")
    assert {row["Variety"]: row["Lasts weeks"] for row in rows} == short
    assert [row["Lasts weeks"] for row in rows] == sorted(short.values())
    [letter] = (out / "mail").iterdir()
    message = BytesParser(policy=policy.default).parsebytes(letter.read_bytes())
    [attached] = message.iter_attachments()
    page = openpyxl.load_workbook(BytesIO(attached.get_content())).active
    assert message["to"] == "growers@larkmoor.example" and page.max_row == len(short) + 1
    assert json.loads((out / "told.json").read_text()) == {
        variety: {"Variety": variety, "Lasts weeks": weeks} for variety, weeks in short.items()
    }

    there = {variety: store[variety] + road.get(variety, 0) for variety in short}
    orders, packets = Counter(), Counter()
    named = {variety.casefold(): variety for variety in short}
    known = {row["Order"]: row for row in reversed(sheet_rows(world / "packet_orders_2026-04.xlsx", 3))}
    for row in known.values():
        if (variety := named.get((one_blank(row["Variety"]) or "").casefold())) is not None:
            orders[variety] += 1
            packets[variety] += int(row["Packets"] or 0)
    risks = csv_rows(out / "orders_at_risk.csv")
    assert orders and all(packets.values())
    of_all = sum(packets.values())
    for row in risks:
        variety = row["At risk"]
        assert (int(row["Orders"]), float(row["Packets ordered"])) == (orders.pop(variety), packets[variety]), row
        assert float(row["There and coming"]) == there[variety]
        assert math.isclose(float(row["Share"]), packets[variety] / of_all)
    assert not orders, "none is left out"


def _stock_of_the_last_day():
    [attached] = _stock(FIRST + timedelta(days=DAYS - 1)).iter_attachments()
    return csv.DictReader(attached.get_content().splitlines(), delimiter=";")


def _half_up(number: float) -> float:
    return math.floor(number * 10 + 0.5 + 1e-9) / 10


@ready_job(trial())
def a_report_for_each(out, world):
    """One PDF for each variety: the means of its traits by name, what is grown again marked."""
    book = openpyxl.load_workbook(world / "tasting_trial.xlsx")
    marked = {row[0].value for row in book["Varieties"].iter_rows(min_row=2) if row[0].fill.fgColor.rgb == AGAIN}
    assert sorted(path.name for path in out.glob("*.pdf")) == sorted(f"trial_{variety}.pdf" for variety in TRIAL)
    assert 0 < len(marked) < len(TRIAL)
    for variety in TRIAL:
        scores = [row[1:] for row in book[variety].iter_rows(min_row=2, values_only=True)]
        means = {
            trait: statistics.fmean(score for row in scores if (score := row[place]) is not None)
            for place, trait in enumerate(TRAITS)
        }
        means["All traits"] = statistics.fmean(statistics.fmean(s for s in row if s is not None) for row in scores)
        text = "\n".join(page.extract_text() for page in PdfReader(out / f"trial_{variety}.pdf").pages)
        assert variety in text and f"{len(scores)} visitors" in text
        assert ("Grown again" in text) == (variety in marked)
        for trait, mean in means.items():
            assert re.search(rf"{trait} {_near(mean)}\b", text), (variety, trait, mean, text)
    assert len(CODES) == len(TRAITS)


def _near(mean: float) -> str:
    """The mean to one place; what lies between two after rounding to two places first may be either."""
    two = math.floor(mean * 100 + 0.5 + 1e-9) / 100
    return f"({re.escape(f'{two:.1f}')}|{re.escape(f'{math.floor(two * 10 + 0.5 + 1e-9) / 10:.1f}')})"
