"""Planters that put rows in, take them apart or repeat them."""

from __future__ import annotations

from ground import Ground, Spoilt, is_key, is_number, is_text, is_word


def typo(text: str) -> str:
    middle = len(text) // 2
    return text[:middle] + text[middle + 1 :] if len(text) > 7 else text


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
        copy[place] = typo(str(copy[place]))
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
