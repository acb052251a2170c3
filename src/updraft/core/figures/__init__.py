"""Figures of columns: profiles, value lists, histograms, patterns. Works on series and frames; knows no steps."""

from updraft.core.figures.histogram import Histogram, histogram
from updraft.core.figures.patterns import pattern_counts, pattern_of_text, pattern_rule, pattern_words
from updraft.core.figures.profile import ColumnProfile, profile, profile_table
from updraft.core.figures.text import shown

__all__ = ["ColumnProfile", "Histogram", "histogram", "pattern_counts", "pattern_of_text", "pattern_rule", "pattern_words",
           "profile", "profile_table", "shown"]
