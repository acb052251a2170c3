"""Names that a field was too short for, and names with a remark in brackets."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from updraft.core.similarity.alike import Alike
from updraft.core.similarity.lexicon import TELLING
from updraft.core.similarity.spelling import plain

_LEAST = 8  # letters of a text that is cut; shorter ones begin many names
_CUT = 3  # texts of one length that are another's beginning, for a column to be cut there
_BRACKETS = r"\s*[(\[][^()\[\]]*[)\]]\s*"
_ALIKE = 0.9


def cut_alikes(values: Sequence[str]) -> list[Alike]:
    """Pairs of texts one of which is the other as far as a field went, or without what stands in brackets.

    A text is cut where it ends within a word of exactly one other that begins with it, has two words and
    eight letters, and two others of its length are cut, too. What stands in brackets is a remark where a name
    stands with one remark alone, without figures and words that tell names apart (north, old).
    """
    frame = pl.DataFrame({"value": list(values)}, schema={"value": pl.String}).with_row_index("at")
    pairs = {*_cut(frame), *_remarks(frame)}
    return [Alike(min(pair), max(pair), _ALIKE, False) for pair in sorted(pairs)]


def _cut(frame: pl.DataFrame) -> list[tuple[int, int]]:
    text = (
        plain(pl.col("value")).str.replace_all("[&+]", " and ").str.replace_all(r"\s+", " ").str.strip_chars()
    )
    texts = frame.select("at", size=pl.col("value").str.len_chars(), text=text).sort("text")
    # In order, all that begin with a text stand behind it: the next one does, if any.
    after = texts.with_columns(
        whole=pl.col("text").shift(-1),
        to=pl.col("at").shift(-1),
        third=pl.col("text").shift(-2).fill_null(""),
    ).drop_nulls()
    length = pl.col("text").str.len_chars()
    rest = pl.col("whole").str.slice(length)
    inside = rest.str.contains(r"^[\p{L}]") & pl.col("text").str.contains(r"\p{L}$")
    alone = ~pl.col("third").str.starts_with(pl.col("text"))
    cut = after.filter(
        pl.col("whole").str.starts_with(pl.col("text"))
        & inside
        & alone
        & (length >= _LEAST)
        & pl.col("text").str.contains(" ")
    )
    cut = cut.filter(pl.len().over("size") >= _CUT)
    return list(cut.select("at", "to").iter_rows())


def _remarks(frame: pl.DataFrame) -> list[tuple[int, int]]:
    value = pl.col("value")
    remarked = frame.filter(value.str.contains(r"^[^()\[\]]*\p{L}.*[(\[][^()\[\]]*\p{L}[^()\[\]]*[)\]]"))
    bare = plain(value.str.replace_all(_BRACKETS, " ")).str.strip_chars()
    remark = plain(value.str.extract(r"[(\[]([^()\[\]]*)[)\]]").fill_null("")).str.strip_chars()
    told = remarked.select("at", bare=bare, remark=remark).filter(pl.len().over("bare") == 1)
    apart = pl.col("remark").str.split(" ").list.set_intersection(sorted(TELLING)).list.len() > 0
    told = told.filter(~apart & ~pl.col("remark").str.contains(r"\d") & (pl.col("bare").str.len_chars() >= 4))
    names = frame.filter(~value.str.contains(r"[(\[]")).select(name="at", bare=plain(value).str.strip_chars())
    names = names.filter(pl.len().over("bare") == 1)
    return list(told.join(names, on="bare").select("at", "name").iter_rows())
