"""Numbers made of two or three."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator

from updraft.core.synthesis.figures import ANY, LETTER, MOST, PARTS, ROUGH, SUM, Found, Number, bracketed
from updraft.core.synthesis.pieces import Row


def of_two(
    a: Number, b: Number, x: float, y: float, goal: float, close: float, near: float, percent: bool
) -> Iterator[Found]:
    for sign, result in (("*", x * y), ("+", x + y), ("-", x - y), ("/", x / y if y else math.nan)):
        rounded = sign == "/" and near <= ROUGH * abs(goal)
        if abs(result - goal) <= (near if rounded else close) and (sign not in "*+" or a.formula < b.formula):
            yield _pair(a, sign, b), result
    if y and abs(100 * x / y - goal) <= near:
        yield joined(_pair(a, "/", b), "*", 100), 100 * x / y
    for formula, make, words, cost, seldom_whole in _TWO:
        try:
            result = make(x, y)
        except ZeroDivisionError:
            continue
        rough = near <= ROUGH * abs(goal) or (percent and "percent" in words)
        if abs(result - goal) <= (near if seldom_whole and rough else close):
            yield _of(formula, make, [a, b], words, cost), result
    for large, small in PARTS:
        if abs(x * large + y * small - goal) <= (near if small != 1 else 1e-6):
            first = joined(a, "*", large)
            second = b if small == 1 else joined(b, "*", small)
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


def of_three(numbers: list[Number], values: list[float], goal: float, close: float) -> Iterator[Found]:
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

    inner = {one: bracketed(number.formula, ANY) for one, number in zip("ABC", numbers, strict=False)}
    said = {one: number.words for one, number in zip("ABC", numbers, strict=False)}
    return Number(
        LETTER.sub(lambda one: inner[one[0]], formula),
        of,
        sum(number.cost for number in numbers) + cost,
        LETTER.sub(lambda one: said[one[0]], words),
    )


def spans(numbers: list[Found], goal: float, close: float) -> Iterator[Found]:
    """Hours, minutes and seconds of one text in one of them."""
    for n, (a, x) in enumerate(numbers[:MOST]):
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


def of_all(numbers: list[Found], goal: float, near: float) -> Iterator[Found]:
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


def joined(number: Number, sign: str, factor: float) -> Number:
    def of(row: Row) -> float | None:
        value = number.of(row)
        return None if value is None else value * factor if sign == "*" else value / factor

    said = "times" if sign == "*" else "divided by"
    written = f"{bracketed(number.formula)} {sign} {repr(factor).removesuffix('.0')}"
    return Number(written, of, number.cost + 1.2, f"{number.words} {said} {factor:,}")


def _pair(a: Number, sign: str, b: Number) -> Number:
    def of(row: Row) -> float | None:
        x, y = a.of(row), b.of(row)
        if x is None or y is None or (sign == "/" and not y):
            return None
        return {"*": x * y, "+": x + y, "-": x - y}[sign] if sign != "/" else x / y

    said = {"*": "times", "+": "plus", "-": "minus", "/": "divided by"}[sign]
    left = a.formula if sign in "+-" else bracketed(a.formula)
    right = b.formula if sign == "+" else bracketed(b.formula, ANY if sign == "/" else SUM)
    return Number(f"{left} {sign} {right}", of, a.cost + b.cost + 0.6, f"{a.words} {said} {b.words}")
