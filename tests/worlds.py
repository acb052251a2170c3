"""Clean tables of several shapes in the example world, each with traps that are no defects."""

from __future__ import annotations

import random
from collections.abc import Callable
from datetime import date, timedelta
from typing import Any

from updraft.demo.names import FIRST, GARDENS, HUBS, LAST, VARIETIES

Cells = dict[str, list[Any]]

FAMILIES = ["Solanaceae", "Fabaceae", "Brassicaceae", "Amaranthaceae", "Cucurbitaceae", "Poaceae"]
FAMILY = {variety: FAMILIES[n % len(FAMILIES)] for n, variety in enumerate(VARIETIES)}
CODE = {variety: f"V-{100 + 7 * n}" for n, variety in enumerate(VARIETIES)}
HUB_CODE = {hub: f"{hub[:3].upper()}{n + 1}" for n, hub in enumerate(HUBS)}
REMARKS = [
    "keep dry until collected, the box leaks",
    "grown beside the north wall, shade from three",
    "packed by the spring volunteers, labels by hand",
    "ask for the old key at the gate before unloading",
    "second sowing after the hail in May",
    "not to be mixed with last year's bags",
]
SHORT = ["late", "resown", "mixed light", "cool room"]


def orders(pick: random.Random, rows: int) -> Cells:
    """A log: codes, days that rise, categories of uneven size, whole numbers with a long tail, prices, rare remarks."""
    start = date(2026, 1, 1) + timedelta(days=pick.randint(0, 300))
    weights = [1 / (n + 2) for n in range(len(VARIETIES))]
    varieties = pick.choices(VARIETIES, weights, k=rows)
    packets = [pick.choices([pick.randint(1, 20), pick.randint(20, 100)], [3, 2])[0] for _ in range(rows)]
    return {
        "Order": [f"LM-{20000 + 7 * n}" for n in range(rows)],
        "Ordered on": [start + timedelta(days=n * 28 // rows) for n in range(rows)],
        "Grower": [f"GR-{pick.randint(1, 60):03d}" for _ in range(rows)],
        "Variety": varieties,
        "Hub": pick.choices(HUBS, k=rows),
        "Packets": packets,
        "Price": [round(p * pick.choice([1.9, 2.2, 2.4, 2.75]), 2) for p in packets],
        "Note": [pick.choice(REMARKS) if pick.random() < 0.15 else None for _ in range(rows)],
    }


def growers(pick: random.Random, rows: int) -> Cells:
    """A register: a key, names that all differ, telephone numbers with leading zeros, days over decades."""
    names = [f"{first} {last}" for first in FIRST for last in LAST]
    pick.shuffle(names)
    return {
        "Code": [f"GR-{n:04d}" for n in range(1, rows + 1)],
        "Full name": names[:rows],
        "Hub": pick.choices(HUBS, k=rows),
        "Phone": [f"01{pick.randint(200, 989)} {pick.randint(100000, 999999)}" for _ in range(rows)],
        "Joined": [date(1996, 1, 1) + timedelta(days=pick.randint(0, 10500)) for _ in range(rows)],
        "Plots": [pick.randint(1, 14) for _ in range(rows)],
        "Website": [
            f"https://{name.split()[1].lower()}-{n}.example" if pick.random() < 0.3 else None
            for n, name in enumerate(names[:rows])
        ],
    }


def lots(pick: random.Random, rows: int) -> Cells:
    """Lot numbers with leading zeros, weights over three orders of magnitude, moisture, a variety with its code and family."""
    varieties = pick.choices(VARIETIES[:14], k=rows)
    return {
        "Lot": [f"{300 + n:05d}" for n in range(rows)],
        "Variety code": [CODE[v] for v in varieties],
        "Variety": varieties,
        "Family": [FAMILY[v] for v in varieties],
        "Harvested": [date(2025, 8, 1) + timedelta(days=pick.randint(0, 90)) for _ in range(rows)],
        "Grams": [round(pick.lognormvariate(6.5, 0.9), 1) for _ in range(rows)],
        "Moisture": [round(pick.gauss(8.2, 0.7), 2) for _ in range(rows)],
        "Rows": [pick.choice([1, 2, 4]) for _ in range(rows)],
    }


def germination(pick: random.Random, rows: int) -> Cells:
    """A laboratory: percentages near their upper end, temperatures below zero, a method, half of the remarks empty."""
    return {
        "Test": [f"T{n:06d}" for n in range(1, rows + 1)],
        "Method": pick.choices(["paper", "sand", "between paper"], [5, 3, 1], k=rows),
        "Sown": [date(2026, 1, 5) + timedelta(days=7 * pick.randint(0, 12)) for _ in range(rows)],
        "Germinated": [min(100, max(40, round(pick.gauss(88, 9)))) for _ in range(rows)],
        "Abnormal": [pick.choices([0, 1, 2, 3, 5], [6, 3, 2, 1, 1])[0] for _ in range(rows)],
        "Chill": [round(pick.gauss(1.5, 4), 1) for _ in range(rows)],
        "Passed": pick.choices([True, False], [9, 1], k=rows),
        "Remark": [pick.choice(SHORT) if pick.random() < 0.5 else None for _ in range(rows)],
    }


def ledger(pick: random.Random, rows: int) -> Cells:
    """Bookings: amounts of either sign, an account with its name, a running number, days of two years."""
    accounts = {
        4000 + 10 * n: name
        for n, name in enumerate(["Packets", "Postage", "Rent", "Paper", "Seed bought", "Gifts", "Wages", "Repairs"])
    }
    booked = pick.choices(list(accounts), k=rows)
    return {
        "Entry": list(range(1, rows + 1)),
        "Booked": [date(2025, 1, 1) + timedelta(days=n * 700 // rows) for n in range(rows)],
        "Account": booked,
        "Account name": [accounts[a] for a in booked],
        "Amount": [round(pick.choice([-1, 1]) * pick.lognormvariate(4, 1.1), 2) for _ in range(rows)],
        "Garden": pick.choices(GARDENS, k=rows),
        "Voucher": [f"{pick.randint(1, 99):02d}/{pick.randint(100, 999)}" for _ in range(rows)],
    }


def tasting(pick: random.Random, rows: int) -> Cells:
    """Scores: few values in every column, chance repeats among the columns, no key."""
    visitors = [f"{pick.choice(FIRST)} {pick.choice(LAST)}" for _ in range(max(rows // 6, 4))]
    return {
        "Visitor": [visitors[n // 6 % len(visitors)] for n in range(rows)],
        "Variety": [VARIETIES[(n * 5 + n // 6) % 18] for n in range(rows)],
        "Trait": [["sweet", "sour", "firm", "juicy", "scent", "colour"][n % 6] for n in range(rows)],
        "Score": [pick.randint(1, 9) for _ in range(rows)],
        "Day": [date(2026, 8, 1) + timedelta(days=n * 6 // rows) for n in range(rows)],
        "Table": pick.choices(["A", "B", "C"], k=rows),
    }


def sales(pick: random.Random, rows: int) -> Cells:
    """A season in long form: garden by month, every month for every garden."""
    months = ["2026-01", "2026-02", "2026-03", "2026-04", "2026-05", "2026-06"]
    gardens = [f"{name} {n}" if n else name for n in range(1 + rows // 90) for name in GARDENS][: max(rows // 6, 3)]
    cells: Cells = {"Garden": [], "Hub": [], "Month": [], "Sold": []}
    for n, garden in enumerate(gardens):
        for month in months:
            for name, value in zip(cells, (garden, HUBS[n * 3 % 5], month, pick.randint(20, 900)), strict=True):
                cells[name].append(value)
    return cells


def shipments(pick: random.Random, rows: int) -> Cells:
    """Deliveries: places on a map, weights about one middle, a carrier, times of day as text, an optional second line."""
    return {
        "Shipment": [f"S{26000000 + 13 * n}" for n in range(rows)],
        "Hub": pick.choices(HUBS, [8, 5, 3, 2, 1], k=rows),
        "Garden": pick.choices(GARDENS, k=rows),
        "Carrier": pick.choices(["Fen Couriers", "Wold Post", "own van"], [5, 3, 2], k=rows),
        "Weight": [round(pick.gauss(24, 4), 2) for _ in range(rows)],
        "North": [round(52 + pick.random(), 4) for _ in range(rows)],
        "West": [round(-1.5 + pick.random(), 4) for _ in range(rows)],
        "Left at": [f"{pick.randint(6, 18):02d}:{pick.randint(0, 59):02d}" for _ in range(rows)],
        "Second line": [
            pick.choice(["Back gate", "Shed 2", "The old mill"]) if pick.random() < 0.2 else None for _ in range(rows)
        ],
    }


SHAPES: tuple[Callable[[random.Random, int], Cells], ...] = (
    orders,
    growers,
    lots,
    germination,
    ledger,
    tasting,
    sales,
    shipments,
)
