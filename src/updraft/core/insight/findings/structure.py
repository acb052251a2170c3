"""1: rows that are no data: a header out of place or repeated, blank rows and columns."""

from __future__ import annotations

import re
from collections.abc import Iterator

import polars as pl

from updraft.core.insight.findings.leaving_out import filled_in, is_number, rows_where
from updraft.core.insight.findings.model import Finding, Repair, plural, short, step
from updraft.core.insight.findings.totals import EDGE
from updraft.core.insight.findings.view import View
from updraft.core.steps.rows.choosing import blank_row, header_row

_GENERIC = r"^(Column|Unnamed:?|Field|F|_|column_)\s?_?\d+$"


def misplaced_header(view: View) -> Iterator[Finding]:
    """Column names without meaning, and a row near the top that has them all.

    Threshold: at least half of the names are generic, the row is filled in at least 80 % of the columns with texts that
    all differ and are not numbers.
    """
    names = pl.Series([c.name for c in view.columns])
    if view.height < 3 or len(names) < 2 or names.str.contains(_GENERIC).sum() * 2 < len(names):
        return
    for place in range(min(EDGE, view.height - 1)):
        cells = [str(v).strip() if v is not None else "" for v in view.frame.row(place)[: len(names)]]
        texts = [cell for cell in cells if cell]
        if (
            len(texts) * 10 < len(names) * 8
            or len(set(texts)) < len(texts)
            or any(is_number(t) for t in texts)
        ):
            continue
        below = [str(v).strip() if v is not None else "" for v in view.frame.row(place + 1)[: len(names)]]
        if (
            not any(is_number(b) != is_number(c) for b, c in zip(below, cells, strict=True) if b)
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


def _is_like_those_below(view: View, place: int, cells: list[str], next_: list[str]) -> bool:
    """Whether the cells of a row have, column by column, the shape of those below: then it is one of them."""
    like = 0
    for column, cell in zip(view.columns, cells, strict=True):
        below = [str(v).strip() for v in column.series.slice(place + 1, 30).drop_nulls().to_list()]
        shapes = [_shape_of(text) for text in below]
        like += bool(cell) and shapes.count(_shape_of(cell)) * 2 >= max(len(shapes), 1) and bool(shapes)
    filled = sum(bool(cell) for cell in cells)
    words_only = not any(is_number(text) for text in next_ if text)
    return like * 2 >= filled if words_only else like * 2 > filled


def _shape_of(text: str) -> str:
    if is_number(text):
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
    rows = rows_where(view, header_row(view.frame.schema))
    if rows.len() and rows.len() * 4 < view.height:
        yield Finding(
            "repeated_header",
            (),
            rows.len(),
            f"The header stands in the table again, in {plural(rows.len(), 'row', 'rows')}",
            "Such rows are no data; they make columns of numbers and dates text. Said of rows in which at least two cells, and "
            "60 % of the filled ones, are the names of their columns.",
            short(filled_in(view, int(rows[0]))),
            rows,
            (Repair("Drop the rows that repeat the header", (step("drop_rows", by="header"),)),),
            weight=96,
        )


def blank_rows(view: View) -> Iterator[Finding]:
    """Rows without any value. Threshold: one."""
    if not all(c.empty for c in view.columns):
        return
    rows = rows_where(view, blank_row(view.frame.schema))
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
