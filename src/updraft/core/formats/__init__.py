"""Read files into tables, detecting how they are laid out, and write tables to files."""

from updraft.core.formats.options import TITLES, Detected, Reading, ReadOptions
from updraft.core.formats.read import FILE_COLUMN, detect, is_page, read
from updraft.core.formats.stacking import differences, stacked, stacked_readings
from updraft.core.formats.write import write_csv, write_xlsx

__all__ = ["FILE_COLUMN", "TITLES", "Detected", "ReadOptions", "Reading", "detect", "differences", "is_page", "read", "stacked",
           "stacked_readings", "write_csv", "write_xlsx"]
