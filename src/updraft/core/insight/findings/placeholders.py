"""6: placeholders for empty: words, numbers and days that people and programs put where nothing is known."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date, datetime
from typing import TYPE_CHECKING

import polars as pl

from updraft.core.insight.findings.model import (
    Finding,
    Repair,
    Step,
    chosen,
    plural,
    recode,
    short,
    step,
    where,
)
from updraft.core.insight.findings.naming import names_a_code
from updraft.core.insight.findings.unknown import SURE, is_placeholder
from updraft.core.similarity import tidied_blanks
from updraft.core.values import Kind, decide
from updraft.core.values.text import shown

if TYPE_CHECKING:
    from updraft.core.insight.findings.view import Column, View

_NUMBERS = (-1.0, -9.0, -99.0, -999.0, -9999.0, 99.0, 999.0, 9999.0, 99999.0, 999999.0, 9999999.0)
_LIST = 1000  # distinct values
_DAYS = (
    "1900-01-01",
    "1899-12-30",
    "1899-12-31",
    "1970-01-01",
    "1901-01-01",
    "1904-01-01",
    "9999-12-31",
    "2099-12-31",
    "1111-11-11",
)


def placeholders(view: View) -> Iterator[Finding]:
    """Words such as n/a; numbers such as 9999 far from all others; days such as 1900-01-01.

    Threshold: a word at most in half of the filled cells of a column; a number at least ten times as large as the 99th
    percentile of the others (or the only negative one), twice or more; a day five years from all others.
    """
    for column in view.columns:
        found = (
            _words(column)
            if column.is_text
            else odd_numbers(column)
            if column.is_number
            else _odd_days(column)
        )
        if not found.len():
            continue
        rows = column.rows_with(found)
        values = short(dict.fromkeys(column.texts(found)))
        quoted = ", ".join(f"“{value}”" for value in values[:3])
        steps = _emptying(column, found)
        yield Finding(
            "placeholders",
            (column.name,),
            rows.len(),
            f"{quoted} {'stands' if len(values) == 1 else 'stand'} for empty in {plural(rows.len(), 'cell', 'cells')} of {column.name}",
            "A placeholder is counted as a value, enters means and joins, and keeps numbers from being numbers. Said of words nobody uses for "
            "a value, and of numbers and days that stand far from all others.",
            values,
            rows,
            (Repair(f"Make {quoted} empty in {column.name}", tuple(steps)),),
            where(column.name, "one_of", values=column.texts(found)) if found.len() <= 50 else None,
            weight=66,
        )


def _words(column: Column) -> pl.Series:
    tidy = tidied_blanks(pl.col("value"))
    named = is_placeholder(tidy)
    if not _has_short_codes(column):
        named |= tidy.is_in(["NA", "na"])  # Na is sodium
    found = column.counts.filter(named)
    if not found.height or found["n"].sum() * 2 > column.filled:
        return found["value"].head(0)
    # A column of short signs may use one of these as a sign among others.
    others = column.meant["value"]
    found = found.filter(~_stands_among_its_like(column, tidy))
    if column.distinct >= _LIST:  # a word of some language is a name in a long list of names
        found = found.filter(tidy.str.to_lowercase().is_in(list(SURE)))
    lone = found.filter(tidy.str.len_chars() == 1)
    if (
        others.len()
        and others.len() < 12
        and others.str.len_chars().le(2).all()
        and lone.height == found.height
        and found.height
    ):
        usual = float(column.meant["n"].sum()) / column.meant.height
        if float(found["n"].to_numpy().max()) > 0.2 * usual:
            return found["value"].head(0)
    return found["value"]


def _has_short_codes(column: Column) -> bool:
    """Whether NA may be a code among the column's others: one in twenty of them, or three, has two or three capitals."""
    others = column.meant["value"].filter(column.meant["value"].str.to_lowercase() != "na")
    short_ones = int(others.str.contains(r"^\p{Lu}{2,3}$").sum())
    return not others.len() or short_ones >= 3 or short_ones * 20 > others.len()


def _stands_among_its_like(column: Column, tidy: pl.Expr) -> pl.Expr:
    """Whether a word that could be a code or a name (TBC, NAN, the surname Null) is written as the column's other values are."""
    shapes = column.meant.select(
        pl.col("value").str.replace_all(r"\p{Lu}", "A").str.replace_all(r"\p{Ll}+", "a").alias("shape"), "n"
    )
    usual = (
        shapes.group_by("shape")
        .agg(pl.col("n").sum())
        .filter(pl.col("n") * 5 >= float(shapes["n"].sum()))["shape"]
    )
    shape = tidy.str.replace_all(r"\p{Lu}", "A").str.replace_all(r"\p{Ll}+", "a")
    return tidy.str.to_lowercase().is_in(["nan", "null", "tbc", "tbd"]) & shape.is_in(usual.implode())


def odd_numbers(column: Column) -> pl.Series:
    series = column.series.drop_nulls()
    none = series.head(0)
    if series.len() < 20 or column.distinct < 3 or names_a_code(column.name):
        return none
    candidates = column.counts.filter(pl.col("value").cast(pl.Float64).is_in(list(_NUMBERS)))
    if not candidates.height or candidates.height > 3:
        return none
    rest = series.cast(pl.Float64).filter(~series.is_in(candidates["value"].implode()))
    rest = rest.filter(rest.is_finite())
    if rest.len() < 10:
        return none
    low, high = float(rest.min()), float(rest.max())  # type: ignore[arg-type]
    body = float(rest.quantile(0.99) or 0)
    good = []
    for value, many in candidates.iter_rows():
        number = float(value)
        far = number >= 99 and number > high and number >= 10 * max(abs(body), 1)
        # −1 is a step down among −1, 0 and 1; among many values of which none is below 0 it stands for none.
        minus = number < 0 <= low and (number <= -9 or (many >= 2 and column.distinct >= 12))
        if (far or minus) and (many >= 2 or abs(number) >= 999) and many * 2 <= series.len():
            good.append(value)
    return pl.Series(good, dtype=column.series.dtype)


def _odd_days(column: Column) -> pl.Series:
    if not column.is_date or column.filled < 10:
        return column.series.head(0)
    days = column.counts.with_columns(pl.col("value").cast(pl.Date).alias("day"))
    marks = [date.fromisoformat(text) for text in _DAYS]
    candidates = days.filter(pl.col("day").is_in(marks))
    rest = days.filter(~pl.col("day").is_in(marks))["day"]
    if not candidates.height or rest.len() < 3:
        return column.series.head(0)
    first, last = rest.min(), rest.max()
    assert isinstance(first, date) and isinstance(last, date)
    return candidates.filter(
        pl.col("day").map_elements(
            lambda day: _years(first, day) >= 5 or _years(day, last) >= 5, return_dtype=pl.Boolean
        )
    )["value"]


def _years(late: date, early: date) -> float:
    return ((late.date() if isinstance(late, datetime) else late) - early).days / 365.25


def _emptying(column: Column, found: pl.Series) -> list[Step]:
    changes = dict.fromkeys(column.texts(shown(found)), "")
    steps: list[Step] = []
    if column.is_text and (found != found.str.strip_chars()).any():
        steps.append(step("tidy_text", columns=chosen([column.name])))
        changes = dict.fromkeys((text.strip() for text in changes), "")
    steps.append(recode(column.name, changes))
    if column.is_text:
        # The kind that all other values are of, decided as when a file is read.
        _, [rest] = decide(column.meant.select(pl.col("value").alias(column.name)))
        if rest.kind is not Kind.TEXT:
            formats = [rest.format] if rest.format else []
            steps.append(
                step(
                    "set_types",
                    columns=[{"column": column.name, "type": rest.kind.value, "formats": formats}],
                )
            )
    return steps
