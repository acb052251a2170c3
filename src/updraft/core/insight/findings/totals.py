"""Rows that add up others, which would be counted twice, and lines below a table."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from typing import Any

import numpy as np
import polars as pl

from updraft.core.insight.findings.leaving_out import MOST, TOTAL, and_said, filled_in, is_number, rule_for
from updraft.core.insight.findings.model import Finding, Repair, plural, short
from updraft.core.insight.findings.naming import names_a_code, names_a_year, words_of
from updraft.core.insight.findings.view import View

EDGE = 10  # rows from either end in which titles and footers are looked for


def totals(view: View) -> Iterator[Finding]:
    """Totals and subtotals, verified by adding up.

    A candidate says total, or is empty in at least half of the columns that are otherwise filled and in all of those that
    name things (text, dates), or holds the sum of all others in most columns. It is a total when, in a column of numbers, it is the sum of all other rows, or of those since
    the candidate before it (to 1e-6, or 0.006); without the word, of at least three.
    """
    figures = [(c, c.numbers) for c in view.columns if c.numbers is not None and not _never_added(c.name)]
    if view.height < 4 or not figures:
        return
    worded = _worded(view)
    sparse = _sparse(view)
    worded[_halves([numbers for _, numbers in figures])] = True
    places = np.flatnonzero(worded | sparse)
    if not len(places) or len(places) > MOST or len(places) * 2 > view.height:
        return
    # In a row as full as others the word is a remark more often than a total.
    least = np.where(worded, np.where(sparse, 1, 2), 3)
    sure, sums = _verified(places, worded, least, [numbers for _, numbers in figures])
    # A row that says total and is sparse is one although it does not add up: that is worse, not better.
    wrong = np.array([p for p in places if worded[p] and sparse[p] and p not in sure], dtype=np.int64)
    rows = np.sort(np.concatenate([np.array(sorted(sure), dtype=np.int64), wrong]))
    if not len(rows):
        return
    adding = [c.name for n, (c, _) in enumerate(figures) if sums[n]]
    series = pl.Series(rows, dtype=pl.UInt32)
    rule, words, drop = rule_for(view, series)
    what = (
        "The last row is a total"
        if len(rows) == 1 and rows[0] == view.height - 1
        else (
            f"Row {rows[0] + 1:,} is a total"
            if len(rows) == 1
            else f"{len(rows):,} rows are totals or subtotals"
        )
    )
    evidence = (
        f"{and_said(adding)} {'adds' if len(adding) == 1 else 'add'} up to {'it' if len(rows) == 1 else 'them'}"
        if adding
        else ("it does not add up to the rows above" if len(rows) == 1 else "they do not add up")
    )
    yield Finding(
        "totals",
        (),
        len(rows),
        f"{what}: {evidence}",
        "Counted as data, a total doubles every sum. Said of rows that say total or leave half of the usual columns empty, where a "
        "figure is the sum of the other rows or of those since the total before.",
        short(filled_in(view, int(rows[0]))),
        series,
        (Repair(f"Drop {words}", tuple(drop)),) if drop else (),
        rule,
        verified=not len(wrong),
        weight=98,
    )


def _never_added(name: str) -> bool:
    """Whether a name is that of codes, years, rates or prices, whose sum means nothing."""
    return names_a_code(name) or names_a_year(name) or bool(_RATES & set(words_of(name)))


_RATES = frozenset(
    [
        "rate",
        "rates",
        "satz",
        "steuersatz",
        "taux",
        "percent",
        "percentage",
        "pct",
        "price",
        "preis",
        "prix",
        "vat",
        "mwst",
        "ust",
    ]
)


def _worded(view: View) -> np.ndarray[Any, np.dtype[np.bool_]]:
    found = np.zeros(view.height, dtype=bool)
    for column in view.texts:
        said = column.counts.filter(pl.col("value").str.contains(TOTAL))
        if said.height and said["n"].sum() * 4 < view.height:
            found[column.rows_with(said["value"]).to_numpy()] = True
    return found


def _halves(figures: list[np.ndarray[Any, Any]]) -> list[int]:
    """Rows that are the sum of all others in three columns and in most: totals without a word.

    Such a value is half of its column's sum, alone in being so, in a column of more than three figures.
    """
    found: Counter[int] = Counter()
    for numbers in figures:
        data = np.nan_to_num(numbers, posinf=0, neginf=0)
        half = float(data.sum()) / 2
        at = np.flatnonzero(np.abs(data - half) <= max(abs(half) * 1e-9, 1e-9))
        if half and len(at) == 1 and np.count_nonzero(data) > 3:
            found[int(at[0])] += 1
    return [row for row, many in found.items() if many >= 3 and many * 2 >= len(figures)]


def _sparse(view: View) -> np.ndarray[Any, np.dtype[np.bool_]]:
    usual = [c for c in view.columns if c.filled * 10 >= view.height * 6]
    if len(usual) < 3:
        return np.zeros(view.height, dtype=bool)
    naming = [c for c in usual if c.is_date or (c.is_text and c.numbers is None)]
    blanks = np.zeros(view.height, dtype=np.uint16)
    nameless = np.full(view.height, bool(naming))
    for column in usual:
        if column.empty:
            blanks += column.blank.to_numpy()
    said = np.zeros(view.height, dtype=np.uint16)
    for column in naming:
        said += ~column.blank.to_numpy()
    # One name may be left: what the total is of.
    sparse: np.ndarray[Any, np.dtype[np.bool_]] = blanks * 2 >= len(usual)
    few: np.ndarray[Any, np.dtype[np.bool_]] = said <= (1 if len(naming) > 1 else 0)
    found: np.ndarray[Any, np.dtype[np.bool_]] = np.logical_and.reduce([sparse, nameless, few])
    return found


def _verified(
    places: np.ndarray[Any, Any],
    worded: np.ndarray[Any, Any],
    least: np.ndarray[Any, Any],
    figures: list[np.ndarray[Any, Any]],
) -> tuple[set[int], list[bool]]:
    """Places whose figures add up, and for which columns they do.

    Args:
        least: by row, how many rows must stand between it and the candidate before it.
    """
    sure: set[int] = set()
    adds = [False] * len(figures)
    for n, numbers in enumerate(figures):
        data = np.nan_to_num(numbers, posinf=0, neginf=0)
        data[places] = 0
        upto = np.cumsum(data)
        before = -1
        for place in places:
            value = numbers[place]
            if np.isfinite(value) and value != 0:
                own = upto[place] - (upto[before] if before >= 0 else 0)
                wide = (place - before - 1) >= least[place]
                near = max(abs(value) * 1e-6, 0.006)
                if (abs(own - value) <= near and wide) or (
                    len(data) > (3 if worded[place] else 5)
                    and (abs(upto[-1] - value) <= near or (abs(upto[place] - value) <= near and place > 2))
                ):
                    sure.add(int(place))
                    adds[n] = True
            before = place
    return sure, adds


def footers(view: View) -> Iterator[Finding]:
    """Lines of text above or below the data: one cell filled where rows are usually full.

    Threshold: at least four columns, three of them filled in nine of ten rows; within ten rows of either end.
    """
    if len(view.columns) < 4 or len(view.usual) < 3 or view.height < 8:
        return
    filled = np.zeros(view.height, dtype=np.uint16)
    for column in view.columns:
        filled += ~column.blank.to_numpy()
    lone = np.flatnonzero(filled == 1)
    lone = lone[(lone < EDGE) | (lone >= view.height - EDGE)]
    if not len(lone) or len(lone) * 4 > view.height:
        return
    lines = [filled_in(view, int(place))[0] for place in lone]
    keep = [n for n, line in enumerate(lines) if not is_number(line)]
    if not keep:
        return
    series = pl.Series([int(lone[n]) for n in keep], dtype=pl.UInt32)
    rule, words, drop = rule_for(view, series)
    yield Finding(
        "footer_lines",
        (),
        series.len(),
        f"{plural(series.len(), 'line is', 'lines are')} a note, not data",
        "Titles and footers of a printed page count as rows. Said of rows near either end with a single filled cell, where three "
        "columns are filled in nine of ten rows.",
        short([lines[n] for n in keep]),
        series,
        (Repair(f"Drop {words}", tuple(drop)),) if drop else (),
        rule,
        weight=92,
    )
