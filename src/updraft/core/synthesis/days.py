"""Results that are made of a date: in another form, or parts of it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from datetime import date, datetime

import polars as pl

from updraft.core.synthesis.pieces import Piece, Row, quoted
from updraft.core.values import FORMATS, Kind, converted
from updraft.core.values.convert import could_read, pattern_of

_MORE = (
    "Mon YYYY", "Month YYYY", "YYYY-MM", "MM/YYYY", "YYYY", "YY", "Mon YY", "D Mon YY",
    "D Mon", "D Month", "Mon D", "Month D", "DD.MM.", "DD/MM", "MM-DD",
)  # fmt: skip
_FORMS = (*FORMATS[Kind.DATE], *_MORE)
_PARTS: dict[str, Callable[[date], str]] = {
    "quarter": lambda day: str((day.month + 2) // 3),
    "year": lambda day: str(day.year),
    "month": lambda day: str(day.month),
    "day": lambda day: str(day.day),
    "week": lambda day: str(day.isocalendar().week),
    "weekday": lambda day: str(day.isoweekday()),
}
_MIXED = {"MM/DD/YYYY", "DD/MM/YYYY", "MM/DD/YY", "DD/MM/YY", "M/D/YYYY", "D/M/YYYY", "M/D/YY", "D/M/YY"}


def days_in(whole: Piece, texts: list[str | None], at: int, wanted: str) -> Iterator[tuple[str, Piece]]:
    """Ways to write the date that a column holds, with what each gives for the example.

    Args:
        texts: the column's values.
        at: the example's row.
        wanted: its result; forms that do not stand in it are left out.
    """
    text = texts[at]
    if not text or not any(sign.isdigit() for sign in text):
        return
    for form in FORMATS[Kind.DATE]:
        if could_read(form, text):
            days = _read(texts, form)
            if (day := days[text]) is not None:
                share = sum(day is None for day in days.values()) / len(days)
                yield from _said(whole, form, days, day, wanted, 3 * share)


def could_be_day(text: str) -> bool:
    """Whether a text has the shape of a date."""
    return 6 <= len(text) <= 20 and any(could_read(form, text) for form in FORMATS[Kind.DATE])


def _read(texts: list[str | None], form: str) -> dict[str, date | None]:
    """The values as dates."""
    known = [text for text in dict.fromkeys(texts) if text]
    read = pl.DataFrame({"t": known}, schema={"t": pl.String}).select(
        converted(pl.col("t"), pl.String(), Kind.DATE, [form])
    )
    found = read.to_series().to_list()
    return dict(zip(known, [v.date() if isinstance(v, datetime) else v for v in found], strict=True))


def _said(
    whole: Piece, form: str, days: dict[str, date | None], day: date, wanted: str, doubt: float
) -> Iterator[tuple[str, Piece]]:
    read = f"date({whole.formula}, {quoted(form)})"

    def piece(formula: str, make: Callable[[date], str], cost: float, words: str) -> Piece:
        def of(row: Row) -> str | None:
            found = days.get(whole.of(row) or "")
            return None if found is None else make(found)

        return Piece(formula, of, whole.cost + cost + doubt, f"{words} {whole.words}")

    for out in _FORMS:
        pattern = pattern_of(out, year=False)
        result = day.strftime(pattern)
        if result in wanted and out != form:
            cost = 1.2 + 0.8 * (out in _MIXED) + 0.1 * (result != wanted)
            yield result, piece(f"text({read}, {quoted(out)})", _named(pattern), cost, f"as {out} the date")
    for name, pattern in (("month", "%B"), ("weekday", "%A")):
        for size, call in ((99, "{}"), (3, "first({}, 3)")):
            short = day.strftime(pattern)[:size]
            if short in wanted:
                formula = call.replace("{}", f"{name}_name({read})")
                yield short, piece(formula, _named(pattern, size), 1.7, f"the name of the {name} of")
    for name, make in _PARTS.items():
        if make(day) in wanted:
            rare = 0.8 * (name in ("week", "weekday", "quarter"))
            yield make(day), piece(f"text({name}({read}))", make, 2.2 + rare, f"the {name} of")


def _named(pattern: str, size: int = 99) -> Callable[[date], str]:
    return lambda day: day.strftime(pattern)[:size]
