"""Tasks for working a step out from examples, written down before anything could solve one.

Half take columns that nobody here made (time zones, ISO codes); the wanted values are made by plain Python.
"""

from __future__ import annotations

import csv
import json
import re
import time
from collections.abc import Callable
from dataclasses import dataclass
from datetime import date
from functools import cache
from pathlib import Path

import polars as pl

from updraft.core.synthesis import Answer

MOST = 60  # rows of a real column


@dataclass(frozen=True)
class Task:
    """Columns by name, and what is wanted of each row."""

    name: str
    columns: dict[str, list[str]]
    wanted: list[str]


@cache
def zones() -> dict[str, list[str]]:
    lines = Path("/usr/share/zoneinfo/zone1970.tab").read_text().splitlines()
    rows = list(csv.reader((line for line in lines if not line.startswith("#")), delimiter="\t"))[:MOST]
    return {name: [row[n] if n < len(row) else "" for row in rows] for n, name in enumerate(["codes", "place", "zone"])}


@cache
def iso(number: str, field: str) -> list[str]:
    [entries] = json.loads(Path(f"/usr/share/iso-codes/json/iso_{number}.json").read_text()).values()
    return [entry[field] for entry in entries if field in entry]


def some(values: list[str], fits: str = "") -> list[str]:
    """Up to 60 of them, from all over; those that a pattern fits."""
    fitting = [value for value in values if re.search(fits, value)]
    return fitting[:: max(len(fitting) // MOST, 1)][:MOST]


def task(name: str, values: list[str] | dict[str, list[str]], wanted: Callable[..., str]) -> Task:
    columns = values if isinstance(values, dict) else {"value": values}
    return Task(name, columns, [wanted(*row) for row in zip(*columns.values(), strict=True)])


def decimal(text: str) -> str:
    """±DDMM or ±DDDMM with seconds perhaps, as decimal degrees to four places."""
    sign, digits = text[0], text[1:]
    degrees = len(digits) - (4 if len(digits) > 5 else 2)
    parts = [int(digits[:degrees]), int(digits[degrees : degrees + 2]), int(digits[degrees + 2 :] or 0)]
    return f"{(-1 if sign == '-' else 1) * round(parts[0] + parts[1] / 60 + parts[2] / 3600, 4):.4f}"


def real() -> list[Task]:
    zone, codes, place = zones()["zone"], zones()["codes"], zones()["place"]
    latitude = [re.match(r"[+-]\d+", text).group() for text in place]
    longitude = [re.search(r"[+-]\d+$", text).group() for text in place]
    country, official = some(iso("3166-1", "name")), some(iso("3166-1", "official_name"))
    two, three, number = (iso("3166-1", field)[:MOST] for field in ("alpha_2", "alpha_3", "numeric"))
    names = iso("3166-1", "name")[:MOST]
    region, regions = some(iso("3166-2", "code"), r"^\w\w-\w+$"), some(iso("3166-2", "name"), r"^\S+$")
    money, inverted = some(iso("4217", "name"), r"^\S+( \S+)+$"), some(iso("639-3", "inverted_name"))
    language, tongue = iso("639-3", "alpha_3")[:MOST], iso("639-3", "name")[:MOST]
    bracketed = some(iso("639-3", "name"), r"^[^()]+ \([^()]+\)$")
    comma = some(iso("3166-1", "name"), r"^[^,]+, [^,]+$")
    script = some(iso("15924", "name"), r"\(")
    return [
        task("area of a zone", zone, lambda z: z.split("/")[0]),
        task("city of a zone", zone, lambda z: z.split("/")[-1]),
        task("city of a zone with blanks", zone, lambda z: z.split("/")[-1].replace("_", " ")),
        task("city (area)", zone, lambda z: f"{z.split('/')[-1]} ({z.split('/')[0]})"),
        task("area in capitals", zone, lambda z: z.split("/")[0].upper()),
        task("three letters of the area", zone, lambda z: z[:3].upper()),
        task("zone as a file name", zone, lambda z: z.lower().replace("/", "-")),
        task("first code", codes, lambda c: c.split(",")[0]),
        task("last code", codes, lambda c: c.split(",")[-1]),
        task("codes with blanks", codes, lambda c: c.replace(",", ", ")),
        task("latitude as written", place, lambda p: re.match(r"[+-]\d+", p).group()),
        task("longitude as written", place, lambda p: re.search(r"[+-]\d+$", p).group()),
        task("latitude in degrees", latitude, decimal),
        task("longitude in degrees", longitude, decimal),
        task("latitude of both, in degrees", place, lambda p: decimal(re.match(r"[+-]\d+", p).group())),
        task("sign of the latitude", latitude, lambda p: p[0]),
        task("degrees of the latitude", latitude, lambda p: p[1:3]),
        task("code, small", two, str.lower),
        task("domain of a country", two, lambda c: "." + c.lower()),
        task("country before the comma", comma, lambda n: n.split(",")[0]),
        task("country turned round", comma, lambda n: " ".join(reversed(n.split(", ")))),
        task("country in capitals", country, str.upper),
        task("number of a country without zeros", number, lambda n: str(int(n))),
        task("code – country", {"code": two, "name": names}, lambda c, n: f"{c} – {n}"),
        task("country (code)", {"code": three, "name": names}, lambda c, n: f"{n} ({c})"),
        task("first letter of a country", country, lambda n: n[0]),
        task("code-number", {"code": two, "number": number}, lambda c, n: f"{c}-{n}"),
        task("first word of the official name", official, lambda n: n.split()[0]),
        task("country of a region", region, lambda c: c.split("-")[0]),
        task("region of a country", region, lambda c: c.split("-")[1]),
        task("region in one word", region, lambda c: c.replace("-", "")),
        task("region turned round", region, lambda c: ".".join(reversed(c.split("-")))),
        task("region, quoted", regions, lambda n: f"“{n}”"),
        task("money", money, lambda n: n.split()[-1]),
        task("whose money", money, lambda n: " ".join(n.split()[:-1])),
        task("number of money with four digits", some(iso("4217", "numeric")), lambda n: n.zfill(4)),
        task("language turned round", some(inverted, r"^[^,]+, [^,]+$"), lambda n: " ".join(reversed(n.split(", ")))),
        task("language [code]", {"name": tongue, "code": language}, lambda n, c: f"{n} [{c}]"),
        task("where a language is spoken", bracketed, lambda n: n[n.index("(") + 1 : -1]),
        task("language without brackets", bracketed, lambda n: n[: n.index(" (")]),
        task("script without brackets", script, lambda n: n[: n.index("(")].strip()),
        task("code in capitals with a mark", language, lambda c: f"#{c.upper()}"),
    ]


MONTHS = [
    "January",
    "February",
    "March",
    "April",
    "May",
    "June",
    "July",
    "August",
    "September",
    "October",
    "November",
    "December",
]
DAYS = ["2026-03-09", "2025-11-30", "2026-01-01", "2024-02-29", "2026-12-05", "2026-07-21", "2025-08-15"]
PEOPLE = ["Ada Fenwick", "Bram Oldershaw", "Cleo Marsh", "Dina Hollis", "Emil Thorne", "Fay Winterton", "Gus Pell"]
LOTS = ["LM-20314", "LM-7", "LM-881", "LM-20", "LM-1042", "LM-63001"]
PLACES = [
    "Old Orchard Plot, Saltmarsh, SM4 2QT", "Nettle Bank, North Fen, NF12 8AB", "Quayside Beds, Aldermere, AM1 1AA",
    "St Osyth's Yard, Coldwater, CW9 7LP", "The Walled Acre, Highcombe, HC3 5JD",
]  # fmt: skip
SOLD = ["12 x 5 g", "3 x 250 g", "40 x 2 g", "7 x 10 g", "100 x 1 g"]


def split(day: str) -> tuple[int, int, int]:
    return tuple(int(part) for part in day.split("-"))


def ours() -> list[Task]:
    dotted = [".".join(reversed(day.split("-"))) for day in DAYS]
    slashed = [f"{m:02}/{d:02}/{y}" for y, m, d in map(split, DAYS)]
    said = [f"{d} {MONTHS[m - 1][:3]} {y}" for y, m, d in map(split, DAYS)]
    times = [
        f"{day} {hour}"
        for day, hour in zip(
            DAYS, ["14:30:00", "08:05:59", "23:59:01", "00:00:00", "12:00:30", "09:15:45", "17:45:10"], strict=True
        )
    ]
    first, last = ([name.split()[n] for name in PEOPLE] for n in (0, 1))
    web = [
        f"https://{host}.example/lots/{lot}?from=mail"
        for host, lot in zip(["larkmoor", "saltmarsh-hub", "fen"], ["1042", "7", "20314"], strict=True)
    ]
    mail = ["ada.fenwick@larkmoor.example", "bram@saltmarsh.example", "c.marsh@north-fen.example"]
    files = [
        "packet_orders_2026-03.xlsx",
        "packet_orders_2026-04.xlsx",
        "growers_2025-12.csv",
        "hub_requests_2026-01.json",
    ]
    phones = ["01632 960 123", "01632 960 987", "01632 961 555", "01632 962 404"]
    return [
        task("day with dots", DAYS, lambda t: ".".join(reversed(t.split("-")))),
        task("day with dots to ISO", dotted, lambda t: "-".join(reversed(t.split(".")))),
        task("day in words", DAYS, lambda t: "{2} {1} {0}".format(*(lambda y, m, d: (y, MONTHS[m - 1], d))(*split(t)))),
        task("month in short words", DAYS, lambda t: (lambda y, m, d: f"{MONTHS[m - 1][:3]} {y}")(*split(t))),
        task("month of a day in words", said, lambda t: (lambda d, m, y: f"{y}-{[x[:3] for x in MONTHS].index(m) + 1:02}")(*t.split())),
        task("year", DAYS, lambda t: t[:4]),
        task("month/day/year to ISO", slashed, lambda t: "{2}-{0}-{1}".format(*t.split("/"))),
        task("digits to ISO", [day.replace("-", "") for day in DAYS], lambda t: f"{t[:4]}-{t[4:6]}-{t[6:]}"),
        task("hour and minute", times, lambda t: t[11:16]),
        task("day of a time", times, lambda t: t[:10]),
        task("quarter", DAYS, lambda t: f"Q{(int(t[5:7]) + 2) // 3} {t[:4]}"),
        task("surname first", PEOPLE, lambda t: ", ".join(reversed(t.split()))),
        task("surname in capitals to a name", [f"{b.upper()}, {a}" for a, b in zip(first, last, strict=True)], lambda t: " ".join(reversed(t.title().split(", ")))),
        task("short first name", PEOPLE, lambda t: f"{t[0]}. {t.split()[1]}"),
        task("initials", PEOPLE, lambda t: "".join(part[0] for part in t.split())),
        task("address of a person", PEOPLE, lambda t: ".".join(t.lower().split()) + "@larkmoor.example"),
        task("without the title", [f"Dr {name}" for name in PEOPLE], lambda t: t[3:]),
        task("first name", PEOPLE, lambda t: t.split()[0]),
        task("two columns to a name", {"first": first, "last": last}, lambda a, b: f"{b}, {a}"),
        task("two columns to initials", {"first": first, "last": last}, lambda a, b: f"{a[0]}.{b[0]}."),
        task("number of a lot", LOTS, lambda t: t[3:]),
        task("lot in one word", LOTS, lambda t: t.replace("-", "")),
        task("lot with five digits", LOTS, lambda t: f"LM-{t[3:].zfill(5)}"),
        task("lot within words", ["lot 1042 b", "lot 7 c", "lot 20314 a", "lot 55 b"], lambda t: t.split()[1]),
        task("packets", SOLD, lambda t: t.split()[0]),
        task("grams in all", SOLD, lambda t: str(int(t.split()[0]) * int(t.split()[2]))),
        task("kilograms to grams", ["2.5 kg", "0.75 kg", "12 kg", "3.2 kg"], lambda t: f"{float(t.split()[0]) * 1000:g}"),
        task("thousands", ["1,234.50", "12,000.00", "999.95", "1,000,000.25"], lambda t: f"{float(t.replace(',', '')):.2f}"),
        task("pounds", ["£12.50", "£8.00", "£104.75", "£0.99"], lambda t: t[1:]),
        task("decimal comma", ["12,5", "0,75", "104,25", "3,0"], lambda t: t.replace(",", ".")),
        task("share", ["85 %", "7 %", "100 %", "62.5 %"], lambda t: f"{float(t.split()[0]) / 100:g}"),
        task("two places", ["3.14159", "2.71828", "10.5", "99.999"], lambda t: f"{float(t):.2f}"),
        task("minutes", ["1:30", "0:45", "12:05", "3:00"], lambda t: str(int(t.split(":")[0]) * 60 + int(t.split(":")[1]))),
        task("price of a line", {"packets": ["3", "12", "40", "7"], "price": ["2.5", "1.2", "0.75", "10"]}, lambda a, b: f"{float(a) * float(b):g}"),
        task("postcode", PLACES, lambda t: t.split(", ")[2]),
        task("town", PLACES, lambda t: t.split(", ")[1]),
        task("outward half of the postcode", PLACES, lambda t: t.split(", ")[2].split()[0]),
        task("number in an address of the web", web, lambda t: t.split("/")[4].split("?")[0]),
        task("host", web, lambda t: t.split("/")[2]),
        task("who a mail is for", mail, lambda t: t.split("@")[0]),
        task("domain of a mail", mail, lambda t: t.split("@")[1]),
        task("month in a file's name", files, lambda t: re.search(r"\d{4}-\d\d", t).group()),
        task("file without its ending", files, lambda t: t.rsplit(".", 1)[0]),
        task("telephone", phones, lambda t: "+44 " + t[1:].replace(" ", "")),
        task("spelling", [" bay  gem ", "scarlet   runner", " black krim", "LEMON  drop "], lambda t: " ".join(t.split()).title()),
    ]  # fmt: skip


def tasks() -> list[Task]:
    return [*real(), *ours()]


def apart() -> list[Task]:
    """Written when the first could be solved, and not looked at while that was made."""
    people = ["Ada Mary Fenwick", "Bram Jon Oldershaw", "Cleo Ann Marsh", "Dina Sue Hollis"]
    dotted = ["415.555.0132", "212.555.0199", "650.555.0143", "303.555.0177"]
    stamps = ["2026-03-09T14:30:00Z", "2025-11-30T08:05:59Z", "2026-01-01T23:59:01Z"]
    logs = [
        "[2026-03-09 14:30] ERROR: disk full",
        "[2026-03-09 14:31] INFO: run begun",
        "[2026-03-10 02:00] WARNING: slow answer",
    ]
    streets = [
        "12 Mill Lane, Saltmarsh",
        "7 Quay, Aldermere",
        "140 Old Orchard Road, North Fen",
        "3 Fen View, Coldwater",
    ]
    keys = ["colour: red; size: L; lot: 1042", "colour: green; size: S; lot: 7", "colour: blue; size: XL; lot: 20314"]
    asked = ["id=1042&hub=fen&month=3", "id=7&hub=coldwater&month=12", "id=20314&hub=aldermere&month=1"]
    versions = ["v2.10.3", "v1.0.12", "v10.4.0", "v3.7.21"]
    short = ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"]
    week = ["Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday"]
    day, place = date.fromisoformat, zones()["place"]
    return [
        task("first name and a letter", [name.upper() for name in PEOPLE], lambda t: f"{t.split()[0].title()} {t.split()[1][0]}."),
        task("middle name as a letter", people, lambda t: f"{t.split()[0]} {t.split()[1][0]}. {t.split()[2]}"),
        task("without the middle name", people, lambda t: f"{t.split()[0]} {t.split()[2]}"),
        task("name of a mail", ["ada.fenwick@larkmoor.example", "bram.oldershaw@fen.example", "cleo.marsh@fen.example"], lambda t: t.split("@")[0].replace(".", " ").title()),
        task("telephone in brackets", dotted, lambda t: "({}) {}-{}".format(*t.split("."))),
        task("telephone out of brackets", ["(415) 555-0132", "(212) 555-0199", "(650) 555-0143"], lambda t: t[1:4] + "-" + t[6:]),
        task("digits to a telephone", [t.replace(".", "") for t in dotted], lambda t: f"{t[:3]}-{t[3:6]}-{t[6:]}"),
        task("house number", streets, lambda t: t.split()[0]),
        task("street", streets, lambda t: t.split(",")[0].split(" ", 1)[1]),
        task("street and town", streets, lambda t: f"{t.split(', ')[1]}: {t.split(',')[0]}"),
        task("ending of a file", ["orders.tar.gz", "growers.csv", "a.b.c.json", "lots.xlsx"], lambda t: t.rsplit(".", 1)[1]),
        task("file of a path", ["/data/in/orders.csv", "/home/ada/x/growers.xlsx", "/lots.json"], lambda t: t.rsplit("/", 1)[1]),
        task("words of a name for programs", ["packet_orders", "seed_lots_2026", "hub_requests"], lambda t: t.replace("_", " ").title()),
        task("words of joined words", ["packetOrders", "seedLots", "hubRequests", "growerCodes"], lambda t: re.sub("([A-Z])", r" \1", t).lower()),
        task("day of a stamp", stamps, lambda t: t[:10]),
        task("hour of a stamp", stamps, lambda t: t[11:13]),
        task("day with month in words to ISO", ["March 9, 2026", "November 30, 2025", "January 1, 2026"], lambda t: f"{t[-4:]}-{MONTHS.index(t.split()[0]) + 1:02}-{int(t.split()[1][:-1]):02}"),
        task("short day to ISO", ["09-Mar-26", "30-Nov-25", "01-Jan-26"], lambda t: f"20{t[-2:]}-{short.index(t[3:6]) + 1:02}-{t[:2]}"),
        task("day of the week", DAYS, lambda t: week[day(t).weekday()]),
        task("month in words", DAYS, lambda t: MONTHS[int(t[5:7]) - 1]),
        task("week of the year", DAYS, lambda t: f"week {day(t).isocalendar().week}"),
        task("half past in twelve hours", ["14:30", "08:05", "23:59", "12:00"], lambda t: f"{(int(t[:2]) - 1) % 12 + 1}:{t[3:]} {'AM' if int(t[:2]) < 12 else 'PM'}"),
        task("dollars", ["$1,234.50", "$8.00", "$12,000.75", "$0.99"], lambda t: f"{float(t[1:].replace(',', '')):.2f}"),
        task("euros", ["1.234,50 €", "8,00 €", "12.000,75 €"], lambda t: t[:-2].replace(".", "").replace(",", ".")),
        task("losses in brackets", ["(45.00)", "(7.25)", "(1200.10)"], lambda t: f"-{t[1:-1]}"),
        task("percent of a share", ["0.85", "0.07", "0.625", "1"], lambda t: f"{float(t) * 100:g}%"),
        task("to a whole number", ["1234.567", "0.4", "99.5001", "12"], lambda t: str(round(float(t)))),
        task("hours and minutes to minutes", ["2 h 15 min", "0 h 50 min", "12 h 5 min"], lambda t: str(int(t.split()[0]) * 60 + int(t.split()[2]))),
        task("feet and inches", ["5 ft 10 in", "6 ft 2 in", "4 ft 11 in"], lambda t: str(int(t.split()[0]) * 12 + int(t.split()[2]))),
        task("code of a number", ["7", "1042", "33", "208"], lambda t: f"LM-{t.zfill(5)}"),
        task("letters of a hub", ["North Fen Garden", "Old Orchard Plot", "The Walled Acre"], lambda t: "".join(w[0] for w in t.split())),
        task("end of a number, masked", ["4111111111111111", "5500000000000004", "3400000000000091"], lambda t: "*" + t[-4:]),
        task("start of a range", ["chr1:12345-67890", "chrX:5-900", "chr10:77-1234"], lambda t: t.split(":")[1].split("-")[0]),
        task("length of a range", ["chr1:12345-67890", "chrX:5-900", "chr10:77-1234"], lambda t: str(int(t.split("-")[1]) - int(t.split(":")[1].split("-")[0]))),
        task("latitude of a pair", ["51.5074, -0.1278", "-33.8688, 151.2093", "40.7128, -74.0060"], lambda t: t.split(", ")[0]),
        task("longitude of a pair", ["51.5074, -0.1278", "-33.8688, 151.2093", "40.7128, -74.0060"], lambda t: t.split(", ")[1]),
        task("level of a log", logs, lambda t: t.split("] ")[1].split(":")[0]),
        task("what a log says", logs, lambda t: t.split(": ")[1]),
        task("out of a page", ["<b>Pea</b>", "<b>Broad bean</b>", "<b>Leek</b>"], lambda t: t[3:-4]),
        task("value of a key", keys, lambda t: t.split("; ")[1].split(": ")[1]),
        task("two values of keys", keys, lambda t: f"{t.split(': ')[3]}/{t.split('; ')[1].split(': ')[1]}"),
        task("value in an address", asked, lambda t: t.split("hub=")[1].split("&")[0]),
        task("version in short", versions, lambda t: ".".join(t[1:].split(".")[:2])),
        task("major version", versions, lambda t: t[1:].split(".")[0]),
        task("without the full stop", ["Saltmarsh.", "North Fen.", "Aldermere."], lambda t: t[:-1]),
        task("out of square brackets", ["[1042]", "[7]", "[20314]"], lambda t: t[1:-1]),
        task("turned name", ["Fenwick Ada", "Oldershaw Bram", "Marsh Cleo"], lambda t: " ".join(reversed(t.split()))),
        task("house and street", {"house": ["12", "7", "140"], "street": ["Mill Lane", "Quay", "Fen View"]}, lambda a, b: f"{a} {b}"),
        task("three columns to a day", {"y": ["2026", "2025", "2024"], "m": ["3", "11", "2"], "d": ["9", "30", "29"]}, lambda y, m, d: f"{y}-{m.zfill(2)}-{d.zfill(2)}"),
        task("difference", {"sent": ["12", "40", "7"], "back": ["2", "15", "7"]}, lambda a, b: str(int(a) - int(b))),
        task("share of two columns", {"some": ["3", "12", "5"], "all": ["12", "48", "8"]}, lambda a, b: f"{int(a) / int(b):g}"),
        task("area of a zone of money", some(iso("4217", "alpha_3")), lambda c: c[:2].lower()),
        task("kind of a language", some(iso("639-3", "name"), r"^\S+ Sign Language$"), lambda n: n.split()[0]),
        task("region with its country", {"code": some(iso("3166-2", "code"))[:20], "name": some(iso("3166-2", "name"))[:20]}, lambda c, n: f"{n}, {c[:2]}"),
        task("script and number", {"code": iso("15924", "alpha_4")[:40], "number": iso("15924", "numeric")[:40]}, lambda c, n: f"{c.lower()}{n}"),
        task("name for a page", some(iso("3166-1", "name"), r"^[A-Za-z ]+ [A-Za-z ]+$"), lambda n: n.lower().replace(" ", "-")),
        task("latitude in as many places as needed", place, lambda p: f"{float(decimal(re.match('[+-][0-9]+', p).group())):g}"),
        task("both in degrees", place, lambda p: f"{decimal(re.match('[+-][0-9]+', p).group())}, {decimal(re.search('[+-][0-9]+$', p).group())}"),
        task("commas between thousands", ["1234567", "999", "12000", "5000000"], lambda t: f"{int(t):,}"),
        task("day of a time, with dots", ["2026-03-09 14:30:00", "2025-11-30 08:05:59", "2026-01-01 23:59:01"], lambda t: ".".join(reversed(t[:10].split("-")))),
        task("day without the year", DAYS, lambda t: f"{int(t[8:])} {MONTHS[int(t[5:7]) - 1]}"),
        task("day of a stamp, with strokes", stamps, lambda t: f"{t[8:10]}/{t[5:7]}/{t[:4]}"),
        task("to a decimal comma", ["12.5", "1000", "0.75"], lambda t: f"{float(t):.2f}".replace(".", ",")),
        task("price in pounds", ["12.5", "1000", "0.75"], lambda t: f"£{float(t):.2f}"),
        task("name for an address of the web", ["North Fen Garden", "Old  Orchard", "The Walled Acre"], lambda t: "-".join(t.lower().split())),
        task("bed and row with zeros", ["7-3", "12-11", "104-2"], lambda t: f"{t.split('-')[0].zfill(3)}/{t.split('-')[1].zfill(2)}"),
        task("month in words of a file", ["orders 2026-03.csv", "orders 2025-12.csv", "orders 2026-07.csv"], lambda t: f"{MONTHS[int(t[12:14]) - 1]} {t[7:11]}"),
        task("last two words", ["a b c d", "one two three", "x y"], lambda t: " ".join(t.split()[-2:])),
        task("all but the first word", ["Dr Ada Fenwick", "Mr Bram John Oldershaw", "Ms Cleo Marsh"], lambda t: t.split(" ", 1)[1]),
        task("three columns added", {"a": ["1", "2", "5"], "b": ["3", "4", "5"], "c": ["10", "20", "7"]}, lambda a, b, c: str(int(a) + int(b) + int(c))),
    ]  # fmt: skip


@dataclass(frozen=True)
class Solved:
    """How a task went: with how many examples the best reading was right (0: not with two), and the seconds of each try."""

    name: str
    examples: int
    seconds: list[float]


def solve(one: Task, ask: Callable[[pl.DataFrame, dict[int, str]], Answer]) -> Solved:
    """Give the first row's result, then that of the row asked for, or else of the first one that is wrong."""
    table, given, seconds = pl.DataFrame(one.columns), {0: one.wanted[0]}, []
    for tried in (1, 2):
        started = time.perf_counter()
        answer = ask(table, given)
        seconds.append(time.perf_counter() - started)
        if answer.readings and answer.readings[0].values == one.wanted:
            return Solved(one.name, tried, seconds)
        values = answer.readings[0].values if answer.readings else [None] * len(one.wanted)
        wrong = (at for at, value in enumerate(values) if value != one.wanted[at] and at not in given)
        next_one = answer.question if answer.question is not None else next(wrong)
        given[next_one] = one.wanted[next_one]
    return Solved(one.name, 0, seconds)
