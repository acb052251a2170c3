"""Rules that leave rows out, for findings that name rows."""

from __future__ import annotations

import re
from typing import Any

import polars as pl

from updraft.core.insight.findings.model import Step, plural, short, step, where
from updraft.core.insight.findings.view import View

TOTAL = r"(?i)(^|\b)(sub|grand)?[\s-]?totals?\b|^sum(me)?\b"
MOST = 4000  # rows that could be totals; a table with more of them has a word for something else there


def is_number(text: str) -> bool:
    return any(c.isdigit() for c in text) and (
        not any(c.isalpha() for c in text)
        or re.fullmatch(r"[-+]?[\d.,]+[eE][-+]?\d+", text.strip()) is not None
    )


def rule_for(view: View, rows: pl.Series) -> tuple[dict[str, Any] | None, str, list[Step]]:
    """A rule that holds in just these rows (None where none was found), in words, and the Drop rows step for them.

    A rule holds next month too: what the rows say, a column that is empty only there; their place is the last resort.
    """
    picked = view.frame[rows.to_list()] if rows.len() <= MOST else None
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
                        f"rows where {column.name} is {and_said(list(short(known['value'], 2)))}",
                        [step("drop_rows", by="rule", rule=rule)],
                    )
        both = _both_empty(view, rows)
        if both:
            return (
                both,
                f"rows where {and_said([c['column'] for c in both['of']])} are empty",
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


def rows_where(view: View, test: pl.Expr) -> pl.Series:
    return view.frame.select(test.alias("here")).to_series().fill_null(False).arg_true()


def filled_in(view: View, row: int) -> list[str]:
    return [str(value) for value in view.frame.row(row) if value is not None and str(value).strip()]


def and_said(names: list[str]) -> str:
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}" if names else ""
