"""Results that are numbers: read from the row, reckoned with, written with so many decimals."""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace
from functools import partial

from updraft.core.formula.writing import quoted
from updraft.core.synthesis.amounts import amounts_in
from updraft.core.synthesis.figures import Number
from updraft.core.synthesis.pieces import Piece, Row, fixed_cost, shown
from updraft.core.synthesis.reckoning import in_degrees, reckoned


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
    yield from _pointed_thousands(pieces, wanted, more)
    # What stands in the row as it is was copied rather than reckoned.
    whole = re.compile(rf"(?<!\d){re.escape(found[2])}(?!\d)")
    copied = 1.5 if any(whole.search(text) for text, _ in pieces) else 0.0
    # Letters beside the number, as the row has them, are part of what was taken: 12A is not 12 and “A”.
    beside = any(one.strip().isalpha() for one in (before, after))
    copied += 2.0 * (beside and any(wanted in text for text, _ in pieces))
    for number, value in reckoned([*amounts_in(pieces), *more], goal, decimals, percent=after.strip() == "%"):
        number = _likelier(number, after)
        if found[2].startswith("+"):
            yield _framed(_signed(number, decimals), before, after)
        for written in _written(number, decimals, copied):
            if decimals or abs(value - goal) < 1e-9:
                yield _framed(written, before, after)
            elif abs(value) != 0:
                yield _framed(_rounded(number, copied), before, after)
    if re.fullmatch(r" ?°? ?[CFK]", after):
        for number, value in in_degrees(list(amounts_in(pieces)), goal, decimals):
            if decimals or abs(value - goal) < 1e-9:
                yield from (_framed(one, before, after) for one in _written(number, decimals, 0.0))
            if not decimals:
                yield _framed(_rounded(number, 0.0), before, after)


def _likelier(number: Number, after: str) -> Number:
    """Before a percent sign stands what was reckoned in percent."""
    if after.strip() != "%":
        return number
    told = "percent" in number.words or "times 100" in number.words
    return replace(number, cost=number.cost - 1.0 if told else number.cost + 0.5)


def _pointed_thousands(
    pieces: list[tuple[str, Piece]], wanted: str, more: Sequence[tuple[Number, float]]
) -> Iterator[Piece]:
    """1.234 of 1234, which is no number with decimals."""
    if re.fullmatch(r"\D*\d{1,3}(?:\.\d{3})+\D*", wanted):
        digits = re.sub(r"\D", "", wanted)
        whole = re.compile(rf"(?<!\d){digits}(?!\d|[.,]\d)")
        if any(whole.search(text) for text, _ in pieces):
            for made in _grouped_by(pieces, wanted, more, pointed=True):
                yield replace(made, cost=made.cost - 1.5)


def clocked(pieces: list[tuple[str, Piece]], wanted: str) -> Iterator[Piece]:
    """A number of minutes as 1:15 or 01:15, one of seconds as 4:05 or 1:04:05."""
    if not (found := re.fullmatch(r"(?:(\d+):)?(\d+):(\d\d)", wanted)):
        return
    first, places = next(part for part in found.groups() if part), 1 + bool(found[1])
    wide = len(first) == 2 and first.startswith("0")
    for number, value in amounts_in(pieces):
        if not number.column or value < 0 or value != int(value):
            continue
        made = partial(_as_clock, places, wide)
        if made(value) == wanted:
            yield _clock_of(number, places, wide, made)


def _as_clock(places: int, wide: bool, value: float) -> str:
    rest, least = divmod(int(value), 60)
    if places == 1:
        return f"{rest:02}:{least:02}" if wide else f"{rest}:{least:02}"
    hours, minutes = divmod(rest, 60)
    return f"{hours:02}:{minutes:02}:{least:02}" if wide else f"{hours}:{minutes:02}:{least:02}"


def _clock_of(number: Number, places: int, wide: bool, made: Callable[[float], str]) -> Piece:
    def of(row: Row) -> str | None:
        value = number.of(row)
        return None if value is None or value < 0 or value != int(value) else made(value)

    at = number.formula
    if places == 1:
        large, rest = f"text(down({at} / 60))", f"pad(text({at} - down({at} / 60) * 60), 2)"
    else:
        large = f"text(down({at} / 3600))"
        minutes = f"pad(text(down(({at} - down({at} / 3600) * 3600) / 60)), 2)"
        rest = f"{minutes} + ':' + pad(text({at} - down({at} / 60) * 60), 2)"
    large = f"pad({large}, 2)" if wide else large
    call = f"choose({at} >= 0 and {at} == down({at}), {large} + ':' + {rest})"
    words = f"{number.words} by sixties, as {'1:15' if places == 1 else '1:04:05'}"
    return Piece(call, of, number.cost + 1.2, words)


def _grouped(
    pieces: list[tuple[str, Piece]], wanted: str, more: Sequence[tuple[Number, float]]
) -> Iterator[Piece]:
    """The same where thousands stand apart by commas."""
    found = re.fullmatch(r"([^\d+-]*)([+-]?\d{1,3}(?:,\d{3})+(?:\.(\d+))?)(\D*)", wanted)
    if not found:
        return
    decimals, goal = len(found[3] or ""), float(found[2].replace(",", ""))
    for number, value in reckoned([*amounts_in(pieces), *more], goal, decimals):
        if decimals or abs(value - goal) < 1e-9:
            made = Piece(
                f"grouped({number.formula}, {decimals})",
                partial(_apart, number.of, decimals),
                number.cost + 1.4,
                f"{number.words}, with commas between thousands",
            )
            yield _framed(made, found[1], found[4])


def _grouped_by(
    pieces: list[tuple[str, Piece]],
    wanted: str,
    more: Sequence[tuple[Number, float]],
    *,
    pointed: bool = False,
) -> Iterator[Piece]:
    """The same where thousands stand apart by blanks, points or apostrophes."""
    found = re.fullmatch(r"\D*\d{1,3}([ .'’\u00a0\u202f])\d{3}(?:\1\d{3})*(?:[.,]\d+)?\D*", wanted)
    if not found or (not pointed and found[1] == "." and "," not in wanted and wanted.count(".") < 2):
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


def decimals_of(text: str) -> int:
    """How many decimals a number is written with."""
    return len(text.strip().partition(".")[2])
