"""4 and 5: text that is mostly numbers or dates, and the ways in which these are written."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date, timedelta

import polars as pl

from updraft.core.figures import pattern_of_text
from updraft.core.insight.findings.model import Finding, Repair, plural, short, step, where
from updraft.core.insight.findings.view import Column, View
from updraft.core.values import FORMATS, Kind, converted
from updraft.core.values.convert import could_read
from updraft.core.values.dressed import CURRENCY, UNITS, undressed

_SHARE = 0.8  # of the filled cells, placeholders left out, that must read as numbers or dates
_LEAST = 5
_TWINS = {"DD/MM/YYYY": "MM/DD/YYYY", "DD/MM/YY": "MM/DD/YY", "DD/MM/YYYY hh:mm": "MM/DD/YYYY hh:mm"}
_DATE_FORMS = [
    (kind, form) for kind in (Kind.DATE, Kind.DATETIME) for form in FORMATS[kind] if form != "YYYYMMDD"
]


def numbers_as_text(view: View) -> Iterator[Finding]:
    """Text columns of which at least 80 % of the cells, and five, read as numbers, perhaps dressed.

    Left alone: digits with leading zeros or more than fifteen of them (codes), units that are none.
    """
    for column in view.texts:
        if column.meant.height and _looks_numeric(column):
            yield from _numbers(column)


def _looks_numeric(column: Column) -> bool:
    """A cheap look at the most frequent values, before all are read."""
    first = column.meant["value"].head(200)
    return bool(
        first.str.contains(r"^[^\p{L}\d]*(\p{Lu}{3}\s?)?\d[\d.,'\s\u{a0}\u{202f}]*([^\d]{0,10})$").sum()
        >= 0.6 * first.len()
    )


def _numbers(column: Column) -> Iterator[Finding]:
    number, negative, unit = undressed(pl.col("value"))
    values = column.meant.with_columns(number.alias("bare"), negative.alias("minus"), unit.alias("unit"))
    values = values.with_columns(pl.when(_is_unit(values)).then("bare").alias("bare"))
    forms = _forms(values)
    reads = values.with_columns(
        converted("bare", pl.String(), Kind.NUMBER, forms).is_not_null().alias("reads")
    )
    good, rest = reads.filter("reads"), reads.filter(~pl.col("reads"))
    many, all_ = int(good["n"].sum()), int(values["n"].sum())
    if many < _LEAST or many < _SHARE * all_ or _is_code(good):
        return
    undecided = forms == ["1,234.5", "1.234,5"] and _undecided(good)
    reasons = _reasons(good, forms)
    units = (
        good.filter(~pl.col("unit").is_in(["", "%"]))
        .group_by("unit")
        .agg(pl.col("n").sum())
        .sort("n", descending=True)
    )
    if not rest.height and not reasons and not undecided and column.words.height > column.meant.height:
        return  # only placeholders keep it from being numbers, and these are told as such
    if not rest.height and not reasons and not undecided:
        reasons = ["stored as text"]
    factors = _factors(units)
    code = (
        "units_in_cells"
        if units.height
        else "numbers_as_text"
        if rest.height or reasons == ["stored as text"]
        else "number_writing"
    )
    odd = int(rest["n"].sum())
    odd_rows = column.rows_meaning(rest["value"].to_list())
    said = " and ".join(reasons)
    sentence = (
        f"{column.name} is text, but {plural(many, 'cell is a number', 'cells are numbers')}"
        + (f" ({said})" if said else "")
        + (f"; {plural(odd, 'is', 'are')} not" if odd else "")
    )
    if units.height:
        listed = ", ".join(units["unit"].head(4))
        sentence = f"Units stand in the cells of {column.name}: {listed}" + (
            f"; {plural(odd, 'cell is', 'cells are')} no number" if odd else ""
        )
    elif code == "number_writing":
        sentence = f"The numbers of {column.name} are written with {said}"
    why = (
        "Text cannot be added up, sorts 10 before 9, and joins with no number. Said where at least 80 % of the filled cells, and five, read "
        "as numbers; digits with leading zeros are codes and left alone."
    )
    repairs = [
        _to_numbers(column, good, order, factors, units, odd)
        for order in ([["1,234.5"], ["1.234,5"]] if undecided else [forms])
    ]
    if undecided:
        sentence += "; whether “,” divides thousands or decimals is left open by all values"
    yield Finding(
        code,
        (column.name,),
        odd or int(column.filled),
        sentence,
        why,
        short(rest["value"] if rest.height else _telling(good)),
        odd_rows if odd else (~column.blank).arg_true(),
        tuple(repairs),
        where(column.name, "one_of", values=rest["value"].to_list())
        if 0 < rest.height <= 50
        else where(column.name, "filled")
        if not odd
        else None,
        open=undecided,
        weight=80 if odd else 76,
    )


def _is_unit(values: pl.DataFrame) -> pl.Series:
    """Whether what stands behind the number is a unit: a known one, or the same sign behind at least half of the numbers."""
    own = values.filter(pl.col("unit") != "").group_by("unit").agg(pl.col("n").sum())
    usual = own.filter(pl.col("n") * 2 >= int(values["n"].sum()))["unit"].to_list()
    return values["unit"].is_in(["", "%", *UNITS, *usual]).fill_null(False)


def _forms(values: pl.DataFrame) -> list[str]:
    """The number forms these bare texts need, by the values that only one of them reads; both, when none decides."""
    marked = values.filter(pl.col("bare").str.contains(r"[.,'\s\u{a0}\u{202f}]"))
    if not marked.height:
        return ["1,234.5"]
    reads = {
        form: converted("bare", pl.String(), Kind.NUMBER, [form]).is_not_null()
        for form in FORMATS[Kind.NUMBER]
    }
    facts = marked.select("n", **reads)
    point, comma, space = (pl.col(form) for form in FORMATS[Kind.NUMBER])
    # “1,5” has a decimal comma whether or not thousands would be set apart by blanks.
    single = {
        "1,234.5": point & ~comma & ~space,
        "1.234,5": comma & ~point,
        "1 234,5": space & ~point & ~comma,
    }
    only = {form: int(facts.filter(test)["n"].sum()) for form, test in single.items()}
    needed = sorted((form for form in only if only[form]), key=lambda form: -only[form])
    if needed:
        return needed
    # "1.234" alone could be either; a point is a decimal point unless groups of three digits are all there is.
    grouped = marked["bare"].str.contains(r"^\d{1,3}([.,]\d{3})+$").all()
    if grouped and marked["bare"].str.contains(",", literal=True).any():
        return ["1,234.5", "1.234,5"]
    return ["1,234.5"]


def _undecided(good: pl.DataFrame) -> bool:
    twice = good.select(
        converted("bare", pl.String(), Kind.NUMBER, ["1,234.5"]).alias("point"),
        converted("bare", pl.String(), Kind.NUMBER, ["1.234,5"]).alias("comma"),
    )
    return bool(
        (
            twice["point"].is_not_null() & twice["comma"].is_not_null() & (twice["point"] != twice["comma"])
        ).any()
    )


def _is_code(good: pl.DataFrame) -> bool:
    bare = good["bare"]
    zeros = good.filter(bare.str.contains(r"^0\d"))["n"].sum()
    return bool(zeros * 20 > good["n"].sum() or bare.str.contains(r"\d{16}").any())


def _reasons(good: pl.DataFrame, forms: list[str]) -> list[str]:
    value = pl.col("value")
    facts = good.select(
        currency=value.str.contains(CURRENCY).any(),
        percent=(pl.col("unit") == "%").any(),
        brackets=value.str.starts_with("(").any(),
        behind=value.str.contains(r"\d\s*[-−–]$").any(),
        thousands=pl.col("bare").str.contains(r"\d[.,'\s\u{a0}\u{202f}]\d{3}([.,'\s\u{a0}\u{202f}]|$)").any(),
    ).row(0, named=True)
    comma = any(form != "1,234.5" for form in forms)
    comma = comma and bool(good["bare"].str.contains(r",\d+$").any())
    words = [
        ("currency", facts["currency"]),
        ("percent signs", facts["percent"]),
        ("brackets for negatives", facts["brackets"]),
        ("a minus behind", facts["behind"]),
        ("a decimal comma" + (" and a decimal point" if "1,234.5" in forms else ""), comma),
        ("thousands marks", facts["thousands"]),
    ]
    return [text for text, here in words if here]


def _telling(good: pl.DataFrame) -> list[str]:
    """Examples that are not plain digits, if there are any."""
    return (
        good.sort(pl.col("value").str.contains(r"^-?\d+(\.\d+)?$"), maintain_order=True)["value"]
        .head(5)
        .to_list()
    )


def _factors(units: pl.DataFrame) -> dict[str, float]:
    """Unit → factor that brings it to the most frequent one; units of another measure keep 1."""
    if not units.height:
        return {}
    base = units["unit"][0]
    measure, size = UNITS.get(base, (base, 1.0))
    return {
        unit: UNITS[unit][1] / size if UNITS.get(unit, ("", 1))[0] == measure else 1.0
        for unit in units["unit"]
    }


def _to_numbers(
    column: Column,
    good: pl.DataFrame,
    forms: list[str],
    factors: dict[str, float],
    units: pl.DataFrame,
    odd: int,
) -> Repair:
    dressed = bool(factors) or bool((good["value"] != good["bare"]).any())
    read = (
        good.select(
            converted("value", pl.String(), Kind.NUMBER, forms, factors if dressed else None).alias("x")
        )
        .to_series()
        .drop_nulls()
    )
    whole = bool((read == read.floor()).all()) and read.len() > 0
    setting: dict[str, object] = {"column": column.name, "kind": "whole" if whole else "number"}
    if forms != ["1,234.5"] or good["bare"].str.contains(",", literal=True).any() or dressed:
        setting["formats"] = forms
    if dressed:
        setting["dressed"] = True
    if factors:
        setting["units"] = [{"unit": unit, "times": times} for unit, times in factors.items()]
    into = f" in {units['unit'][0]}" if units.height else ""
    how = (
        {"1,234.5": "“.” before decimals", "1.234,5": "“,” before decimals"}.get(forms[0], "")
        if len(forms) == 1 and not whole
        else ""
    )
    left = f"; {plural(odd, 'odd cell becomes', 'odd cells become')} empty" if odd else ""
    return Repair(
        f"Set {column.name} to {'whole number' if whole else 'number'}{into}{f', {how}' if how else ''}{left}",
        (step("set_kinds", columns=[setting]),),
    )


def dates_as_text(view: View) -> Iterator[Finding]:
    """Text columns of which at least 80 % of the cells, and five, read as dates: in one form with odd ones, or in several.

    Day and month are told apart by the values that only one order reads; without any, the order is left open.
    """
    for column in view.texts:
        first = column.meant["value"].head(100)
        if (
            first.len()
            and first.str.contains(r"\d").sum() >= 0.6 * first.len()
            and first.str.len_chars().median() <= 22  # type: ignore[operator]
        ):
            yield from _dates(column)


def _dates(column: Column) -> Iterator[Finding]:
    values = column.meant.select(pl.col("value").alias(column.name), "n")
    # One text of each shape tells which forms are worth trying; the rare ones stand at the end.
    some = pl.concat([values[column.name].head(400), values[column.name].tail(400)]).alias("some").to_frame()
    sample = some.unique(pattern_of_text(pl.col("some"), fine=True), maintain_order=True)["some"].to_list()
    forms = [(kind, form) for kind, form in _DATE_FORMS if any(could_read(form, text) for text in sample)]
    if not forms:
        return
    reads = values.select(
        "n",
        pl.col(column.name).alias("value"),
        **{
            form: converted(column.name, pl.String(), Kind.DATETIME, [form]).is_not_null()
            for _, form in forms
        },
    )
    forms = [(kind, form) for kind, form in forms if reads[form].any()]
    names = [form for _, form in forms]
    any_ = reads.select(pl.any_horizontal([pl.lit(False), *names])).to_series()
    many, all_ = int(reads.filter(any_)["n"].sum()), int(reads["n"].sum())
    if many < _LEAST or many < _SHARE * all_:
        return
    names, open_ = _ordered(reads, names)
    cover = _cover(reads, names)
    rest = reads.filter(~any_)
    odd = int(rest["n"].sum())
    kind = Kind.DATETIME if any("hh" in form for form in cover) else Kind.DATE
    odd_text = f"; {plural(odd, 'cell is', 'cells are')} no date" if odd else ""
    rare = reads.filter(any_ & ~pl.col(cover[0]))
    repairs = [
        Repair(
            f"Set {column.name} to {'date and time' if kind is Kind.DATETIME else 'date'}: {', '.join(order)}"
            + (f"; {plural(odd, 'odd cell becomes', 'odd cells become')} empty" if odd else ""),
            (step("set_kinds", columns=[{"column": column.name, "kind": kind.value, "formats": order}]),),
        )
        for order in ([cover, [_other(form) for form in cover]] if open_ else [cover])
    ]
    why = (
        "Text sorts by its first digit and has no months or weeks. Said where at least 80 % of the filled cells, and five, read as dates. "
        "Day and month are told apart by the values that can be read one way only."
    )
    if open_:
        code, sentence = (
            "date_order_open",
            f"The dates of {column.name} could be day first or month first; no value decides{odd_text}",
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
        open=open_,
        weight=78,
    )


def _ordered(reads: pl.DataFrame, names: list[str]) -> tuple[list[str], bool]:
    """The forms without those of the wrong order of day and month, and whether the order is open."""
    open_ = False
    for day, month in _TWINS.items():
        if day not in names or month not in names:
            continue
        by_day = int(reads.filter(pl.col(day) & ~pl.col(month))["n"].sum())
        by_month = int(reads.filter(pl.col(month) & ~pl.col(day))["n"].sum())
        if by_day and not by_month:
            names = [form for form in names if form != month]
        elif by_month and not by_day:
            names = [form for form in names if form != day]
        else:
            open_ = True
            names = (
                [form for form in names if form != month]
                if by_day >= by_month
                else [form for form in names if form != day]
            )
    return names, open_


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
    return {**_TWINS, **{v: k for k, v in _TWINS.items()}}.get(form, form)


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
