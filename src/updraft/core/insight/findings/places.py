"""Rows and cells out of place: a second header, summaries that are no totals, cells swapped or shifted."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

import numpy as np
import polars as pl

from updraft.core.insight.findings.leaving_out import rule_for
from updraft.core.insight.findings.model import Finding, Repair, plural, short, step
from updraft.core.insight.findings.unknown import is_placeholder
from updraft.core.insight.findings.view import Column, View, is_figure, is_word

_SUMMARY = (
    r"(?i)^\s*(grand |overall )?(mean|average|avg\.?|median|minimum|maximum|min\.?|max\.?|std\.?( dev\.?)?|"
    r"standard deviation|s\.?d\.?|count|n|variance|durchschnitt|mittelwert|moyenne)\s*:?\s*$"
)
_FIGURES: dict[str, Callable[[Any], Any]] = {
    "mean": np.mean, "average": np.mean, "avg": np.mean, "durchschnitt": np.mean, "mittelwert": np.mean, "moyenne": np.mean,
    "median": np.median, "min": np.min, "minimum": np.min, "max": np.max, "maximum": np.max,
}  # fmt: skip
_LEAST = 12
_MOST_LINES = 2  # lines below the header that could belong to it


def second_header(view: View) -> Iterator[Finding]:
    """One or two first rows that go on with the header: units or groups above columns of numbers.

    Threshold: twelve rows; in two columns and more, of which nine tenths of the cells below are numbers, the row has text
    that is no number and no word for empty; it has a number in no column of numbers.
    """
    if view.height < _LEAST:
        return
    rest = view.frame.slice(_MOST_LINES)
    start = rest.head(200)  # most columns show in these that they hold no numbers
    numeric = [c for c in view.texts if is_figure_column(start[c.name]) and is_figure_column(rest[c.name])]
    if len(numeric) < 2:
        return
    lines = 0
    for place in range(_MOST_LINES):
        cells = pl.Series([c.series[place] for c in numeric], dtype=pl.String).drop_nulls().str.strip_chars()
        cells = cells.filter(cells != "")
        words = cells.filter(
            ~is_figure(cells) & ~cells.to_frame("c").select(is_placeholder(pl.col("c"))).to_series()
        )
        if words.len() < 2 or words.len() < cells.len() or cells.len() * 3 < len(numeric):
            break
        if any(c.is_number and c.series[place] is not None for c in view.columns):
            break
        lines += 1
    if not lines:
        return
    told = short(cell for cell in view.frame.row(0) if cell is not None)
    yield Finding(
        "second_header",
        (),
        lines,
        "The first row goes on with the header"
        if lines == 1
        else f"The first {lines} rows go on with the header",
        "Units or groups in a row of their own keep columns of numbers text. Said where two columns of numbers and more have words there, and "
        "none has a number.",
        told,
        pl.Series(range(lines), dtype=pl.UInt32),
        (
            Repair(
                "Drop the first row" if lines == 1 else f"Drop the first {lines} rows",
                (step("drop_rows", by="range", start=1, end=lines),),
            ),
        ),
        weight=95,
    )


def is_figure_column(series: pl.Series) -> bool:
    filled = series.drop_nulls()
    return filled.len() >= 8 and float(is_figure(filled).mean() or 0) >= 0.9  # type: ignore[arg-type]


def summary_rows(view: View) -> Iterator[Finding]:
    """Rows near the end that say average, median, count and the like, where no other row does.

    A mean, median, smallest or largest is verified over the rows above (to half a percent); the rest is said by its word
    where half of the usual columns that name things are empty.
    """
    if view.height < 4:
        return
    found: dict[int, str] = {}
    for column in view.texts:
        said = column.counts.filter(pl.col("value").str.contains(_SUMMARY))
        if not said.height or int(said["n"].sum()) > 8 or said.height == column.distinct:
            continue
        for row in column.rows_with(said["value"]):
            if row >= view.height - 12:
                found.setdefault(int(row), str(column.series[int(row)]))
    figures = [c.numbers for c in view.columns if c.numbers is not None]
    rows = [row for row, word in sorted(found.items()) if _fits(word, row, min(found), figures, view)]
    if not rows:
        return
    series = pl.Series(rows, dtype=pl.UInt32)
    rule, words, drop = rule_for(view, series)
    many = len(rows)
    yield Finding(
        "summary_rows",
        (),
        many,
        f"Row {rows[0] + 1:,} is a summary: {found[rows[0]]}" if many == 1 else f"{many} rows are summaries",
        "Counted as data, a mean or a count is one thing more. Said of rows near the end that say so.",
        short(found[row] for row in rows),
        series,
        (Repair(f"Drop {words}", tuple(drop)),) if drop else (),
        rule,
        weight=93,
    )


def _fits(word: str, row: int, end: int, figures: list[np.ndarray[Any, Any]], view: View) -> bool:
    figure = _FIGURES.get(word.strip(" :.").lower().split(" ")[-1])
    for numbers in figures:
        if figure is None:
            break
        above = numbers[:end]
        above = above[np.isfinite(above)]
        if len(above) >= 3 and np.isfinite(numbers[row]) and len(np.unique(above)) > 1:
            goal = float(figure(above))
            if abs(numbers[row] - goal) <= max(abs(goal) * 0.005, 0.006):
                return True
    naming = [c for c in view.usual if c.is_text and c.numbers is None]
    return len(naming) > 1 and sum(bool(c.blank[row]) for c in naming) * 2 >= len(naming) - 1


def swapped_cells(view: View) -> Iterator[Finding]:
    """Rows in which a number stands in a column of words, and words in a column of numbers.

    Threshold: nine of ten cells of the one are words without a digit, nine of ten of the other numbers; at most 5 % of the
    rows, or two.
    """
    if view.height < _LEAST:
        return
    numeric = [c for c in view.texts if c.sort == "number"]
    for words in [c for c in view.texts if c.sort == "words"] if numeric else []:
        values = words.counts["value"]
        odd = words.rows_with(values.filter(is_figure(values)))
        if not odd.len() or odd.len() > max(2, view.height // 20):
            continue
        for numbers in numeric:
            rows = odd.filter(is_word(numbers.series.gather(odd)).fill_null(False))
            if not rows.len():
                continue
            yield Finding(
                "swapped_cells",
                (words.name, numbers.name),
                rows.len(),
                f"In {plural(rows.len(), 'row', 'rows')} {words.name} and {numbers.name} are swapped",
                "A number stands where all others are words, and words where all others are numbers.",
                short(
                    f"{a} · {b}"
                    for a, b in zip(
                        words.series.gather(rows.head(5)), numbers.series.gather(rows.head(5)), strict=True
                    )
                ),
                rows,
                swapping(view, words, numbers, _is_swapped(words, numbers)),
                weight=82,
            )


def _is_swapped(words: Column, numbers: Column) -> str:
    figure = "'^[ +(-]*[0-9][0-9., ]*[)%]?$'"
    return f'fits(column("{words.name}"), {figure}) and not fits(column("{numbers.name}"), {figure})'


def swapping(view: View, one: Column, other: Column, condition: str) -> tuple[Repair, ...]:
    """The repair that swaps two columns where a formula holds; none where a name cannot stand in a formula."""
    if set('"\\') & set(one.name + other.name):
        return ()
    aside = next(n for n in ("Aside", "Aside_2", "Aside_3") if n not in {c.name for c in view.columns})
    mine, its = f'column("{one.name}")', f'column("{other.name}")'
    formulas = [
        {"name": aside, "formula": f"{mine} if {condition} else None"},
        {"name": one.name, "formula": f"{mine} if is_empty({aside}) else {its}"},
        {"name": other.name, "formula": f"{its} if is_empty({aside}) else {aside}"},
    ]
    return (
        Repair(
            f"Swap {one.name} and {other.name} in these rows",
            (
                step("calculate", columns=formulas),
                step("choose_columns", columns=[], drop=[aside], others="keep"),
            ),
        ),
    )


def shifted_cells(view: View) -> Iterator[Finding]:
    """Rows whose cells all stand one column too far to the right or left.

    Threshold: four columns, two of numbers and one of words; in the row at least two cells do not fit their own column, and
    all that can be told fit the one beside it; at most 5 % of the rows, or two.
    """
    if len(view.columns) < 4 or view.height < _LEAST:
        return
    sorts = [c.sort for c in view.columns]
    if sorts.count("number") < 2 or "words" not in sorts:
        return
    misfit = np.zeros(view.height, dtype=np.int32)
    for column in view.columns:
        if column.is_text and column.sort:
            misfit[column.misfits().to_numpy()] += 1
    suspects = np.flatnonzero(misfit >= 2)
    if not len(suspects) or len(suspects) > max(2, view.height // 20):
        return
    cells = [_Cells(c, suspects) for c in view.columns]
    rows = [
        int(suspects[n])
        for n in range(len(suspects))
        if any(_fits_beside(cells, n, by, sorts) for by in (1, -1))
    ]
    if rows:
        yield Finding(
            "shifted_cells",
            (),
            len(rows),
            f"The cells of {plural(len(rows), 'row', 'rows')} stand one column too far",
            "A cell too many or too few moved all that follow. Said where at least two cells do not fit their column, and all fit the one beside.",
            short(
                " · ".join("" if v is None else str(v) for v in view.frame.row(row)[:5]) for row in rows[:3]
            ),
            pl.Series(rows, dtype=pl.UInt32),
            weight=86,
        )


class _Cells:
    """The cells of a column in some rows: whether they are blank, numbers, words."""

    def __init__(self, column: Column, rows: np.ndarray[Any, np.dtype[np.int64]]) -> None:
        series = column.series.gather(rows)
        none = pl.Series([False]).new_from_index(0, series.len())
        self.blank = column.blank.gather(rows).to_list()
        figure = is_figure(series).fill_null(False) if column.is_text else none
        self.number = (~column.blank.gather(rows) if column.is_number else figure).to_list()
        self.words = (is_word(series).fill_null(False) if column.is_text else none).to_list()


def _fits_beside(cells: list[_Cells], row: int, by: int, sorts: list[str]) -> bool:
    told = 0
    for n, cell in enumerate(cells):
        beside = n - by
        if cell.blank[row] or not 0 <= beside < len(sorts) or not sorts[beside]:
            continue
        if not (cell.number if sorts[beside] == "number" else cell.words)[row]:
            return False
        told += 1
    edge = 0 if by > 0 else len(sorts) - 1
    return told >= 3 and bool(cells[edge].blank[row])
