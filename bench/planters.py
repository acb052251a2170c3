"""Defects put into tables that nobody here made, each in columns and rows that chance chooses.

A planter takes the table as text and its types, and gives the spoilt table with what it did; None where the table has no
place for such a defect.
"""

from __future__ import annotations

import json
import random
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import date, timedelta

import polars as pl

Rows = list[list[str | None]]


@dataclass
class Spoilt:
    """A table with one defect: its cells as text, and what may tell it.

    `rows` are places in the spoilt table, `was` what stood in a cell before, `gone` how many rows were put in.
    """

    names: list[str]
    rows: Rows
    codes: tuple[str, ...]
    columns: tuple[str, ...] = ()
    places: list[int] = field(default_factory=list)
    was: dict[tuple[int, str], str | None] = field(default_factory=dict)
    added: list[int] = field(default_factory=list)

    def frame(self) -> pl.DataFrame:
        columns = zip(*self.rows, strict=True) if self.rows else [()] * len(self.names)
        return pl.DataFrame(
            {name: list(cells) for name, cells in zip(self.names, columns, strict=True)},
            schema=dict.fromkeys(self.names, pl.String),
        )


class Ground:
    """A table to plant in."""

    def __init__(self, typed: pl.DataFrame, rng: random.Random) -> None:
        flat = [name for name, dtype in typed.schema.items() if not dtype.is_nested()]
        self.typed, self.rng, self.names = typed.select(flat), rng, flat
        text = self.typed.select(pl.col(pl.Boolean).cast(pl.String), ~pl.selectors.boolean())
        self.cells: Rows = [list(row) for row in text.select(flat).cast(pl.String).rows()]

    def columns(self, test: Callable[[pl.Series], bool], least: int = 1) -> list[str] | None:
        fitting = [name for name in self.names if test(self.typed[name])]
        return self.rng.sample(fitting, least) if len(fitting) >= least else None

    def some(self, name: str, many: int, test: Callable[[str], bool] = bool) -> list[int]:
        place = self.names.index(name)
        fitting = [n for n, row in enumerate(self.cells) if row[place] is not None and test(str(row[place]))]
        return sorted(self.rng.sample(fitting, min(many, len(fitting))))

    def change(
        self, name: str, rows: list[int], how: Callable[[str], str | None], *codes: str
    ) -> Spoilt | None:
        place = self.names.index(name)
        changed = {row: how(str(self.cells[row][place])) for row in rows}
        changed = {row: new for row, new in changed.items() if new != self.cells[row][place]}
        if not changed:
            return None
        cells = [list(row) for row in self.cells]
        was = {(row, name): cells[row][place] for row in changed}
        for row, new in changed.items():
            cells[row][place] = new
        return Spoilt(self.names, cells, codes, (name,), list(changed), was)

    def insert(self, rows: dict[int, list[str | None]], *codes: str) -> Spoilt:
        """Rows put in so that each stands at its place afterwards."""
        cells = [list(row) for row in self.cells]
        for place in sorted(rows):
            cells.insert(place, rows[place])
        return Spoilt(self.names, cells, codes, (), sorted(rows), {}, sorted(rows))


def is_text(series: pl.Series) -> bool:
    return isinstance(series.dtype, pl.String) and series.drop_nulls().len() >= 10


def is_word(series: pl.Series) -> bool:
    filled = series.drop_nulls()
    return is_text(series) and bool(filled.str.contains(r"\p{L}{4}").mean() > 0.8)  # type: ignore[operator]


def is_category(series: pl.Series) -> bool:
    return is_word(series) and 2 <= series.n_unique() <= series.len() / 5


def is_number(series: pl.Series) -> bool:
    return series.dtype.is_numeric() and series.drop_nulls().len() >= 20 and series.n_unique() >= 10


def is_amount(series: pl.Series) -> bool:
    return is_number(series) and bool((series.drop_nulls() > 0).all())


def is_fraction(series: pl.Series) -> bool:
    return is_amount(series) and series.dtype.is_float() and bool((series.drop_nulls() % 1 != 0).mean() > 0.5)  # type: ignore[operator]


def is_date(series: pl.Series) -> bool:
    return series.dtype.is_temporal() and series.drop_nulls().len() >= 10


def is_key(series: pl.Series) -> bool:
    return (
        series.null_count() == 0
        and series.n_unique() == series.len()
        and (is_text(series) or series.dtype.is_integer())
    )


def _few(ground: Ground) -> int:
    return max(2, min(40, len(ground.cells) // 60))


def _in_column(
    test: Callable[[pl.Series], bool],
    how: Callable[[str], str | None],
    *codes: str,
    share: float = 0,
    cell: Callable[[str], bool] = bool,
) -> Callable[[Ground], Spoilt | None]:
    """A planter that changes some cells of one column (all of them, or a share)."""

    def plant(ground: Ground) -> Spoilt | None:
        names = ground.columns(test)
        if not names:
            return None
        many = int(len(ground.cells) * share) if share else _few(ground)
        return ground.change(names[0], ground.some(names[0], many, cell), how, *codes)

    return plant


def _typo(text: str) -> str:
    middle = len(text) // 2
    return text[:middle] + text[middle + 1 :] if len(text) > 7 else text


def _grouped(text: str) -> str:
    return f"{float(text):,.2f}" if "." in text else f"{int(text):,}"


def _entities(text: str) -> str:
    return text.replace("&", "&amp;") if "&" in text else text.replace("'", "&#39;").replace("é", "&eacute;")


def _broken(text: str) -> str:
    try:
        return text.encode("utf-8").decode("cp1252")
    except UnicodeDecodeError:
        return text


def total_row(ground: Ground) -> Spoilt | None:
    label, numbers = ground.columns(is_word), [n for n in ground.names if is_number(ground.typed[n])]
    if not label or not numbers:
        return None
    sums = {name: ground.typed[name].sum() for name in numbers}
    row = [
        ("Total" if name == label[0] else str(sums[name]) if name in sums else None) for name in ground.names
    ]
    return ground.insert({len(ground.cells): row}, "totals", "summary_rows")


def average_row(ground: Ground) -> Spoilt | None:
    label, numbers = ground.columns(is_word), [n for n in ground.names if is_number(ground.typed[n])]
    if not label or not numbers:
        return None
    means = {name: round(float(ground.typed[name].mean()), 6) for name in numbers}  # type: ignore[arg-type]
    row = [
        ("Average" if name == label[0] else str(means[name]) if name in means else None)
        for name in ground.names
    ]
    return ground.insert({len(ground.cells): row}, "summary_rows", "totals")


def footer_line(ground: Ground) -> Spoilt | None:
    if len(ground.names) < 4:
        return None
    row: list[str | None] = ["Source: our own records, checked in spring", *[None] * (len(ground.names) - 1)]
    return ground.insert({len(ground.cells): row}, "footer_lines")


def header_again(ground: Ground) -> Spoilt | None:
    if len(ground.cells) < 12:
        return None
    return ground.insert({len(ground.cells) // 2: list(ground.names)}, "repeated_header")


def units_row(ground: Ground) -> Spoilt | None:
    numbers = [n for n in ground.names if is_number(ground.typed[n])]
    if len(numbers) < 2:
        return None
    units = ground.rng.choices(["kg", "mm", "EUR", "%", "ha", "years"], k=len(numbers))
    row = [f"({units[numbers.index(name)]})" if name in numbers else None for name in ground.names]
    return ground.insert({0: row}, "second_header")


def title_above(ground: Ground) -> Spoilt | None:
    if len(ground.names) < 3 or any(name[:1].isdigit() or not name for name in ground.names):
        return None
    cells = [["Counted in the north", *[None] * (len(ground.names) - 1)], [*ground.names], *ground.cells]
    names = [f"Column {n}" for n in range(1, len(ground.names) + 1)]
    return Spoilt(names, cells, ("misplaced_header",), (), [0, 1])


def blank_rows(ground: Ground) -> Spoilt | None:
    places = sorted(ground.rng.sample(range(2, len(ground.cells)), 3))
    return ground.insert({place: [None] * len(ground.names) for place in places}, "blank_rows")


def _with_column(
    ground: Ground, name: str, cells: list[str | None], codes: tuple[str, ...], places: list[int]
) -> Spoilt:
    rows = [[*row, cell] for row, cell in zip(ground.cells, cells, strict=True)]
    return Spoilt([*ground.names, name], rows, codes, (name,), places)


def blank_column(ground: Ground) -> Spoilt | None:
    return _with_column(ground, "Remark", [None] * len(ground.cells), ("blank_columns",), [])


def constant_column(ground: Ground) -> Spoilt | None:
    return _with_column(ground, "Batch", ["B-7"] * len(ground.cells), ("constant_columns",), [])


def same_column(ground: Ground) -> Spoilt | None:
    names = ground.columns(lambda s: s.n_unique() > 5 and s.null_count() < s.len() / 2)
    if not names:
        return None
    place = ground.names.index(names[0])
    return _with_column(
        ground, f"{names[0]} again", [row[place] for row in ground.cells], ("identical_columns",), []
    )


def rows_again(ground: Ground) -> Spoilt | None:
    if not ground.columns(is_key) or len(ground.names) < 3:
        return None
    picked = sorted(ground.rng.sample(range(len(ground.cells)), 3))
    return ground.insert({row + 5: list(ground.cells[row]) for row in picked}, "duplicate_rows")


def nearly_again(ground: Ground) -> Spoilt | None:
    names = ground.columns(lambda s: is_word(s) and s.n_unique() > s.len() / 2)
    if not names or len(ground.names) < 4:
        return None
    place = ground.names.index(names[0])
    rows = ground.some(names[0], 3, lambda text: len(text) > 7)
    if not rows:
        return None
    added = {}
    for n, row in enumerate(rows):
        copy = list(ground.cells[row])
        copy[place] = _typo(str(copy[place]))
        added[row + 2 + n] = copy
    return ground.insert(added, "near_duplicates", "two_identifiers", "look_alikes", "almost_key")


def key_again(ground: Ground) -> Spoilt | None:
    names = ground.columns(lambda s: is_key(s) and s.len() > 40)
    if not names or not (ground.names.index(names[0]) == 0 or is_text(ground.typed[names[0]])):
        return None
    place = ground.names.index(names[0])
    rows = ground.some(names[0], 3)
    cells = [list(row) for row in ground.cells]
    was = {}
    for row in rows:
        was[(row, names[0])] = cells[row][place]
        cells[row][place] = cells[row - 1][place]
    return Spoilt(
        ground.names, cells, ("almost_key", "broken_dependency", "two_identifiers"), (names[0],), rows, was
    )


def sentinel(ground: Ground) -> Spoilt | None:
    names = ground.columns(lambda s: is_amount(s) and float(s.max()) < 300)  # type: ignore[arg-type]
    if not names:
        return None
    word = ground.rng.choice(["-999", "9999", "-99"])
    return ground.change(
        names[0], ground.some(names[0], _few(ground)), lambda _: word, "placeholders", "outliers"
    )


def far_number(ground: Ground) -> Spoilt | None:
    def calm(series: pl.Series) -> bool:
        return is_amount(series) and float(series.max()) < 6 * float(series.median())  # type: ignore[arg-type]

    names = ground.columns(calm)
    if not names:
        return None
    times = ground.rng.choice([100, 1000])
    return ground.change(
        names[0], ground.some(names[0], 2), lambda text: f"{float(text) * times:g}", "outliers", "mixed_units"
    )


def other_unit(ground: Ground) -> Spoilt | None:
    def narrow(series: pl.Series) -> bool:
        return is_fraction(series) and float(series.max()) < 30 * float(series.min())  # type: ignore[arg-type]

    names = ground.columns(narrow)
    if not names:
        return None
    rows = ground.some(names[0], max(8, len(ground.cells) // 12))
    return ground.change(names[0], rows, lambda text: f"{float(text) / 1000:.8g}", "mixed_units")


def date_forms(ground: Ground) -> Spoilt | None:
    names = ground.columns(is_date)
    if not names:
        return None
    form = ground.rng.choice(["%d.%m.%Y", "%d-%b-%y", "%b %d %Y", "%Y/%m/%d"])
    return ground.change(
        names[0],
        ground.some(names[0], max(3, len(ground.cells) // 10)),
        lambda text: date.fromisoformat(text[:10]).strftime(form),
        "date_forms",
        "dates_as_text",
    )


def date_serials(ground: Ground) -> Spoilt | None:
    names = ground.columns(lambda s: is_date(s) and s.min().year >= 1950)  # type: ignore[union-attr]
    if not names:
        return None
    return ground.change(
        names[0],
        ground.some(names[0], max(3, len(ground.cells) // 30)),
        lambda text: str((date.fromisoformat(text[:10]) - date(1899, 12, 30)).days),
        "date_forms",
        "dates_as_text",
    )


def far_date(ground: Ground) -> Spoilt | None:
    names = ground.columns(is_date)
    if not names:
        return None
    return ground.change(
        names[0],
        ground.some(names[0], 1),
        lambda text: f"{int(text[:4]) + 900}{text[4:]}",
        "far_dates",
        "dates_as_text",
        "date_gaps",
    )


def start_after_end(ground: Ground) -> Spoilt | None:
    rows = len(ground.cells)
    starts = [date(2024, 1, 1) + timedelta(days=ground.rng.randrange(600)) for _ in range(rows)]
    ends = [day + timedelta(days=ground.rng.randrange(3, 60)) for day in starts]
    wrong = sorted(ground.rng.sample(range(rows), 2))
    for row in wrong:
        starts[row], ends[row] = ends[row], starts[row]
    cells = [[*row, str(s), str(e)] for row, s, e in zip(ground.cells, starts, ends, strict=True)]
    return Spoilt([*ground.names, "Start", "End"], cells, ("start_after_end",), ("Start", "End"), wrong)


def wrong_sum(ground: Ground) -> Spoilt | None:
    names = ground.columns(lambda s: is_amount(s) and s.null_count() == 0, 3)
    if not names:
        return None
    sums = [sum(float(str(row[ground.names.index(n)])) for n in names) for row in ground.cells]
    wrong = sorted(ground.rng.sample(range(len(sums)), 2))
    for row in wrong:
        sums[row] = sums[row] * 1.1 + 3
    return _with_column(ground, "All", [f"{value:.10g}" for value in sums], ("sums_that_miss",), wrong)


def day_missing(ground: Ground) -> Spoilt | None:
    rows = len(ground.cells)
    if rows < 30:
        return None
    days = [date(2023, 3, 1) + timedelta(days=n) for n in range(rows + 3)]
    gap = ground.rng.randrange(10, rows - 5)
    days = days[:gap] + days[gap + 3 :]
    days[gap + 1] = days[gap]
    return _with_column(ground, "Day", [str(day) for day in days], ("date_gaps",), [])


def swapped(ground: Ground) -> Spoilt | None:
    words, numbers = ground.columns(is_word), ground.columns(is_number)
    if not words or not numbers:
        return None
    one, other = ground.names.index(words[0]), ground.names.index(numbers[0])
    cells = [list(row) for row in ground.cells]
    rows = ground.some(words[0], 2)
    was = {}
    for row in rows:
        was[(row, words[0])], was[(row, numbers[0])] = cells[row][one], cells[row][other]
        cells[row][one], cells[row][other] = cells[row][other], cells[row][one]
    return Spoilt(
        ground.names, cells, ("swapped_cells", "numbers_as_text"), (words[0], numbers[0]), rows, was
    )


def shifted(ground: Ground) -> Spoilt | None:
    words = ground.columns(is_word)
    numbers = [n for n in ground.names if is_number(ground.typed[n])]
    if not words or len(numbers) < 2 or len(ground.names) < 4:
        return None
    cells = [list(row) for row in ground.cells]
    rows = sorted(ground.rng.sample(range(1, len(cells)), 2))
    was = {}
    for row in rows:
        was |= {(row, name): cell for name, cell in zip(ground.names, cells[row], strict=True)}
        cells[row] = [None, *cells[row][:-1]]
    return Spoilt(ground.names, cells, ("shifted_cells", "swapped_cells", "numbers_as_text"), (), rows, was)


def yes_and_no(ground: Ground) -> Spoilt | None:
    words = ["yes", "no", "Y", "N", "true", "false"]
    cells: list[str | None] = [ground.rng.choices(words, [50, 50, 5, 5, 2, 2])[0] for _ in ground.cells]
    return _with_column(ground, "Certified", cells, ("yes_no_words",), [])


def currencies(ground: Ground) -> Spoilt | None:
    names = ground.columns(is_fraction)
    if not names:
        return None
    signs = ground.rng.choices(["EUR", "USD", "GBP"], [8, 2, 1], k=len(ground.cells))
    place = ground.names.index(names[0])
    cells: list[str | None] = [
        None if row[place] is None else f"{float(str(row[place])):.2f} {sign}"
        for row, sign in zip(ground.cells, signs, strict=True)
    ]
    return _with_column(ground, "Price", cells, ("mixed_currencies",), [])


def json_cells(ground: Ground) -> Spoilt | None:
    cells: list[str | None] = [
        json.dumps({"bay": ground.rng.randrange(9), "shelf": ground.rng.choice("abc")}) for _ in ground.cells
    ]
    return _with_column(ground, "Place", cells, ("json_cells",), [])


def addresses(ground: Ground) -> Spoilt | None:
    cells: list[str | None] = [
        f"{ground.rng.choice(['rowan', 'ash', 'elm'])}.{n}@larkmoor.example" for n in range(len(ground.cells))
    ]
    wrong = sorted(ground.rng.sample(range(len(cells)), 2))
    for row in wrong:
        cells[row] = str(cells[row]).replace("@", " at ")
    return _with_column(ground, "E-mail", cells, ("odd_shapes",), wrong)


def impossible(ground: Ground) -> Spoilt | None:
    name, low, high, wrong = ground.rng.choice(
        [
            ("Latitude", -60.0, 70.0, 191.5),
            ("Age", 18, 80, 312),
            ("Share (%)", 1, 99, 1040),
            ("Month", 1, 12, 15),
        ]
    )
    whole = isinstance(low, int)
    values = [ground.rng.randint(low, high) if whole else ground.rng.uniform(low, high) for _ in ground.cells]
    cells: list[str | None] = [str(v) if whole else f"{v:.4f}" for v in values]
    row = ground.rng.randrange(len(cells))
    cells[row] = str(wrong)
    return _with_column(ground, name, cells, ("impossible_values", "outliers"), [row])


def emptied_groups(ground: Ground) -> Spoilt | None:
    """The first column's value left only on the first row of its group."""
    for name in ground.names[:2]:
        series = ground.typed[name]
        starts = (series != series.shift(1)).fill_null(True)
        if (
            is_text(series)
            and series.null_count() == 0
            and 3 <= starts.sum() == series.n_unique() <= len(series) / 3
        ):
            rows = [n for n, first in enumerate(starts) if not first]
            return ground.change(name, rows, lambda _: None, "fill_down")
    return None


def lists(ground: Ground) -> Spoilt | None:
    names = ground.columns(lambda s: is_category(s) and not s.drop_nulls().str.contains(r"[;,/|]").any())
    if not names:
        return None
    values = ground.typed[names[0]].drop_nulls().unique().sort().to_list()
    rows = ground.some(names[0], max(4, len(ground.cells) // 8))
    spoilt = ground.change(
        names[0], rows, lambda text: f"{text}; {ground.rng.choice(values)}", "several_values"
    )
    if spoilt:
        spoilt.was = {}  # a row for each value is another table, not the old one
    return spoilt


def wrong_partner(ground: Ground) -> Spoilt | None:
    """Of two columns of which one says the other, a wrong value in two rows."""
    pairs = []
    categories = [n for n in ground.names if is_category(ground.typed[n])]
    for key in categories:
        for other in categories:
            if key == other:
                continue
            sizes = ground.typed.select(
                pl.struct(key, other).n_unique().alias("b"), pl.col(key).n_unique().alias("k")
            )
            few = ground.typed[other].n_unique()
            if (
                sizes["b"][0] == sizes["k"][0]
                and 2 < few < sizes["k"][0]
                and len(ground.cells) > 6 * sizes["k"][0]
            ):
                pairs.append((key, other))
    if not pairs:
        return None
    _, other = ground.rng.choice(pairs)
    values = ground.typed[other].drop_nulls().unique().sort().to_list()
    return ground.change(
        other,
        ground.some(other, 2),
        lambda text: ground.rng.choice([value for value in values if value != text]),
        "broken_dependency",
    )


PLANTERS: dict[str, Callable[[Ground], Spoilt | None]] = {
    "blanks around words": _in_column(is_word, lambda t: f" {t}  ", "stray_blanks"),
    "non-breaking blanks": _in_column(is_word, lambda t: f"{t}\u00a0", "stray_blanks"),
    "control characters": _in_column(is_word, lambda t: f"{t[:2]}\x07{t[2:]}", "control_characters"),
    "capitals": _in_column(is_category, str.upper, "variants"),
    "slips of the pen": _in_column(is_category, _typo, "look_alikes", cell=lambda t: len(t) > 7),
    "broken letters": _in_column(is_word, _broken, "broken_text", cell=lambda t: _broken(t) != t),
    "HTML entities": _in_column(is_word, _entities, "html_entities", cell=lambda t: _entities(t) != t),
    "thousands marks": _in_column(
        lambda s: is_amount(s) and float(s.median()) > 5000,
        _grouped,
        "number_writing",
        "numbers_as_text",
        share=1,  # type: ignore[arg-type]
    ),
    "thousands marks here and there": _in_column(
        lambda s: is_amount(s) and float(s.median()) > 5000,
        _grouped,
        "number_writing",
        "numbers_as_text",
        share=0.2,  # type: ignore[arg-type]
    ),
    "decimal commas": _in_column(
        is_fraction, lambda t: t.replace(".", ","), "number_writing", "numbers_as_text", share=1
    ),
    "decimal commas here and there": _in_column(
        is_fraction, lambda t: t.replace(".", ","), "number_writing", "numbers_as_text", share=0.15
    ),
    "a currency": _in_column(is_fraction, lambda t: f"€ {t}", "number_writing", "numbers_as_text", share=1),
    "a unit": _in_column(is_fraction, lambda t: f"{t} kg", "units_in_cells", "number_writing", share=1),
    "letter O": _in_column(
        is_number,
        lambda t: t.replace("0", "O", 1),
        "numbers_as_text",
        cell=lambda t: "0" in t[1:] and len(t) > 2,
    ),
    "words for empty": _in_column(is_number, lambda _: "not known", "placeholders", "numbers_as_text"),
    "words for empty among words": _in_column(is_word, lambda _: "n/a", "placeholders"),
    "a minus": _in_column(
        lambda s: is_amount(s) and float(s.min()) * 20 > float(s.median()),
        lambda t: f"-{t}",
        "negatives",  # type: ignore[arg-type]
    ),
    "brackets for negatives": _in_column(
        lambda s: is_number(s) and not is_amount(s) and bool((s < 0).sum() > 3),
        lambda t: f"({t[1:]})" if t.startswith("-") else t,
        "number_writing",
        "numbers_as_text",
        share=1,
    ),
    "sentinels": sentinel,
    "a number far off": far_number,
    "another unit": other_unit,
    "a total": total_row,
    "an average": average_row,
    "a footer": footer_line,
    "the header again": header_again,
    "a row of units": units_row,
    "a title above": title_above,
    "blank rows": blank_rows,
    "a blank column": blank_column,
    "a constant column": constant_column,
    "a column twice": same_column,
    "rows again": rows_again,
    "rows nearly again": nearly_again,
    "a key again": key_again,
    "date forms": date_forms,
    "date serials": date_serials,
    "a far date": far_date,
    "start after end": start_after_end,
    "a wrong sum": wrong_sum,
    "days missing": day_missing,
    "swapped cells": swapped,
    "shifted cells": shifted,
    "yes in several words": yes_and_no,
    "several currencies": currencies,
    "JSON in cells": json_cells,
    "odd addresses": addresses,
    "impossible values": impossible,
    "groups to be filled down": emptied_groups,
    "lists in cells": lists,
    "a wrong partner": wrong_partner,
}
