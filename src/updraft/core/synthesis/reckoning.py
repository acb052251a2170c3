"""Ways to come from numbers of a row to a number that is wanted."""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import partial
from itertools import permutations

from updraft.core.synthesis.pieces import Row

_FACTORS = (10, 100, 1000, 1_000_000, 12, 24, 60, 3600, 7, 1024)
# What one measure is in another: NIST Special Publication 811, appendix B.
_UNITS = (
    2.54,
    25.4,
    30.48,
    0.3048,
    0.9144,
    1.609344,
    1.852,
    0.45359237,
    28.349523125,
    3.785411784,
    0.40468564224,
)
_DEGREES = (
    ("({} - 32) * 5 / 9", 5 / 9, -160 / 9),
    ("{} * 9 / 5 + 32", 1.8, 32.0),
    ("{} + 273.15", 1.0, 273.15),
)
# Parts of one amount, the larger first: feet and inches, hours and minutes, pounds and ounces.
_PARTS = (
    (12.0, 1.0),
    (60.0, 1.0),
    (100.0, 1.0),
    (1000.0, 1.0),
    (7.0, 1.0),
    (16.0, 1.0),
    (30.48, 2.54),
    (0.3048, 0.0254),
)
# Seconds of minutes and minutes of hours; hours of days and inches of feet → how far-fetched.
_PARTED = {60: 0.0, 3600: 0.6, 24: 0.6, 12: 0.6}
_HOURS = re.compile(r"\b(h|hrs?|hours?|stunden?|heures?|horas?|ore|uren)\b")
_STEPS = (5, 10, 50, 100, 1000, 0.5, 0.25, 0.05)  # that are rounded to
_TAXES = (5, 6, 7, 8, 9, 10, 12, 15, 19, 20, 21, 22, 23, 25)  # percent that amounts are more by
_SUM, _ANY = re.compile(" [+-] "), re.compile(r" [+*/-] ")
_LETTER = re.compile(r"\b[ABC]\b")
_ROUNDED, _SOME = (1000, 1_000_000), 5  # that large numbers are told in, rounded, where there are so many
_LARGEST = 1e15  # beyond which a number has no whole part to round
_MOST = 14  # numbers of which pairs are tried
_COLUMNS = 5  # of which three are tried together
_ROUGH = 0.02  # what a result may be rounded by, of itself, where a measure is told by it


@dataclass(frozen=True)
class Number:
    """A number made of a row: how it is written, how it is worked out, how far-fetched it is, in words.

    Args:
        column: the first number of a whole column.
        counts: it says how many there are of something, which has no unit.
    """

    formula: str
    of: Callable[[Row], float | None]
    cost: float
    words: str
    column: bool = False
    counts: bool = False


Found = tuple[Number, float]


def reckoned(numbers: list[Found], goal: float, decimals: int, *, percent: bool = False) -> Iterator[Found]:
    """Numbers that come to a goal, written with so many decimals; with what each comes to for the example.

    Args:
        percent: a percent sign stands behind, so a share may be rounded however small it is.
    """
    near = 0.5 * 10.0**-decimals + 1e-9
    for number, value in numbers:
        if abs(value - goal) <= near:
            yield number, value
        for factor in _FACTORS:
            for sign, result in (("*", value * factor), ("/", value / factor)):
                # 10k of 9,707
                rough = sign == "/" and factor in _ROUNDED and abs(goal) >= _SOME
                if value and abs(result - goal) <= (near if decimals or rough else 1e-6):
                    yield _joined(number, sign, factor), result
        yield from _measured(number, value, goal, near)
        yield from _stepped(number, value, goal)
        yield from _parted(number, value, goal)
    yield from _of_all(numbers, goal, near if decimals else 1e-6)
    close = near if decimals else 1e-6
    for (a, x), (b, y) in permutations(numbers[:_MOST], 2):
        if a.formula != b.formula:
            yield from _of_two(a, b, x, y, goal, close, near, percent)
    firsts = [found for found in numbers if found[0].column][:_COLUMNS]
    for three in permutations(firsts, 3):
        yield from _of_three([one for one, _ in three], [value for _, value in three], goal, close)
    yield from _spans(numbers, goal, close)


def _measured(number: Number, value: float, goal: float, near: float) -> Iterator[Found]:
    """In another unit of measure, which may be rounded."""
    if abs(goal) * _ROUGH < near or not value or number.counts:
        return
    for size in _UNITS:
        for sign, result in (("*", value * size), ("/", value / size)):
            if abs(result - goal) <= near:
                made = _joined(number, sign, size)
                yield Number(made.formula, made.of, made.cost + 0.6, made.words), result
    for percent in _TAXES:
        if near <= 0.01 and abs(value / (1 + percent / 100) - goal) <= near:
            made = _joined(number, "/", 1 + percent / 100)
            words = f"{number.words} without the {percent} percent in it"
            yield Number(made.formula, made.of, made.cost + 0.4, words), value / (1 + percent / 100)
        if near <= 0.01 and abs(value * percent / (100 + percent) - goal) <= near:
            made = _joined(number, "*", percent / (100 + percent))
            formula = f"{_bracketed(number.formula, _ANY)} * {percent} / {100 + percent}"
            words = f"the {percent} percent that are in {number.words}"
            yield Number(formula, made.of, made.cost + 0.6, words), value * percent / (100 + percent)
    for call, factor, plus in _DEGREES:
        result = value * factor + plus
        if abs(result - goal) <= near:
            yield _changed(number, call, _line(factor, plus), 2.0, call.replace("{}", number.words)), result


def in_degrees(numbers: list[Found], goal: float, decimals: int) -> Iterator[Found]:
    """In another scale of temperature, whole degrees too."""
    near = 0.5 * 10.0**-decimals + 1e-9
    for number, value in numbers:
        for call, factor, plus in _DEGREES:
            result = value * factor + plus
            if abs(result - goal) <= near:
                words = call.replace("{}", number.words)
                yield _changed(number, call, _line(factor, plus), 0.6, words), result


def _line(factor: float, plus: float) -> Callable[[float], float]:
    return lambda value: value * factor + plus


def _stepped(number: Number, value: float, goal: float) -> Iterator[Found]:
    """To a multiple of a round number, the nearest, the one below or the one above."""
    if abs(value) > _LARGEST:
        return
    for step in (1, *_STEPS):
        if abs(goal / step - round(goal / step)) > 1e-9 or value == goal:
            continue
        for name, make, said, more in (
            ("round", _nearest, "the nearest", 1.8),
            ("down", math.floor, "the one below", 2.0),
            ("up", math.ceil, "the one above", 2.0),
        ):
            if step == 1 and name == "round":
                continue  # written so

            def of(value: float, step: float = step, make: Callable[[float], float] = make) -> float:
                return make(round(value / step, 9)) * step if abs(value) < _LARGEST else value

            if abs(of(value) - goal) < 1e-9:
                # The decade or century of a year is the one that it is in.
                more -= 0.4 * (name == "down" and step in (10, 100) and 1000 <= value < 2200)
                inner = "{}" if step == 1 else f"{{}} / {step:g}"
                call = f"{name}({inner})" + ("" if step == 1 else f" * {step:g}")
                words = (
                    f"{number.words} to a multiple of {step:g}, {said}"
                    if step != 1
                    else (f"{number.words} to a whole number, {said}")
                )
                yield (
                    _changed(number, call, of, more + 0.4 * (step not in (1, 10, 100, 1000)), words),
                    of(value),
                )


def _parted(number: Number, value: float, goal: float) -> Iterator[Found]:
    """How many hours there are in so many minutes, and the minutes that are left; degrees and minutes."""
    if not (number.column and 0 <= value <= _LARGEST):
        return
    ways: list[tuple[str, Callable[[float], float], str, float]] = [
        ("({} - down({})) * 60", lambda v: (v - math.floor(v)) * 60, "sixtieths of the rest of {}", 2.0)
    ]
    if value >= 3600:
        call = "down(({} - down({} / 3600) * 3600) / 60)"
        ways.append((call, lambda v: v % 3600 // 60, "the minutes within the hour of {} seconds", 2.2))
    for size, more in _PARTED.items():
        if size == 24 and not _HOURS.search(number.words.lower()):
            continue
        if value >= size:
            rest = f"{{}} - down({{}} / {size}) * {size}"
            ways += [
                (
                    f"down({{}} / {size})",
                    partial(_times_in, size),
                    f"how many times {size:,} is in {{}}",
                    1.6,
                ),
                (rest, partial(_rest_of, size), f"what is left of {{}} beyond {size:,}s", 1.3 + more),
            ]
    for call, make, words, cost in ways:
        # The fraction of a decimal number is never quite what was meant.
        if abs(make(value) - goal) <= (1e-3 if words.startswith("sixtieths") else 1e-9) and value != goal:
            yield _changed(number, call, make, cost, words.replace("{}", number.words)), make(value)


def _times_in(size: int, value: float) -> float:
    return float(value // size)


def _rest_of(size: int, value: float) -> float:
    return value % size


def _nearest(value: float) -> float:
    return math.copysign(math.floor(abs(value) + 0.5), value)


def _changed(number: Number, call: str, make: Callable[[float], float], cost: float, words: str) -> Number:
    def of(row: Row) -> float | None:
        value = number.of(row)
        return None if value is None else make(value)

    return Number(call.replace("{}", _bracketed(number.formula, _ANY)), of, number.cost + cost, words)


def _of_two(
    a: Number, b: Number, x: float, y: float, goal: float, close: float, near: float, percent: bool
) -> Iterator[Found]:
    for sign, result in (("*", x * y), ("+", x + y), ("-", x - y), ("/", x / y if y else math.nan)):
        rounded = sign == "/" and near <= _ROUGH * abs(goal)
        if abs(result - goal) <= (near if rounded else close) and (sign not in "*+" or a.formula < b.formula):
            yield _pair(a, sign, b), result
    if y and abs(100 * x / y - goal) <= near:
        yield _joined(_pair(a, "/", b), "*", 100), 100 * x / y
    for formula, make, words, cost, seldom_whole in _TWO:
        try:
            result = make(x, y)
        except ZeroDivisionError:
            continue
        rough = near <= _ROUGH * abs(goal) or (percent and "percent" in words)
        if abs(result - goal) <= (near if seldom_whole and rough else close):
            yield _of(formula, make, [a, b], words, cost), result
    for large, small in _PARTS:
        if abs(x * large + y * small - goal) <= (near if small != 1 else 1e-6):
            first = _joined(a, "*", large)
            second = b if small == 1 else _joined(b, "*", small)
            yield _pair(first, "+", second), x * large + y * small


# Formula, the same in Python, in words, how far-fetched, whether it is seldom whole: it may be rounded then.
_TWO: list[tuple[str, Callable[[float, float], float], str, float, bool]] = [
    ("(B - A) / A * 100", lambda x, y: (y - x) / x * 100, "the change from A to B in percent", 0.9, True),
    ("(B - A) / A", lambda x, y: (y - x) / x, "the change from A to B as a part of A", 1.2, False),
    ("(A - B) / A * 100", lambda x, y: (x - y) / x * 100, "what A is above B, in percent of A", 1.1, True),
    ("(A - B) / A", lambda x, y: (x - y) / x, "what A is above B, as a part of A", 1.3, False),
    ("A * B / 100", lambda x, y: x * y / 100, "B percent of A", 0.9, True),
    ("A * (100 + B) / 100", lambda x, y: x * (100 + y) / 100, "A and B percent more", 1.3, True),
    ("A * (100 - B) / 100", lambda x, y: x * (100 - y) / 100, "A less B percent", 1.2, True),
    ("A * (1 + B)", lambda x, y: x * (1 + y), "A and a part B more", 1.5, False),
    ("A * (1 - B)", lambda x, y: x * (1 - y), "A less a part B", 1.4, False),
    ("A / B * 1000", lambda x, y: x / y * 1000, "how many of A there are for 1,000 of B", 1.4, True),
    ("A / B * 100000", lambda x, y: x / y * 100_000, "how many of A there are for 100,000 of B", 1.5, True),
    ("(A + B) / 2", lambda x, y: (x + y) / 2, "the middle of A and B", 0.9, False),
    ("B - A + 1", lambda x, y: y - x + 1, "how many from A to B, both counted", 1.2, False),
    ("A / (B * B)", lambda x, y: x / (y * y), "A divided by the square of B", 1.6, False),
    ("A / (B / 100 * B / 100)", lambda x, y: x / (y * y / 10_000), "A by the square of B / 100", 1.6, True),
    ("abs(A - B)", lambda x, y: abs(x - y), "how far A and B are apart", 1.1, False),
    ("(B - A) / 60", lambda x, y: (y - x) / 60, "the hours from A to B", 0.9, False),
    ("A + B / 60", lambda x, y: x + y / 60, "A and B sixtieths", 1.2, False),
    ("A / (A + B)", lambda x, y: x / (x + y), "the part that A is of A and B", 1.4, False),
    ("A / (A + B) * 100", lambda x, y: x / (x + y) * 100, "how many percent A is of A and B", 1.4, True),
    ("A / B * 60", lambda x, y: x / y * 60, "A by the hour, where B are minutes", 1.3, True),
    ("within(A - B, 0, 1000000000000000)", lambda x, y: max(x - y, 0.0), "A less B, 0 at least", 1.5, False),
]  # fmt: skip
_THREE: list[tuple[str, Callable[[float, float, float], float], str, float]] = [
    ("A * B + C", lambda x, y, z: x * y + z, "A times B, plus C", 1.6),
    ("A * B - C", lambda x, y, z: x * y - z, "A times B, less C", 1.6),
    ("A + B - C", lambda x, y, z: x + y - z, "A plus B, less C", 1.4),
    ("A - B - C", lambda x, y, z: x - y - z, "A less B and C", 1.4),
    ("(A + B) * C", lambda x, y, z: (x + y) * z, "A plus B, times C", 1.7),
    ("(A - B) * C", lambda x, y, z: (x - y) * z, "A less B, times C", 1.7),
    ("(A - B) / C", lambda x, y, z: (x - y) / z, "A less B, divided by C", 1.8),
    ("A * B / C", lambda x, y, z: x * y / z, "A times B, divided by C", 1.8),
    ("A * B * (100 - C) / 100", lambda x, y, z: x * y * (100 - z) / 100, "A times B, less C percent", 1.9),
    ("A * B * (100 + C) / 100", lambda x, y, z: x * y * (100 + z) / 100, "A times B and C percent more", 1.9),
]  # fmt: skip


def _of_three(numbers: list[Number], values: list[float], goal: float, close: float) -> Iterator[Found]:
    for formula, make, words, cost in _THREE:
        try:
            result = make(*values)
        except ZeroDivisionError:
            continue
        if abs(result - goal) <= close:
            yield _of(formula, make, numbers, words, cost), result


def _of(formula: str, make: Callable[..., float], numbers: list[Number], words: str, cost: float) -> Number:
    """A formula whose A, B and C are these numbers."""

    def of(row: Row) -> float | None:
        values = [number.of(row) for number in numbers]
        try:
            return None if None in values else make(*values)
        except ZeroDivisionError:
            return None

    inner = {one: _bracketed(number.formula, _ANY) for one, number in zip("ABC", numbers, strict=False)}
    said = {one: number.words for one, number in zip("ABC", numbers, strict=False)}
    return Number(
        _LETTER.sub(lambda one: inner[one[0]], formula),
        of,
        sum(number.cost for number in numbers) + cost,
        _LETTER.sub(lambda one: said[one[0]], words),
    )


def _spans(numbers: list[Found], goal: float, close: float) -> Iterator[Found]:
    """Hours, minutes and seconds of one text in one of them."""
    for n, (a, x) in enumerate(numbers[:_MOST]):
        rest = numbers[n + 1 : n + 3]
        if (
            len(rest) < 2
            or not rest[0][0].formula.endswith(", 2)")
            or not rest[1][0].formula.endswith(", 3)")
        ):
            continue
        (b, y), (c, z) = rest
        for sizes in ((3600.0, 60.0, 1.0), (60.0, 1.0, 1 / 60), (1.0, 1 / 60, 1 / 3600)):
            result = x * sizes[0] + y * sizes[1] + z * sizes[2]
            if abs(result - goal) <= close:
                terms = [
                    number.formula + (f" * {size:g}" if size > 1 else f" / {1 / size:g}" if size < 1 else "")
                    for number, size in zip((a, b, c), sizes, strict=True)
                ]

                unit = {3600.0: "seconds", 60.0: "minutes", 1.0: "hours"}[sizes[0]]
                of = _weighed([a, b, c], sizes)
                yield Number(" + ".join(terms), of, a.cost + 2.0, f"{a.words} in {unit}"), result


def _weighed(numbers: list[Number], sizes: tuple[float, ...]) -> Callable[[Row], float | None]:
    def of(row: Row) -> float | None:
        values = [number.of(row) for number in numbers]
        if None in values:
            return None
        return math.fsum(value * size for value, size in zip(values, sizes, strict=True) if value)

    return of


def _of_all(numbers: list[Found], goal: float, near: float) -> Iterator[Found]:
    """The sum, mean, product, largest and smallest of the first numbers of several columns."""
    firsts = [(number, value) for number, value in numbers if number.column]
    if not 2 <= len(firsts) <= 12:
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
        if abs(make(values) - goal) > near or (len(firsts) == 2 and "est of" not in said):
            continue

        def of(
            row: Row, make: Callable[[list[float]], float] = make, strict: bool = "product" in said
        ) -> float | None:
            found = [number.of(row) for number, _ in firsts]
            some = [value for value in found if value is not None]  # the functions leave empty ones out
            return make(some) if some and not (strict and None in found) else None

        dear = 0.8 if said in ("the largest of", "the smallest of") else 0.0
        yield Number(formula, of, 2.0 + dear, f"{said} {words}"), make(values)


def _joined(number: Number, sign: str, factor: float) -> Number:
    def of(row: Row) -> float | None:
        value = number.of(row)
        return None if value is None else value * factor if sign == "*" else value / factor

    said = "times" if sign == "*" else "divided by"
    written = f"{_bracketed(number.formula)} {sign} {repr(factor).removesuffix('.0')}"
    return Number(written, of, number.cost + 1.2, f"{number.words} {said} {factor:,}")


def _pair(a: Number, sign: str, b: Number) -> Number:
    def of(row: Row) -> float | None:
        x, y = a.of(row), b.of(row)
        if x is None or y is None or (sign == "/" and not y):
            return None
        return {"*": x * y, "+": x + y, "-": x - y}[sign] if sign != "/" else x / y

    said = {"*": "times", "+": "plus", "-": "minus", "/": "divided by"}[sign]
    left = a.formula if sign in "+-" else _bracketed(a.formula)
    right = b.formula if sign == "+" else _bracketed(b.formula, _ANY if sign == "/" else _SUM)
    return Number(f"{left} {sign} {right}", of, a.cost + b.cost + 0.6, f"{a.words} {said} {b.words}")


def _bracketed(formula: str, around: re.Pattern[str] = _SUM) -> str:
    """A formula in brackets where it holds a sum, or any sign of reckoning."""
    return f"({formula})" if around.search(formula) else formula
