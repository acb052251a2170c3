"""Plant defects in clean tables and keep the truth: what was planted where, and what stood there before."""

from __future__ import annotations

import random
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import date
from typing import Any

import polars as pl

from tests.worlds import SHAPES, Cells
from updraft.core.values import decide
from updraft.core.values.text import shown
from updraft.demo.names import HUBS


@dataclass
class Plant:
    """One defect: the codes under which it is rightly told, where it is, and the clean cells by row id and column."""

    group: int
    codes: tuple[str, ...]
    columns: tuple[str, ...] = ()
    rows: set[int] = field(default_factory=set)  # ids of the rows that show it; empty where no row does
    cells: dict[tuple[int, str], Any] = field(default_factory=dict)
    gone: int = 0  # rows that a repair should take away


class Garden:
    """A table on its way to being messy. Rows keep their ids; rows that are put in have ids from a million."""

    def __init__(self, shape: str, cells: Cells, pick: random.Random) -> None:
        self.shape, self.pick = shape, pick
        self.clean = {name: list(values) for name, values in cells.items()}
        self.cells = {name: list(values) for name, values in cells.items()}
        self.ids = list(range(len(next(iter(cells.values())))))
        self.others: dict[str, pl.DataFrame] = {}
        self.plants: list[Plant] = []
        self.used: set[str] = set()
        self.fresh = 1_000_000

    def rows(self) -> list[int]:
        return [place for place, id_ in enumerate(self.ids) if id_ < 1_000_000]

    def text(self, column: str) -> bool:
        return any(isinstance(value, str) for value in self.clean[column])

    def change(self, column: str, places: list[int], fresh: Callable[[Any], Any]) -> dict[tuple[int, str], Any]:
        """Change cells, and give what stood there."""
        was = {(self.ids[p], column): self.cells[column][p] for p in places}
        for place in places:
            self.cells[column][place] = fresh(self.cells[column][place])
        self.used.add(column)
        return was

    def insert(self, place: int, row: dict[str, Any]) -> int:
        for name, values in self.cells.items():
            values.insert(place, row.get(name))
        self.ids.insert(place, self.fresh)
        self.fresh += 1
        return self.fresh - 1

    def some(self, share: float, least: int = 2, column: str | None = None) -> list[int]:
        """Places of clean rows that are filled in a column."""
        places = [p for p in self.rows() if column is None or self.cells[column][p] is not None]
        return sorted(self.pick.sample(places, min(len(places), max(least, round(len(places) * share)))))

    def free(self, names: list[str]) -> str | None:
        names = [name for name in names if name in self.cells and name not in self.used]
        return self.pick.choice(names) if names else None

    def categories(self) -> list[str]:
        return [n for n in ("Variety", "Hub", "Garden", "Family", "Account name", "Carrier") if n in self.cells]

    def figures(self) -> list[str]:
        return [
            n
            for n in ("Packets", "Price", "Grams", "Weight", "Germinated", "Sold", "Plots", "Amount")
            if n in self.cells
        ]

    def days(self) -> list[str]:
        return [n for n in ("Ordered on", "Harvested", "Sown", "Booked", "Joined", "Day") if n in self.cells]

    def frame(self) -> pl.DataFrame:
        """The table as a reader would give it: columns of one kind keep it, others are text; then kinds are decided."""
        return decide(pl.DataFrame([_series(name, values) for name, values in self.cells.items()]))[0]

    def clean_frame(self) -> pl.DataFrame:
        return pl.DataFrame([_series(name, values) for name, values in self.clean.items()])


def _series(name: str, values: list[Any]) -> pl.Series:
    kinds = {type(value) for value in values if value is not None}
    if len(kinds) <= 1 or kinds == {int, float}:
        return pl.Series(
            name, [float(v) if v is not None and kinds == {int, float} else v for v in values], strict=False
        )
    return pl.Series(name, [as_text(value) for value in values], dtype=pl.String)


def as_text(value: Any) -> str | None:
    return None if value is None else shown(pl.Series([value]))[0]


Planter = Callable[[Garden], Plant | None]


def totals(g: Garden) -> Plant | None:
    figures = [n for n in g.figures() if n not in g.used]
    if not figures or g.shape in ("tasting", "germination"):
        return None
    first = next(iter(g.cells))
    way = g.pick.choice(["end", "start", "subtotals"])
    if way == "subtotals":
        cuts = sorted(g.pick.sample(range(8, len(g.ids) - 2), 3))
        bounds = list(zip([0, *cuts], [*cuts, len(g.ids)], strict=True))
    else:
        bounds = [(0, len(g.ids))]
    rows = set()
    for start, end in reversed(bounds):
        row = {
            name: round(sum(v for v in g.cells[name][start:end] if isinstance(v, int | float)), 2) for name in figures
        }
        label = g.pick.choice(["Total", "TOTAL", "Grand total"]) if len(bounds) == 1 else "Subtotal"
        rows.add(g.insert(0 if way == "start" else end, {**row, first: label}))
    return Plant(1, ("totals",), rows=rows, gone=len(rows))


def footer(g: Garden) -> Plant | None:
    if len(g.cells) < 4:
        return None
    first = next(iter(g.cells))
    lines = g.pick.sample(
        ["Printed from the exchange book", "Figures are provisional", "End of list", "Source: hub sheets"],
        g.pick.randint(1, 2),
    )
    rows = {g.insert(len(g.ids), {first: line}) for line in lines}
    return Plant(1, ("footer_lines", "totals"), rows=rows, gone=len(rows))


def header_out_of_place(g: Garden) -> Plant | None:
    titles = g.pick.randint(0, 2)
    names = list(g.cells)
    rows = {g.insert(0, dict(zip(names, names, strict=True)))}
    for _ in range(titles):
        rows.add(g.insert(0, {names[0]: g.pick.choice(["Larkmoor Seed Exchange", "As of this week"])}))
    g.cells = {f"Column {n + 1}": values for n, values in enumerate(g.cells.values())}
    g.used |= set(names) | set(g.cells)
    return Plant(1, ("misplaced_header",), rows=rows, gone=len(rows))


def header_again(g: Garden) -> Plant | None:
    names = list(g.cells)
    places = g.pick.sample(range(5, len(g.ids) - 1), g.pick.randint(1, 3))
    return Plant(
        1,
        ("repeated_header",),
        rows={g.insert(p, dict(zip(names, names, strict=True))) for p in sorted(places, reverse=True)},
        gone=len(places),
    )


def blank_rows(g: Garden) -> Plant | None:
    places = sorted(g.pick.sample(range(2, len(g.ids)), g.pick.randint(1, 4)), reverse=True)
    return Plant(1, ("blank_rows",), rows={g.insert(p, {}) for p in places}, gone=len(places))


def blanks(g: Garden) -> Plant | None:
    column = g.free([n for n in [*g.categories(), "Grower", "Full name", "Method"] if n in g.cells])
    if not column:
        return None
    ways = [
        lambda t: f" {t}",
        lambda t: f"{t} ",
        lambda t: f"{t}\u00a0",
        lambda t: t.replace(" ", "  ", 1) if " " in t else f"{t}  ",
        lambda t: f"\u200b{t}",
    ]
    places = g.some(0.05, 2, column)
    was = g.change(column, places, lambda t: g.pick.choice(ways)(t))
    return Plant(2, ("stray_blanks",), (column,), {g.ids[p] for p in places}, was)


def control(g: Garden) -> Plant | None:
    column = g.free([n for n in [*g.categories(), "Full name", "Grower"] if n in g.cells])
    if not column:
        return None
    places = g.some(0.02, 1, column)
    was = g.change(column, places, lambda t: t[:2] + g.pick.choice("\x07\x0b\x1f\x7f") + t[2:])
    return Plant(2, ("control_characters",), (column,), {g.ids[p] for p in places}, was)


def case_and_signs(g: Garden) -> Plant | None:
    column = g.free(g.categories())
    if not column:
        return None
    many: dict[str, int] = {}
    for value in g.cells[column]:
        many[value] = many.get(value, 0) + 1
    places = [p for p in g.some(0.06, 3, column) if many[g.cells[column][p]] >= 4]
    seen: set[str] = set()
    places = [p for p in places if g.cells[column][p] not in seen and not seen.add(g.cells[column][p])]  # type: ignore[func-returns-value]
    if not places:
        return None
    ways = [str.upper, str.lower, lambda t: f"{t}.", lambda t: t.replace(" ", "-") if " " in t else t.upper()]
    was = g.change(column, places, lambda t: next(w for w in (way(t) for way in g.pick.sample(ways, 4)) if w != t))
    return Plant(2, ("variants",), (column,), {g.ids[p] for p in places}, was)


def slips(g: Garden) -> Plant | None:
    column = g.free([n for n in g.categories() if n != "Garden"])
    if not column:
        return None
    many: dict[str, int] = {}
    for value in g.cells[column]:
        many[value] = many.get(value, 0) + 1
    common = [v for v in many if many[v] >= 6 and len(v) >= 6]
    if not common:
        return None
    was: dict[tuple[int, str], Any] = {}
    for value in g.pick.sample(common, min(len(common), 2)):
        at = g.pick.randrange(2, len(value) - 2)
        ways = [
            value[:at] + value[at + 1 :],
            value[:at] + value[at] + value[at:],
            value[:at] + value[at + 1] + value[at] + value[at + 2 :],
            value[:at] + g.pick.choice("aeiou") + value[at + 1 :],
        ]
        wrong = g.pick.choice(
            [w for w in ways if w.casefold().replace(" ", "") != value.casefold().replace(" ", "")] or [value + "e"]
        )
        places = [p for p in g.rows() if g.cells[column][p] == value][: g.pick.randint(1, 1 + many[value] // 6)]
        was |= g.change(column, places, lambda _: wrong)  # noqa: B023
    return Plant(3, ("look_alikes",), (column,), {id_ for id_, _ in was}, was)


def odd_among_numbers(g: Garden) -> Plant | None:
    column = g.free(g.figures())
    if not column:
        return None
    places = g.some(0.02, 2, column)
    was = g.change(column, places, lambda v: g.pick.choice([f"about {v}", f"{v}?", "see note", "twelve"]))
    return Plant(4, ("numbers_as_text",), (column,), {g.ids[p] for p in places}, dict.fromkeys(was))


def dressed(g: Garden) -> Plant | None:
    column = g.free([n for n in g.figures() if n not in ("Plots", "Germinated")])
    if not column:
        return None
    whole = all(isinstance(v, int) for v in g.clean[column] if v is not None)
    ways: list[Callable[[Any], str]] = [
        lambda v: f"€ {v:,}",
        lambda v: f"{v} EUR",
        lambda v: f"({-v})" if v < 0 else f"£{v}",
    ]
    if not whole:
        ways.append(lambda v: f"{v:,.2f}".translate(str.maketrans(",.", ".,")))
    elif max(v for v in g.clean[column] if v is not None) < 1000 or column == "Sold":
        ways = ways[:2]
    way = g.pick.choice(ways)
    places = [p for p in g.rows() if g.cells[column][p] is not None]
    if way is ways[-1] and len(ways) == 4:
        places = g.some(0.3, 5, column)  # with a comma in all of them, the reader itself tells what they are
    was = g.change(column, places, way)
    return Plant(4, ("number_writing", "numbers_as_text"), (column,), {g.ids[p] for p in places}, was)


def in_units(g: Garden) -> Plant | None:
    column = g.free([n for n in ("Grams", "Weight") if n in g.cells])
    if not column:
        return None
    base, other = ("g", "kg") if column == "Grams" else ("kg", "g")
    times = 1000 if base == "g" else 0.001

    def write(value: float) -> str:
        return f"{value / times:.6g} {other}" if g.pick.random() < 0.15 else f"{value} {base}"

    places = [p for p in g.rows() if g.cells[column][p] is not None]
    if column == "Weight" or g.pick.random() < 0.5:
        was = g.change(column, places, lambda v: f"{v} {base}")
    else:
        was = g.change(column, places, write)
    return Plant(4, ("units_in_cells",), (column,), {g.ids[p] for p in places}, was)


def other_forms(g: Garden) -> Plant | None:
    column = g.free(g.days())
    if not column:
        return None
    places = g.some(0.06, 2, column)
    form = g.pick.choice(["%d.%m.%Y", "%d.%m.%y", "%d %b %Y"])
    was = g.change(column, places, lambda d: d.strftime(form).lstrip("0") if form == "%d %b %Y" else d.strftime(form))
    return Plant(5, ("date_forms",), (column,), {g.ids[p] for p in places}, was)


def slashed(g: Garden) -> Plant | None:
    """All days with slashes: told apart where a day after the 12th is among them, left open otherwise; some are no days."""
    column = g.free([n for n in g.days() if n != "Joined"])
    if not column:
        return None
    places = [p for p in g.rows() if g.cells[column][p] is not None]
    if g.pick.random() < 0.4 or all(g.cells[column][p].day <= 12 for p in places):
        for p in places:  # nobody could tell: days to the 12th alone
            day = g.cells[column][p]
            g.cells[column][p] = g.clean[column][g.ids[p]] = date(day.year, day.month, 1 + day.day % 12)
        was = g.change(column, places, lambda d: d.strftime("%d/%m/%Y"))
        return Plant(5, ("date_order_open",), (column,), {g.ids[p] for p in places})
    odd = set(g.some(0.02, 2, column))
    was = g.change(column, places, lambda d: d.strftime("%d/%m/%Y"))
    for p in odd:
        g.cells[column][p] = g.pick.choice(["next week", "soon", "31/02/2026", "00/00/0000"])
    return Plant(
        5,
        ("dates_as_text", "date_forms"),
        (column,),
        {g.ids[p] for p in odd},
        {key: (None if g.ids.index(key[0]) in odd else value) for key, value in was.items()},
    )


def far_days(g: Garden) -> Plant | None:
    column = g.free([n for n in g.days() if n not in ("Joined",)])
    if not column or len(g.ids) < 60:
        return None
    places = g.some(0.0, 1, column)
    g.change(column, places, lambda d: date(g.pick.choice([1926, 2062, 2206, 1826]), d.month, min(d.day, 28)))
    return Plant(5, ("far_dates",), (column,), {g.ids[p] for p in places}, {(g.ids[p], column): None for p in places})


def words_for_empty(g: Garden) -> Plant | None:
    column = g.free([*g.categories(), *g.figures()])
    if not column:
        return None
    places = g.some(0.04, 2, column)
    word = g.pick.choice(["n/a", "-", "null", "?", "N/A", "unknown", "tbc"])
    was = g.change(column, places, lambda _: word)  # known from the rest of its group, perhaps, once it is empty
    return Plant(
        6, ("placeholders",), (column,), {g.ids[p] for p in places}, {key: (None, value) for key, value in was.items()}
    )


def numbers_for_empty(g: Garden) -> Plant | None:
    column = g.free([n for n in ("Packets", "Germinated", "Plots", "Sold") if n in g.cells])
    if not column:
        return None
    places = g.some(0.03, 2, column)
    mark = g.pick.choice([9999, 99999, -999] if column != "Sold" else [99999, -999])
    g.change(column, places, lambda _: mark)
    return Plant(
        6, ("placeholders",), (column,), {g.ids[p] for p in places}, {(g.ids[p], column): None for p in places}
    )


def days_for_empty(g: Garden) -> Plant | None:
    column = g.free(g.days())
    if not column:
        return None
    places = g.some(0.03, 2, column)
    g.change(column, places, lambda _: g.mark)  # type: ignore[attr-defined]
    return Plant(
        6, ("placeholders",), (column,), {g.ids[p] for p in places}, {(g.ids[p], column): None for p in places}
    )


def rows_again(g: Garden) -> Plant | None:
    if g.shape in ("tasting", "sales"):
        return None
    rows = set()
    for place in sorted(g.some(0.03, 2), reverse=True):
        rows.add(g.insert(place + 1, {name: values[place] for name, values in g.cells.items()}))
    return Plant(7, ("duplicate_rows",), rows=rows, gone=len(rows))


def key_again(g: Garden) -> Plant | None:
    key = {"orders": "Order", "growers": "Code", "lots": "Lot", "germination": "Test", "shipments": "Shipment"}.get(
        g.shape
    )
    change = {
        "orders": "Packets",
        "growers": "Phone",
        "lots": "Grams",
        "germination": "Germinated",
        "shipments": "Weight",
    }.get(g.shape)
    if not key or change in g.used or key in g.used or change is None:
        return None
    rows = set()
    for place in sorted(g.some(0.01, 2, change), reverse=True):
        row = {name: values[place] for name, values in g.cells.items()}
        row[change] = (
            row[change] + 1
            if not isinstance(row[change], str)
            else row[change][:-1] + str((int(row[change][-1]) + 1) % 10)
        )
        rows.add(g.insert(place + 1, row))
    g.used |= {key, change}
    return Plant(7, ("almost_key",), (key,), rows, gone=len(rows))


def under_two_names(g: Garden) -> Plant | None:
    if g.shape not in ("growers", "lots", "shipments", "orders"):
        return None
    key = next(iter(g.cells))
    if key in g.used:
        return None
    rows = set()
    for place in sorted(g.some(0.01, 2), reverse=True):
        row = {name: values[place] for name, values in g.cells.items()}
        row[key] = {"growers": "GR-9{:03d}", "lots": "09{:03d}", "shipments": "S2699{:04d}", "orders": "LM-9{:04d}"}[
            g.shape
        ].format(g.pick.randint(0, 999))
        rows.add(g.insert(len(g.ids), row))
    g.used.add(key)
    return Plant(7, ("two_identifiers",), (key,), rows, gone=len(rows))


def out_of_line(g: Garden) -> Plant | None:
    column = g.free([n for n in ("Packets", "Germinated", "Weight", "Moisture", "Plots") if n in g.cells])
    if not column or len(g.ids) < 60:
        return None
    places = g.some(0.0, 1, column)
    g.change(
        column,
        places,
        lambda v: round(v * g.pick.choice([37, 52, 84]) + 400, 2) if isinstance(v, float) else v * 45 + 600,
    )
    return Plant(8, ("outliers",), (column,), {g.ids[p] for p in places})


def two_units(g: Garden) -> Plant | None:
    column = g.free([n for n in ("Weight", "Moisture") if n in g.cells])
    if not column:
        return None
    places = g.some(0.12, 4, column)
    was = g.change(column, places, lambda v: round(v / 1000, 6) if column == "Weight" else round(v * 100, 2))
    return Plant(8, ("mixed_units",), (column,), {g.ids[p] for p in places}, was)


def wrong_signs(g: Garden) -> Plant | None:
    column = g.free([n for n in ("Packets", "Price", "Weight", "Sold", "Plots") if n in g.cells])
    if not column or len(g.ids) < 60:
        return None
    places = [p for p in g.some(0.005, 1, column) if g.cells[column][p] > 3]
    if not places:
        return None
    was = g.change(column, places, lambda v: -v)
    return Plant(8, ("negatives",), (column,), {g.ids[p] for p in places}, was)


def naughts(g: Garden) -> Plant | None:
    column = g.free([n for n in ("Germinated", "Weight", "Sold", "Moisture") if n in g.cells])
    if not column or len(g.ids) < 60:
        return None
    places = g.some(0.01, 1, column)
    g.change(column, places, lambda v: 0 if isinstance(v, int) else 0.0)
    return Plant(
        8, ("zeros", "outliers"), (column,), {g.ids[p] for p in places}, {(g.ids[p], column): None for p in places}
    )


def wrong_encoding(g: Garden) -> Plant | None:
    column = g.free(["Variety"] if "Variety" in g.cells else ["Garden", "Full name"])
    if not column:
        return None
    accented = {
        "Brandywine": "Brandywîne",
        "Chioggia": "Chiòggia",
        "Lacinato": "Laciñato",
        "Black Krim": "Black Krím",
        "Tannery Lane Garden": "Tännery Lane Garden",
    }
    for place in g.rows():
        value = g.cells[column][place]
        if column == "Full name":
            value = value.replace("a", "á", 1) if place % 3 == 0 else value
        g.cells[column][place] = g.clean[column][g.ids[place]] = accented.get(value, value)
    places = [p for p in g.rows() if not g.cells[column][p].isascii()]
    places = sorted(g.pick.sample(places, max(1, len(places) // 4))) if places else []
    if not places:
        return None
    was = g.change(
        column,
        places,
        lambda t: (
            t.encode("utf-8").decode("cp1252", errors="ignore")
            if "Ã\xad" not in t.encode().decode("latin-1")
            else t.encode().decode("latin-1")
        ),
    )
    return Plant(9, ("broken_text",), (column,), {g.ids[p] for p in places}, was)


def several(g: Garden) -> Plant | None:
    """A new column of lists, with a row for each in the clean table."""
    if g.used or g.plants:
        return None
    sign = g.pick.choice([", ", "; ", " / ", "|"])
    tags = ["frost hardy", "early", "climbing", "heirloom", "for drying", "shade"]
    lists = [g.pick.sample(tags, g.pick.choices([1, 2, 3], [6, 3, 1])[0]) for _ in g.ids]
    ids = [n for n, some in enumerate(lists) for _ in some]
    g.clean = {
        **{name: [values[n] for n in ids] for name, values in g.clean.items()},
        "Tags": [tag for some in lists for tag in some],
    }
    g.cells["Tags"] = [sign.join(some) for some in lists]
    g.used |= set(g.cells)
    rows = {n for n, some in enumerate(lists) if len(some) > 1}
    return Plant(10, ("several_values",), ("Tags",), rows, {(n, "Tags"): tag for n, tag in enumerate(g.clean["Tags"])})


def compound(g: Garden) -> Plant | None:
    pairs = {
        "orders": ("Hub", "Packets"),
        "lots": ("Variety", "Grams"),
        "shipments": ("Hub", "Shipment"),
        "germination": ("Method", "Test"),
    }
    if g.shape not in pairs or g.used or g.plants:
        return None
    left, right = pairs[g.shape]
    sign = g.pick.choice([" / ", " - ", " | ", ": "])
    joined = [f"{a}{sign}{b}" for a, b in zip(g.cells[left], g.cells[right], strict=True)]
    names = [name for name in g.cells if name not in (left, right)]
    g.clean = {**{name: g.clean[name] for name in names}, f"{left} 1": g.clean[left], f"{left} 2": g.clean[right]}
    g.cells = {**{name: g.cells[name] for name in names}, left: joined}
    g.used |= set(g.cells)
    return Plant(
        10,
        ("compound_cells",),
        (left,),
        set(g.ids),
        {(n, name): g.clean[name][n] for n in g.ids for name in (f"{left} 1", f"{left} 2")},
    )


def first_of_group(g: Garden) -> Plant | None:
    column = {"sales": "Garden", "tasting": "Visitor"}.get(g.shape)
    if column is None or column in g.used or g.plants:
        return None
    places = [p for p in g.rows() if p and g.cells[column][p] == g.cells[column][p - 1]]
    if len({g.cells[column][p] for p in g.rows()}) * 10 < 9 * (len(g.ids) - len(places)):
        return None
    was = g.change(column, places, lambda _: None)
    return Plant(11, ("fill_down",), (column,), {g.ids[p] for p in places}, was)


def months_as_columns(g: Garden) -> Plant | None:
    if g.shape != "sales" or g.used or g.plants:
        return None
    months = list(dict.fromkeys(g.cells["Month"]))
    wide: Cells = {name: g.cells[name][:: len(months)] for name in ("Garden", "Hub")}
    wide |= {month: g.cells["Sold"][n :: len(months)] for n, month in enumerate(months)}
    g.cells, g.ids = wide, list(range(len(wide["Garden"])))
    g.used |= set(wide) | set(g.clean)
    return Plant(
        11, ("values_as_columns",), tuple(months), cells={(n, "Sold"): v for n, v in enumerate(g.clean["Sold"])}
    )


def two_names(g: Garden) -> Plant | None:
    """A few rows whose name is another code's: not a slip of the pen, a slip of the line."""
    pair = {"lots": ("Variety code", "Variety"), "ledger": ("Account", "Account name")}.get(g.shape)
    if pair is None or set(pair) & g.used:
        return None
    key, name = pair
    known = sorted(set(g.clean[name]))
    places = g.some(0.01, 2, name)
    was = g.change(name, places, lambda v: g.pick.choice([k for k in known if k != v]))
    g.used |= {key, "Family"}
    return Plant(12, ("broken_dependency",), (key, name), {g.ids[p] for p in places}, was)


def known_gaps(g: Garden) -> Plant | None:
    pair = {"lots": ("Variety code", "Variety"), "ledger": ("Account", "Account name")}.get(g.shape)
    if pair is None or set(pair) & g.used:
        return None
    key, name = pair
    places = g.some(0.04, 2, name)
    was = g.change(name, places, lambda _: None)
    g.used |= {key, "Family"}
    return Plant(12, ("agreed_gaps",), (key, name), {g.ids[p] for p in places}, was)


def missing_keys(g: Garden) -> Plant | None:
    way = g.pick.choice(["case", "spelling", "zeros"])
    column = {"case": "Grower", "spelling": "Hub", "zeros": "Lot"}[way]
    if column not in g.cells or column in g.used:
        return None
    known = sorted(set(g.clean[column]))
    g.others["Reference"] = pl.DataFrame(
        {column if way == "spelling" else "Key": known, "Meaning": [f"{k} of the book" for k in known]}
    )
    if way == "zeros":
        g.change(column, g.rows(), lambda v: f"{v.lstrip('0')}")
        places = g.rows()
        for other in list(g.cells):  # as text, so that it is a key still
            g.used.add(other) if other == column else None
    elif way == "case":
        places = g.rows()
        g.change(column, places, str.lower)
    else:
        places = g.some(0.35, 5, column)
        short = {hub: hub.replace("e", "", 1) for hub in HUBS}
        g.change(column, places, lambda v: short[v] if short[v] != v else f"{v}h")
    return Plant(
        13,
        ("keys_that_miss", "look_alikes"),
        (column,),
        {g.ids[p] for p in places},
        {(g.ids[p], column): g.clean[column][g.ids[p]] for p in places},
    )


PLANTERS: tuple[Planter, ...] = (
    totals,
    footer,
    header_out_of_place,
    header_again,
    blank_rows,
    blanks,
    control,
    case_and_signs,
    slips,
    odd_among_numbers,
    dressed,
    in_units,
    other_forms,
    slashed,
    far_days,
    words_for_empty,
    numbers_for_empty,
    days_for_empty,
    rows_again,
    key_again,
    under_two_names,
    out_of_line,
    two_units,
    wrong_signs,
    naughts,
    wrong_encoding,
    several,
    compound,
    first_of_group,
    months_as_columns,
    two_names,
    known_gaps,
    missing_keys,
)
_LAST = (
    header_out_of_place,
    header_again,
    blank_rows,
    totals,
    footer,
)  # rows that hold no data go in when the rest is done


def clean_table(seed: int) -> Garden:
    """A clean table; every shape in turn."""
    pick = random.Random(f"clean {seed}")
    shape = SHAPES[seed % len(SHAPES)]
    return Garden(shape.__name__, shape(pick, pick.randint(80, 300)), pick)


def messy_table(seed: int) -> Garden:
    """A table with one to three defects; each planter in turn is the first of some tables."""
    pick = random.Random(f"messy {seed}")
    must = PLANTERS[seed % len(PLANTERS)]
    for attempt in range(60):
        shape = SHAPES[(seed // len(PLANTERS) + attempt) % len(SHAPES)]
        garden = Garden(shape.__name__, shape(pick, pick.randint(80, 300)), pick)
        garden.mark = pick.choice([date(1900, 1, 1), date(1970, 1, 1), date(9999, 12, 31)])  # type: ignore[attr-defined]
        if not (first := must(garden)):
            continue
        garden.plants.append(first)
        if must is not header_out_of_place:
            more = pick.sample(
                [p for p in PLANTERS if p is not must and p is not header_out_of_place], pick.randint(0, 2)
            )
            for planter in sorted(more, key=lambda p: p in _LAST):
                if must in _LAST and planter not in _LAST:
                    continue  # cells are changed before rows are put in
                if plant := planter(garden):
                    garden.plants.append(plant)
        return garden
    raise AssertionError(f"{must.__name__} fits no shape")
