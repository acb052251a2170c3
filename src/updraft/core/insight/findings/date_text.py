"""5: text that is mostly dates, the forms in which they are written, days as numbers, and dates far off."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date, timedelta

import polars as pl

from updraft.core.figures import pattern_of_text
from updraft.core.insight.findings.model import Finding, Repair, plural, recode, short, step, where
from updraft.core.insight.findings.naming import words_of
from updraft.core.insight.findings.view import Column, View
from updraft.core.values import TWINS, Kind, converted
from updraft.core.values.convert import KNOWN, could_read

_SHARE = 0.8  # of the filled cells, placeholders left out, that must read as dates
_LEAST = 5
_DATE_FORMS = [
    (kind, form) for kind in (Kind.DATE, Kind.DATETIME) for form in KNOWN[kind] if form != "YYYYMMDD"
]


def dates_as_text(view: View) -> Iterator[Finding]:
    """Text columns of which at least 80 % of the cells, and five, read as dates: in one form with odd ones, or in several.

    Day and month are told apart by the values that only one order reads; without any, the order is left open.
    """
    for column in view.texts:
        first = column.meant["value"].head(100)
        if (
            first.len()
            and first.str.contains(r"\d").sum() >= 0.6 * first.len()
            and first.str.len_chars().median() <= 32  # type: ignore[operator]
        ):
            yield from _dates(column)


def _dates(column: Column) -> Iterator[Finding]:
    values = column.meant.select("value", "n")
    # One text of each shape tells which forms are worth trying; the rare ones stand at the end.
    some = pl.concat([values["value"].head(400), values["value"].tail(400)]).alias("some").to_frame()
    sample = some.unique(pattern_of_text(pl.col("some"), fine=True), maintain_order=True)["some"].to_list()
    forms = [(kind, form) for kind, form in _DATE_FORMS if any(could_read(form, text) for text in sample)]
    if not forms:
        return
    reads = values.select(
        "n",
        "value",
        **{form: converted("value", pl.String(), Kind.DATETIME, [form]).is_not_null() for _, form in forms},
    )
    forms = [(kind, form) for kind, form in forms if reads[form].any()]
    names = [form for _, form in forms]
    any_ = reads.select(pl.any_horizontal([pl.lit(False), *names])).to_series()
    many, all_ = int(reads.filter(any_)["n"].sum()), int(reads["n"].sum())
    if many < _LEAST or many < _SHARE * all_:
        return
    names, open_, both = _ordered(reads, names)
    cover = _cover(reads, names)
    rest = reads.filter(~any_)
    serials = _serials(rest["value"], reads, cover[0]) if "value" in reads else {}
    odd = int(rest["n"].sum())
    emptied = int(rest.filter(~pl.col("value").is_in(list(serials)))["n"].sum())
    first = (recode(column.name, serials),) if serials else ()
    order_of = [*cover, *(["YYYY-MM-DD"] if serials and "YYYY-MM-DD" not in cover else [])]
    kind = Kind.DATETIME if any(":mm" in form for form in cover) else Kind.DATE
    odd_text = f"; {plural(odd, 'cell is', 'cells are')} no date" if odd else ""
    rare = reads.filter(any_ & ~pl.col(cover[0]))
    repairs = [
        Repair(
            f"Set {column.name} to {'date and time' if kind is Kind.DATETIME else 'date'}: {', '.join(order)}"
            + (f", {plural(len(serials), 'day number', 'day numbers')} too" if serials else "")
            + (f"; {plural(emptied, 'odd cell becomes', 'odd cells become')} empty" if emptied else ""),
            (
                *first,
                step("set_types", columns=[{"column": column.name, "type": kind.value, "formats": order}]),
            ),
        )
        for order in ([order_of, [_other(form) for form in order_of]] if open_ else [order_of])
    ]
    why = (
        "Text sorts by its first digit and has no months or weeks. Said where at least 80 % of the filled cells, and five, read as dates. "
        "Day and month are told apart by the values that can be read one way only."
    )
    if open_:
        code, sentence = (
            "date_order_open",
            f"The dates of {column.name} could be day first or month first; "
            + (f"{both[0]:,} decide for the day, {both[1]:,} for the month" if both else "no value decides")
            + odd_text,
        )
        count, examples, rows = many, reads.filter(any_)["value"], (~column.blank).arg_true()
    elif rare.height:
        number = int(rare["n"].sum())
        code, sentence = (
            "date_forms",
            (
                f"{plural(number, 'date', 'dates')} of {column.name} {'is' if number == 1 else 'are'} written another way; "
                f"{int(reads.filter(pl.col(cover[0]))['n'].sum()):,} read {cover[0]}{odd_text}"
            ),
        )
        odd_values = [*rare["value"].to_list(), *rest["value"].to_list()]
        count, examples, rows = number + odd, pl.Series(odd_values), column.rows_meaning(odd_values)
    elif odd:
        code, sentence = (
            "dates_as_text",
            f"{column.name} is text, but {plural(many, 'cell is a date', 'cells are dates')}{odd_text}",
        )
        count, examples, rows = odd, rest["value"], column.rows_meaning(rest["value"].to_list())
    elif column.words.height > column.meant.height:
        return  # only placeholders keep it from being dates
    else:
        code, sentence = "dates_as_text", f"{column.name} holds dates written {cover[0]}, but is text"
        count, examples, rows = many, reads["value"], (~column.blank).arg_true()
    rule = where(column.name, "one_of", values=examples.to_list()) if examples.len() <= 50 else None
    yield Finding(
        code,
        (column.name,),
        count,
        sentence,
        why,
        short(examples),
        rows,
        tuple(repairs),
        rule,
        open=open_ or bool(odd),
        weight=78,
    )


def _ordered(reads: pl.DataFrame, names: list[str]) -> tuple[list[str], bool, tuple[int, int] | None]:
    """The forms without those of the wrong order of day and month, whether the order is open, and what decides both ways."""
    open_, both = False, None
    for day, month in ((form, twin) for form, twin in TWINS.items() if form.startswith("D")):
        if day not in names or month not in names:
            continue
        by_day = int(reads.filter(pl.col(day) & ~pl.col(month))["n"].sum())
        by_month = int(reads.filter(pl.col(month) & ~pl.col(day))["n"].sum())
        wrong = month if by_day >= by_month else day
        if by_day and by_month:
            both = both or (by_day, by_month)
        open_ = open_ or bool(by_day) == bool(by_month)
        names = [form for form in names if form != wrong]
    return names, open_, both


def _serials(odd: pl.Series, reads: pl.DataFrame, form: str) -> dict[str, str]:
    """Spreadsheet day numbers (days since 1899-12-30) among dates → the day, where it lies among the others."""
    kind = Kind.DATETIME if ":mm" in form else Kind.DATE
    days = reads.select(converted("value", pl.String(), kind, [form]).cast(pl.Date)).to_series().drop_nulls()
    if not days.len():
        return {}
    low, high = days.min(), days.max()
    assert isinstance(low, date) and isinstance(high, date)
    margin = timedelta(days=max((high - low).days // 2, 365))
    found = {}
    for text in odd.filter(odd.str.contains(r"^[1-6]\d{4}(\.0)?$")):
        day = date(1899, 12, 30) + timedelta(days=int(float(text)))
        if low - margin <= day <= high + margin:
            found[text] = day.isoformat()
    return found


def _cover(reads: pl.DataFrame, names: list[str]) -> list[str]:
    """The fewest forms that read all that can be read, the one that reads most first (greedy)."""
    left, chosen = reads, []
    while left.height:
        best = max(names, key=lambda form: int(left.filter(pl.col(form))["n"].sum()))
        if not left[best].any():
            break
        chosen.append(best)
        left = left.filter(~pl.col(best))
    return chosen


def _other(form: str) -> str:
    return TWINS.get(form, form)


def dates_as_numbers(view: View) -> Iterator[Finding]:
    """Whole numbers of eight digits that are all days (19580329), under a name that says so or all within a century."""
    for column in view.columns:
        if column.kind is not Kind.WHOLE or column.filled < _LEAST or column.distinct < 2:
            continue
        texts = column.counts["value"].cast(pl.String)
        if not texts.str.contains(r"^(1[6-9]|20)\d\d(0[1-9]|1[0-2])(0[1-9]|[12]\d|3[01])$").all():
            continue
        named = bool({"date", "day", "datum", "born", "birth", "dob", "time"} & set(words_of(column.name)))
        if texts.str.to_date("%Y%m%d", strict=False).null_count() or not (named or column.distinct >= 30):
            continue
        yield Finding(
            "dates_as_text",
            (column.name,),
            column.filled,
            f"{column.name} holds days written as numbers, YYYYMMDD",
            "As numbers the days between two of them cannot be counted. Said of whole numbers that are all days; a person decides, since "
            "codes can look like days.",
            short(texts),
            (~column.blank).arg_true(),
            (
                Repair(
                    f"Set {column.name} to date: YYYYMMDD",
                    (
                        step("set_types", columns=[{"column": column.name, "type": "text"}]),
                        step(
                            "set_types",
                            columns=[{"column": column.name, "type": "date", "formats": ["YYYYMMDD"]}],
                        ),
                    ),
                ),
            ),
            where(column.name, "filled"),
            open=True,
            weight=50,
        )


def far_dates(view: View) -> Iterator[Finding]:
    """Dates further from the middle nine tenths than ten times their span (a year at least), in at most 2 % of the rows."""
    for column in view.columns:
        if not column.is_date or column.filled < 20:
            continue
        days = column.series.cast(pl.Date)
        numbers = days.drop_nulls().to_physical()
        low, high = int(numbers.quantile(0.05) or 0), int(numbers.quantile(0.95) or 0)
        span = 10 * max(high - low, 365)
        early, late = _day(low - span), _day(high + span)
        rows = ((days < early) | (days > late)).fill_null(False).arg_true()
        if rows.len() and rows.len() * 50 <= column.filled:
            texts = column.texts(column.series.gather(rows.head(5)))
            rule = {
                "match": "all",
                "of": [
                    {
                        "match": "any",
                        "of": [
                            {"column": column.name, "test": "less", "value": f"{early}"},
                            {"column": column.name, "test": "more", "value": f"{late}"},
                        ],
                    }
                ],
            }
            yield Finding(
                "far_dates",
                (column.name,),
                rows.len(),
                f"{plural(rows.len(), 'date', 'dates')} of {column.name} {'lies' if rows.len() == 1 else 'lie'} far from all others",
                f"Nine of ten lie between {_day(low)} and {_day(high)}. Said of dates more than ten times that span (a year at least) "
                "away, where they are at most 2 % of all.",
                short(texts),
                rows,
                (
                    Repair(
                        f"Empty {column.name} before {early} and after {late}",
                        (step("set_values", columns=[column.name], to="empty", rule=rule),),
                    ),
                    Repair("Mark the rows", (step("mark_rows", name=f"{column.name} far off", rule=rule),)),
                ),
                rule,
                weight=62,
            )


def _day(number: int) -> date:
    return date(1970, 1, 1) + timedelta(days=max(min(number, 2_900_000), -719_000))
