"""Tasks by example as many people have them: a part of a text, a name, a code, a date, a number, a choice.

They were written before what solves them, and none was left out because it is not solved.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from datetime import date, timedelta
from random import Random

from tests.by_example import Task, task

ROWS = 30
_FIRST = ["Ada", "Bram", "Cleo", "Dina", "Esra", "Ines", "Odo", "Petra"]
_LAST = ["Fenwick", "Oldershaw", "O'Dell", "Marsh", "Quill", "Reed", "Thorne", "Yarrow"]
_WORDS = ["amber", "basin", "cedar", "delta", "grove", "kettle", "meadow", "orchid", "pebble", "ridge", "willow"]
_PLACES = ["Larkmoor", "Fen Hub", "Dale", "Bay End", "Old Mill", "Moorside"]


def varied() -> list[Task]:
    return [*_parts(), *_names(), *_codes(), *_days(), *_numbers(), *_choices()]


def _both(name: str, make: Callable[[Random], tuple[str, object]], seed: int = 11) -> Task:
    """A task of one column whose rows are made together with their results."""
    random = Random(seed)
    made = [make(random) for _ in range(ROWS)]
    return Task(name, {"x": [text for text, _ in made]}, [str(wanted) for _, wanted in made])


def _words(r: Random, most: int = 4) -> list[str]:
    return r.sample(_WORDS, r.randint(1, most))


def _parts() -> Iterator[Task]:
    def tagged(r: Random) -> tuple[str, str]:
        tags, words = r.sample(_WORDS, r.randint(0, 3)), r.sample(_WORDS, 3)
        marked = [f"#{tag}" for tag in tags]
        return " ".join([words[0], *marked[:1], *words[1:], *marked[1:]]), ", ".join(tags)

    def sender(r: Random) -> tuple[str, str]:
        first, last = r.choice(_FIRST), r.choice(_LAST).replace("'", "")
        address = f"{first.lower()}@{r.choice(_WORDS)}.example"
        return r.choice([f"{first} {last} <{address}>", address, f'"{last}, {first}" <{address}>']), address

    def house(r: Random) -> tuple[str, str]:
        street, number = " ".join(_words(r, 2)).title() + " Lane", f"{r.randint(1, 300)}{r.choice(['', '', 'A'])}"
        return (f"{number} {street}", number) if r.randint(0, 5) else (street, "")

    def dose(r: Random) -> tuple[str, str]:
        size = f"{r.choice([5, 20, 2.5, 0.5])} {r.choice(['mg', 'g', 'mcg'])}"
        return f"{r.choice(_WORDS).title()} {size} {r.choice(['dressing', 'coat'])}{r.choice(['', ' x 20'])}", size

    def place(r: Random) -> tuple[str, str]:
        east = str(round(r.uniform(-9, 9), r.randint(2, 4)))
        return f"POINT({east} {r.uniform(50, 55):.3f})", east

    def asked(r: Random) -> tuple[str, str]:
        pairs = [f"lot={(lot := r.randint(2, 999))}", f"page={r.randint(1, 9)}", f"by={r.choice(_WORDS)}"]
        r.shuffle(pairs)
        return f"https://larkmoor.example/{r.choice(_WORDS)}?{'&'.join(pairs)}", str(lot)

    def listed(r: Random) -> tuple[str, str]:
        kind = r.choice(["white", "off-white", "deep red"])
        return f"{' '.join(_words(r, 2)).title()} - {r.choice('SML')} - {kind}", kind

    yield _both("all words behind a sign", tagged)
    yield _both("the address of a sender, with a name or without", sender)
    yield _both("the number of a house, or nothing", house)
    yield _both("an amount with its unit", dose)
    yield _both("a number with its sign", place)
    yield _both("a value by its name", asked)
    yield _both("the last of three parts", listed)
    yield task(
        "the line of an error",
        [f"at hub.{w}.{w.title()}({w.title()}.java:{n * 7})" for n, w in enumerate(_WORDS * 3, 1)],
        lambda t: re.findall(r":(\d+)", t)[0],
    )


def _names() -> Iterator[Task]:
    people = [f"{a} {b}" for a in _FIRST for b in _LAST[:4]]
    yield task("capitals of names", [one.upper() for one in people], lambda t: t.title())
    yield task("initials", people, lambda t: "".join(f"{one[0]}." for one in t.split()))
    pairs = {"first": [one.split()[0] for one in people], "last": [one.split()[1].replace("'", "") for one in people]}
    yield task("a login", pairs, lambda first, last: (last[:3] + first[:2]).lower())
    yield _both("words of a name of a column", lambda r: (lambda w: ("_".join(w), " ".join(w).title()))(_words(r)))
    yield _both(
        "a name for web pages",
        lambda r: (lambda w: (f"{' '.join(w).title()}{r.choice(['', '!', '?'])}", "-".join(w)))(_words(r)),
    )
    yield _both("the way back", lambda r: (lambda a, b: (f"{a} - {b}", f"{b} - {a}"))(*r.sample(_PLACES, 2)))
    yield _both("how many there are", lambda r: (lambda w: ("; ".join(w), len(w)))(_words(r, 5)))
    titles = {"Mr.": "male", "Mrs.": "female", "Miss.": "female", "Master.": "male"}
    yield task(
        "a sex by a title",
        [f"{last}, {title} {first}" for title in titles for first, last in zip(_FIRST, _LAST, strict=True)],
        lambda t: titles[t.split()[1] if "," in t.split()[0] else t.split()[2]],
    )


def _codes() -> Iterator[Task]:
    yield _both(
        "hours and minutes of two digits",
        lambda r: (lambda h, m: (f"{h}:{m}", f"{h:02}:{m:02}"))(r.randint(0, 23), r.randint(0, 59)),
    )
    yield _both(
        "a release of two digits each",
        lambda r: (lambda v: ("v" + ".".join(map(str, v)), ".".join(f"{n:02}" for n in v)))(
            [r.randint(0, 30) for _ in range(3)]
        ),
    )
    yield _both(
        "all but the last four",
        lambda r: (lambda g: (r.choice([" ", "", "-"]).join(g), f"**** {g[3]}"))(
            [str(r.randint(1000, 9999)) for _ in range(4)]
        ),
    )
    yield _both(
        "an article of eight digits",
        lambda r: (lambda n: (r.choice([str(n), f"{n // 1000}.{n % 1000:03}"]), f"{n:08}"))(r.randint(1000, 9_999_999)),
    )
    yield _both(
        "a number behind a letter",
        lambda r: (lambda n: (r.choice([f"{n}", f"E{n}", f"E-{n}", f"e{n:04}"]), f"E{n:05}"))(r.randint(1, 9999)),
    )
    yield _both(
        "groups of four",
        lambda r: (lambda n: (n, " ".join(n[i : i + 4] for i in range(0, 16, 4))))(f"{r.randint(10**15, 10**16 - 1)}"),
    )


def _days() -> Iterator[Task]:
    random = Random(5)
    days = [date(2019, 1, 1) + timedelta(days=random.randint(0, 2000)) for _ in range(ROWS)]
    months = [
        "Januar",
        "Februar",
        "März",
        "April",
        "Mai",
        "Juni",
        "Juli",
        "August",
        "September",
        "Oktober",
        "November",
        "Dezember",
    ]
    by_iso = {day.isoformat(): day for day in days}
    yield Task(
        "a date with its weekday and time",
        {"x": [f"{d:%a, %d %b %Y} 10:{n:02}:00 GMT" for n, d in enumerate(days)]},
        [*by_iso] if len(by_iso) == ROWS else [d.isoformat() for d in days],
    )
    yield Task(
        "a date of a server's line",
        {"x": [f"[{d:%d/%b/%Y}:07:{n:02}:11 +0000]" for n, d in enumerate(days)]},
        [f"{d.isoformat()} 07:{n:02}" for n, d in enumerate(days)],
    )
    yield Task(
        "a month in German", {"x": [f"{d:%d.%m.%Y}" for d in days]}, [f"{months[d.month - 1]} {d.year}" for d in days]
    )
    yield Task("half years", {"x": [f"{d:%d.%m.%Y}" for d in days]}, [f"H{1 + (d.month > 6)} {d.year}" for d in days])
    yield Task(
        "a week with its letter", {"x": [d.isoformat() for d in days]}, [f"W{d.isocalendar().week:02}" for d in days]
    )
    nights = [random.randint(1, 20) for _ in days]
    yield Task(
        "days between",
        {
            "from": [f"{d:%d/%m/%Y}" for d in days],
            "to": [f"{d + timedelta(days=n):%d/%m/%Y}" for d, n in zip(days, nights, strict=True)],
        },
        [str(n) for n in nights],
    )
    yield task("a decade", [str(1931 + 5 * n % 80) for n in range(ROWS)], lambda t: f"{t[:3]}0s")
    yield task(
        "seconds of a length",
        [
            f"{n // 60}:{n % 60:02}" if n < 3600 else f"{n // 3600}:{n // 60 % 60:02}:{n % 60:02}"
            for n in range(50, 7000, 231)
        ],
        lambda t: str(sum(int(x) * 60**n for n, x in enumerate(reversed(t.split(":"))))),
    )


def _numbers() -> Iterator[Task]:
    sold = {"sold": [str(n * 7 % 60 + 11) for n in range(ROWS)], "cost": [str(n * 3 % 10 + 1) for n in range(ROWS)]}
    yield task("a margin in percent", sold, lambda a, b: f"{100 * (int(a) - int(b)) / int(a):.1f}")
    left = {"stock": [str(n * 17 % 60) for n in range(ROWS)], "sold": [str(n * 11 % 40) for n in range(ROWS)]}
    yield task("what is left, none below zero", left, lambda a, b: str(max(0, int(a) - int(b))))
    sizes = {"K": 1000, "M": 10**6, "B": 10**9}
    yield task(
        "in full",
        [f"£{n * 13 % 89 + 1}{s}" for n, s in enumerate("MKMBKMKKMB" * 3)],
        lambda t: str(int(t[1:-1]) * sizes[t[-1]]),
    )
    yield task(
        "thousands with a letter",
        [str(n * 3677 % 90000 + 1200) for n in range(ROWS)],
        lambda t: f"{(int(t) + 500) // 1000}k",
    )
    parts = {"": 0.0, " 1/2": 0.5, " 1/4": 0.25, " 3/8": 0.375}
    yield task(
        "mixed fractions",
        [f"{n % 19 + 1}{p}" for n, p in enumerate([*parts] * 8)][:ROWS],
        lambda t: f"{int(t.split()[0]) + parts[t[len(t.split()[0]) :]]:g}",
    )
    yield task("an area", [f"{n % 7 + 2} x {n % 5 + 3} m" for n in range(ROWS)], lambda t: str(int(t[0]) * int(t[4])))


def _choices() -> Iterator[Task]:
    goals = {"ours": [str(n * 7 % 5) for n in range(ROWS)], "theirs": [str(n * 3 % 4) for n in range(ROWS)]}
    yield task("who leads", goals, lambda a, b: "ours" if a > b else "theirs" if b > a else "level")
    prices = {
        "price": [str(n + 20) for n in range(ROWS)],
        "now": [str(n * 3 % 17 + 1) if n % 3 == 1 else "" for n in range(ROWS)],
    }
    yield task("the price of now, if there is one", prices, lambda price, now: now or price)
    yield task(
        "grown up", [str(n * 7 % 80 + 3) for n in range(ROWS)], lambda t: "grown up" if int(t) >= 18 else "child"
    )
    kinds = {"P": "private", "F": "firm", "A": "authority"}
    yield task(
        "a kind by its letter",
        [f"{k}{n * 37 % 900 + 100}" for n, k in enumerate("PPFPFAPPFA" * 3)],
        lambda t: kinds[t[0]],
    )
    seasons = ["winter", "winter", *["spring"] * 3, *["summer"] * 3, *["autumn"] * 3, "winter"]
    yield task("a season", [f"2026-{n * 5 % 12 + 1:02}-11" for n in range(ROWS)], lambda t: seasons[int(t[5:7]) - 1])
    yield task("points of a mark", ["ABCDF"[n * 7 % 5] for n in range(ROWS)], lambda t: str("FDCBA".index(t)))
