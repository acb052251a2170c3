"""Figures of columns: profiles, value lists, histograms, patterns. Works on series and frames; knows no steps."""

from typing import TYPE_CHECKING

from lazy_loader import attach

if TYPE_CHECKING:
    from updraft.core.figures.histograms import Histogram, histogram
    from updraft.core.figures.patterns import pattern_counts, pattern_of_text, pattern_words
    from updraft.core.figures.profiles import ColumnProfile, profile, profile_table

# Nothing is imported before it is used: a command starts with what it needs.
__getattr__, __dir__, _ = attach(
    __name__,
    submod_attrs={
        "histograms": ["Histogram", "histogram"],
        "patterns": ["pattern_counts", "pattern_of_text", "pattern_words"],
        "profiles": ["ColumnProfile", "profile", "profile_table"],
    },
)
__all__ = [
    "ColumnProfile",
    "Histogram",
    "histogram",
    "pattern_counts",
    "pattern_of_text",
    "pattern_words",
    "profile",
    "profile_table",
]
