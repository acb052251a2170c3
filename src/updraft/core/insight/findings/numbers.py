"""8: numbers out of line: outliers, mixed units, negatives and zeros where there are none otherwise."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np
import polars as pl

from updraft.core.insight.findings.model import Finding, Repair, plural, short, step, where
from updraft.core.insight.findings.naming import may_be_negative, names_a_code, names_a_year, never_zero
from updraft.core.insight.findings.placeholders import odd_numbers
from updraft.core.insight.findings.view import Column, View
from updraft.core.steps.conditions import Rule, compiled
from updraft.core.values import Kind

Numbers = np.ndarray[Any, np.dtype[np.float64]]
_LEAST = 30  # filled cells below which nothing is said about what is usual


def numbers_out_of_line(view: View) -> Iterator[Finding]:
    """Every column of numbers that is no key: first mixed units, then outliers; negatives and zeros on their own."""
    outliers: list[Finding] = []
    for column in view.columns:
        if not column.is_number or column.filled < _LEAST or column.distinct < 5 or _is_key(column):
            continue
        if names_a_code(column.name) or names_a_year(column.name):
            continue
        values = column.series.cast(pl.Float64).drop_nulls().to_numpy()
        values = values[np.isfinite(values)]
        odd = odd_numbers(column).cast(pl.Float64).to_list()
        values = values[~np.isin(values, odd)] if odd else values
        if len(values) < _LEAST:
            continue
        signs = list(_signs(column, values))
        yield from signs
        if any(finding.code == "negatives" for finding in signs):
            values = values[values >= 0]
        mixed = list(_units(column, values))
        yield from mixed
        outliers += [] if mixed else _outliers(column, values)
    yield from _by_row(outliers)


def _by_row(outliers: list[Finding]) -> Iterator[Finding]:
    """Outliers of four columns and more that lie in one and the same row are told once: it is the row that is odd."""
    rows = [tuple(f.rows.to_list()) for f in outliers]
    for row in dict.fromkeys(rows):
        same = [f for f, own in zip(outliers, rows, strict=True) if own == row]
        if len(same) < 4 or len(row) > 1:
            yield from same
            continue
        rule = {"match": "any", "of": [condition for f in same for condition in (f.rule or {})["of"]]}
        names = tuple(name for f in same for name in f.columns)
        yield Finding(
            "outliers",
            names,
            1,
            f"Row {row[0] + 1:,} lies far from the others in {len(names)} columns",
            "A row that is odd in many columns is often no data: a header, a total, another unit. Said where four columns and more "
            "have their only outlier in one row.",
            tuple(f.examples[0] for f in same[:5]),
            same[0].rows,
            (Repair("Mark the row with a new column", (step("mark_rows", name="Out of line", rule=rule),)),),
            rule,
            weight=58,
        )


def _is_key(column: Column) -> bool:
    return (
        column.kind is Kind.WHOLE
        and column.distinct >= 0.95 * column.filled
        and column.filled > 50
        and _steady(column)
    )


def _steady(column: Column) -> bool:
    """Whether whole numbers fill their range evenly, as running numbers do."""
    values = np.sort(column.counts["value"].cast(pl.Float64).to_numpy())
    steps = np.diff(values)
    return bool(len(steps) and np.median(steps) * 20 >= np.max(steps))


def _signs(column: Column, values: Numbers) -> Iterator[Finding]:
    """Negatives or zeros in at most 2 % of the cells, when no other is. A negative tail of what goes on below zero is none.

    In small tables two are enough, where no other number lies near 0.

    A zero is odd among fractions, the smallest of which is three tenths of the middle, or where the name says that nothing
    can be 0 (a weight, a price). Counts, scores and years of schooling have zeros.
    """
    above, below, zeros = values[values > 0], values[values < 0], values[values == 0]
    if (
        len(below)
        and not may_be_negative(column.name)
        and (
            len(below) <= 0.02 * len(values)
            or (len(below) <= 2 and len(values) >= 40 and np.min(above, initial=0) >= 0.05 * np.median(above))
        )
        and len(above) > 0.9 * len(values)
        and float(np.median(-below)) >= float(np.quantile(above, 0.1))
    ):
        rule = where(column.name, "less", value="0")
        yield Finding(
            "negatives",
            (column.name,),
            len(below),
            f"{plural(len(below), 'number', 'numbers')} of {column.name} {'is' if len(below) == 1 else 'are'} negative, no other is",
            "A wrong sign counts twice: it takes away what should be added. Said where at most 2 % are negative and are as large as the others.",
            short([f"{v:g}" for v in np.sort(below)]),
            (column.series < 0).fill_null(False).arg_true(),
            (
                Repair(
                    f"Turn the sign of {column.name} round where it is negative",
                    (step("set_values", columns=[column.name], to="times", times=-1, rule=rule),),
                ),
                Repair(
                    f"Make them empty in {column.name}",
                    (step("set_values", columns=[column.name], to="empty", rule=rule),),
                ),
                Repair("Mark the rows", (step("mark_rows", name=f"{column.name} negative", rule=rule),)),
            ),
            rule,
            weight=54,
        )
    if len(zeros) and len(zeros) <= 0.02 * len(values) and not len(below) and len(above):
        low, middle = float(np.min(above)), float(np.median(above))
        named = never_zero(column.name) and low >= 0.05 * middle
        if named or (column.kind is Kind.NUMBER and _mostly_fractions(above) and low >= 0.3 * middle):
            rule = where(column.name, "equals", value="0")
            yield Finding(
                "zeros",
                (column.name,),
                len(zeros),
                f"{plural(len(zeros), 'cell', 'cells')} of {column.name} {'is' if len(zeros) == 1 else 'are'} 0, the others {low:g} and more",
                "A zero put for “not known” draws every mean down. Said where at most 2 % are 0 and the smallest other number is well above, "
                "among fractions or where the name says that nothing can be 0.",
                ("0",),
                (column.series == 0).fill_null(False).arg_true(),
                (
                    Repair(
                        f"Make 0 empty in {column.name}",
                        (step("set_values", columns=[column.name], to="empty", rule=rule),),
                    ),
                    Repair("Mark the rows", (step("mark_rows", name=f"{column.name} zero", rule=rule),)),
                ),
                rule,
                weight=50,
            )


def _mostly_fractions(values: Numbers) -> bool:
    return bool(np.mean(values % 1 != 0) > 0.3)


def _units(column: Column, values: Numbers) -> Iterator[Finding]:
    """Two clusters a power of ten apart: the same thing in two units.

    Threshold: positive numbers of thirty values; the smaller cluster at least 0.5 % and three different values, medians
    within a factor of 2.5 of 100, 1,000 or 1,000,000 apart; between the clusters a gap of half a power of ten (a whole one
    where the clusters are 1,000 apart and more), the larger one no wider than six tenths of that distance, at least three times as wide as any inside them; and brought to the other
    unit, nine tenths of the smaller cluster lie where the larger one does.
    """
    logs = np.sort(np.log10(values[values > 0]))
    if len(logs) < max(_LEAST, 0.98 * len(values)):
        return
    gaps = np.diff(logs)
    inner = slice(1, len(gaps) - 1)
    if not len(gaps[inner]):
        return
    at = int(np.argmax(gaps[inner])) + 1
    low, high = logs[: at + 1], logs[at + 1 :]
    minor = min(len(low), len(high))
    others = np.delete(gaps, at)
    apart = float(np.median(high) - np.median(low))
    power = min((2, 3, 6), key=lambda p: abs(p - apart))
    if (
        minor < max(2, 0.005 * len(logs))
        or gaps[at] < 0.35
        or abs(apart - power) > 0.4
        or gaps[at] < 1.5 * float(np.max(others, initial=0))
    ):
        return
    if max(np.ptp(low), np.ptp(high)) > 2.2 or gaps[at] < 3 * float(np.quantile(others, 0.99)):
        return
    few_are_small = len(low) <= len(high)
    few, rest = (low, high) if few_are_small else (high, low)
    moved = few + power if few_are_small else few - power
    inside = (moved >= np.min(rest) - 0.1) & (moved <= np.max(rest) + 0.1)
    if (
        len(np.unique(few)) < 3
        or len(np.unique(logs)) < _LEAST
        or gaps[at] < (0.5 if power == 2 else 1.0)
        or np.mean(inside) < 0.9
        or np.ptp(np.quantile(rest, [0.01, 0.99])) > 0.6 * power
    ):
        return
    border = 10 ** ((logs[at] + logs[at + 1]) / 2)
    edge = float(f"{border:.3g}")
    edge = int(edge) if column.kind is Kind.WHOLE else edge
    rule = where(
        column.name,
        "less" if few_are_small else "more",
        value=f"{edge:f}".rstrip("0").rstrip(".") if "." in f"{edge:f}" else f"{edge}",
    )
    test = (
        (column.series.cast(pl.Float64) < edge) if few_are_small else (column.series.cast(pl.Float64) > edge)
    )
    rows = test.fill_null(False).arg_true()
    if rows.len() > 4 and int(rows[-1]) - int(rows[0]) + 1 == rows.len():
        return  # one stretch of the table: a time when it was less, rather than another unit
    times = 10.0 ** (power if few_are_small else -power)
    # A column of whole numbers cannot hold a thousandth: it is a number first.
    first = (
        ()
        if few_are_small or column.kind is not Kind.WHOLE
        else (step("set_types", columns=[{"column": column.name, "type": "number"}]),)
    )
    yield Finding(
        "mixed_units",
        (column.name,),
        rows.len(),
        f"{plural(rows.len(), 'number', 'numbers')} of {column.name} {'is' if rows.len() == 1 else 'are'} about {10**power:,} times {'smaller' if few_are_small else 'larger'} than the rest",
        "That is how two units in one column look. Said where two clusters with nothing between them lie a power of ten apart.",
        short([f"{v:g}" for v in (10 ** (low if few_are_small else high))]),
        rows,
        (
            Repair(
                f"Multiply them by {times:g}",
                (*first, step("set_values", columns=[column.name], to="times", times=times, rule=rule)),
            ),
            Repair("Mark the rows", (step("mark_rows", name=f"{column.name} in another unit", rule=rule),)),
        ),
        rule,
        weight=67,
    )


def _outliers(column: Column, values: Numbers) -> Iterator[Finding]:
    """Numbers far from the middle by robust statistics (Hampel's identifier: median and median absolute deviation).

    Threshold: ten deviations; beyond four times the distance between the quartiles; apart from the rest by half of what
    the rest is wide, and by more than a long tail would leave (see `_apart`); at most 1 % (three in small tables).
    """
    middle = float(np.median(values))
    spread = 1.4826 * float(np.median(np.abs(values - middle)))
    q1, q3 = (float(q) for q in np.quantile(values, [0.25, 0.75]))
    spread = max(spread, (q3 - q1) / 1.349)
    if spread <= 0:
        return
    far = (np.abs(values - middle) > 10 * spread) & (
        (values > q3 + 4 * (q3 - q1)) | (values < q1 - 4 * (q3 - q1))
    )
    if (
        not far.any()
        or far.sum() > max(3, 0.01 * len(values))
        or not _apart(np.abs(values[~far]), np.abs(values[far]))
    ):
        return
    rest = values[~far]
    width = float(np.max(rest) - np.min(rest))
    top, bottom = float(np.max(rest)) + 0.5 * width, float(np.min(rest)) - 0.5 * width
    out = np.sort(values[(values > top) | (values < bottom)])
    if not len(out):
        return
    conditions = []
    if out[-1] > top:
        conditions.append({"column": column.name, "test": "more", "value": _round(top, column)})
    if out[0] < bottom:
        conditions.append({"column": column.name, "test": "less", "value": _round(bottom, column)})
    rule = {"match": "any", "of": conditions}
    # By the rule itself, so that what is counted and what a step of it marks cannot differ.
    table = column.series.to_frame()
    rows = table.select(compiled(Rule.model_validate(rule), table.schema)).to_series()
    yield Finding(
        "outliers",
        (column.name,),
        int(rows.sum()),
        f"{plural(int(rows.sum()), 'number', 'numbers')} of {column.name} {'lies' if rows.sum() == 1 else 'lie'} far from the others",
        f"The middle is {middle:g}, and all others lie between {np.min(rest):g} and {np.max(rest):g}. Said of numbers ten robust deviations from "
        "the middle, with a gap between, at most 1 % of all.",
        short([f"{v:g}" for v in out]),
        rows.arg_true(),
        (
            Repair(
                "Mark the rows with a new column",
                (step("mark_rows", name=f"{column.name} out of line", rule=rule),),
            ),
            Repair(
                f"Make them empty in {column.name}",
                (step("set_values", columns=[column.name], to="empty", rule=rule),),
            ),
        ),
        rule,
        weight=52,
    )


def _apart(rest: Numbers, far: Numbers) -> bool:
    """Whether sizes are further off than the last steps of a long (lognormal) tail.

    The largest of n such values are about sigma / sqrt(2 ln n) apart on the logarithm, exponentially distributed (Gumbel's
    domain of attraction); six times that comes by chance in a quarter of a percent of the tables.
    """
    rest = rest[rest > 0]
    if len(rest) < 20:
        return False
    q75, q95 = (float(q) for q in np.quantile(np.log(rest), [0.75, 0.95]))
    sigma = (q95 - q75) / (1.645 - 0.674)
    gap = np.log(max(float(np.min(far)), 1e-300) / float(np.max(rest)))
    return bool(gap >= 6 * sigma / np.sqrt(2 * np.log(len(rest))))


def _round(number: float, column: Column) -> str:
    return f"{number:.0f}" if column.kind is Kind.WHOLE or abs(number) > 1000 else f"{number:.4g}"
