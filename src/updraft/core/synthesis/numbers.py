"""Results that are numbers: read from the row, reckoned with, written with so many decimals."""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import partial
from itertools import permutations

from updraft.core.formula.writing import quoted
from updraft.core.synthesis.pieces import Piece, Row, fixed_cost
from updraft.core.values.dressed import UNITS

_FACTORS = (10, 100, 1000, 1_000_000, 12, 24, 60, 3600, 7)
_FOUND = re.compile(r"-?\d+(?:[.,]\d+)?")
_PLAIN = re.compile(r"-?(?:\d+|\d{1,3}(?:,\d{3})+)(?:\.\d+)?")
_AMOUNT = re.compile(r"(?:(\d+)\s*[xX×*]\s*)?(\d+(?:[.,]\d+)?)\s*([a-zA-Z]+)\.?")
_COLUMN = re.compile(r"[^(]+|text\([^(]+\)")
_TARGETS = ("mg", "g", "kg", "ml", "l", "mm", "cm", "m", "km")
_BRACKETED = re.compile(r"^\(\s*(\d[\d,.]*)\s*\)$")
_BARE = re.compile(r"-?\d+(\.\d+)?")
_GROUPED = re.compile(r"-?\d{1,3}(,\d{3})+(\.\d+)?")


@dataclass(frozen=True)
class _Number:
    formula: str
    of: Callable[[Row], float | None]
    cost: float
    words: str
    column: bool = False  # the first number of a whole column


def numbers_in(pieces: list[tuple[str, Piece]], wanted: str) -> Iterator[Piece]:
    """Ways to come to a number that is wanted, perhaps with signs around it.

    Args:
        pieces: columns and their parts, with the text that each gives for the example.
        wanted: the example's result.
    """
    found = re.fullmatch(r"([^\d+-]*)([+-]?\d+(?:\.(\d+))?)(\D*)", wanted)
    if not found:
        yield from _grouped(pieces, wanted)
        if re.fullmatch(r"\D*\d+,\d{1,2}\D*", wanted):
            for made in numbers_in(pieces, wanted.replace(",", ".")):
                yield made.made(
                    "replace({}, '.', ',')", lambda t: t.replace(".", ","), 0.5, "{}, with a decimal comma"
                )
        return
    before, goal, decimals, after = found[1], float(found[2]), len(found[3] or ""), found[4]
    # What stands in the row as it is was copied rather than reckoned.
    copied = 1.5 if any(found[2] in text for text, _ in pieces) else 0.0
    for number, value in _reckoned(list(_read(pieces)), goal, decimals):
        if found[2].startswith("+"):
            yield _framed(_signed(number, decimals), before, after)
        for written in _written(number, decimals, copied):
            if decimals or abs(value - goal) < 1e-9:
                yield _framed(written, before, after)
            elif abs(value) != 0:
                yield _framed(_rounded(number, copied), before, after)


def _grouped(pieces: list[tuple[str, Piece]], wanted: str) -> Iterator[Piece]:
    """The same where thousands stand apart by commas."""
    found = re.fullmatch(r"([^\d+-]*)([+-]?\d{1,3}(?:,\d{3})+(?:\.(\d+))?)(\D*)", wanted)
    if not found:
        return
    decimals, goal = len(found[3] or ""), float(found[2].replace(",", ""))
    for number, value in _reckoned(list(_read(pieces)), goal, decimals):
        if decimals or abs(value - goal) < 1e-9:
            made = Piece(
                f"grouped({number.formula}, {decimals})",
                partial(_apart, number.of, decimals),
                number.cost + 1.4,
                f"{number.words}, with commas between thousands",
            )
            yield _framed(made, found[1], found[4])


def _apart(of: Callable[[Row], float | None], places: int, row: Row) -> str | None:
    text = fixed(of(row), places)
    if text is None:
        return None
    whole, point, rest = text.partition(".")
    return f"{int(whole):,}{point}{rest}"


def _read(pieces: list[tuple[str, Piece]]) -> Iterator[tuple[_Number, float]]:
    """The numbers that stand in the row."""
    for text, piece in pieces:
        for place in (1, 2, 3):
            found = _number(place, text)
            if found is None:
                break
            call = f"number({piece.formula})" if place == 1 else f"number({piece.formula}, {place})"
            words = piece.words if place == 1 else f"number {place} of {piece.words}"
            of = _on(piece, partial(_number, place))
            whole = place == 1 and _COLUMN.fullmatch(piece.formula) is not None
            yield _Number(call, of, piece.cost + 0.4 * place, words, whole), found
        yield from _measured(text, piece)
        yield from _lasting(text, piece)
        turned = _degrees(text)
        if turned is not None:
            number = _Number(
                f"degrees({piece.formula})", _on(piece, _degrees), piece.cost + 1, f"{piece.words} in degrees"
            )
            yield number, turned


# Spans of time: how a part is found, in formulas as in Python, and how many minutes it counts.
_SPANS = [
    (f"([0-9.]+) ?{unit}", size) for unit, size in (("d", 1440.0), ("h", 60.0), ("m", 1.0), ("s", 1 / 60))
]
_SPAN_HERE = r"\s*([0-9.]+ ?(d|h|m|s)[a-z]*[.]?[ ,]*)+"  # for formulas
_SPAN = re.compile(r"\s*([0-9.]+ ?(d|h|m|s)[a-z]*\.?[ ,]*)+", re.I)


def _lasting(text: str, piece: Piece) -> Iterator[tuple[_Number, float]]:
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
        yield _Number(formula, of, cost, f"how long {piece.words} is in {name}"), found / unit


def _times(factor: float) -> str:
    return f"* {factor:g}" if factor >= 1 else f"/ {1 / factor:g}"


def lasts(text: str) -> float | None:
    """The minutes of a span of time; None where the text is none."""
    if not _SPAN.fullmatch(text):
        return None
    found = ((re.search(here, text.lower()), size) for here, size in _SPANS)
    return sum(float(part[1]) * size for part, size in found if part)


def _measured(text: str, piece: Piece) -> Iterator[tuple[_Number, float]]:
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
        yield _Number(formula, of, cost, f"the amount {piece.words} in {unit}"), size / UNITS[unit][1]


def amount(text: str) -> tuple[str, float] | None:
    """What is measured and how much of it, in the unit that others are told by; as the function `measure`."""
    found = _AMOUNT.fullmatch(text.strip())
    unit = UNITS.get(found[3].lower()) if found else None
    if not found or unit is None:
        return None
    return unit[0], float(found[1] or 1) * float(found[2].replace(",", ".")) * unit[1]


def _on(piece: Piece, read: Callable[[str], float | None]) -> Callable[[Row], float | None]:
    def of(row: Row) -> float | None:
        text = piece.of(row)
        return None if text is None else read(text)

    return of


def _reckoned(
    numbers: list[tuple[_Number, float]], goal: float, decimals: int
) -> Iterator[tuple[_Number, float]]:
    near = 0.5 * 10.0**-decimals + 1e-9
    for number, value in numbers:
        if abs(value - goal) <= near:
            yield number, value
        for factor in _FACTORS:
            for sign, result in (("*", value * factor), ("/", value / factor)):
                if value and abs(result - goal) <= (near if decimals else 1e-6):
                    yield _joined(number, sign, factor), result
    yield from _of_all(numbers, goal, near if decimals else 1e-6)
    for (a, x), (b, y) in permutations(numbers[:14], 2):
        if a.formula == b.formula:
            continue
        for sign, result in (("*", x * y), ("+", x + y), ("-", x - y), ("/", x / y if y else math.nan)):
            close = abs(result - goal) <= (near if decimals else 1e-6)
            if close and (sign not in "*+" or a.formula < b.formula):
                yield _pair(a, sign, b), result
        if y and abs(100 * x / y - goal) <= (near if decimals else 0.5):
            yield _joined(_pair(a, "/", b), "*", 100), 100 * x / y
        for factor in (60, 100, 12, 1000):
            if abs(x * factor + y - goal) <= 1e-6:
                yield _pair(_joined(a, "*", factor), "+", b), x * factor + y


def _of_all(
    numbers: list[tuple[_Number, float]], goal: float, near: float
) -> Iterator[tuple[_Number, float]]:
    """The sum, the mean and the product of the first numbers of three columns or more."""
    firsts = [(number, value) for number, value in numbers if number.column]
    if not 3 <= len(firsts) <= 12:
        return
    values = [value for _, value in firsts]
    inner = ", ".join(number.formula for number, _ in firsts)
    ways: list[tuple[str, Callable[[list[float]], float], str]] = [
        (f"sum({inner})", math.fsum, "the sum of"),
        (f"mean({inner})", lambda each: math.fsum(each) / len(each), "the mean of"),
        (" * ".join(number.formula for number, _ in firsts), math.prod, "the product of"),
        (f"largest({inner})", max, "the largest of"),
        (f"smallest({inner})", min, "the smallest of"),
    ]
    words = ", ".join(number.words for number, _ in firsts)
    for formula, make, said in ways:
        if abs(make(values) - goal) > near:
            continue

        def of(row: Row, make: Callable[[list[float]], float] = make) -> float | None:
            found = [number.of(row) for number, _ in firsts]
            return None if None in found else make([value for value in found if value is not None])

        dear = 0.8 if said in ("the largest of", "the smallest of") else 0.0
        yield _Number(formula, of, 2.0 + dear, f"{said} {words}"), make(values)


def _joined(number: _Number, sign: str, factor: float) -> _Number:
    def of(row: Row) -> float | None:
        value = number.of(row)
        return None if value is None else value * factor if sign == "*" else value / factor

    said = "times" if sign == "*" else "divided by"
    return _Number(
        f"{number.formula} {sign} {factor}", of, number.cost + 1.2, f"{number.words} {said} {factor:,}"
    )


def _pair(a: _Number, sign: str, b: _Number) -> _Number:
    def of(row: Row) -> float | None:
        x, y = a.of(row), b.of(row)
        if x is None or y is None or (sign == "/" and not y):
            return None
        return {"*": x * y, "+": x + y, "-": x - y}[sign] if sign != "/" else x / y

    said = {"*": "times", "+": "plus", "-": "minus", "/": "divided by"}[sign]
    return _Number(
        f"{a.formula} {sign} {b.formula}", of, a.cost + b.cost + 0.6, f"{a.words} {said} {b.words}"
    )


def _rounded(number: _Number, more: float) -> Piece:
    def of(row: Row) -> str | None:
        return fixed(number.of(row), 0)

    return Piece(f"fixed({number.formula}, 0)", of, number.cost + 1.9 + more, f"{number.words}, rounded")


def _signed(number: _Number, places: int) -> Piece:
    """With its sign, also where it is a plus."""

    def of(row: Row) -> str | None:
        value = number.of(row)
        text = fixed(value, places)
        return f"+{text}" if text and value and value > 0 else text

    text = f"fixed({number.formula}, {places})"
    call = f"choose({number.formula} > 0, '+' + {text}, {text})"
    return Piece(call, of, number.cost + 1.2, f"{number.words}, with its sign")


def _written(number: _Number, decimals: int, more: float) -> Iterator[Piece]:
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


def _number(place: int, text: str) -> float | None:
    stripped = _BRACKETED.sub(r"-\1", text.strip())
    if place == 1 and _GROUPED.fullmatch(stripped):
        return float(stripped.replace(",", ""))
    if place == 1 and _BRACKETED.fullmatch(text.strip()) and _BARE.fullmatch(stripped):
        return float(stripped)
    found = _FOUND.findall(re.sub(r"(\w)-", r"\1 ", text))
    return float(found[place - 1].replace(",", ".")) if len(found) >= place else None


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
