"""The numbers that a row holds: figures, amounts with units, times, fractions, counts of what there is."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from functools import partial

from updraft.core.formula.functions.numbers import ROMAN, ROMAN_LESS, ROMAN_VALUES
from updraft.core.formula.functions.text import NUMBER
from updraft.core.formula.writing import quoted
from updraft.core.synthesis.figures import Number
from updraft.core.synthesis.pieces import Piece, Row
from updraft.core.values.dressed import UNITS

_FOUND = re.compile(NUMBER)
_PLAIN = re.compile(r"-?(?:\d+|\d{1,3}(?:,\d{3})+)(?:\.\d+)?")
_AMOUNT = re.compile(r"(?:(\d+)\s*[xX×*]\s*)?(\d+(?:[.,]\d+)?)\s*([a-zA-Z]+)\.?")
_COLUMN = re.compile(r"[^(]+|text\([^(]+\)")
_TARGETS = ("mg", "g", "kg", "ml", "l", "mm", "cm", "m", "km")
_BRACKETED = re.compile(r"^\(\s*(\d[\d,.]*)\s*\)$")
_POWER = re.compile(r"-?\d+(\.\d+)?[eE][+-]?\d{1,2}")
_DATE, _OF_A_DATE = re.compile(r"\d{1,4}([./-])\d{1,2}\1\d{1,4}"), 1.0  # whose numbers are no amounts
_A_TIME = r" *(?:[0-9]|[01][0-9]|2[0-4]):[0-5][0-9] *"  # for formulas, too
_BARE = re.compile(r"-?\d+(\.\d+)?")
_GROUPED = re.compile(r"-?\d{1,3}(,\d{3})+(\.\d+)?")


def amounts_in(pieces: list[tuple[str, Piece]]) -> Iterator[tuple[Number, float]]:
    """The numbers that stand in the row."""
    for text, piece in pieces:
        for place in (1, 2, 3):
            found = number_at(place, text)
            if found is None or abs(found) >= 1e15:
                break  # a code of so many digits is no number
            call = f"number({piece.formula})" if place == 1 else f"number({piece.formula}, {place})"
            words = piece.words if place == 1 else f"number {place} of {piece.words}"
            of = _on(piece, partial(number_at, place))
            whole = place == 1 and _COLUMN.fullmatch(piece.formula) is not None
            cost = piece.cost + 0.4 * place + _OF_A_DATE * (_DATE.fullmatch(text) is not None)
            yield Number(call, of, cost, words, whole), found
        yield from _summed(text, piece)
        yield from _measured(text, piece)
        yield from _shortened(text, piece)
        if (value := roman(text)) is not None:
            call = f"from_roman({piece.formula})"
            yield Number(call, _on(piece, roman), piece.cost + 0.6, f"the Roman number {piece.words}"), value
        yield from _counted(text, piece)
        yield from _lasting(text, piece)
        yield from _playing(text, piece)
        yield from _fraction(text, piece)
        if (minutes := clock(text)) is not None:
            minutes_of = f"number({piece.formula}) * 60 + number({piece.formula}, 2)"
            call = f"choose(fits({piece.formula}, {quoted(_A_TIME)}), {minutes_of})"
            of = _on(piece, clock)
            yield Number(call, of, piece.cost + 0.8, piece.words), minutes
        turned = _degrees(text)
        if turned is not None:
            number = Number(
                f"degrees({piece.formula})", _on(piece, _degrees), piece.cost + 1, f"{piece.words} in degrees"
            )
            yield number, turned


# Spans of time: how a part is found, in formulas as in Python, and how many minutes it counts.
_SPANS = [
    (f"([0-9.]+) ?{unit}", size)
    for unit, size in (("w", 10_080.0), ("d", 1440.0), ("h", 60.0), ("m", 1.0), ("s", 1 / 60))
]
_SPAN_HERE = r"\s*([0-9.]+ ?(w|d|h|m|s)[a-z]*[.]?[ ,]*)+"  # for formulas
_SPAN = re.compile(r"\s*([0-9.]+ ?(w|d|h|m|s)[a-z]*\.?[ ,]*)+", re.I)


def _lasting(text: str, piece: Piece) -> Iterator[tuple[Number, float]]:
    """A span such as “1h 35m” in minutes and in the others of its units, whichever of its parts are there."""
    if not _SPAN.fullmatch(text) or not (found := lasts(text)):
        return
    low = f"lower({piece.formula})" if text != text.lower() else piece.formula
    for name, unit in (("minutes", 1.0), ("hours", 60.0), ("seconds", 1 / 60), ("days", 1440.0)):
        parts = [
            f"if_empty(number(extract({low}, {quoted(pattern)})), 0) {_times(size / unit)}"
            for pattern, size in _SPANS
            if unit > 1 / 60 or size < 1440
        ]
        reckoned = " + ".join(part.removesuffix(" * 1") for part in parts)
        formula = f"choose(fits({low}, {quoted(_SPAN_HERE)}), {reckoned})"

        def of(row: Row, unit: float = unit) -> float | None:
            minutes = lasts(piece.of(row) or "")
            return None if minutes is None else minutes / unit

        cost = piece.cost + 1.2 + 0.3 * (name != "minutes")
        yield Number(formula, of, cost, f"how long {piece.words} is in {name}"), found / unit


_PLAYED = re.compile(r"(?:([0-9]{1,2}):)?([0-9]{1,3}):([0-9]{2})")


def _playing(text: str, piece: Piece) -> Iterator[tuple[Number, float]]:
    """A length such as 4:05 or 1:04:05 in seconds."""
    value = _played(text)
    if value is not None:
        at = piece.formula
        fits = f"fits({at}, {quoted(_PLAYED.pattern)})"
        longer = f"number({at}) * 3600 + number({at}, 2) * 60 + number({at}, 3)"
        call = (
            f"choose(not {fits}, None, occurs({at}, ':') == 2, {longer}, number({at}) * 60 + number({at}, 2))"
        )
        yield Number(call, _on(piece, _played), piece.cost + 1.5, f"{piece.words} in seconds"), value


def _played(text: str) -> float | None:
    found = _PLAYED.fullmatch(text)
    return float(found[1] or 0) * 3600 + float(found[2]) * 60 + float(found[3]) if found else None


_PARTED = re.compile(r"(?:([0-9]+) )?([0-9]+)/([0-9]+)")


def _fraction(text: str, piece: Piece) -> Iterator[tuple[Number, float]]:
    """A number such as 3 1/2; those without a fraction stay."""
    value = _with_fraction(text) if _PARTED.fullmatch(text) else None
    if value is not None:
        at = piece.formula
        whole = f"if_empty(number(extract({at}, '^([0-9]+) ')), 0)"
        part = f"number(extract({at}, '([0-9]+)/')) / number(extract({at}, '/([0-9]+)'))"
        fits = f"fits({at}, {quoted(_PARTED.pattern)})"
        call = f"choose({fits}, {whole} + {part}, contains({at}, '/'), None, number({at}))"
        yield (
            Number(call, _on(piece, _with_fraction), piece.cost + 1.2, f"{piece.words} as one number"),
            value,
        )


def _with_fraction(text: str) -> float | None:
    found = _PARTED.fullmatch(text)
    if not found:
        return None if "/" in text else number_at(1, text)
    return float(found[1] or 0) + float(found[2]) / float(found[3]) if float(found[3]) else None


def clock(text: str) -> float | None:
    """The minutes since midnight of a time such as 09:15; None where the text is none."""
    if not re.fullmatch(_A_TIME, text):
        return None
    hours, minutes = map(float, text.split(":"))
    return hours * 60 + minutes


def _times(factor: float) -> str:
    return f"* {factor:g}" if factor >= 1 else f"/ {1 / factor:g}"


def lasts(text: str) -> float | None:
    """The minutes of a span of time; None where the text is none."""
    if not _SPAN.fullmatch(text):
        return None
    found = ((re.search(here, text.lower()), size) for here, size in _SPANS)
    return sum(float(part[1]) * size for part, size in found if part)


def _summed(text: str, piece: Piece) -> Iterator[tuple[Number, float]]:
    """The sum of the three to six numbers of a text that holds no more."""
    many = len(_FOUND.findall(re.sub(r"(\w)-", r"\1 ", text)))
    found = [number_at(place, text) for place in range(1, many + 1)] if 3 <= many <= 6 else [None]
    if None in found:
        return

    def of(row: Row) -> float | None:
        said = piece.of(row) or ""
        values = [number_at(place, said) for place in range(1, many + 1)]
        return None if None in values else sum(value or 0.0 for value in values)

    calls = [
        f"number({piece.formula})",
        *(f"number({piece.formula}, {place})" for place in range(2, many + 1)),
    ]
    said = f"the sum of the {many} numbers of {piece.words}"
    yield Number(f"({' + '.join(calls)})", of, piece.cost + 1.4, said), sum(value or 0.0 for value in found)


def _measured(text: str, piece: Piece) -> Iterator[tuple[Number, float]]:
    """An amount such as “12 x 5 g” or “1.5 kg” in each unit of its measure."""
    found = amount(text)
    if found is None:
        return
    measure, size = found
    for unit in (one for one in _TARGETS if UNITS[one][0] == measure):

        def of(row: Row, unit: str = unit) -> float | None:
            known = amount(piece.of(row) or "")
            return known[1] / UNITS[unit][1] if known and known[0] == UNITS[unit][0] else None

        formula = f"measure({piece.formula}, {quoted(unit)})"
        cost = piece.cost + 0.9 + 0.3 * (unit not in ("g", "l", "m"))
        yield Number(formula, of, cost, f"the amount {piece.words} in {unit}"), size / UNITS[unit][1]


def amount(text: str) -> tuple[str, float] | None:
    """What is measured and how much of it, in the unit that others are told by; as the function `measure`."""
    found = _AMOUNT.fullmatch(text.strip())
    unit = UNITS.get(found[3].lower()) if found else None
    if not found or unit is None:
        return None
    return unit[0], float(found[1] or 1) * float(found[2].replace(",", ".")) * unit[1]


# What is written behind a number for thousands and more of it → its signs, with what each stands for.
_SCALES = {
    "thousands and millions": (("k", 1e3), ("m|mn|mio", 1e6), ("b|bn|mrd", 1e9)),
    "bytes": (("kb", 1e3), ("mb", 1e6), ("gb", 1e9), ("tb", 1e12)),
    "bytes, by 1,024": (("ki?b", 2.0**10), ("mi?b", 2.0**20), ("gi?b", 2.0**30), ("ti?b", 2.0**40)),
}


def _shortened(text: str, piece: Piece) -> Iterator[tuple[Number, float]]:
    """A number such as 12k or 1.5M in full; those without a sign behind stay."""
    for name, signs in _SCALES.items():
        if not any(re.fullmatch(rf"\D?[\d.,]*\d ?(?:{sign})[.]?", text.lower()) for sign, _ in signs):
            continue

        pairs = ", ".join(
            f"fits(lower({piece.formula}), {quoted(f'.*[0-9] ?(?:{sign})[.]?')}), {size:.0f}"
            for sign, size in signs
        )
        call = f"number({piece.formula}) * choose({pairs}, 1)"
        read = partial(_scaled, signs)
        words = f"{piece.words} in full ({name})"
        yield Number(call, _on(piece, read), piece.cost + 0.7, words), read(text) or 0.0


def _scaled(signs: tuple[tuple[str, float], ...], text: str) -> float | None:
    said, value = text.lower(), number_at(1, text)
    size = next((size for sign, size in signs if re.fullmatch(rf".*[0-9] ?(?:{sign})[.]?", said)), 1.0)
    return None if value is None else value * size


def _counted(text: str, piece: Piece) -> Iterator[tuple[Number, float]]:
    """How many items a list has, how many words a text, how many signs."""
    if "(" in piece.formula:
        return
    for mark in sorted(set(re.findall(r"[,;|/]", text))):
        call = f"occurs({piece.formula}, {quoted(mark)}) + 1"
        of = _on(piece, partial(_items, mark))
        words = f"how many items {piece.words} has at “{mark}”"
        yield Number(call, of, piece.cost + 1.2, words, counts=True), text.count(mark) + 1.0
    if " " in text:
        call = f"occurs(tidy({piece.formula}), ' ') + 1"
        of = _on(piece, _words)
        words = f"how many words {piece.words} has"
        yield Number(call, of, piece.cost + 1.6, words, counts=True), _words(text)
    words = f"how long {piece.words} is"
    yield (
        Number(f"length({piece.formula})", _on(piece, len), piece.cost + 2.2, words, counts=True),
        float(len(text)),
    )


def roman(text: str) -> float | None:
    """The number of Roman figures, as the function `from_roman`."""
    figures = text.strip().upper()
    if not figures or not re.fullmatch(ROMAN, figures):
        return None
    letters = sum(ROMAN_VALUES[one] for one in figures)
    return float(letters - sum(less * figures.count(pair) for pair, less in ROMAN_LESS.items()))


def _items(mark: str, text: str) -> float:
    return text.count(mark) + 1.0


def _words(text: str) -> float:
    return max(len(text.split()), 1) * 1.0  # as the formula counts


def _on(piece: Piece, read: Callable[[str], float | None]) -> Callable[[Row], float | None]:
    def of(row: Row) -> float | None:
        text = piece.of(row)
        return None if text is None else read(text)

    return of


def number_at(place: int, text: str) -> float | None:
    stripped = _BRACKETED.sub(r"-\1", text.strip())
    if place == 1 and _GROUPED.fullmatch(stripped):
        return float(stripped.replace(",", ""))
    if place == 1 and _POWER.fullmatch(stripped):
        return float(stripped)
    if place == 1 and _BRACKETED.fullmatch(text.strip()) and _BARE.fullmatch(stripped):
        return float(stripped)
    found = _FOUND.findall(re.sub(r"(\w)-", r"\1 ", text))
    return _value(found[place - 1]) if len(found) >= place else None


def _value(text: str) -> float:
    if _GROUPED.fullmatch(text):
        return float(text.replace(",", ""))
    return float((text.replace(".", "") if "." in text and "," in text else text).replace(",", "."))


def _degrees(text: str) -> float | None:
    found = re.fullmatch(r"([+-])(\d{2,3}?)(\d{2})(\d{2})?", text.strip()) or re.fullmatch(
        r"([+-]?)(\d{1,3})\s*°\s*(?:(\d{1,2}(?:\.\d+)?)\s*['′]\s*)?(?:(\d{1,2}(?:\.\d+)?)\s*[\"″]\s*)?[NSEWnsew]?",
        text.strip(),
    )
    if not found:
        return None
    value = float(found[2]) + float(found[3] or 0) / 60 + float(found[4] or 0) / 3600
    return -value if found[1] == "-" or text.strip()[-1:] in "SWsw" else value


def number_of(text: str) -> float | None:
    """A text that is a number and nothing else; as the function `number`."""
    return float(text.replace(",", "")) if _PLAIN.fullmatch(text.strip()) else None
