"""Results that are made of a date: in another form, or parts of it."""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Iterator, Sequence
from datetime import date, datetime
from functools import partial

import polars as pl

from updraft.core.formula.writing import quoted
from updraft.core.synthesis.amounts import number_at
from updraft.core.synthesis.moved import days_later, moves, reached
from updraft.core.synthesis.pieces import Piece, Row
from updraft.core.values import FORMATS, Kind, converted
from updraft.core.values.convert import could_read, pattern_of
from updraft.core.values.languages import NAMED, month_names, weekday_names

_MORE = (
    "MM", "M", "Month", "Mon",
    "Mon YYYY", "Month YYYY", "YYYY-MM", "MM/YYYY", "YYYY", "YY", "Mon YY", "D Mon YY",
    "D Mon", "D Month", "Mon D", "Month D", "DD.MM.", "DD/MM", "MM-DD",
)  # fmt: skip
_FORMS = (*FORMATS[Kind.DATE], *_MORE)
READ = (*FORMATS[Kind.DATE], "D.M.YY", "D/Mon/YYYY", "DDMonYYYY", "DDMonYY", "D Mon YY")


def _year_begun(before: int, digits: int, day: date) -> str:
    """The year in which one ends that begins after so many months."""
    return str(day.year + (day.month > before))[-digits:]


def _year_of_begin(before: int, day: date) -> str:
    return str(day.year - (day.month <= before))


# Part of a date → its formula, the same in Python, how seldom it is meant.
_PARTS: dict[str, tuple[str, Callable[[date], str], float]] = {
    "quarter": ("text(quarter({}))", lambda day: str((day.month + 2) // 3), 0.8),
    "half": ("choose(month({}) < 7, '1', '2')", lambda day: "1" if day.month < 7 else "2", 1.0),
    "year": ("text(year({}))", lambda day: str(day.year), 0.0),
    "month": ("text(month({}))", lambda day: str(day.month), 0.0),
    "day": ("text(day({}))", lambda day: str(day.day), 0.0),
    "week": ("text(week({}))", lambda day: str(day.isocalendar().week), 0.8),
    "week of two digits": ("pad(text(week({})), 2)", lambda day: f"{day.isocalendar().week:02}", 0.7),
    "weekday": ("text(weekday({}))", lambda day: str(day.isoweekday()), 0.8),
    "decade": ("text(down(year({}) / 10) * 10)", lambda day: f"{day.year // 10}0", 0.8),
    "decade in two digits": (
        "last(text(down(year({}) / 10) * 10), 2)",
        lambda day: f"{day.year // 10 % 10}0",
        0.9,
    ),
    "day of the year": ("text(day_of_year({}))", lambda day: str(day.timetuple().tm_yday), 1.2),
}
for _name, _before in (("April", 3), ("July", 6), ("October", 9)):
    _ends = f"text(year(add_months({{}}, {12 - _before})))"
    _PARTS[f"year, begun in {_name},"] = (_ends, partial(_year_begun, _before, 4), 1.4)
    _short = f"end in two digits of the year, begun in {_name},"
    _PARTS[_short] = (f"last({_ends}, 2)", partial(_year_begun, _before, 2), 1.5)
    _begins = f"text(year(add_months({{}}, -{_before})))"
    _PARTS[f"beginning of the year, begun in {_name},"] = (_begins, partial(_year_of_begin, _before), 1.4)
# A month as people write it → what makes a day of it: what stands before, the form of all, what behind.
_MONTHS = {
    "Month YYYY": ("1 ", "D Month YYYY", ""),
    "Mon YYYY": ("1 ", "D Mon YYYY", ""),
    "MM/YYYY": ("01/", "DD/MM/YYYY", ""),
    "MM.YYYY": ("01.", "DD.MM.YYYY", ""),
    "YYYY-MM": ("", "YYYY-MM-DD", "-01"),
    "Mon-YY": ("1-", "D-Mon-YY", ""),
    "M": ("1/", "D/M/YYYY", "/2000"),
    "Month": ("1 ", "D Month YYYY", " 2000"),
    "Mon": ("1 ", "D Mon YYYY", " 2000"),
    # Days of no year; that year has the 29th of February.
    "Month D": ("", "Month D, YYYY", ", 2000"),
    "Mon D": ("", "Mon D, YYYY", ", 2000"),
    "D Month": ("", "D Month YYYY", " 2000"),
    "D Mon": ("", "D Mon YYYY", " 2000"),
    "DD.MM.": ("", "DD.MM.YYYY", "2000"),
    "MM-DD": ("2000-", "YYYY-MM-DD", ""),
}
_MONTH = re.compile("0?[1-9]|1[0-2]")
_ORDINAL = re.compile("([0-9])(?:st|nd|rd|th)(?: of)?")
# A time of day → how Python reads it, and its shape.
_TIMES = {
    "hh:mm": ("%H:%M", r"\d{2}:\d{2}"),
    "hh:mm:ss": ("%H:%M:%S", r"\d{2}:\d{2}:\d{2}"),
    "h:mm": ("%H:%M", r"\d{1,2}:\d{2}"),
    "h:mm AM": ("%I:%M %p", r"\d{1,2}:\d{2} [ap]m"),
    "h:mmAM": ("%I:%M%p", r"\d{1,2}:\d{2}[ap]m"),
}
# What a time of day may look like, and how others are written so: 6 pm, 18h30, 9.30 pm.
_CLOCK = re.compile(r"^\d{1,2}(?:[:.hH]\d{2})? ?(?:[AaPp][Mm])?$")
_AS_CLOCK = [
    (
        "replace_pattern({}, '^([0-9]{1,2})( ?[AaPp][Mm])$', '${1}:00${2}')",
        re.compile("^([0-9]{1,2})( ?[AaPp][Mm])$"),
        r"\1:00\2",
    ),
    (
        "replace_pattern({}, '^([0-9]{1,2})[.hH]([0-9]{2})', '${1}:${2}')",
        re.compile("^([0-9]{1,2})[.hH]([0-9]{2})"),
        r"\1:\2",
    ),
]
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
    if _ORDINAL.search(text):
        bare = whole.made(
            "replace_pattern({}, '([0-9])(?:st|nd|rd|th)(?: of)?', '$1')",
            partial(_ORDINAL.sub, r"\1"),
            0.4,
            "{}",
        )
        plain = [text and _ORDINAL.sub(r"\1", text) for text in texts]
        yield from days_in(bare, plain, at, wanted)
        return
    for form in READ:
        if could_read(form, text):
            yield from _of(whole, texts, text, wanted, ("", form, ""), form)
    if _UNIX.fullmatch(text):
        size = 86_400 if len(text) == 10 else 86_400_000
        yield from _counted(whole, texts, text, wanted, _FIRST_DAY, f" / {size}")
    if _SERIAL.fullmatch(text):
        yield from _counted(whole, texts, text, wanted, _DAY_0, "")


def months_in(whole: Piece, texts: list[str | None], at: int, wanted: str) -> Iterator[tuple[str, Piece]]:
    """The same for a column that says months, with a year or without: “March 2026”, “03/2026”, “Mar”."""
    text = texts[at]
    for short, (before, form, behind) in _MONTHS.items() if text else ():
        if short == "M" and not (_MONTH.fullmatch(text or "") and re.search("[A-Z][a-z][a-z]", wanted)):
            continue
        if could_read(form, f"{before}{text}{behind}"):
            yield from _of(whole, texts, text or "", wanted, (before, form, behind), short)


def times_in(whole: Piece, text: str, wanted: str) -> Iterator[tuple[str, Piece]]:
    """Ways to write a time of day: by 24 hours, or by 12 with AM and PM; 6 pm and 18h30, too."""
    yield from _times(whole, text, wanted)
    if not _CLOCK.search(text):
        return
    for call, regex, new in _AS_CLOCK:
        # Others may have hours alone where this one has minutes.
        if (said := regex.sub(new, text)) != text or call is _AS_CLOCK[0][0]:
            as_clock = whole.made(call, partial(regex.sub, new), 0.3, "{}")
            yield from _times(as_clock, said, wanted)


def _times(whole: Piece, text: str, wanted: str) -> Iterator[tuple[str, Piece]]:
    for form in _TIMES:
        if _time(text, form, form) is None:
            continue
        for out in (*_TIMES, "h AM", "hAM"):
            result = _time(text, form, out)
            if out == "h:mm" and "AM" in form and result and (hour := result.partition(":")[0]) in wanted:
                call = f"extract(time_as({{}}, {quoted(form)}, 'h:mm'), '^[0-9]+')"
                by_hour = partial(_hour, form=form)
                yield hour, whole.made(call, by_hour, 1.4, "the hour, of 24, of {}")
            if out != form and result and result.lower() in wanted.lower():

                def of(row: Row, form: str = form, out: str = out) -> str | None:
                    return _time(whole.of(row) or "", form, out)

                formula = f"time_as({whole.formula}, {quoted(form)}, {quoted(out)})"
                made = Piece(formula, of, whole.cost + 1.0, f"as {out} the time {whole.words}")
                yield result, made
                if "AM" in out:
                    low = made.made("lower({})", str.lower, 0.2, "{} in small letters")
                    yield result.lower(), low


def _of(
    whole: Piece, texts: list[str | None], text: str, wanted: str, around: tuple[str, str, str], short: str
) -> Iterator[tuple[str, Piece]]:
    days = read_days(texts, around)
    day = days[text]
    if day is None:
        return
    share = sum(one is None for one in days.values()) / len(days)
    yield from _said(whole, _reads(whole, [around]), days, day, wanted, 3 * share, short)
    if 0 < share < 1 and around[0] == around[2] == "":
        forms = _completed(days, around[1])
        if len(forms) > 1:
            share = sum(one is None for one in days.values()) / len(days)
            read = _reads(whole, [("", form, "") for form in forms])
            yield from _said(whole, read, days, day, wanted, 3 * share + 0.3, short)


_UNIX, _FIRST_DAY = re.compile(r"1\d{9}(\d{3})?"), date(1970, 1, 1)  # POSIX, in seconds or milliseconds
_SERIAL, _DAY_0 = re.compile(r"[2-6]\d{4}(\.\d+)?"), date(1899, 12, 30)  # as spreadsheets count (ECMA-376)


def _counted(
    whole: Piece, texts: list[str | None], text: str, wanted: str, first: date, over: str
) -> Iterator[tuple[str, Piece]]:  # fmt: skip
    """The day of a number that counts from a first day, in days or in what is `over` them."""
    size = float(over.removeprefix(" / ") or 1)
    days = {one: _day_after(first, number_at(1, one), size) for one in texts if one}
    number = f"down(number({whole.formula}){over})"
    read = f"add_days(date('{first}', 'YYYY-MM-DD'), {number})"
    day = days[text]
    if day is not None:
        found = _said(whole, read, days, day, wanted, 0.4, "")
        # A month's number or a day's alone is no sign that the number is one of days.
        yield from ((result, piece) for result, piece in found if len(result) > 5)


def _day_after(first: date, number: float | None, size: float) -> date | None:
    return None if number is None else reached(partial(days_later, math.floor(number / size)), first)


def _completed(days: dict[str, date | None], form: str) -> list[str]:
    """The forms that also read what the first does not, day and month in the same order; they fill `days`."""
    forms = [form]
    for _ in range(2):
        rest: list[str | None] = [text for text, day in days.items() if day is None]
        if not rest:
            break
        others = [one for one in READ if one not in forms and _day_first(one) in (None, _day_first(form))]
        others = [one for one in others if any(could_read(one, text or "") for text in rest[:20])]
        found = [(one, read_days(rest, ("", one, ""))) for one in others]
        best = max(found, key=lambda pair: sum(day is not None for day in pair[1].values()), default=None)
        if best is None or not any(best[1].values()):
            break
        forms.append(best[0])
        days.update({text: day for text, day in best[1].items() if day is not None})
    return forms


def _day_first(form: str) -> bool | None:
    """Whether the day stands before the month, both as numbers."""
    if "Mon" in form or "YYYY" in form[:4]:
        return None
    return form.index("D") < form.index("M")


def _time(text: str, form: str, out: str) -> str | None:
    """As the function `time_as`."""
    pattern, shape = _TIMES[form]
    if not re.fullmatch(shape, text.strip(), re.IGNORECASE):
        return None
    try:
        read = datetime.strptime(text.strip(), pattern)
    except ValueError:
        return None
    hour = str(read.hour % 12 or 12)
    made = {
        "h:mm": f"{read.hour}:%M",
        "h:mm AM": f"{hour}:%M %p",
        "h:mmAM": f"{hour}:%M%p",
        "h AM": f"{hour} %p",
        "hAM": f"{hour}%p",
    }
    return read.strftime(made.get(out) or _TIMES[out][0])


def _hour(text: str, form: str) -> str | None:
    said = _time(text, form, "h:mm")
    return said and said.partition(":")[0]


def could_be_day(text: str) -> bool:
    """Whether a text has the shape of a date."""
    return 6 <= len(text) <= 20 and any(could_read(form, text) for form in READ)


def read_days(texts: list[str | None], around: tuple[str, str, str]) -> dict[str, date | None]:
    """The values as dates, by a form, with what is put before and behind them."""
    before, form, behind = around
    known = [text for text in dict.fromkeys(texts) if text]
    read = pl.DataFrame({"t": known}, schema={"t": pl.String}).select(
        converted(before + pl.col("t") + behind, pl.String(), Kind.DATE, [form])
    )
    found = read.to_series()
    # Python knows no year 0.
    days = pl.select(pl.when(found.dt.year().is_between(1, 9999)).then(found).alias("d"))["d"].to_list()
    return dict(zip(known, [v.date() if isinstance(v, datetime) else v for v in days], strict=True))


def _reads(whole: Piece, ways: Sequence[tuple[str, str, str]]) -> str:
    """The formula that reads a date by the first of several forms that fits."""
    reads = []
    for around in ways:
        before, form, behind = (quoted(text) if text else "" for text in around)
        reads.append(f"date({' + '.join(filter(None, (before, whole.formula, behind)))}, {form})")
    return reads[0] if len(reads) == 1 else f"if_empty({', '.join(reads)})"


def _said(
    whole: Piece, read: str, days: dict[str, date | None], day: date, wanted: str, doubt: float, short: str
) -> Iterator[tuple[str, Piece]]:
    def piece(formula: str, make: Callable[[date], str], cost: float, words: str) -> Piece:
        def of(row: Row) -> str | None:
            found = days.get(whole.of(row) or "")
            return None if found is None else make(found)

        return Piece(formula, of, whole.cost + cost + doubt, f"{words} {whole.words}")

    for out in _FORMS:
        pattern = pattern_of(out, year=False)
        result = day.strftime(pattern)
        if result in wanted and out != short:
            cost = (
                1.2
                + 0.8 * (out in _MIXED)
                + 1.5 * (out in ("M", "MM", "YY") and re.findall(r"\d+", wanted) == [result])
                + 0.1 * (result != wanted)
            )
            yield result, piece(f"text({read}, {quoted(out)})", _named(pattern), cost, f"as {out} the date")
    for name, pattern in (("month", "%B"), ("weekday", "%A")):
        for size, call in ((99, "{}"), (3, "first({}, 3)")):
            short = day.strftime(pattern)[:size]
            if short in wanted:
                formula = call.replace("{}", f"{name}_name({read})")
                yield short, piece(formula, _named(pattern, size), 1.7, f"the name of the {name} of")
    for language in NAMED:
        for name, names, number in _IN_WORDS:
            known = names(language)
            if (said := known[number(day) - 1]) in wanted and len(said) > 2 and language != "en":
                call = f"{name}_name({read}, {quoted(language)})"
                yield said, piece(call, partial(_called, known, number), 1.7, f"the name of the {name} of")
    for out in FORMATS[Kind.DATE]:
        pattern = pattern_of(out, year=False)
        there = read_days([wanted], ("", out, ""))[wanted] if could_read(out, wanted) else None
        if there is None or there.strftime(pattern) != wanted:
            continue
        for call, move, far, words in moves(day, there):
            formula = f"text({call.replace('{}', read)}, {quoted(out)})"
            yield wanted, piece(formula, _moved(move, pattern), 1.4 + far, words)
    for name, (call, make, seldom) in _PARTS.items():
        if make(day) in wanted:
            # H1, Q3 and W07 say what their number is.
            labels = _LABELS.get(name)
            label = labels and re.search(rf"\b(?:{labels}) ?{make(day)}\b", wanted)
            cost = 1.0 - 0.1 * ("two" in name) if label else 2.2 + seldom
            yield make(day), piece(call.replace("{}", read), make, cost, f"the {name} of")


_LABELS = {"half": "H|S", "quarter": "Q|T", "week": "W|KW|CW", "week of two digits": "W|KW|CW"}


_IN_WORDS: list[tuple[str, Callable[[str], list[str]], Callable[[date], int]]] = [
    ("month", month_names, lambda day: day.month),
    ("weekday", weekday_names, date.isoweekday),
]


def _called(names: list[str], number: Callable[[date], int], day: date) -> str:
    return names[number(day) - 1]


def _moved(move: Callable[[date], date], pattern: str) -> Callable[[date], str]:
    def make(day: date) -> str:
        there = reached(move, day)
        return there.strftime(pattern) if there else ""

    return make


def _named(pattern: str, size: int = 99) -> Callable[[date], str]:
    return lambda day: day.strftime(pattern)[:size]
