"""Read files into tables, detecting how they are laid out, and write tables to files."""

from typing import TYPE_CHECKING

from lazy_loader import attach

if TYPE_CHECKING:
    from updraft.core.formats.options import TITLES, Detected, Reading, ReadOptions
    from updraft.core.formats.reading import FILE_COLUMN, detect, is_page, read, read_all
    from updraft.core.formats.stacking import differences, stacked, stacked_readings
    from updraft.core.formats.write import write_csv, write_xlsx

# Nothing is imported before it is used: a command starts with what it needs.
__getattr__, __dir__, _ = attach(
    __name__,
    submod_attrs={
        "options": ["Detected", "ReadOptions", "Reading", "TITLES"],
        "reading": ["FILE_COLUMN", "detect", "is_page", "read", "read_all"],
        "stacking": ["differences", "stacked", "stacked_readings"],
        "write": ["write_csv", "write_xlsx"],
    },
)
__all__ = [
    "FILE_COLUMN",
    "TITLES",
    "Detected",
    "ReadOptions",
    "Reading",
    "detect",
    "differences",
    "is_page",
    "read",
    "read_all",
    "stacked",
    "stacked_readings",
    "write_csv",
    "write_xlsx",
]
