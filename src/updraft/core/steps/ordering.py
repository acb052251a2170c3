"""The order of values: texts by what a reader sees in them, numbers by size."""

from collections.abc import Sequence
from functools import partial
from typing import Any

import polars as pl

from updraft.core.letters import unmarked
from updraft.core.steps.settings import setting
from updraft.core.values import is_blank

_WIDE = 24  # digits that a number inside a text is filled up to; longer ones are compared as text
_BEHIND = "\U0010fffd"  # sorts behind every letter
# Letters that a language does not sort beside those they look like (after the Unicode CLDR's collations).
_ORDERS: dict[str, dict[str, str]] = {
    "cs": {"ch": f"h{_BEHIND}", **{a: f"{b}{_BEHIND}" for a, b in zip("čřšž", "crsz", strict=True)}},
    "da": {
        letter: f"z{_BEHIND}{n}"
        for letter, n in (("æ", 1), ("ä", 1), ("ø", 2), ("ö", 2), ("å", 3), ("aa", 3))
    },
    "de": {"ä": "ae", "ö": "oe", "ü": "ue", "ß": "ss"},
    "es": {"ñ": f"n{_BEHIND}"},
    "et": {"š": f"s{_BEHIND}", "z": f"s{_BEHIND}1", "ž": f"s{_BEHIND}2"}
    | {letter: f"w{_BEHIND}{n}" for n, letter in enumerate("õäöü")},
    "pl": {a: f"{b}{_BEHIND}" for a, b in zip("ąćęłńóśź", "acelnosz", strict=True)} | {"ż": f"z{_BEHIND}1"},
    "sv": {letter: f"z{_BEHIND}{n}" for n, letter in enumerate("åäö")},
}


def text_order(title: str, said: str) -> Any:
    """The setting that says how texts stand in an order; natural unless one says otherwise."""
    return setting(
        title,
        said,
        widget="choice",
        default="natural",
        labels={"natural": "natural", "letters": "letter by letter", "signs": "by character code"},
    )


def sort_keys(name: str, dtype: pl.DataType, text: str = "natural", language: str = "any") -> list[pl.Expr]:
    """What a column is compared by; text of nothing but blanks counts as empty.

    Natural: letters without accents and case, numbers inside by their size; where that is equal, the text
    itself.
    Letters: the same without the numbers.
    """
    column = pl.col(name)
    if isinstance(dtype, pl.Float32 | pl.Float64):
        return [pl.when(column.is_not_nan()).then(column)]
    if not isinstance(dtype, pl.String):
        return [column]
    column = pl.when(~is_blank(name, dtype)).then(column)
    if text == "signs":
        return [column]
    letters = _ORDERS.get(language)
    lower = column.str.strip_chars()
    if letters:  # before accents go; a sign behind all letters puts them behind the one they follow
        lower = (
            lower.str.normalize("NFC")
            .str.to_lowercase()
            .str.replace_many(list(letters), list(letters.values()))
        )
    folded = unmarked(lower).str.to_lowercase()
    if text == "natural":
        part = pl.element()
        filled = pl.when(part.str.contains(r"^\d")).then(part.str.zfill(_WIDE)).otherwise(part)
        numbered = folded.str.extract_all(r"\d+|\D+").list.eval(filled).list.join("")
        folded = pl.when(folded.str.contains(r"\d")).then(numbered).otherwise(folded)
    return [folded, column]


def sort_rank(name: str, dtype: pl.DataType, text: str = "natural", language: str = "any") -> pl.Expr:
    """The same order of the rows of one table, by the places of texts among its distinct ones: what a reader
    sees in a text is worked out once for each.
    """
    keys = sort_keys(name, dtype, text, language)
    return keys[0] if len(keys) == 1 else pl.col(name).map_batches(partial(_places, keys), pl.UInt32)


def _places(keys: Sequence[pl.Expr], column: pl.Series) -> pl.Series:
    """The place of each text in an order; none of those that count as empty."""
    texts = column.unique().to_frame().lazy().filter(keys[0].is_not_null())
    known = texts.sort(keys).with_row_index("\0place")
    found = column.to_frame().lazy().join(known, on=column.name, how="left", maintain_order="left")
    return found.select("\0place").collect().to_series()
