"""Text to numbers, dates and yes/no, by named formats; what does not convert becomes null and can be counted.

A format is written in letters that people know from spreadsheets: `YYYY-MM-DD`, `DD.MM.YY`, `D Mon YYYY`.
"""

from __future__ import annotations

import re
from calendar import month_name
from collections.abc import Iterable, Mapping
from functools import cache

import polars as pl

from updraft.core.letters import western, western_digits
from updraft.core.problems import Problem
from updraft.core.values.dressed import factor, undressed
from updraft.core.values.kinds import DTYPES, Kind
from updraft.core.values.languages import answers, months, weekdays

# Letters of a date format → strftime of Polars (chrono). Longest first, so that MM is not read as M.
_LETTERS = [
    ("Weekday", "%A"),
    ("Era", "%Y"),  # with its year, see _by_era
    ("YYYY", "%Y"),
    ("YY", "%y"),
    ("Month", "%B"),
    ("Mon", "%b"),
    ("MM", "%m"),
    ("M", "%-m"),
    ("DD", "%d"),
    ("D", "%-d"),
    ("hh", "%H"),
    ("mm", "%M"),
    ("ss.f", "%S%.f"),
    ("ss", "%S"),
    ("AM", "%p"),
    ("h", "%-I"),
]
_LETTER = re.compile("|".join(letters for letters, _ in _LETTERS))

INDIAN = "12,34,567.5"  # by hundreds above the thousands: lakh and crore
# Offered in the interface, the usual ones first. Any other mix of the letters works too.
FORMATS: dict[Kind, tuple[str, ...]] = {
    Kind.DATE: (
        "YYYY-MM-DD",
        "DD.MM.YYYY",
        "DD/MM/YYYY",
        "MM/DD/YYYY",
        "DD.MM.YY",
        "DD/MM/YY",
        "MM/DD/YY",
        "YYYY/MM/DD",
        "DD-MM-YYYY",
        "D.M.YYYY",
        "D/M/YYYY",
        "M/D/YYYY",
        "D/M/YY",
        "M/D/YY",
        "D Mon YYYY",
        "D Month YYYY",
        "Mon D, YYYY",
        "Month D, YYYY",
        "Mon D YYYY",
        "D-Mon-YYYY",
        "D-Mon-YY",
        "Mon-D-YYYY",
        "D. Mon YYYY",
        "D. Month YYYY",
        "D de Month de YYYY",
        "Weekday D Month YYYY",
        "Weekday, D Month YYYY",
        "Weekday, D. Month YYYY",
        "Weekday, Month D, YYYY",
        "YYYY.MM.DD",
        "MM-DD-YYYY",
        "YYYYMMDD",
    ),
    Kind.DATETIME: (
        "YYYY-MM-DD hh:mm:ss",
        "YYYY-MM-DDThh:mm:ss",
        "YYYY-MM-DDThh:mm:ssZ",
        "YYYY-MM-DD hh:mm:ss+00:00",
        "YYYY-MM-DDThh:mm:ss+00:00",
        "YYYY-MM-DD hh:mm:ss.f",
        "YYYY-MM-DDThh:mm:ss.f",
        "YYYY-MM-DDThh:mm:ss.fZ",
        "YYYY-MM-DD hh:mm",
        "YYYY/MM/DD hh:mm",
        "YYYY/MM/DD hh:mm:ss",
        "DD.MM.YYYY hh:mm",
        "DD/MM/YYYY hh:mm",
        "MM/DD/YYYY hh:mm",
        "D/M/YYYY hh:mm",
        "M/D/YYYY hh:mm",
        "D/M/YYYY hh:mm:ss",
        "M/D/YYYY hh:mm:ss",
        "D.M.YYYY h:mm",
        "D/M/YYYY h:mm",
        "M/D/YYYY h:mm",
        "D/M/YYYY h:mm AM",
        "M/D/YYYY h:mm AM",
    ),
    Kind.NUMBER: ("1,234.5", "1.234,5", "1 234,5", "1'234.5", INDIAN),
}

_SHAPES = 500  # shapes of texts, the most frequent ones, by which forms are shortlisted
_DAYS = (
    "YYYY-M-D",
    "YYYY/M/D",
    "D.M.YYYY",
    "D.M.YY",
    "D/M/YYYY",
    "M/D/YYYY",
    "D/M/YY",
    "M/D/YY",
    "D-M-YYYY",
    "M-D-YYYY",
    "D-Mon-YYYY",
    "D-Mon-YY",
    "D Mon YYYY",
    "Mon D YYYY",
    "Mon D, YYYY",
    "YYYY年M月D日",
    "Era年M月D日",
    "YYYY년 M월 D일",
    "YYYY. M. D.",
)
# By ISO 8601 without seconds, and as servers write it (the common log format).
_STAMPS = ("YYYY-MM-DDThh:mm", "YYYY-MM-DDThh:mmZ", "DD/Mon/YYYY:hh:mm:ss +0000")
_CLOCKS = ("h:mm", "h:mm:ss", "h:mm AM", "h:mm:ss AM")


def _and_more(forms: tuple[str, ...], more: Iterable[str]) -> tuple[str, ...]:
    return tuple(dict.fromkeys([*forms, *more]))


# Read wherever a form is looked for: what is offered, and the days and clocks that programs put together.
KNOWN: dict[Kind, tuple[str, ...]] = {
    Kind.DATE: _and_more(FORMATS[Kind.DATE], _DAYS),
    Kind.DATETIME: _and_more(
        FORMATS[Kind.DATETIME], [*_STAMPS, *(f"{day} {clock}" for day in _DAYS for clock in _CLOCKS)]
    ),
    Kind.NUMBER: FORMATS[Kind.NUMBER],
}
# What stands between groups of three digits, and before decimals.
_MARKS = {
    "1,234.5": (",", "."),
    "1.234,5": (".", ","),
    "1 234,5": (r" \u{a0}\u{202f}", ","),
    "1'234.5": ("'’", "."),
    INDIAN: (",", "."),
}
_YES = ["y", "true", "1", "x", *answers(True)]
_NO = ["n", "false", "0", *answers(False)]


def pattern_of(form: str, *, year: bool = True) -> str:
    """A date format as a chrono pattern; Problem when it has no letters that mean anything.

    Args:
        year: whether it must say where the year stands, as a date that is read does.
    """
    letters = dict(_LETTERS) if "AM" in form else {**dict(_LETTERS), "h": "%-H"}
    pattern = _LETTER.sub(lambda m: letters[m.group()], form.replace("%", "%%"))
    if not re.search(r"%[Yy]" if year else r"%[a-zA-Z-]", pattern):
        raise Problem(
            f"Format “{form}”",
            "it does not say where the year stands.",
            "Use letters such as YYYY-MM-DD, DD.MM.YY or D Mon YYYY.",
            field="formats",
        )
    return pattern


def could_read(form: str, text: str) -> bool:
    """Whether one text has the shape of a date format; cheap, to shortlist formats by a single value."""
    return _shape(form).fullmatch(text.strip()) is not None


@cache
def _shape(form: str) -> re.Pattern[str]:
    return re.compile(_guard(form).strip("^$").replace(r"\p{L}", r"[^\W\d_]"))


def _guard(form: str) -> str:
    """A regular expression for the digits of a date format: chrono alone reads 0026 or 31-3 where YYYY-MM-DD
    is meant.
    """

    def shape(match: re.Match[str]) -> str:
        letters = match.group()
        return {
            "YYYY": r"\d{4}",
            "Era": _ERA,
            "Weekday": r"\p{L}(?:\p{L}|-)*\.?",
            "Month": r"\p{L}+",
            "Mon": r"\p{L}{3,5}\.?",
            "M": r"\d{1,2}",
            "D": r"\d{1,2}",
            "h": r"\d{1,2}",
            "ss.f": r"\d{2}\.\d{1,9}",
            "AM": r"[AaPp][Mm]",
        }.get(letters, r"\d{2}")

    parts, last = [], 0
    for match in _LETTER.finditer(form):
        parts += [re.escape(form[last : match.start()]), shape(match)]
        last = match.end()
    return "^" + "".join(parts) + re.escape(form[last:]) + "$"


def converted(
    column: str | pl.Expr,
    source: pl.DataType,
    kind: Kind,
    formats: list[str] | tuple[str, ...] = (),
    dressed: Mapping[str, float] | None = None,
    *,
    plain: bool = False,
) -> pl.Expr:
    """A column, or another expression, as another kind; null where a value does not convert. Blanks around it
    do not count.

    Args:
        formats: date formats or number forms, tried in this order; none means the plain ones
            (`YYYY-MM-DD`, digits with a decimal point).
        dressed: read numbers with currency, percent and brackets too, and with these units, each number times
            the unit's factor; None reads bare numbers only.
        plain: its digits are known to be 0 to 9, so that they need not be looked at.
    """
    if isinstance(column, str):
        return converted(pl.col(column), source, kind, formats, dressed, plain=plain).alias(column)
    value = column
    if not isinstance(source, pl.String):
        return value.cast(DTYPES[kind], strict=False)
    if kind is Kind.TEXT:
        return value
    text = (value if plain else western(value)).str.strip_chars()
    if kind is Kind.YES_NO:
        low = text.str.to_lowercase()
        return pl.when(low.is_in(_YES)).then(True).when(low.is_in(_NO)).then(False).otherwise(None)
    if kind in (Kind.DATE, Kind.DATETIME):
        return pl.coalesce(_date(text, kind, form) for form in (formats or FORMATS[kind][:1]))
    if dressed is not None:
        bare, negative, unit = undressed(text)
        read = pl.coalesce(_number(bare, form) for form in (formats or FORMATS[Kind.NUMBER][:1]))
        # 0.07 · 100 is 7.000000000000001 in binary: fifteen digits are what a float holds for sure.
        numbers = (pl.when(negative).then(-read).otherwise(read) * factor(unit, dressed)).round_sig_figs(15)
    else:
        numbers = (
            pl.coalesce(_number(text, form) for form in formats)
            if formats
            else text.cast(DTYPES[kind], strict=False)
        )
    if kind is Kind.WHOLE and (formats or dressed is not None):
        whole = numbers.cast(pl.Int64, strict=False)
        return pl.when(numbers == whole).then(whole).otherwise(None)
    return numbers


def _date(text: pl.Expr, kind: Kind, form: str) -> pl.Expr:
    if "Era" in form:
        return _date(_by_era(text), kind, form.replace("Era", "YYYY"))
    if _IN_WORDS.search(form):
        text, form = _in_english(text, form)
    pattern = pattern_of(form)
    if kind is Kind.DATE:
        read = text.str.to_date(pattern, strict=False)
    else:
        if not re.search("%-?[HI]", pattern):
            return _date(text, Kind.DATE, form).cast(pl.Datetime("us"))
        read = text.str.to_datetime(pattern, strict=False, time_unit="us")
    return pl.when(text.str.contains(_guard(form))).then(read).otherwise(None)


def _in_english(text: pl.Expr, form: str) -> tuple[pl.Expr, str]:
    """A date whose month is a word of any language known here, the month in English and no weekday; and its
    form then. Empty where a word is none of the months, or none of the weekdays.
    """
    day, form = _WEEKDAY.match(form), _WEEKDAY.sub("", form)
    shapes = [_guard(part).strip("^$") for part in _IN_WORDS.split(form)]
    lead = "" if day is None else rf"(\p{{L}}[\p{{L}}-]*)\.?{re.escape(day[1])}"
    word = r"(\p{L}+)\.?"
    whole = f"^{lead}({shapes[0]}){word}({shapes[1]})$"
    at = 1 if day is None else 2
    said = text.str.extract(whole, at + 1).str.to_lowercase()
    month = said.replace_strict(_english(), default=None, return_dtype=pl.String)
    made = pl.concat_str([text.str.extract(whole, at), month, text.str.extract(whole, at + 2)])
    if day is not None:
        known = text.str.extract(whole, 1).str.to_lowercase().is_in(list(weekdays()))
        made = pl.when(known).then(made)
    return made, _IN_WORDS.sub("Month", form)


# The eras of Japan, by name or letter, each with the year before its first; its first may be called 元.
_ERAS = {"明治": 1867, "大正": 1911, "昭和": 1925, "平成": 1988, "令和": 2018}
_ERAS |= dict(zip("MTSHR", _ERAS.values(), strict=True))
_ERA = rf"(?:{'|'.join(_ERAS)})(?:元|\d{{1,2}})"


def _by_era(text: pl.Expr) -> pl.Expr:
    """A text with its first era and the year of it as a year of ours."""
    era = text.str.extract(rf"({'|'.join(_ERAS)})(?:元|\d{{1,2}})")
    year = text.str.extract(_ERA.replace("(?:元", "(元")).replace("元", "1").cast(pl.Int32, strict=False)
    base = era.replace_strict(_ERAS, default=None, return_dtype=pl.Int32)
    return pl.concat_str((base + year).cast(pl.String), text.str.replace(_ERA, ""))


_IN_WORDS = re.compile("Month|Mon")
_WEEKDAY = re.compile(r"Weekday(\W*)")


@cache
def _english() -> dict[str, str]:
    return {word: month_name[number] for word, number in months().items()}


def _number(text: pl.Expr, form: str) -> pl.Expr:
    if form not in _MARKS:
        known = ", ".join(_MARKS)
        raise Problem(
            f"Number form “{form}”",
            "it is not one that Updraft reads.",
            f"Choose one of {known}.",
            field="formats",
        )
    thousands, point = _MARKS[form]
    mark, dot = f"[{thousands}]", re.escape(point)
    groups = rf"\d{{1,2}}({mark}\d{{2}})*{mark}\d{{3}}" if form == INDIAN else rf"\d{{1,3}}({mark}\d{{3}})+"
    fits = text.str.contains(rf"^[+-]?({groups}|\d+)({dot}\d+)?([eE][+-]?\d{{1,3}})?$|^[+-]?{dot}\d+$")
    plain = text.str.replace_all(mark, "")
    plain = plain.str.replace(",", ".", literal=True) if point == "," else plain
    return pl.when(fits).then(plain.cast(pl.Float64, strict=False)).otherwise(None)


def guess_format(values: pl.Series, kind: Kind) -> list[str]:
    """The fewest usual formats that together read the most of these texts, best first (a greedy cover).

    A format that could be read day-first and month-first alike is taken only when another value decides.
    """
    left = western_digits(values.drop_nulls().unique(maintain_order=True))
    counted = left.str.replace_all(r"\d", "0").value_counts(sort=True, name="n")
    shapes = counted.to_series().head(_SHAPES).to_list()
    likely = [
        form for form in KNOWN[kind] if kind is Kind.NUMBER or any(could_read(form, text) for text in shapes)
    ]
    chosen: list[str] = []
    while likely and left.len():
        name = left.name or "value"
        frame = left.rename(name).to_frame()
        reads = frame.select(
            converted(name, pl.String(), kind, [form], plain=True).is_not_null().sum().alias(form)
            for form in likely
        )
        best = max(likely, key=lambda form: int(reads[form][0]))
        if not reads[best][0]:
            break
        chosen.append(best)
        left = frame.filter(converted(name, pl.String(), kind, [best], plain=True).is_null())[name]
    return chosen
