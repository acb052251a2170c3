"""1: rows that are no data: totals, footers, titles, a header out of place or repeated, blank rows and columns."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator
from typing import Any

import numpy as np
import polars as pl

from updraft.core.insight.findings.model import Finding, Repair, Step, plural, short, step, where
from updraft.core.insight.findings.naming import names_a_code, names_a_year, words_of
from updraft.core.insight.findings.view import View
from updraft.core.steps.rows.choosing import blank_row, header_row

TOTAL = r"(?i)(^|\b)(sub|grand)?[\s-]?totals?\b|^sum(me)?\b"
_GENERIC = r"^(Column|Unnamed:?|Field|F|_|column_)\s?_?\d+$"
_EDGE = 10  # rows from either end in which titles and footers are looked for
_MOST = 4000  # rows that could be totals; a table with more of them has a word for something else there


def misplaced_header(view: View) -> Iterator[Finding]:
    """Column names without meaning, and a row near the top that has them all.

    Threshold: at least half of the names are generic, the row is filled in at least 80 % of the columns with texts that
    all differ and are not numbers.
    """
    names = pl.Series([c.name for c in view.columns])
    if view.height < 3 or len(names) < 2 or names.str.contains(_GENERIC).sum() * 2 < len(names):
        return
    for place in range(min(_EDGE, view.height - 1)):
        cells = [str(v).strip() if v is not None else "" for v in view.frame.row(place)[: len(names)]]
        texts = [cell for cell in cells if cell]
        if (
            len(texts) * 10 < len(names) * 8
            or len(set(texts)) < len(texts)
            or any(_is_number(t) for t in texts)
        ):
            continue
        below = [str(v).strip() if v is not None else "" for v in view.frame.row(place + 1)[: len(names)]]
        if (
            not any(_is_number(b) != _is_number(c) for b, c in zip(below, cells, strict=True) if b)
            and place == 0
            and names.str.contains(_GENERIC).sum() < len(names)
        ):
            continue
        if _is_like_those_below(view, place, cells, below):
            continue
        above = f", below {plural(place, 'line', 'lines')} of titles" if place else ""
        yield Finding(
            "misplaced_header",
            (),
            place + 1,
            f"The names of the columns stand in row {place + 1}{above}",
            "The columns have no names of their own, so nothing can be said about them, and text among figures keeps them from "
            "being numbers. Said where at least half of the names are generic and one row near the top has a name for 80 % of them.",
            short(texts),
            pl.Series(range(place + 1), dtype=pl.UInt32),
            (Repair(f"Take the names from row {place + 1}", (step("names_from_row", row=place + 1),)),),
            weight=100,
        )
        return


def _is_number(text: str) -> bool:
    return any(c.isdigit() for c in text) and (
        not any(c.isalpha() for c in text)
        or re.fullmatch(r"[-+]?[\d.,]+[eE][-+]?\d+", text.strip()) is not None
    )


def _is_like_those_below(view: View, place: int, cells: list[str], next_: list[str]) -> bool:
    """Whether the cells of a row have, column by column, the shape of those below: then it is one of them."""
    like = 0
    for column, cell in zip(view.columns, cells, strict=True):
        below = [str(v).strip() for v in column.series.slice(place + 1, 30).drop_nulls().to_list()]
        shapes = [_shape_of(text) for text in below]
        like += bool(cell) and shapes.count(_shape_of(cell)) * 2 >= max(len(shapes), 1) and bool(shapes)
    filled = sum(bool(cell) for cell in cells)
    words_only = not any(_is_number(text) for text in next_ if text)
    return like * 2 >= filled if words_only else like * 2 > filled


def _shape_of(text: str) -> str:
    if _is_number(text):
        return "9"
    fine = re.sub(r"[^\W\d_]", lambda m: "A" if m.group().isupper() else "a", re.sub(r"\d+", "9", text))
    return fine if len(fine) <= 4 and fine.isupper() else re.sub(r"a+", "a", fine)


def repeated_headers(view: View) -> Iterator[Finding]:
    """Rows that hold the names of the columns, as pages printed one below another leave them.

    Threshold: the names of at least two columns, and 60 % of the filled cells.
    """
    named = [
        c
        for c in view.texts
        if c.counts.select(
            (pl.col("value").str.strip_chars().str.to_lowercase() == c.name.strip().lower()).any()
        ).item()
    ]
    if len(named) < 2:
        return
    rows = _rows_where(view, header_row(view.frame.schema))
    if rows.len() and rows.len() * 4 < view.height:
        yield Finding(
            "repeated_header",
            (),
            rows.len(),
            f"The header stands in the table again, in {plural(rows.len(), 'row', 'rows')}",
            "Such rows are no data; they make columns of numbers and dates text. Said of rows in which at least two cells, and "
            "60 % of the filled ones, are the names of their columns.",
            short(_filled(view, int(rows[0]))),
            rows,
            (Repair("Drop the rows that repeat the header", (step("drop_rows", by="header"),)),),
            weight=96,
        )


def blank_rows(view: View) -> Iterator[Finding]:
    """Rows without any value. Threshold: one."""
    if not all(c.empty for c in view.columns):
        return
    rows = _rows_where(view, blank_row(view.frame.schema))
    if rows.len() and rows.len() < view.height:
        rule = (
            {"match": "all", "of": [{"column": c.name, "test": "empty"} for c in view.columns]}
            if len(view.columns) <= 40
            else None
        )
        yield Finding(
            "blank_rows",
            (),
            rows.len(),
            f"{plural(rows.len(), 'row has', 'rows have')} no value at all",
            "A blank row counts as a row and breaks what is filled from above. Said of every row in which all cells are empty.",
            (),
            rows,
            (Repair("Drop the rows in which every cell is empty", (step("drop_rows", by="blank"),)),),
            rule,
            weight=90,
        )


def blank_columns(view: View) -> Iterator[Finding]:
    """Columns without any value, in a table of at least five rows."""
    names = [c.name for c in view.columns if c.empty == view.height]
    if names and view.height >= 5 and len(names) < len(view.columns):
        yield Finding(
            "blank_columns",
            tuple(names),
            len(names),
            f"{names[0]} has no value at all"
            if len(names) == 1
            else f"{len(names):,} columns have no value at all",
            "An empty column says nothing and widens every table after it. Said in tables of at least five rows.",
            short(names),
            repairs=(
                Repair(
                    "Leave the empty columns out",
                    (step("choose_columns", columns=[], drop=names, others="keep"),),
                ),
            ),
            weight=30,
        )


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
    if not len(places) or len(places) > _MOST or len(places) * 2 > view.height:
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
        f"{_and(adding)} {'adds' if len(adding) == 1 else 'add'} up to {'it' if len(rows) == 1 else 'them'}"
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
        short(_filled(view, int(rows[0]))),
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
    lone = lone[(lone < _EDGE) | (lone >= view.height - _EDGE)]
    if not len(lone) or len(lone) * 4 > view.height:
        return
    lines = [_filled(view, int(place))[0] for place in lone]
    keep = [n for n, line in enumerate(lines) if not _is_number(line)]
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


def rule_for(view: View, rows: pl.Series) -> tuple[dict[str, Any] | None, str, list[Step]]:
    """A rule that holds in just these rows (None where none was found), in words, and the Drop rows step for them.

    A rule holds next month too: what the rows say, a column that is empty only there; their place is the last resort.
    """
    picked = view.frame[rows.to_list()] if rows.len() <= _MOST else None
    if picked is not None:
        for column in view.texts:
            values = picked[column.name]
            said = column.counts.filter(pl.col("value").str.contains(TOTAL))
            if (
                values.null_count() == 0
                and values.str.contains(TOTAL).all()
                and said["n"].sum() == rows.len()
            ):
                # The plain word where it tells the same rows: people read this rule.
                worded = column.counts.filter(
                    pl.col("value").str.to_lowercase().str.contains("total", literal=True)
                )
                plain = (
                    worded["n"].sum() == rows.len()
                    and values.str.to_lowercase().str.contains("total", literal=True).all()
                )
                rule = (
                    where(column.name, "contains", value="total", ignore_case=True)
                    if plain
                    else where(column.name, "matches", value=TOTAL)
                )
                return rule, f"rows where {column.name} says total", [step("drop_rows", by="rule", rule=rule)]
        for column in sorted(view.columns, key=lambda c: (c.is_number, c.place)):
            if column.empty == rows.len() and bool(column.blank.gather(rows).all()):
                rule = where(column.name, "empty")
                return rule, f"rows where {column.name} is empty", [step("drop_rows", by="rule", rule=rule)]
        for column in view.texts:
            values = picked[column.name]
            if values.null_count() == 0 and values.n_unique() <= 20:
                known = column.counts.filter(pl.col("value").is_in(values.unique().implode()))
                if known["n"].sum() == rows.len():
                    rule = where(column.name, "one_of", values=known["value"].to_list())
                    return (
                        rule,
                        f"rows where {column.name} is {_and(list(short(known['value'], 2)))}",
                        [step("drop_rows", by="rule", rule=rule)],
                    )
        both = _both_empty(view, rows)
        if both:
            return (
                both,
                f"rows where {_and([c['column'] for c in both['of']])} are empty",
                [step("drop_rows", by="rule", rule=both)],
            )
    first, last, many = int(rows[0]), int(rows[-1]), rows.len()
    if last - first + 1 == many and last == view.height - 1:
        return None, f"the last {plural(many, 'row', 'rows')}", [step("drop_rows", by="last", count=many)]
    # Other rows by their places, from the bottom, so that the places of those above stay true.
    spans = [
        step("drop_rows", by="range", start=start + 1, end=end + 1) for start, end in reversed(_spans(rows))
    ]
    return None, plural(many, "row by its place", "rows by their places"), spans if len(spans) <= 40 else []


def _spans(rows: pl.Series) -> list[tuple[int, int]]:
    """Row numbers in order as stretches without gaps, first and last."""
    spans: list[tuple[int, int]] = []
    for row in rows:
        if spans and spans[-1][1] == row - 1:
            spans[-1] = (spans[-1][0], row)
        else:
            spans.append((row, row))
    return spans


def _both_empty(view: View, rows: pl.Series) -> dict[str, Any] | None:
    empty = [c for c in view.columns if c.empty and bool(c.blank.gather(rows).all())]
    for n, one in enumerate(empty):
        for other in empty[n + 1 :]:
            if int((one.blank & other.blank).sum()) == rows.len():
                return {
                    "match": "all",
                    "of": [{"column": one.name, "test": "empty"}, {"column": other.name, "test": "empty"}],
                }
    return None


def _rows_where(view: View, test: pl.Expr) -> pl.Series:
    return view.frame.select(test.alias("here")).to_series().fill_null(False).arg_true()


def _filled(view: View, row: int) -> list[str]:
    return [str(value) for value in view.frame.row(row) if value is not None and str(value).strip()]


def _and(names: list[str]) -> str:
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}" if names else ""
