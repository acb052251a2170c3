"""What can be seen in a table by itself. No interface code."""

from typing import TYPE_CHECKING

from lazy_loader import attach

if TYPE_CHECKING:
    from updraft.core.insight.findings import CODES, Finding, Repair, apply_repair, find, repair_all
    from updraft.core.insight.focus import Chip, Focus
    from updraft.core.insight.pairs import cross_table, determined_by, exceptions, scatter
    from updraft.core.insight.summary import (
        ColumnSummary,
        column_values,
        counted_values,
        ordered_values,
        summarise_columns,
    )

# Nothing is imported before it is used: a command starts with what it needs.
__getattr__, __dir__, _ = attach(
    __name__,
    submod_attrs={
        "findings": ["CODES", "Finding", "Repair", "apply_repair", "find", "repair_all"],
        "focus": ["Chip", "Focus"],
        "pairs": ["cross_table", "determined_by", "exceptions", "scatter"],
        "summary": [
            "ColumnSummary",
            "column_values",
            "counted_values",
            "ordered_values",
            "summarise_columns",
        ],
    },
)
__all__ = [
    "CODES",
    "Chip",
    "ColumnSummary",
    "Finding",
    "Focus",
    "Repair",
    "apply_repair",
    "column_values",
    "counted_values",
    "cross_table",
    "determined_by",
    "exceptions",
    "find",
    "ordered_values",
    "repair_all",
    "scatter",
    "summarise_columns",
]
