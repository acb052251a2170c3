"""Updraft: messy data in, report-ready tables out."""

__version__ = "0.1.0"
