"""Errors of the library that computes, told in words of this house."""

from __future__ import annotations

import logging
import re

import polars as pl

from updraft.core.problems import Problem, missing_column

_LOG = logging.getLogger("updraft")
_LOG.addHandler(
    logging.NullHandler()
)  # on a terminal they are for nobody; the server and a run's process log them
_TYPES = (pl.exceptions.SchemaError, pl.exceptions.InvalidOperationError)
_ROOM = re.compile(r"exceed(s|ed)?.{0,60}(capacity|limit|size)|capacity overflow|row index|bigidx", re.I)


def told(error: pl.exceptions.PolarsError | pl.exceptions.PanicException, title: str) -> Problem:
    """What a person is told; the library's own words go to the log.

    Args:
        title: the kind of step that met it.
    """
    text = str(error)
    _LOG.warning("%s: %s: %s", title, type(error).__name__, text)
    named = re.search(r'"([^"]+)"', text)
    if isinstance(error, pl.exceptions.ColumnNotFoundError) and named:
        known = re.search(r"valid columns: \[(.*)\]", text)
        return missing_column(named[1], re.findall(r'"([^"]+)"', known[1]) if known else [])
    if isinstance(error, pl.exceptions.DuplicateError) and (twice := re.search(r"['\"]([^'\"]+)['\"]", text)):
        return Problem(
            f"Column “{twice[1]}”",
            "two columns of the result would have this name.",
            "Give one of them another name, here or in an earlier step.",
            code="two_columns",
        )
    if _ROOM.search(text):
        return Problem(
            title,
            "the table that comes out is larger than can be computed.",
            "Keep fewer rows or columns before this step.",
            code="too_large",
        )
    at = re.search(
        r"column [`'\"]?([^`'\"\n]{1,80}?)[`'\"]? failed|failed in column ['\"]([^'\"]+)['\"]", text
    )
    where = f" of “{at[1] or at[2]}”" if at else ""
    if isinstance(error, _TYPES) or "conversion" in text:
        return Problem(
            title,
            f"values{where or ' of a column'} are of a type with which the step cannot be computed.",
            "Set the types of the columns before it, or choose others.",
            code="failed",
        )
    return Problem(
        title,
        "the step cannot be computed with the values that come in.",
        "Look at its settings and at the types of the columns; switch it off to get on.",
        code="failed",
    )
