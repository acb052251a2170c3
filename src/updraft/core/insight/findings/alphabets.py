"""Letters and digits of two alphabets in one word, which look the same and are not."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterator

import polars as pl

from updraft.core.insight.findings.model import Finding, Repair, plural, recode, short, where
from updraft.core.insight.findings.view import Column, View

# Letters that look like Latin ones, as Unicode's list of confusable signs has them (UTS 39): capitals, then small ones.
_LATIN = "ABEKMHOPCTXIJS" + "aeopcxyijs"
_CYRILLIC = "АВЕКМНОРСТХІЈЅ" + "аеорсхуіјѕ"
_GREEK = dict(zip("ΑΒΕΖΗΙΚΜΝΟΡΤΥΧο", "ABEZHIKMNOPTYXo", strict=True))
_TO_LATIN = str.maketrans(dict(zip(_CYRILLIC, _LATIN, strict=True)) | _GREEK)
_TO_CYRILLIC = str.maketrans(dict(zip(_LATIN, _CYRILLIC, strict=True)))
_SUSPECT = (
    r"[A-Za-z][\p{Cyrillic}\p{Greek}]|[\p{Cyrillic}\p{Greek}][A-Za-z]|[0-9][^\P{Nd}0-9]|[^\P{Nd}0-9][0-9]"
)


def two_alphabets(view: View) -> Iterator[Finding]:
    """Words in which a few letters of another alphabet stand for ones that look the same, and numbers in two kinds of digits.

    Threshold: one cell; the word is all of one alphabet once the letters that look the same are exchanged (µm and Δt are not).
    """
    for column in view.texts:
        suspects = column.meant.filter(pl.col("value").str.contains(_SUSPECT))["value"]
        changes = {value: right for value in suspects if (right := _in_one(value)) != value}
        if changes:
            yield _finding(column, changes)


def _in_one(text: str) -> str:
    return re.sub(r"\w+", lambda word: _word(word[0]), text)


def _word(word: str) -> str:
    digits = re.sub(r"\d", lambda d: str(unicodedata.digit(d[0])), word) if re.search("[0-9]", word) else word
    latin = len(re.findall("[A-Za-z]", digits))
    other = len(re.findall("[\u0370-\u03ff\u0400-\u04ff]", digits))
    if not latin or not other:
        return digits
    mended = digits.translate(_TO_LATIN if latin >= other else _TO_CYRILLIC)
    both = re.search("[A-Za-z]", mended) and re.search("[\u0370-\u03ff\u0400-\u04ff]", mended)
    return digits if both else mended


def _marked(value: str, right: str) -> str:
    """The value with what is of the other alphabet in brackets, since nobody could see it."""
    return "".join(mine if mine == its else f"[{mine}]" for mine, its in zip(value, right, strict=True))


def _finding(column: Column, changes: dict[str, str]) -> Finding:
    rows = column.rows_meaning(list(changes))
    return Finding(
        "two_alphabets",
        (column.name,),
        rows.len(),
        f"In {plural(rows.len(), 'cell', 'cells')} of {column.name} a word has signs of two alphabets that look the same",
        "They look like the others and are counted, found and joined as something else. Said of words that are of one alphabet once letters "
        "that look the same are exchanged, and of numbers in two kinds of digits.",
        short(_marked(value, right) for value, right in changes.items()),
        rows,
        (
            Repair(
                f"Write {plural(len(changes), 'value', 'values')} of {column.name} in one alphabet",
                (recode(column.name, changes),),
            ),
        ),
        where(column.name, "one_of", values=list(changes)) if len(changes) <= 200 else None,
        weight=60,
    )
