"""Families: values that are likely one thing, with the name that each would take."""

from __future__ import annotations

from collections.abc import Collection
from typing import Literal, NamedTuple

import polars as pl

from updraft.core.similarity.spelling import folded, near_misses, sound_alikes

Method = Literal["letters", "slips", "sound"]
_WHY = {
    "letters": "only case, accents, blanks or signs differ",
    "slips": "a slip of the keyboard away",
    "sound": "sounds the same",
}


class Proposal(NamedTuple):
    """A value, what it is likely meant to be, and why."""

    value: str
    name: str
    why: str


def proposals(values: pl.DataFrame, methods: Collection[Method]) -> list[Proposal]:
    """What values would become, the values in their order.

    Args:
        values: columns `value` (text, each once) and `n`, how often it stands.

    A family's name is its most frequent value; of several as frequent, one that is neither all capitals nor
    all small letters, then the longest. Families by letters come first; slips, then those that sound the
    same, are looked for among their names.
    """
    ranked = values.filter(pl.col("value").str.contains(r"\p{L}")).with_columns(
        key=folded(pl.col("value")) if "letters" in methods else pl.col("value"),
        mixed=(pl.col("value") != pl.col("value").str.to_lowercase())
        & (pl.col("value") != pl.col("value").str.to_uppercase()),
        size=pl.col("value").str.len_chars(),
    )
    order = ranked.sort(["n", "mixed", "size", "value"], descending=[True, True, True, False])
    families = order.group_by("key", maintain_order=True).agg(
        pl.col("value").first().alias("name"), pl.col("n").sum()
    )
    slips: dict[str, str] = {}
    if "slips" in methods:
        slips = near_misses(families["name"].to_list(), families["n"].to_list())
    sounds: dict[str, str] = {}
    if "sound" in methods:
        left = families.filter(~pl.col("name").is_in(list(slips)))
        sounds = sound_alikes(left["name"].to_list(), left["n"].to_list())
    named: dict[str, str] = dict(families.select("key", "name").iter_rows())
    found = []
    for value, key in ranked.select("value", "key").iter_rows():
        own = named[key]
        name = slips.get(own, own)
        name = sounds.get(name, name)
        if name != value:
            why: Method = "slips" if own in slips else "sound" if own in sounds else "letters"
            found.append(Proposal(value, name, _WHY[why]))
    return found
