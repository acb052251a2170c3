"""Kinds of values: what they are, how text becomes one of them, and how they are written."""

from typing import TYPE_CHECKING

from lazy_loader import attach

if TYPE_CHECKING:
    from updraft.core.values.coded import by_value, changed_by_value
    from updraft.core.values.convert import FORMATS, converted, guess_format
    from updraft.core.values.decide import Decision, decide
    from updraft.core.values.kinds import DTYPES, TITLES, Kind, is_blank, kind_of
    from updraft.core.values.twins import TWINS

# Nothing is imported before it is used: a command starts with what it needs.
__getattr__, __dir__, _ = attach(
    __name__,
    submod_attrs={
        "coded": ["by_value", "changed_by_value"],
        "convert": ["FORMATS", "converted", "guess_format"],
        "decide": ["Decision", "decide"],
        "twins": ["TWINS"],
        "kinds": ["DTYPES", "Kind", "TITLES", "is_blank", "kind_of"],
    },
)
__all__ = [
    "DTYPES",
    "FORMATS",
    "TITLES",
    "TWINS",
    "Decision",
    "Kind",
    "by_value",
    "changed_by_value",
    "converted",
    "decide",
    "guess_format",
    "is_blank",
    "kind_of",
]
