"""The type that values of several columns can share, and columns by a pattern of their names."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterable

import polars as pl

from updraft.core.letters import unmarked_text

_OF_EXPRESSIONS = re.compile(r"[\\^|]|\$$|\.[*+?.{]|\[[^]]+\]|\(\?")  # marks that names hardly hold
_WILD = {"*": ".*", "?": "."}


def common_type(dtypes: Iterable[pl.DataType]) -> pl.DataType | None:
    """The narrowest type that holds all values of these: their own, a number for numbers, a time for days,
    else text.

    None where lists or records meet anything but their like: nothing holds both.
    """
    found = {dtype for dtype in dtypes if dtype != pl.Null}
    if not found:
        return pl.String()
    if len(found) == 1:
        return found.pop()
    if any(dtype.is_nested() for dtype in found):
        return None
    if all(dtype.is_integer() for dtype in found):
        return pl.Int64()
    if all(dtype.is_numeric() for dtype in found):
        return pl.Float64()
    if all(isinstance(dtype, pl.Date | pl.Datetime) for dtype in found):
        return pl.Datetime("us")
    return pl.String()


def names_like(names: Iterable[str], pattern: str) -> list[str]:
    """The names that a pattern fits as a whole, in any case: the one meaning that such patterns have.

    Wildcards where it has no marks but * and ?, so that brackets and points of names stand for
    themselves: “Score (raw) *”. Else a regular expression, such as score .*, [0-9]{4} or a|b, by the
    engine of Polars, which is done in a time that grows with the text alone: Python's can take for ever
    over a pattern such as (a+)+$. Raises PolarsError where it is none.
    """
    if not _OF_EXPRESSIONS.search(pattern):
        pattern = "".join(_WILD.get(sign) or re.escape(sign) for sign in pattern)
    series = pl.Series("name", list(names), dtype=pl.String)
    return series.filter(series.str.contains(f"(?is)^(?:{pattern})$")).to_list()


def tidied_name(name: str) -> str:
    """A name as it is compared with another: without case, accents, blanks and signs."""
    bare = "".join(sign for sign in unmarked_text(name.casefold()) if unicodedata.category(sign)[0] in "LMN")
    return bare or name  # a name of signs alone is what it is
