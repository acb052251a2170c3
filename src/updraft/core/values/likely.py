"""Kinds and formats that a few values may have, and whether all have them."""

from __future__ import annotations

import polars as pl

from updraft.core.letters import western_digits
from updraft.core.values.convert import FORMATS, KNOWN, converted, could_read
from updraft.core.values.kinds import DTYPES, TITLES, Kind
from updraft.core.values.languages import ANSWERS, are_answers

NUMBERS = {"point": "1,234.5", "comma": "1.234,5"}
_LONGEST_ANSWER = max(len(word) for pair in ANSWERS.values() for word in pair)
_MAX_DIGITS = 15  # beyond this a float is no longer exact
_NUMBER = r"^-?((0|[1-9]\d*)(\.\d*)?|\.\d+)([eE][+-]?\d{1,3})?$"


def candidates(sample: pl.Series, numbers: str | None) -> list[tuple[Kind, str]]:
    """Kinds worth trying, by the first sampled value; cheap, since most columns are plainly text."""
    first = str(sample[0]).strip()
    if not first:
        return []
    found: list[tuple[Kind, str]] = []
    words = sample.str.strip_chars().str.to_lowercase().unique() if len(first) <= _LONGEST_ANSWER else ()
    if first.lower() in ("yes", "no", "true", "false") or are_answers(words):
        found.append((Kind.YES_NO, ""))
    if first[0].isdigit() or first[0] in "-.":
        if numbers == "comma":
            return [(Kind.NUMBER, NUMBERS["comma"]), *_dates(first)]
        found += [(Kind.WHOLE, ""), (Kind.NUMBER, "")]
        if sample.str.contains(r"[,'’\u{a0}\u{202f}]|\d \d").any():
            found += [(kind, form) for form in FORMATS[Kind.NUMBER] for kind in (Kind.WHOLE, Kind.NUMBER)]
    return [*found, *_dates(first)]


def _dates(first: str) -> list[tuple[Kind, str]]:
    if len(first) < 6 or not any(c.isdigit() for c in first):
        return []
    return [
        (kind, form)
        for kind in (Kind.DATE, Kind.DATETIME)
        for form in KNOWN[kind]
        if form != "YYYYMMDD" and could_read(form, first)
    ]


def all_fit(sample: pl.Series, kind: Kind, form: str) -> bool:
    if (
        not form
        and kind in (Kind.WHOLE, Kind.NUMBER)
        and not sample.str.strip_chars().str.contains(_NUMBER).all()
    ):
        # digits that merely lead with zeros are still shortlisted, so that the reason for text can be told
        return bool(sample.str.contains(r"^-?\d+$").all())
    return read_as(sample, kind, form)[0].null_count() == 0


def read_as(series: pl.Series, kind: Kind, form: str) -> tuple[pl.Series, bool]:
    """Convert, and say whether no value needed its blanks taken off.

    The plain forms are tried first and without their guards, since nearly every value of a file is plain.
    """
    quick: pl.Series | None = None
    if not form and kind in (Kind.WHOLE, Kind.NUMBER):
        quick = series.cast(DTYPES[kind], strict=False)
    elif form == "YYYY-MM-DD":
        size = series.str.len_bytes()
        if size.min() == size.max() == len(form):
            quick = series.str.to_date("%Y-%m-%d", strict=False)
    elif kind is Kind.YES_NO:
        words = series.unique()
        if words.len() < 50:
            answers = words.to_frame().select(pl.first(), read=converted(series.name, words.dtype, kind))
            return _by_value(series, answers), False
    if quick is not None and quick.null_count() == series.null_count():
        return quick, True
    read = converted(series.name, pl.String(), kind, [form] if form else [], plain=True)
    return western_digits(series).to_frame().select(read).to_series(), False


def _by_value(series: pl.Series, answers: pl.DataFrame) -> pl.Series:
    """Convert a column of few distinct values by converting each of them once."""
    known = answers.drop_nulls()
    return series.replace_strict(
        known.to_series(0), known.to_series(1), default=None, return_dtype=pl.Boolean
    )


def would_lose(series: pl.Series, kind: Kind, padded: bool) -> bool:
    """Whether any is a code by its leading zeros, a plus sign or an E between digits, or is too long."""
    series = western_digits(series)
    if padded:
        series = series.str.strip_chars()
    if kind is Kind.WHOLE and _as_short_as_can_be(series):
        return False
    # Literal signs first, all at once: a pattern takes five times as long, and most columns need none.
    text = pl.col(series.name)
    size = text.str.len_bytes()
    facts = series.to_frame().select(
        longest=size.max(),
        plus=text.str.starts_with("+").any(),
        zero=(text.str.starts_with("0") & ~text.str.starts_with("0.") & (size > 1)).any(),
        less=text.str.starts_with("-0").any(),
        power=text.str.contains("[eE]").any() if kind is Kind.NUMBER else pl.lit(False),
    )
    if facts["plus"][0] or (facts["less"][0] and series.str.contains(r"^-0\d").any()):
        return True
    if facts["zero"][0] and series.str.contains(r"^0\d").any():
        return True
    if facts["power"][0] and series.str.contains(r"^-?\d+[eE]\d+$").any():
        return True  # a code such as 6E2; numbers have a point or a sign there
    if (facts["longest"][0] or 0) <= _MAX_DIGITS:
        return False
    # A fraction of more digits than a float holds was a float in the program that wrote it; a whole number
    # was not.
    long = series.filter(series.str.len_bytes() > _MAX_DIGITS)
    return bool(long.str.contains(r"^-?\d{16,}(\.|$)").any())


def _as_short_as_can_be(series: pl.Series) -> bool:
    """Whether whole numbers are written with their digits alone and are exact: told by how many signs they
    all have together, since none can have fewer.
    """
    numbers = series.cast(pl.Int64, strict=False).drop_nulls()
    low, high = numbers.min(), numbers.max()
    if not isinstance(low, int) or not isinstance(high, int) or max(-low, high) >= 10**_MAX_DIGITS:
        return False
    sizes = numbers.abs() if low < 0 else numbers
    more = (10**n for n in range(1, len(str(max(-low, high)))))
    needed = numbers.len() + int((numbers < 0).sum()) + sum(int((sizes >= one).sum()) for one in more)
    return needed == series.str.len_bytes().sum()


def widest(kind: Kind) -> Kind:
    """The kind that a twin of a form may give: 1,234 is whole one way round and a fraction the other."""
    return Kind.NUMBER if kind is Kind.WHOLE else kind


def plural(kind: Kind) -> str:
    return {Kind.YES_NO: "yes or no", Kind.DATETIME: "dates with a time"}.get(kind, f"{TITLES[kind]}s")
