"""Which repairs may be taken without a person's choice: those that cannot harm.

A repair that empties a cell, drops a row that is neither an exact duplicate nor a verified total, fills or multiplies
cells, changes the shape of the table, or rewrites a name by likeness is open: it is shown with its cells and taken one by
one. What is left is judged twice: by its steps, and by what it did to the table.
"""

from __future__ import annotations

from typing import Any

import polars as pl

from updraft.core.insight.findings.model import Finding, Step, plural

# Findings whose repair loses nothing: blanks and control characters at no place that means something, text restored,
# columns without a single value, rows that stand elsewhere or add up, text that reads as numbers or dates throughout.
_CODES = frozenset({
    "stray_blanks", "control_characters", "broken_text", "blank_columns", "duplicate_rows", "totals", "numbers_as_text",
    "number_writing", "dates_as_text", "date_forms",
})  # fmt: skip
_CODE_LIKE = r"^\s*(?:\+|0\d)"  # a leading zero or plus sign: a code or a telephone number, never an amount


def may_be_safe(finding: Finding) -> bool:
    """Whether the first repair could be taken without a choice, judged by its steps."""
    if finding.open or not finding.repairs or finding.code not in _CODES:
        return False
    if finding.code == "totals" and not finding.verified:
        return False
    return all(_is_mild(step, finding.code) for step in finding.repairs[0].steps)


def harm_done(finding: Finding, before: pl.DataFrame, after: pl.DataFrame) -> str:
    """What a repair lost, judged by what it did; empty where it emptied no cell, dropped no row that is lost, and kept
    every code.
    """
    gone = [name for name in before.columns if name not in after.columns]
    for name in gone:
        if before[name].null_count() < before.height:
            return f"it would take the column {name} away"
    if after.height < before.height:
        shared = [name for name in after.columns if name in before.columns]
        same = before.select(shared).unique().height == after.select(shared).unique().height
        harmless = finding.code == "totals" or (finding.code == "duplicate_rows" and same)
        return "" if harmless else "it would drop rows that stand only there"
    if after.height > before.height:
        return "it would make rows"
    harms = (_harm(before[name], after[name]) for name in after.columns if name in before.columns)
    return next(filter(None, harms), "")


def _is_mild(step: Step, code: str) -> bool:
    settings: dict[str, Any] = step["settings"]
    match step["kind"]:
        case "tidy_text" | "choose_columns":
            return True
        case "remove_duplicates":
            return (
                not settings.get("keys")
                and not settings.get("ignore_blanks")
                and not settings.get("ignore_case")
            )
        case "drop_rows":
            return code == "totals"
        case "set_types":
            return not any(column.get("units") for column in settings["columns"])
    return False


def _harm(old: pl.Series, new: pl.Series) -> str:
    text = isinstance(old.dtype, pl.String)
    # A cell of blanks alone, or of no letter at all, is empty in all but its form.
    held = old.str.contains(r"[^\s\x{a0}\x{200b}\x{2060}\x{feff}]") if text else old.is_not_null()
    lost = int((held & new.is_null()).sum())
    if lost:
        return f"it would empty {plural(lost, 'cell', 'cells')} of {old.name}"
    if text and new.dtype.is_numeric() and bool(old.str.contains(_CODE_LIKE).any()):
        return f"{old.name} holds codes with a zero or plus in front, which would lose it"
    return ""
