"""Ways to come from numbers of a row to a number that is wanted."""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Iterator
from functools import partial
from itertools import permutations

from updraft.core.synthesis.figures import ANY, MOST, ROUGH, Found, Number, bracketed, changed
from updraft.core.synthesis.pairs import joined, of_all, of_three, of_two, spans

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
# Seconds of minutes and minutes of hours; hours of days and inches of feet → how far-fetched.
_PARTED = {60: 0.0, 3600: 0.6, 24: 0.6, 12: 0.6}
_HOURS = re.compile(r"\b(h|hrs?|hours?|stunden?|heures?|horas?|ore|uren)\b")
_STEPS = (5, 10, 50, 100, 1000, 0.5, 0.25, 0.05)  # that are rounded to
_TAXES = (5, 6, 7, 8, 9, 10, 12, 15, 19, 20, 21, 22, 23, 25)  # percent that amounts are more by
_ROUNDED, _SOME = (1000, 1_000_000), 5  # that large numbers are told in, rounded, where there are so many
_LARGEST = 1e15  # beyond which a number has no whole part to round
_COLUMNS = 5  # of which three are tried together


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
                    yield joined(number, sign, factor), result
        yield from _measured(number, value, goal, near)
        yield from _stepped(number, value, goal)
        yield from _parted(number, value, goal)
    yield from of_all(numbers, goal, near if decimals else 1e-6)
    close = near if decimals else 1e-6
    for (a, x), (b, y) in permutations(numbers[:MOST], 2):
        if a.formula != b.formula:
            yield from of_two(a, b, x, y, goal, close, near, percent)
    firsts = [found for found in numbers if found[0].column][:_COLUMNS]
    for three in permutations(firsts, 3):
        yield from of_three([one for one, _ in three], [value for _, value in three], goal, close)
    yield from spans(numbers, goal, close)


def _measured(number: Number, value: float, goal: float, near: float) -> Iterator[Found]:
    """In another unit of measure, which may be rounded."""
    if abs(goal) * ROUGH < near or not value or number.counts:
        return
    for size in _UNITS:
        for sign, result in (("*", value * size), ("/", value / size)):
            if abs(result - goal) <= near:
                made = joined(number, sign, size)
                yield Number(made.formula, made.of, made.cost + 0.6, made.words), result
    for percent in _TAXES:
        if near <= 0.01 and abs(value / (1 + percent / 100) - goal) <= near:
            made = joined(number, "/", 1 + percent / 100)
            words = f"{number.words} without the {percent} percent in it"
            yield Number(made.formula, made.of, made.cost + 0.4, words), value / (1 + percent / 100)
        if near <= 0.01 and abs(value * percent / (100 + percent) - goal) <= near:
            made = joined(number, "*", percent / (100 + percent))
            formula = f"{bracketed(number.formula, ANY)} * {percent} / {100 + percent}"
            words = f"the {percent} percent that are in {number.words}"
            yield Number(formula, made.of, made.cost + 0.6, words), value * percent / (100 + percent)
    for call, factor, plus in _DEGREES:
        result = value * factor + plus
        if abs(result - goal) <= near:
            yield changed(number, call, _line(factor, plus), 2.0, call.replace("{}", number.words)), result


def in_degrees(numbers: list[Found], goal: float, decimals: int) -> Iterator[Found]:
    """In another scale of temperature, whole degrees too."""
    near = 0.5 * 10.0**-decimals + 1e-9
    for number, value in numbers:
        for call, factor, plus in _DEGREES:
            result = value * factor + plus
            if abs(result - goal) <= near:
                words = call.replace("{}", number.words)
                yield changed(number, call, _line(factor, plus), 0.6, words), result


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
                    changed(number, call, of, more + 0.4 * (step not in (1, 10, 100, 1000)), words),
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
            yield changed(number, call, make, cost, words.replace("{}", number.words)), make(value)


def _times_in(size: int, value: float) -> float:
    return float(value // size)


def _rest_of(size: int, value: float) -> float:
    return value % size


def _nearest(value: float) -> float:
    return math.copysign(math.floor(abs(value) + 0.5), value)
