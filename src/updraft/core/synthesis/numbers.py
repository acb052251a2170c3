"""Results that are numbers: read from the row, reckoned with, written with so many decimals."""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Iterator, Sequence
from functools import partial

from updraft.core.formula.functions.numbers import ROMAN, ROMAN_LESS, ROMAN_VALUES
from updraft.core.formula.functions.text import NUMBER
from updraft.core.formula.writing import quoted
from updraft.core.synthesis.pieces import Piece, Row, fixed_cost, shown
from updraft.core.synthesis.reckoning import Number, reckoned
from updraft.core.values.dressed import UNITS

_FOUND = re.compile(NUMBER)
_PLAIN = re.compile(r"-?(?:\d+|\d{1,3}(?:,\d{3})+)(?:\.\d+)?")
_AMOUNT = re.compile(r"(?:(\d+)\s*[xX×*]\s*)?(\d+(?:[.,]\d+)?)\s*([a-zA-Z]+)\.?")
_COLUMN = re.compile(r"[^(]+|text\([^(]+\)")
_TARGETS = ("mg", "g", "kg", "ml", "l", "mm", "cm", "m", "km")
_BRACKETED = re.compile(r"^\(\s*(\d[\d,.]*)\s*\)$")
_POWER = re.compile(r"-?\d+(\.\d+)?[eE][+-]?\d{1,2}")
_CLOCK = re.compile(r"(\d|[01]\d|2[0-4]):([0-5]\d)")
_BARE = re.compile(r"-?\d+(\.\d+)?")
_GROUPED = re.compile(r"-?\d{1,3}(,\d{3})+(\.\d+)?")


def numbers_in(
    pieces: list[tuple[str, Piece]], wanted: str, more: Sequence[tuple[Number, float]] = ()
) -> Iterator[Piece]:
    """Ways to come to a number that is wanted, perhaps with signs around it.

    Args:
        pieces: columns and their parts, with the text that each gives for the example.
        wanted: the example's result.
        more: numbers that come of something else, such as dates, with their values.
    """
    found = re.fullmatch(r"([^\d+-]*)([+-]?\d+(?:\.(\d+))?)(\D*)", wanted)
    if not found:
        yield from _grouped(pieces, wanted, more)
        yield from _grouped_by(pieces, wanted, more)
        if re.fullmatch(r"\D*\d+,\d{1,2}\D*", wanted):
            for made in numbers_in(pieces, wanted.replace(",", "."), more):
                yield made.made(
                    "replace({}, '.', ',')", lambda t: t.replace(".", ","), 0.5, "{}, with a decimal comma"
                )
        return
    before, goal, decimals, after = found[1], float(found[2]), len(found[3] or ""), found[4]
    # What stands in the row as it is was copied rather than reckoned.
    copied = 1.5 if any(found[2] in text for text, _ in pieces) else 0.0
    for number, value in reckoned([*_read(pieces), *more], goal, decimals):
        if found[2].startswith("+"):
            yield _framed(_signed(number, decimals), before, after)
        for written in _written(number, decimals, copied):
            if decimals or abs(value - goal) < 1e-9:
                yield _framed(written, before, after)
            elif abs(value) != 0:
                yield _framed(_rounded(number, copied), before, after)


def _grouped(
    pieces: list[tuple[str, Piece]], wanted: str, more: Sequence[tuple[Number, float]]
) -> Iterator[Piece]:
    """The same where thousands stand apart by commas."""
    found = re.fullmatch(r"([^\d+-]*)([+-]?\d{1,3}(?:,\d{3})+(?:\.(\d+))?)(\D*)", wanted)
    if not found:
        return
    decimals, goal = len(found[3] or ""), float(found[2].replace(",", ""))
    for number, value in reckoned([*_read(pieces), *more], goal, decimals):
        if decimals or abs(value - goal) < 1e-9:
            made = Piece(
                f"grouped({number.formula}, {decimals})",
                partial(_apart, number.of, decimals),
                number.cost + 1.4,
                f"{number.words}, with commas between thousands",
            )
            yield _framed(made, found[1], found[4])


def _grouped_by(
    pieces: list[tuple[str, Piece]], wanted: str, more: Sequence[tuple[Number, float]]
) -> Iterator[Piece]:
    """The same where thousands stand apart by blanks, points or apostrophes."""
    found = re.fullmatch(r"\D*\d{1,3}([ .'’\u00a0\u202f])\d{3}(?:\1\d{3})*(?:[.,]\d+)?\D*", wanted)
    if not found or (found[1] == "." and "," not in wanted and wanted.count(".") < 2):
        return
    mark, comma = found[1], "," in wanted
    english = wanted.replace(mark, "~").replace(",", ".").replace("~", ",")

    def turned(text: str) -> str:
        return (
            (text.replace(".", "~").replace(",", mark).replace("~", ","))
            if comma
            else text.replace(",", mark)
        )

    call = f"replace({{}}, ',', {quoted(mark)})"
    if comma:
        call = f"replace(replace(replace({{}}, '.', '~'), ',', {quoted(mark)}), '~', ',')"
    for made in _grouped(pieces, english, more):
        yield made.made(call, turned, 0.5, f"{{}}, with {shown(mark)} for the comma")


def _apart(of: Callable[[Row], float | None], places: int, row: Row) -> str | None:
    text = fixed(of(row), places)
    if text is None:
        return None
    whole, point, rest = text.partition(".")
    return f"{int(whole):,}{point}{rest}"


def _read(pieces: list[tuple[str, Piece]]) -> Iterator[tuple[Number, float]]:
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
            yield Number(call, of, piece.cost + 0.4 * place, words, whole), found
        yield from _summed(text, piece)
        yield from _measured(text, piece)
        yield from _shortened(text, piece)
        if (value := roman(text)) is not None:
            call = f"from_roman({piece.formula})"
            yield Number(call, _on(piece, roman), piece.cost + 0.6, f"the Roman number {piece.words}"), value
        yield from _counted(text, piece)
        yield from _lasting(text, piece)
        if (minutes := clock(text)) is not None:
            call = f"number({piece.formula}) * 60 + number({piece.formula}, 2)"
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


def clock(text: str) -> float | None:
    """The minutes since midnight of a time such as 09:15; None where the text is none."""
    found = _CLOCK.fullmatch(text.strip())
    return None if found is None else float(found[1]) * 60 + float(found[2])


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
        yield Number(call, _on(piece, read), piece.cost + 1.6, words), read(text) or 0.0


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
        yield Number(call, of, piece.cost + 1.2, words), text.count(mark) + 1.0
    if " " in text:
        call = f"occurs(tidy({piece.formula}), ' ') + 1"
        of = _on(piece, _words)
        yield Number(call, of, piece.cost + 1.6, f"how many words {piece.words} has"), _words(text)
    size = float(len(text))
    yield (
        Number(f"length({piece.formula})", _on(piece, len), piece.cost + 2.2, f"how long {piece.words} is"),
        size,
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


def _rounded(number: Number, more: float) -> Piece:
    def of(row: Row) -> str | None:
        return fixed(number.of(row), 0)

    return Piece(f"fixed({number.formula}, 0)", of, number.cost + 1.9 + more, f"{number.words}, rounded")


def _signed(number: Number, places: int) -> Piece:
    """With its sign, also where it is a plus."""

    def of(row: Row) -> str | None:
        value = number.of(row)
        text = fixed(value, places)
        return f"+{text}" if text and value and value > 0 else text

    text = f"fixed({number.formula}, {places})"
    call = f"choose({number.formula} > 0, '+' + {text}, {text})"
    return Piece(call, of, number.cost + 1.2, f"{number.words}, with its sign")


def _written(number: Number, decimals: int, more: float) -> Iterator[Piece]:
    """A number as text: with just so many decimals, or with those it has."""
    if decimals:
        yield Piece(
            f"fixed({number.formula}, {decimals})",
            lambda row: fixed(number.of(row), decimals),
            number.cost + 1.5 + more,
            f"{number.words}, with {decimals} decimals",
        )
        yield Piece(
            f"text(round({number.formula}, {decimals}))",
            lambda row: _plain(number.of(row), decimals),
            number.cost + 1.45 + more,
            f"{number.words}, with at most {decimals} decimals",
        )
    yield Piece(
        f"text(round({number.formula}, 6))",
        lambda row: _plain(number.of(row)),
        number.cost + 1.4 + more,
        number.words,
    )


def _framed(piece: Piece, before: str, after: str) -> Piece:
    if not before and not after:
        return piece
    call = " + ".join(filter(None, [before and quoted(before), "{}", after and quoted(after)]))
    words = f"{before}… {{}} …{after}".replace("… ", "", 1 if not before else 0)
    cost = sum(fixed_cost(text) for text in (before, after) if text)
    return piece.made(call, lambda t: f"{before}{t}{after}", cost, words)


def fixed(value: float | None, places: int) -> str | None:
    """As the function of this name: half away from zero, by fifteen figures."""
    if value is None or not math.isfinite(value):
        return None
    meant = float(f"{value:.15g}")
    text = f"{math.floor(abs(meant) * 10**places + 0.5 + 1e-9) / 10**places:.{places}f}"
    return f"-{text}" if meant < 0 and float(text) else text


def _plain(value: float | None, places: int = 6) -> str | None:
    """As a reader writes a number, to so many places at most."""
    text = fixed(value, places)
    return None if text is None else repr(float(text) + 0.0).removesuffix(".0")


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


def decimals_of(text: str) -> int:
    """How many decimals a number is written with."""
    return len(text.strip().partition(".")[2])
