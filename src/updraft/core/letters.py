"""Letters without their marks, and digits of any script as 0 to 9: what is one to who compares or reads."""

from __future__ import annotations

import re
import sys
import unicodedata
from functools import cache

import polars as pl

# Letters with a stroke and letters written together, which Unicode does not take apart.
UNMARKED = {
    **dict(zip("ŁłØøĐđĦħŦŧı", "LlOoDdHhTti", strict=True)),
    **{"ß": "ss", "Æ": "AE", "æ": "ae", "Œ": "OE", "œ": "oe"},
}
# Accents, the points of Hebrew and the vowels of Arabic, which may be left out. Not the vowels of Indic
# scripts and of Thai, and not the voicing of kana: words differ in them as in letters.
_MARKS = (
    r"[\u0300-\u036f\u1ab0-\u1aff\u1dc0-\u1dff\u20d0-\u20ff"
    r"\u0591-\u05bd\u05bf\u05c1\u05c2\u05c4\u05c5\u05c7\u0610-\u061a\u064b-\u065f\u0670\u06d6-\u06dc]"
)
# Letters of Arabic that are written one for the other at the ends of words, and the stroke that widens one.
_ONE = {"ة": "ه", "ى": "ي", "ـ": ""}
_MARK = re.compile(_MARKS)
# What is no part of a word: neither a letter, nor a mark that belongs to one, nor a digit.
NO_WORD = r"[^\p{L}\p{M}\p{N}]+"
# A word for Python, where \w has no marks: with those of the scripts of India and the lands behind it.
WORD = r"(?:[^\W_]|[\u0900-\u0dff\u0e00-\u0fff\u1000-\u109f\u1780-\u17ff])+"


def unmarked(text: pl.Expr) -> pl.Expr:
    """The letters of a text without accents and strokes, as they are compared: taken apart (NFKD)."""
    bare = text.str.normalize("NFKD").str.replace_all(_polars(_MARKS), "")
    alike = UNMARKED | _ONE
    return bare.str.replace_many(list(alike), list(alike.values()))


def unmarked_text(text: str) -> str:
    """As `unmarked`, for one text."""
    return _MARK.sub("", unicodedata.normalize("NFKD", text)).translate(_ALIKE)


def plain(text: pl.Expr) -> pl.Expr:
    """Letters without accents and strokes, as they are shown: full-width signs and the like stay (NFC)."""
    bare = text.str.normalize("NFD").str.replace_all(_polars(_MARKS), "").str.normalize("NFC")
    return bare.str.replace_many(list(UNMARKED), list(UNMARKED.values()))


def plain_text(text: str) -> str:
    """As `plain`, for one text."""
    bare = unicodedata.normalize("NFC", _MARK.sub("", unicodedata.normalize("NFD", text)))
    return bare.translate(_UNMARKED)


def western(text: pl.Expr) -> pl.Expr:
    """A text with the digits of any script as 0 to 9, and the marks beside such digits as , . % - are."""
    return text.map_batches(western_digits, pl.String, is_elementwise=True)


def western_digits(texts: pl.Series) -> pl.Series:
    """As `western`; a series without such digits comes back as it is."""
    if texts.dtype != pl.String or (texts.str.len_bytes() == texts.str.len_chars()).all():
        return texts  # as nearly always, and told ten times as fast
    other = texts.str.contains(_OTHER_DIGITS)
    if not other.any():
        return texts
    written = texts.str.replace_many(list(_digits()), list(_digits().values()))
    return written.zip_with(other.fill_null(False), texts)


def _polars(pattern: str) -> str:
    return re.sub(r"\\u([0-9a-f]{4})", r"\\u{\1}", pattern)


_UNMARKED, _ALIKE = str.maketrans(UNMARKED), str.maketrans(UNMARKED | _ONE)
_OTHER_DIGITS = r"[\p{Nd}&&[^0-9]]|[٫٬٪]"


@cache
def _digits() -> dict[str, str]:
    """Digits of other scripts, and the marks that stand beside them → as they are written with 0 to 9."""
    others = (sign for sign in map(chr, range(0x80, sys.maxunicode + 1)) if sign.isdecimal())
    marks = zip("٫٬٪−，．％－／：（）", ".,%-,.%-/:()", strict=True)
    return {**{sign: str(unicodedata.decimal(sign)) for sign in others}, **dict(marks)}
