"""The jobs once more, on what exchanges in other countries send: other languages, alphabets, encodings, forms and sizes."""

import json
import random
import sqlite3
from collections import Counter, defaultdict
from datetime import date, timedelta
from xml.etree import ElementTree

import openpyxl
import polars as pl

from tests.jobs import csv_rows, job, json_rows, read, sheet_rows, step
from updraft.demo.flows.making import where

PLACES = ["Łąkowo", "Żabieniec", "Ćmielów", "Źródła", "Śniadowo"]
ZLOTY = "{:,.2f} zł"


def _zloty(number: float) -> str:
    return ZLOTY.format(number).replace(",", "\u00a0").replace(".", ",")


def _polish(folder):
    """Two months as workbooks: four lines above, sums of each place among the rows, money as text."""
    pick = random.Random("zamówienia")
    for month in (3, 4):
        book = openpyxl.Workbook()
        page = book.active
        page.title = "Zestawienie"
        for line in ("Wymiana nasion", f"miesiąc {month}", None, "wg miejscowości"):
            page.append([line])
        page.append(["Nr zam.", "Miejscowość", "Data", "Kwota"])
        for place in PLACES:
            total = 0.0
            for n in range(pick.randrange(3, 30)):
                price = round(pick.uniform(3, 4000), 2)
                total += price
                day = date(2026, month, 1) + timedelta(days=n % 28)
                page.append([f"Z/{month}/{n:03}", place, f"{day:%d.%m.%Y}", _zloty(price)])
            page.append([f"Razem {place}", None, None, _zloty(total)])
        book.save(folder / f"zamowienia_0{month}.xlsx")


@job(
    "Sums among the rows, in Polish",
    ("zamowienia_03.xlsx", "zamowienia_04.xlsx"),
    read("in", "zamowienia_*.xlsx"),
    step("drop", "drop_rows", {"by": "rule", "rule": where(("Nr zam.", "starts", "Razem"))}, "in"),
    step(
        "types",
        "set_types",
        {"columns": [{"column": "Kwota", "type": "number", "formats": ["1 234,5"], "dressed": True}]},
        "drop",
    ),
    step(
        "sum",
        "summarise",
        {
            "by": ["Miejscowość"],
            "figures": [{"figure": "sum", "column": "Kwota"}, {"figure": "last", "column": "Data", "name": "Ostatnio"}],
            "order": "first",
        },
        "types",
    ),
    step("out", "write_file", {"name": "kwoty.json"}, "sum"),
    made=_polish,
)
def polish_sums(out, world):
    """What is left adds up to the sums that were dropped."""
    said = Counter()
    for month in ("03", "04"):
        for row in sheet_rows(world / f"zamowienia_{month}.xlsx", 4):
            if row["Nr zam."].startswith("Razem"):
                amount = row["Kwota"].removesuffix(" zł").replace("\u00a0", "").replace(",", ".")
                said[row["Nr zam."].removeprefix("Razem ")] += round(float(amount) * 100)
    found = json_rows(out / "kwoty.json")
    assert [row["Miejscowość"] for row in found] == PLACES
    assert {row["Miejscowość"]: round(row["Sum of Kwota"] * 100) for row in found} == said
    assert all(row["Ostatnio"].startswith("2026-04") for row in found)


def _greek(folder):
    """Orders with codes as text with zeros in front; a list of growers in which they are numbers; Windows' Greek letters."""
    pick = random.Random("σπόροι")
    lines = ["Κωδικός;Ποικιλία;Ποσότητα"]
    lines += [
        f"{pick.randrange(1, 400):05};Ντομάτα {n % 7};{pick.uniform(0, 90):.1f}".replace(".", ",") for n in range(3000)
    ]
    (folder / "paraggelies.csv").write_text("\r\n".join(lines) + "\r\n", encoding="cp1253")
    book = openpyxl.Workbook()
    book.active.append(["Κωδ.", "Νομός"])
    for code in range(1, 380):
        book.active.append([code, ["Αχαΐα", "Ηλεία", "Λάρισα"][code % 3]])
    book.active.append([17, "Ηλεία"])
    book.save(folder / "kalliergites.xlsx")


@job(
    "Two lists with unlike codes, in Greek",
    ("paraggelies.csv", "kalliergites.xlsx"),
    read("in", "paraggelies.csv", numbers="comma"),
    read("who", "kalliergites.xlsx"),
    step(
        "up",
        "look_up",
        {
            "keys": [{"column": "Κωδικός", "reference": "Κωδ."}],
            "bring": [{"column": "Νομός"}],
            "as_numbers": True,
            "many": "first",
        },
        "in",
        reference="who",
    ),
    step(
        "sum",
        "summarise",
        {"by": ["Νομός"], "figures": [{"figure": "sum", "column": "Ποσότητα"}, {"figure": "rows"}]},
        "up",
    ),
    step("out", "write_file", {"name": "nomoi.csv"}, "sum"),
    step("lost", "write_file", {"name": "lost.csv"}, "up.unmatched"),
    made=_greek,
    page=False,
)
def greek_codes(out, world):
    where_from = {row["Κωδ."]: row["Νομός"] for row in reversed(sheet_rows(world / "kalliergites.xlsx"))}
    sums, rows, lost = Counter(), Counter(), []
    for line in (world / "paraggelies.csv").read_text(encoding="cp1253").splitlines()[1:]:
        code, _, amount = line.split(";")
        place = where_from.get(int(code), "")
        sums[place] += round(float(amount.replace(",", ".")) * 10)
        rows[place] += 1
        lost += [] if place else [code]
    found = {row["Νομός"]: row for row in csv_rows(out / "nomoi.csv")}
    assert {name: (round(float(row["Sum of Ποσότητα"]) * 10), int(row["Rows"])) for name, row in found.items()} == {
        name: (sums[name], rows[name]) for name in sums
    }
    assert [row["Κωδικός"] for row in csv_rows(out / "lost.csv")] == lost and lost


def _japanese(folder):
    lines = ["種子番号\t産地\t重さ（g）"]
    for n in range(500):
        number = {0: f"種-{n:05}", 1: f"種{n:05}", 2: f"種-{n}"}[n % 11 if n % 11 < 3 else 0]
        lines += [f"{number}\t{'青森' if n % 2 else '岩手'}\t{n * 7 % 91}"] * (3 if n % 50 == 0 else 1)
    (folder / "tane.tsv").write_text("\n".join(lines) + "\n", encoding="utf-16")


@job(
    "Identifiers, in Japanese",
    ("tane.tsv",),
    read("in", "tane.tsv"),
    step("fit", "keep_rows", {"by": "rule", "rule": where(("種子番号", "matches", "^種-[0-9]{5}$"))}, "in"),
    step("single", "remove_duplicates", {"keys": ["種子番号"]}, "fit"),
    step("out", "write_file", {"name": "tane.jsonl"}, "single"),
    made=_japanese,
)
def japanese_identifiers(out, world):
    found = [json.loads(line) for line in (out / "tane.jsonl").read_text().splitlines()]
    expected = [n for n in range(500) if n % 11 not in (1, 2)]
    assert [(row["種子番号"], row["重さ（g）"]) for row in found] == [(f"種-{n:05}", n * 7 % 91) for n in expected]


def _french(folder):
    pick = random.Random("révisions")
    rows = [f"{lot};rév. {rev};{pick.uniform(1, 99):.2f}".replace(".", ",").replace("rév,", "rév.")
            for lot in range(800) for rev in pick.sample(range(1, 15), pick.randrange(1, 6))]  # fmt: skip
    pick.shuffle(rows)
    text = "Référence;Révision;Poids (g)\n" + "\n".join(rows) + "\n"
    (folder / "revisions.csv").write_text(text, encoding="cp1252")


@job(
    "The latest revision, in French",
    ("revisions.csv",),
    read("in", "revisions.csv"),
    step(
        "last",
        "summarise",
        {
            "by": ["Référence"],
            "figures": [
                {"figure": "last", "column": "Poids (g)", "along": "Révision", "name": "Poids"},
                {"figure": "max", "column": "Révision", "name": "Révision"},
            ],
        },
        "in",
    ),
    step("out", "write_file", {"name": "dernieres.csv", "decimal": "comma", "delimiter": ";"}, "last"),
    made=_french,
    page=False,
)
def french_revisions(out, world):
    """Rév. 10 comes after rév. 2."""
    best = {}
    for line in (world / "revisions.csv").read_text(encoding="cp1252").splitlines()[1:]:
        lot, revision, weight = line.split(";")
        best[lot] = max(best.get(lot, (0, 0.0)), (int(revision.split()[1]), float(weight.replace(",", "."))))
    head, *lines = (out / "dernieres.csv").read_text(encoding="utf-8-sig").splitlines()
    assert head == "Référence;Poids;Révision"
    assert sorted(lines) == sorted(
        f"{lot};{str(weight).replace('.', ',')};rév. {revision}" for lot, (revision, weight) in best.items()
    )


def _arabic(folder):
    """Nine small files, each with its date and its laboratory at the head, Arabic names, no name space."""
    for week in range(9):
        root = ElementTree.Element("تقرير", {"مختبر": ["حلب", "حمص"][week % 2]})
        ElementTree.SubElement(root, "تاريخ").text = f"{date(2026, 1, 5) + timedelta(weeks=week)}"
        for n in range(4 + week):
            test = ElementTree.SubElement(root, "فحص", {"رقم": f"{week}-{n}"})
            ElementTree.SubElement(test, "نسبة").text = str(60 + (week * 13 + n * 7) % 40)
            ElementTree.SubElement(test, "فارغ")
        ElementTree.ElementTree(root).write(folder / f"taqrir_{week}.xml", encoding="utf-8", xml_declaration=True)


@job(
    "Many small files with a head, in Arabic",
    tuple(f"taqrir_{week}.xml" for week in range(9)),
    read("in", "taqrir_*.xml", records="/تقرير/فحص", parent=["/تقرير/تاريخ", "/تقرير/@مختبر"]),
    step("full", "remove_empty_columns", {}, "in"),
    step("out", "write_file", {"name": "taqrir.csv"}, "full"),
    made=_arabic,
    page=False,
)
def arabic_heads(out, world):
    expected = []
    for week in range(9):
        root = ElementTree.parse(world / f"taqrir_{week}.xml").getroot()
        for test in root.iter("فحص"):
            expected.append((root.find("تاريخ").text, root.get("مختبر"), test.get("رقم"), test.find("نسبة").text))
    rows = csv_rows(out / "taqrir.csv")
    found = [(row["تقرير.تاريخ"], row["تقرير.@مختبر"], row["@رقم"], row["نسبة"]) for row in rows]
    assert found == expected and "فارغ" not in rows[0]


def _swedish(folder):
    base = sqlite3.connect(folder / "fröbank.sqlite")
    base.execute('create table "frö partier" ("År" integer, "Ort" text, "Vikt (kg)" real, "Såddag" text)')
    pick = random.Random("frö")
    places = ["Örebro", "Ängelholm", "Åmål", "Zinkgruvan", "Arboga"]
    base.executemany(
        'insert into "frö partier" values (?, ?, ?, ?)',
        [
            (2020 + pick.randrange(7), pick.choice(places), round(pick.uniform(0, 40), 3), f"2026-{1 + n % 12:02}-09")
            for n in range(5000)
        ],
    )
    base.commit()


@job(
    "A database, groups and an order of letters, in Swedish",
    ("fröbank.sqlite",),
    read("in", "fröbank.sqlite", table="frö partier"),
    step("heavy", "keep_rows", {"by": "rule", "rule": where(("Vikt (kg)", "more", "20"))}, "in"),
    step(
        "groups",
        "summarise",
        {
            "by": ["Ort"],
            "figures": [
                {"figure": "rows", "name": "Antal"},
                {"figure": "percentile", "share": 50, "column": "Vikt (kg)", "name": "Median"},
                {"figure": "rows", "name": "Före 2024", "where": where(("År", "less", "2024"))},
            ],
        },
        "heavy",
    ),
    step("order", "sort_rows", {"order": [{"column": "Ort"}], "language": "sv"}, "groups"),
    step("out", "write_file", {"name": "orter.arrow"}, "order"),
    made=_swedish,
    page=False,
)
def swedish_places(out, world):
    groups = defaultdict(list)
    for year, place, weight in sqlite3.connect(world / "fröbank.sqlite").execute(
        'select "År", "Ort", "Vikt (kg)" from "frö partier" where "Vikt (kg)" > 20'
    ):
        groups[place].append((weight, year))
    found = pl.read_ipc(out / "orter.arrow").rows()
    assert [row[0] for row in found] == ["Arboga", "Zinkgruvan", "Åmål", "Ängelholm", "Örebro"]
    for place, many, median, before in found:
        weights = sorted(weight for weight, _ in groups[place])
        middle = (weights[(len(weights) - 1) // 2] + weights[len(weights) // 2]) / 2
        assert (many, before) == (len(weights), sum(year < 2024 for _, year in groups[place]))
        assert abs(median - middle) < 1e-9


def _russian(folder):
    """Requests keyed by their number, each with lines; amounts in text."""
    pick = random.Random("заявки")
    found = {
        f"З-{n}": {
            "город": pick.choice(["Тула", "Орёл", "Псков"]),
            "строки": [
                {
                    "сорт": pick.choice(["Лён", "Рожь"]),
                    "сколько": f"{pick.randrange(1, 9)} х {pick.choice(['0,5', '25', '100'])} г",
                }
                for _ in range(pick.randrange(4))
            ],
        }
        for n in range(600)
    }
    (folder / "zayavki.json").write_text(json.dumps(found, ensure_ascii=False), encoding="utf-8")


@job(
    "Requests with lines, in Russian",
    ("zayavki.json",),
    read("in", "zayavki.json", records="/*/строки"),
    step(
        "grams",
        "calculate",
        {
            "columns": [
                {
                    "name": "граммы",
                    "formula": "number(before(сколько, ' х ')) * number(replace(between(сколько, ' х ', ' г'), ',', '.'))",
                }
            ]
        },
        "in",
    ),
    step(
        "sum",
        "summarise",
        {"by": ["сорт"], "figures": [{"figure": "sum", "column": "граммы", "name": "всего"}]},
        "grams",
    ),
    step("out", "write_file", {"name": "vsego.json"}, "sum"),
    made=_russian,
)
def russian_requests(out, world):
    sums = Counter()
    for request in json.loads((world / "zayavki.json").read_text(encoding="utf-8")).values():
        for line in request["строки"]:
            packs, each = line["сколько"].removesuffix(" г").split(" х ")
            sums[line["сорт"]] += int(packs) * float(each.replace(",", "."))
    assert {row["сорт"]: row["всего"] for row in json_rows(out / "vsego.json")} == sums


def _spanish(folder):
    pick = random.Random("unión")
    fields = [f"{finca};{pick.choice(['Jaén', 'Cádiz'])};{pick.randrange(1, 80)}" for finca in [*range(40), 3, 3, 11]]
    (folder / "fincas.txt").write_text("finca;provincia;parcelas\n" + "\n".join(fields) + "\n", encoding="latin-1")
    sent = [f"{n}|{pick.randrange(50)}|{pick.choice(['sí', 'no'])}" for n in range(200)]
    (folder / "envios.psv").write_text("envío|finca|pagado\n" + "\n".join(sent) + "\n", encoding="utf-8")


@job(
    "A join that multiplies rows, in Spanish",
    ("fincas.txt", "envios.psv"),
    read("sent", "envios.psv"),
    read("farms", "fincas.txt"),
    step(
        "join",
        "join",
        {"keys": [{"column": "finca", "reference": "finca"}], "rows": "left", "bring": [{"column": "parcelas"}]},
        "sent",
        reference="farms",
    ),
    step("turn", "rows_to_columns", {
        "names": "pagado", "stay": ["finca"], "values": [{"figure": "sum", "column": "parcelas"}],
    }, "join"),
    step("out", "write_file", {"name": "unidos.csv"}, "join"),
    step("paid", "write_file", {"name": "pagados.json"}, "turn"),
    made=_spanish,
    page=False,
)  # fmt: skip
def spanish_join(out, world):
    plots = defaultdict(list)
    for line in (world / "fincas.txt").read_text(encoding="latin-1").splitlines()[1:]:
        farm, _, many = line.split(";")
        plots[farm].append(many)
    expected = []
    for line in (world / "envios.psv").read_text(encoding="utf-8").splitlines()[1:]:
        sent, farm, paid = line.split("|")
        expected += [(sent, farm, {"sí": "true", "no": "false"}[paid], many) for many in plots.get(farm, [""])]
    assert [tuple(row.values()) for row in csv_rows(out / "unidos.csv")] == expected and len(expected) > 200
    sums = Counter()
    for _, farm, paid, many in expected:
        sums[farm, paid] += int(many or 0)
    for row in json_rows(out / "pagados.json"):
        for paid in ("yes", "no"):
            assert (row[paid] or 0) == sums[str(row["finca"]), {"yes": "true", "no": "false"}[paid]], row
