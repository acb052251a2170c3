"""Tasks for working a step out from examples, written down before anything could solve one.

Half take columns that nobody here made (time zones, ISO codes); the wanted values are made by plain Python.
"""

from __future__ import annotations

import csv
import json
import re
from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from pathlib import Path

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


MONTHS = ["January", "February", "March", "April", "May", "June", "July", "August", "September", "October", "November", "December"]
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
