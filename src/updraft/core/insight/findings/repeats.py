"""Columns that say nothing more: one value throughout, or the same as another column."""

from __future__ import annotations

from collections.abc import Iterator

from updraft.core.insight.findings.model import Finding, Repair, plural, short, step
from updraft.core.insight.findings.view import Column, View

_LEAST = 12  # rows; in fewer, one value is no rule


def constant_columns(view: View) -> Iterator[Finding]:
    """Columns with one value in every row, in tables of twelve rows and more."""
    if view.height < _LEAST or len(view.columns) < 2:
        return
    same = [c for c in view.columns if not c.nested and c.distinct == 1 and c.filled == view.height]
    if same and len(same) < len(view.columns):
        names = [c.name for c in same]
        yield Finding(
            "constant_columns",
            tuple(names),
            len(names),
            f"{names[0]} is the same in every row: {short(same[0].texts(same[0].counts['value']))[0]}"
            if len(names) == 1
            else f"{plural(len(names), 'column is', 'columns are')} the same in every row",
            "A column that never changes tells no rows apart and widens every table after it. Said in tables of twelve rows and more.",
            short(f"{c.name}: {c.texts(c.counts['value'])[0]}" for c in same),
            repairs=(_leave_out(names, "Leave them out" if len(names) > 1 else f"Leave {names[0]} out"),),
            weight=18,
        )


def identical_columns(view: View) -> Iterator[Finding]:
    """Columns that are equal to one on their left in every row, empty cells too; three different values at least."""
    if view.height < _LEAST:
        return
    seen: dict[tuple[int, int, str], list[Column]] = {}
    for column in view.columns:
        if column.nested or column.distinct < 3 or column.empty * 2 > view.height:
            continue
        first = seen.setdefault((column.distinct, column.empty, str(column.series.dtype)), [])
        twin = next((c for c in first if _equal(c, column)), None)
        if twin is None:
            first.append(column)
            continue
        yield Finding(
            "identical_columns",
            (twin.name, column.name),
            view.height,
            f"{column.name} is the same as {twin.name} in every row",
            "Two columns with one content are taken for two facts. Said where they are equal in every row of twelve and more, and have three "
            "values at least.",
            short(column.texts(column.counts["value"].head(5))),
            repairs=(_leave_out([column.name], f"Leave {column.name} out"),),
            weight=26,
        )


def _equal(one: Column, other: Column) -> bool:
    return one.series.head(50).equals(other.series.head(50), check_names=False, null_equal=True) and bool(
        one.series.eq_missing(other.series).all()
    )


def _leave_out(names: list[str], sentence: str) -> Repair:
    return Repair(sentence, (step("choose_columns", columns=[], drop=names, others="keep"),))
