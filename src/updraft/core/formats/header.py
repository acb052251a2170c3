"""Find the header of a table in its first rows: below title lines, above the data, or not there at all."""

from __future__ import annotations

import re
from collections import Counter
from dataclasses import dataclass
from itertools import pairwise, zip_longest

LOOK = 60  # rows looked at
LONGEST_NUMBER = 64  # signs
_SAYS_MUCH = 6  # cells below two years that are none
_YEAR = r"\s*(1[5-9]|20)\d\d\s*"
OTHER_SHAPE = "its cells are texts of another shape than those below"
_UNIT = (
    r"[\[(].*[\])]|%|°.|[munkMGµ]?[gmlLsVWAJN]|k?Pa|kWh?|[cmk]m[²³23]?|t|ha|EUR|USD|GBP|€|\$|£|pcs|h|min|"
    r"years?|days?"
)
# What columns are often called; a table without names seldom says such a word in its first cells.
_USUAL_NAMES = frozenset({
    "id", "key", "name", "title", "code", "value", "number", "date", "time", "year", "month", "day",
    "country", "city", "region", "state", "place", "address", "type", "kind", "class", "category", "group",
    "status", "description", "comment", "note", "notes", "amount", "price", "cost", "total", "count",
    "quantity", "weight", "height", "length", "unit", "units", "latitude", "longitude", "lat", "lon", "x",
    "y", "email", "phone", "url", "sex", "gender", "age", "label", "text", "author", "source",
})  # fmt: skip
_MISSING = frozenset({"na", "n/a", "nan", "null", "-", ".", "?", "none"})  # they say nothing of their column

Row = list[str | None]


@dataclass(frozen=True)
class Header:
    """`skip` rows stand above; `present` says whether the row at `skip` names the columns, and the `lines`
    from there; `below` rows between them and the data hold units.
    """

    skip: int
    present: bool
    reason_skip: str
    reason_header: str
    below: int = 0
    lines: int = 1


def find_header(rows: list[Row], skip: int | None = None, lines: int | None = None) -> Header:
    """Where the table starts, and whether its first row is a header.

    Title lines fill fewer cells than the table is wide. A first row is a header when its cells are texts of
    another shape than the cells below them ("Order" above "LM-20314", "Packets" above "12"), or stand above
    few values that come again and again and are none of them; it is data when they share a shape that says
    something, or are values of their columns. Plain words above plain words say nothing. Votes are counted
    column by column; a tie goes to the header if its texts all differ.

    Args:
        rows: the first rows, empty cells as None.
        skip, lines: rows above the table and how many name the columns, where a person said so. Names that
            come again are told apart by a second row: of groups above them, or of more about them below.
    """
    filled = [sum(cell is not None and bool(cell.strip()) for cell in row) for row in rows]
    start, why = (skip, "as set") if skip is not None else _start(filled, lines or 1)
    if skip is None and start and _is_short_header(rows[start - 1], rows[start:]):
        start, why = start - 1, "the row above names all columns but the first"
    if start >= len(rows):
        return Header(start, False, why, "no row is left", lines=lines or 1)
    present, reason = _votes(rows[start], rows[start + 1 :])
    if skip is None and start and not present and _names_the_first(rows[start - 1], rows[start:]):
        start, present, reason = start - 1, True, "its cells are texts above other columns than text"
        why = "the row above names the first columns"
    if lines is None:
        start, lines, told = _two_rows(rows, start, present, skip is not None)
        why = told or why
    return Header(start, present, why, reason, _units(rows[start + lines :]) if present else 0, lines)


def _two_rows(rows: list[Row], start: int, present: bool, fixed: bool) -> tuple[int, int, str]:
    """Where the names begin, how many rows they take, and why they begin there.

    Two, where the names in one row come again, and one above, of groups, or one below, which itself looks
    like names, makes them all differ.

    Args:
        fixed: a person said where they begin.
    """
    names = [(cell or "").strip() for cell in rows[start]]
    given = [name for name in names if name]
    if not present or len(given) - len(set(given)) < 2:
        return start, 1, ""
    above = rows[start - 1] if start and not fixed else []
    groups = [cell for cell in above if cell and cell.strip()]
    if len(groups) > 1 and not any(map(_numeric_but_years, groups)) and _differ(above, rows[start]):
        return start - 1, 2, "the row above names groups of columns"
    below = rows[start + 1] if start + 2 < len(rows) else []
    if below and _differ(rows[start], below) and _votes(below, rows[start + 2 :]) == (True, OTHER_SHAPE):
        return start, 2, ""
    return start, 1, ""


def _numeric_but_years(cell: str) -> bool:
    return _numeric(cell) and not re.fullmatch(_YEAR, cell)


def _differ(upper: Row, lower: Row) -> bool:
    """Whether the names that two rows make together all differ, and all columns have one."""
    filled: list[str] = []
    for cell in upper:
        filled.append((cell or "").strip() or (filled[-1] if filled else ""))
    both = [(up, (low or "").strip()) for up, low in zip_longest(filled, lower, fillvalue="")]
    return len(set(both)) == len(both) and all(any(pair) for pair in both)


def _units(below: list[Row]) -> int:
    """How many rows under the names hold units: texts, or nothing, where nearly all rows under them hold
    numbers.

    One text is enough where it is a unit by itself and the row holds little else.
    """
    for many in range(min(3, max(len(below) - 4, 0)), 0, -1):
        data = below[many:]
        places = [n for n in range(max(map(len, data))) if _are_numbers(data, n)]
        if places and all(_is_units(row, places) for row in below[:many]):
            return many
    return 0


def _are_numbers(rows: list[Row], place: int) -> bool:
    cells = [row[place] for row in rows if place < len(row)]
    texts = [cell for cell in cells if cell and cell.strip().lower() not in _MISSING]
    return len(texts) * 4 > len(rows) and sum(map(_numeric, texts)) >= 0.9 * len(texts)


def _is_units(row: Row, places: list[int]) -> bool:
    cells = [(row[n] or "").strip() for n in places if n < len(row)]
    texts = [cell for cell in cells if cell]
    if any(_numeric(cell) or cell.lower() in _MISSING for cell in texts):
        return False
    others = sum(bool(cell and cell.strip()) for cell in row) - len(texts)
    units = [cell for cell in texts if re.fullmatch(_UNIT, cell)]
    return len(texts) > 1 or (bool(units) and others <= 1)


def _start(filled: list[int], lines: int) -> tuple[int, str]:
    wide = Counter(count for count in filled if count > 1).most_common()
    if not wide:
        first = next((n for n, count in enumerate(filled) if count), 0)
        return first, "the first row with a value"
    usual = max(wide, key=lambda pair: (pair[1], pair[0]))[0]
    need = max(2, round(usual * 0.7))
    full = [n for n, count in enumerate(filled) if count >= need]
    # A title may fill nearly as many cells by chance, but the row after it does not.
    widest = max(filled)
    start = next((n for n in full if filled[n] == widest or n + 1 in full or lines > 1), full[0])
    if not start:
        return 0, "the first row is as wide as the table"
    above = "1 line above fills" if start == 1 else f"{start} lines above fill"
    return start, f"{above} fewer than {need} of the usual {usual} cells"


def _is_short_header(row: Row, below: list[Row]) -> bool:
    """Whether a row names all columns but the first, which holds the names of the rows.

    Its first cell is empty, or it lacks one and the rows are numbered.
    """
    width = len(below[0])
    if width < 2 or not all(cell and cell.strip() for cell in row[1:]):
        return False
    if len(row) == width:
        return not (row[0] or "").strip() and any(not _numeric(cell or "") for cell in row[1:])
    numbers = [cells[0] for cells in below if cells]
    return len(row) == width - 1 and numbers == [str(n) for n in range(1, len(numbers) + 1)]


def _names_the_first(row: Row, below: list[Row]) -> bool:
    """Whether a row that is shorter than those below it names their first columns, and not all of them."""
    names = [cell.strip() for cell in row if cell and cell.strip()]
    if len(names) < 3 or len(names) != len(row) or len(set(names)) != len(names):
        return False
    present, reason = _votes(row, below)
    return present and reason == OTHER_SHAPE and not any(_numeric(name) for name in names)


def aligned(header: list[Row], below: list[Row]) -> list[Row]:
    """The header's one row with an empty name before the others, where each row has one cell more than it.

    So programs write a table whose rows have names; a delimiter at each row's end leaves the last cell empty.
    """
    if len(header) != 1 or not below or any(len(row) != len(header[0]) + 1 for row in below if row):
        return header
    filled = sum(bool(row and row[-1]) for row in below)
    return [[None, *header[0]]] if filled * 2 > len(below) else header


def _votes(first: Row, below: list[Row]) -> tuple[bool, str]:
    names = [cell.strip() for cell in first if cell and cell.strip()]
    if not below:
        return True, "there is only this row"
    header = data = 0
    steps = _are_years(first, below) | _are_steps(first, below)
    for place, cell in enumerate(first):
        if not cell or not cell.strip():
            continue
        others = [row[place] for row in below if place < len(row) and row[place]]
        texts = [text.strip() for text in others if text and text.strip()]
        texts = [text for text in texts if text.lower() not in _MISSING]
        header += cell.strip().lower() in _USUAL_NAMES and cell.strip() not in texts
        if place in steps:
            header += 2
        elif _numeric(cell) or not any(map(str.isalpha, cell)):
            data += 2
        elif texts and sum(map(_numeric, texts)) >= len(texts) * 0.7:
            header += 2
        elif cell.strip() in texts:
            data += 1
        elif texts:
            shape, often = Counter(map(_shape, texts)).most_common(1)[0]
            if often >= len(texts) * 0.7 and (shape != "text" or _shape(cell) != "text"):
                header, data = (header, data + 1) if shape == _shape(cell) else (header + 1, data)
            if len(texts) >= 4 and len(set(texts)) <= len(texts) / 2 and _shape(cell) == "text":
                header += 1
            # A value that a column of few would have nowhere else is likely its name.
            header += 2 * (len(texts) >= 8 and len(set(texts)) <= len(texts) / 4)
            data += bool(_signs_of_all(texts) & set(cell))
    if header > data:
        return True, OTHER_SHAPE
    if data > header:
        return False, "the first row looks like the rows below it"
    return len(set(names)) == len(names), "its cells are texts that all differ"


def _signs_of_all(texts: list[str]) -> set[str]:
    """The signs that every text of a column holds, as paths hold / and addresses @: its name does not."""
    if len(texts) < 5 or len(set(texts)) < 5:
        return set()
    return set.intersection(*map(set, texts)) & set("/.:@\\&+=*<>()[]{}|~^%$")


def _are_years(first: Row, below: list[Row]) -> set[int]:
    """Places of a first row that name columns by years in a row, above cells that are no years."""
    found = [n for n, cell in enumerate(first) if cell and re.fullmatch(_YEAR, cell)]
    if len(found) < 2 or any(int(first[b] or 0) - int(first[a] or 0) != 1 for a, b in pairwise(found)):
        return set()
    cells = [row[n] for row in below for n in found if n < len(row) and row[n]]
    like = sum(bool(re.fullmatch(_YEAR, cell or "")) for cell in cells)
    few = len(found) < 3 and (like or len(cells) < _SAYS_MUCH)
    return set(found) if like * 10 < max(len(cells), 1) and not few else set()


def _are_steps(first: Row, below: list[Row]) -> set[int]:
    """Places of a first row that name columns by five or more numbers, each larger than the one before, which
    the rows below are not.
    """
    found = [n for n, cell in enumerate(first) if cell and _number(cell) is not None]
    if len(found) < 5 or not _rises(first, found):
        return set()
    rising = sum(_rises(row, found) for row in below)
    return set(found) if rising * 10 <= len(below) else set()


def _rises(row: Row, places: list[int]) -> bool:
    numbers = [_number(row[n] or "") if n < len(row) else None for n in places]
    return None not in numbers and all(b > a for a, b in pairwise(numbers))  # type: ignore[operator]  # none is None


def _number(cell: str) -> float | None:
    return float(cell) if re.fullmatch(r"\s*-?\d+(\.\d+)?\s*", cell) else None


def _numeric(cell: str) -> bool:
    text = cell.strip()
    if len(text) > LONGEST_NUMBER:  # the pattern takes the square of the time for the length
        return False
    return bool(re.fullmatch(r"[-+]?[\d.,:/ -]*\d[\d.,:/% -]*([eE][-+]?\d{1,3})?", text))


def _shape(cell: str) -> str:
    """The shape of a text: its first twelve characters with letters and digits generalised."""
    plain = re.sub(r"\d", "9", cell.strip()[:12])
    text = re.sub(r"[^\W\d_]", "A" if len(plain) <= 3 and plain.isupper() else "a", plain)
    return text if any(c not in "a " for c in text) or len(text) <= 3 else "text"


# Control characters, marks that turn the writing round, a byte-order mark. Joiners in a word are its own.
_UNSEEN = re.compile(r"[\x00-\x08\x0b-\x1f\x7f\u2028-\u202e\u2066-\u2069\ufeff]")
LONGEST_NAME = 300  # signs that a column's name has at most


def sound_names(names: list[str]) -> tuple[list[str], list[str]]:
    """Names without signs that cannot be seen and none too long, with a sentence for each changed one."""
    made: list[str] = []
    said: list[str] = []
    for place, old in enumerate(names, start=1):
        name = _sound(old) or f"Column {place}"
        base, number = name, 2
        while name != old and (name in made or name in names):
            name, number = f"{base} ({number})", number + 1
        if name != old:
            why = "is very long" if len(old) > LONGEST_NAME else "has signs that cannot be seen"
            said.append(f"The name of column {place} {why}; it is called “{name}”.")
        made.append(name)
    return made, said


def _sound(name: str) -> str:
    seen = _UNSEEN.sub("", name).strip() if _UNSEEN.search(name) else name
    return seen if len(seen) <= LONGEST_NAME else seen[: LONGEST_NAME - 1] + "…"


def column_names(header: Row | None, width: int) -> tuple[list[str], list[str]]:
    """Names for all columns, with a sentence for each name that had to be made up or changed."""
    names: list[str] = []
    said: list[str] = []
    for place in range(width):
        raw = header[place] if header is not None and place < len(header) else None
        plain = re.sub(r"\s+", " ", raw or "").strip()
        name = _sound(plain)
        if len(name) < len(plain) and len(plain) > LONGEST_NAME:
            said.append(f"The name of column {place + 1} is very long; it is called “{name}”.")
        if not name:
            name = f"Column {place + 1}"
            if header is not None:
                said.append(f"Column {place + 1} has no name; it is called “{name}”.")
        base, number = name, 2
        while name in names:
            name, number = f"{base} ({number})", number + 1
        if name != base:
            said.append(f"“{base}” stands there more than once; column {place + 1} is called “{name}”.")
        names.append(name)
    return names, said
