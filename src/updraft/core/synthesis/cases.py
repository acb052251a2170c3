"""Results that follow from all examples together: a line through them, or a result for each value."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence

from updraft.core.formula.writing import quoted
from updraft.core.letters import plain_text as plain
from updraft.core.synthesis.amounts import number_at, number_of
from updraft.core.synthesis.numbers import decimals_of, fixed
from updraft.core.synthesis.pieces import Piece, Row
from updraft.core.synthesis.spans import Dated, dated
from updraft.core.synthesis.splitting import taken_from

_FEW = 12  # different values of a column that each may have a result of its own
_DEAR = 9.0  # a table of cases says nothing of what it does not list


def lines_through(columns: Sequence[Piece], rows: Sequence[Row], given: Mapping[int, str]) -> Iterator[Piece]:
    """A column times a number, plus a number: what a factor or two examples say.

    Args:
        given: row → its result.
    """
    goals = {at: number_of(wanted) for at, wanted in given.items()}
    if any(goal is None for goal in goals.values()):
        return
    places = max(decimals_of(wanted) for wanted in given.values())
    for piece in [*columns, *_years(columns, rows, next(iter(given)))]:
        read = {at: number_of(piece.of(rows[at]) or "") for at in given}
        if any(value is None for value in read.values()):
            continue
        points = sorted({(float(read[at] or 0), float(goals[at] or 0)) for at in given})
        for factor, plus in _lines(points):
            line = _line(piece, factor, plus, places)
            if all(line.of(rows[at]) == wanted for at, wanted in given.items()):
                yield line


def _years(columns: Sequence[Piece], rows: Sequence[Row], at: int) -> Iterator[Piece]:
    """The years of columns of dates: 2026 less the year of birth."""
    for piece in columns:
        day = dated(piece, [piece.of(row) for row in rows], at)
        if day is None:
            continue

        def of(row: Row, day: Dated = day) -> str | None:
            found = day.of(row)
            return None if found is None else str(found.year)

        yield Piece(f"text(year({day.formula}))", of, piece.cost + 0.8, f"the year of {piece.words}")


def _lines(points: list[tuple[float, float]]) -> Iterator[tuple[float, float]]:
    """Factor and addend that may be meant: those with few figures."""
    x, y = points[0]
    if x and y:
        yield float(f"{y / x:.4g}"), 0.0
    if len(points) > 1 and points[1][0] != x:
        slope = (points[1][1] - y) / (points[1][0] - x)
        for figures in (3, 6, 12):
            factor = float(f"{slope:.{figures}g}")
            if factor:
                yield factor, float(f"{y - factor * x:.{figures}g}")


def _line(piece: Piece, factor: float, plus: float, places: int) -> Piece:
    number = f"number({piece.formula})"
    formula = f"{number} * {factor!r}" + (f" {'+' if plus > 0 else '-'} {abs(plus)!r}" if plus else "")
    words = f"{piece.words} times {factor:g}" + (
        f", {'plus' if plus > 0 else 'less'} {abs(plus):g}" if plus else ""
    )
    if factor == -1:
        formula, words = f"{plus!r} - {number}", f"{plus:g} less {piece.words}"

    def of(row: Row) -> str | None:
        value = number_at(1, piece.of(row) or "")
        text = None if value is None else fixed(value * factor + plus, max(places, 6))
        if text is None or places:
            return None if value is None else fixed(value * factor + plus, places)
        return repr(float(text) + 0.0).removesuffix(".0")

    call = f"fixed({formula}, {places})" if places else f"text(round({formula}, 6))"
    figures = len(f"{factor:g}".partition("e")[0].replace(".", "").strip("0-"))
    return Piece(call, of, piece.cost + 4.0 + 1.5 * bool(plus) + 0.8 * max(figures - 2, 0), words)


def _is_made_of(row: Row, wanted: str) -> bool:
    """Whether a result holds words of its row: then it was made of them, and is none of a table."""
    told = plain(" ".join(cell for cell in row if cell)).lower()
    return bool(taken_from(told, re.findall(r"[^\W\d_]{3,}|\d+", plain(wanted).lower())))


def _heads(columns: Sequence[Piece], rows: Sequence[Row]) -> Iterator[Piece]:
    """The letters that columns of codes begin with, where few are different: INV of INV-202."""
    for piece in columns:
        texts = [text for row in rows if (text := piece.of(row))]
        heads = {found[1] for text in texts if (found := _HEAD.match(text))}
        if 1 < len(heads) <= len(texts) / 2 and all(map(_HEAD.match, texts)):
            call = f"extract({{}}, {quoted(_HEAD.pattern)})"
            yield piece.made(call, _head, 1.0, "the letters at the start of {}")


_HEAD = re.compile("^([A-Za-z]+)[^A-Za-z]*[0-9]")


def _head(text: str) -> str | None:
    found = _HEAD.match(text)
    return found[1] if found else None


def result_of_each(
    columns: Sequence[Piece], rows: Sequence[Row], given: Mapping[int, str], *, alone: bool
) -> Iterator[Piece]:
    """For a column of few values: each value that an example has gives its result, others nothing.

    Args:
        alone: nothing else gives the examples; else only values that repeat are taken for cases.
    """

    for piece in [*columns, *_heads(columns, rows)]:
        texts = [text for row in rows if (text := piece.of(row))]
        values = set(texts)
        if 2 * len(values) > len(texts) and not (alone and len(given) > 1):
            continue
        cases: dict[str, str] = {}
        for at, wanted in given.items():
            text = piece.of(rows[at])
            if not text or cases.setdefault(text, wanted) != wanted:
                break
        else:
            told = piece in columns or (len(cases) > 1 and not any(map(str.isdigit, "".join(cases.values()))))
            if len(values) <= _FEW and all(cases) and told:
                pairs = [f"{piece.formula} == {quoted(old)}, {quoted(new)}" for old, new in cases.items()]
                made_of = sum(_is_made_of(rows[at], given[at]) for at in given) / len(given)
                made_of = made_of if piece in columns else 0.0  # INV is short for invoice
                said = ", ".join(f"“{old}” gives “{new}”" for old, new in cases.items())
                yield Piece(
                    f"choose({', '.join(pairs)})",
                    lambda row, piece=piece, cases=cases: cases.get(piece.of(row) or ""),  # type: ignore[misc]
                    piece.cost
                    + _DEAR
                    + 9.0 * made_of
                    + 4.5 * (len(columns) > 1 and all(number_of(text) is not None for text in values))
                    - (2.5 if len(cases) > 1 and 2 * len(values) <= len(texts) else 0),
                    f"by the value of {piece.words}: {said}",
                )
