"""What a text means as a number, row by row: the one answer for figures and rules."""

from __future__ import annotations

import polars as pl

from updraft.core.letters import western
from updraft.core.values.dressed import undressed

# Points between thousands, perhaps with a decimal comma; or a comma that no three digits follow.
_COMMA_LAST = (
    r"^[^,]*(?:\.\d{3})+,\d+(?:[eE]|$)|^\d+,(?:\d{1,2}|\d{4,})(?:[eE]|$)|^0,\d+|^\d{1,3}(?:\.\d{3}){2,}$"
)


def number_in(text: pl.Expr) -> pl.Expr:
    """The number that a text is, as a float; empty where it is none.

    A plain number, also with a power of ten; or one dressed with currency, percent sign, unit, brackets or
    marks of thousands (`undressed`). Of a comma alone that three digits follow, thousands are meant; of any
    other, decimals. What stands behind the number does not change it: 5 % is 5.
    """
    stripped = western(text).str.strip_chars()
    plain = stripped.cast(pl.Float64, strict=False)
    bare, negative, _ = undressed(stripped)
    bare = bare.str.replace_all(r"[ '’\u{a0}\u{202f}]", "")
    comma_last = bare.str.contains(_COMMA_LAST)
    pointed = (
        pl.when(comma_last)
        .then(bare.str.replace_all(".", "", literal=True).str.replace(",", ".", literal=True))
        .otherwise(bare.str.replace_all(",", "", literal=True))
    )
    value = pointed.cast(pl.Float64, strict=False)
    dressed = pl.when(negative).then(-value).otherwise(value)
    finite = pl.when(plain.is_finite()).then(plain)  # the words nan and inf are no numbers
    return pl.coalesce(finite, pl.when(dressed.is_finite()).then(dressed))
