"""Find the header of a table in its first rows: below title lines, above the data, or not there at all."""

from __future__ import annotations

import re
from collections import Counter
from dataclasses import dataclass
from itertools import pairwise

LOOK = 60  # rows looked at
_MISSING = frozenset({"na", "n/a", "nan", "null", "-", ".", "?", "none"})  # they say nothing of their column

Row = list[str | None]


@dataclass(frozen=True)
class Header:
    """`skip` rows stand above; `present` says whether the row at `skip` names the columns."""

    skip: int
    present: bool
    reason_skip: str
    reason_header: str


def find_header(rows: list[Row], skip: int | None = None) -> Header:
    """Where the table starts, and whether its first row is a header.

    Title lines fill fewer cells than the table is wide. A first row is a header when its cells are texts of
    another shape than the cells below them ("Order" above "LM-20314", "Packets" above "12"), or stand above
    few values that come again and again and are none of them; it is data when they share a shape that says
    something, or are values of their columns. Plain words above plain words say nothing. Votes are counted
    column by column; a tie goes to the header if its texts all differ.

    Args:
        rows: the first rows, empty cells as None.
        skip: rows above the table where a person said so.
    """
    filled = [sum(cell is not None and bool(cell.strip()) for cell in row) for row in rows]
    start, why = (skip, "as set") if skip is not None else _start(filled)
    if skip is None and start and _is_short_header(rows[start - 1], rows[start:]):
        start, why = start - 1, "the row above names all columns but the first"
    if start >= len(rows):
        return Header(start, False, why, "no row is left")
    present, reason = _votes(rows[start], rows[start + 1 :])
    return Header(start, present, why, reason)


def _start(filled: list[int]) -> tuple[int, str]:
    wide = Counter(count for count in filled if count > 1).most_common()
    if not wide:
        first = next((n for n, count in enumerate(filled) if count), 0)
        return first, "the first row with a value"
    usual = max(wide, key=lambda pair: (pair[1], pair[0]))[0]
    need = max(2, round(usual * 0.7))
    start = next(n for n, count in enumerate(filled) if count >= need)
    if not start:
        return 0, "the first row is as wide as the table"
    lines = "1 line above fills" if start == 1 else f"{start} lines above fill"
    return start, f"{lines} fewer than {need} of the usual {usual} cells"


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
    years = _are_years(first, below)
    for place, cell in enumerate(first):
        if not cell or not cell.strip():
            continue
        others = [row[place] for row in below if place < len(row) and row[place]]
        texts = [text.strip() for text in others if text and text.strip()]
        texts = [text for text in texts if text.lower() not in _MISSING]
        if place in years:
            header += 2
        elif _numeric(cell):
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
            data += bool(_signs_of_all(texts) & set(cell))
    if header > data:
        return True, "its cells are texts of another shape than those below"
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
    found = [n for n, cell in enumerate(first) if cell and re.fullmatch(r"\s*(1[5-9]|20)\d\d\s*", cell)]
    if len(found) < 3 or any(int(first[b] or 0) - int(first[a] or 0) != 1 for a, b in pairwise(found)):
        return set()
    cells = [row[n] for row in below for n in found if n < len(row) and row[n]]
    like = sum(bool(re.fullmatch(r"\s*(1[5-9]|20)\d\d\s*", cell or "")) for cell in cells)
    return set(found) if like * 10 < max(len(cells), 1) else set()


def _numeric(cell: str) -> bool:
    return bool(re.fullmatch(r"\s*[-+]?[\d.,:/ -]*\d[\d.,:/% -]*([eE][-+]?\d{1,3})?", cell))


def _shape(cell: str) -> str:
    """The shape of a text: its first twelve characters with letters and digits generalised."""
    text = re.sub(r"[^\W\d_]", "a", re.sub(r"\d", "9", cell.strip()[:12]))
    return text if any(c not in "a " for c in text) or len(text) <= 3 else "text"


def column_names(header: Row | None, width: int) -> tuple[list[str], list[str]]:
    """Names for all columns, with a sentence for each name that had to be made up or changed."""
    names: list[str] = []
    said: list[str] = []
    for place in range(width):
        raw = header[place] if header is not None and place < len(header) else None
        name = re.sub(r"\s+", " ", raw or "").strip()
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
