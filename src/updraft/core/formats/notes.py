"""Lines of notes below a table: a source, a footnote, a sign that ends the file."""

from __future__ import annotations

import re

import polars as pl

_MOST = 10  # lines of notes
_LOOK = 400  # rows that tell what the columns hold
_NUMBER = r"^\s*[-+(]?[\d.,]*\d[\d.,:/ -]*\)?\s*%?\s*$"
_WORDS = re.compile(
    r"\s*(\*|†|‡|\(?\d{1,2}\)|\[\d{1,2}\]|(notes?|sources?|remarks?|footnote|legend|end of|printed|generated|"
    r"exported|created|©|copyright|quelle|anmerkung|fuente|nota|fonte)\b)",
    re.IGNORECASE,
)


def notes_below(frame: pl.DataFrame) -> list[str]:
    """The notes in the last rows of a table as it was read, one text a row; none where they may be data.

    A row is a note when it fills at most a third of what rows usually fill (one cell of two), holds no
    number, and one of its cells cannot belong to its column: text among numbers, a text far longer than the
    others, or one that begins as notes do. Totals hold numbers and stay.

    Args:
        frame: text columns.
    """
    if frame.width < 2 or frame.height < 5:
        return []
    end = frame.tail(_MOST + 1)
    filled = end.select(pl.sum_horizontal(pl.all().is_not_null())).to_series().to_list()
    body = frame.head(frame.height - len(filled) + 1)
    body = body.gather_every(max(body.height // _LOOK, 1))
    counts = body.select(pl.sum_horizontal(pl.all().is_not_null())).to_series()
    usual = int(counts.median() or 0)  # type: ignore[arg-type]  # of numbers it is a number
    most = usual // 3 if usual > 2 else usual - 1
    if most < 1:
        return []
    numeric = {s.name for s in body if _is_numeric(s)}
    longest = {s.name: int(s.str.len_chars().max() or 0) for s in body}  # type: ignore[arg-type]
    notes: list[str] = []
    for count, row in zip(reversed(filled), reversed(end.rows(named=True)), strict=True):
        cells = {name: cell for name, cell in row.items() if cell is not None}
        numbers = any(re.match(_NUMBER, cell) for cell in cells.values())
        above = count == 1 and sum(map(bool, notes)) > 1 and not numbers
        if count > most or (count and not above and not _is_note(cells, numeric, longest)):
            break
        notes.append(" ".join(cells.values()))
    while notes and not notes[-1]:
        notes.pop()  # blank rows belong to the table
    return notes[::-1] if 0 < len(notes) <= min(_MOST, frame.height // 3) else []


def _is_numeric(series: pl.Series) -> bool:
    texts = series.drop_nulls()
    return texts.len() >= 3 and int(texts.str.contains(_NUMBER).sum()) >= 0.9 * texts.len()


def _is_note(cells: dict[str, str], numeric: set[str], longest: dict[str, int]) -> bool:
    if any(re.match(_NUMBER, cell) for cell in cells.values()):
        return False
    if any(name in numeric for name in cells) or _WORDS.match(next(iter(cells.values()))):
        return True
    return all(len(cell) > max(2 * longest[name], 20) for name, cell in cells.items())
