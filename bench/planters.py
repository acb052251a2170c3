"""Defects put into tables that nobody here made, each in columns and rows that chance chooses.

A planter takes the table as text and its types, and gives the spoilt table with what it did; None where the table has no
place for such a defect.
"""

from __future__ import annotations

import json
from collections.abc import Callable
from datetime import date, timedelta

import polars as pl

from ground import Ground, Spoilt, is_amount, is_category, is_date, is_fraction, is_number, is_word
from spoilt_rows import (
    average_row,
    blank_rows,
    emptied_groups,
    footer_line,
    header_again,
    key_again,
    nearly_again,
    rows_again,
    shifted,
    swapped,
    title_above,
    total_row,
    typo,
    units_row,
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


def _grouped(text: str) -> str:
    return f"{float(text):,.2f}" if "." in text else f"{int(text):,}"


def _entities(text: str) -> str:
    return text.replace("&", "&amp;") if "&" in text else text.replace("'", "&#39;").replace("é", "&eacute;")


def _broken(text: str) -> str:
    try:
        return text.encode("utf-8").decode("cp1252")
    except UnicodeDecodeError:
        return text


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
    "slips of the pen": _in_column(is_category, typo, "look_alikes", cell=lambda t: len(t) > 7),
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
