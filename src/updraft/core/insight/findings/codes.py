"""Codes written in several ways, and short words in two cases: how one thing comes to count as two."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from typing import Any

import polars as pl

from updraft.core.figures.patterns import pattern_of_text
from updraft.core.insight.findings.model import Finding, Repair, plural, recode, short
from updraft.core.insight.findings.view import Column, View

_MARKS = r"[\s\-_./]"
_USUAL = 0.5  # a share of the codes from which on a form is the column's own


def code_spellings(view: View) -> Iterator[Finding]:
    """Codes that differ only in case or in a mark that one of them leaves out: PN-1200, pn 1200, PN1200.

    Threshold: text of letters and digits (role `identifier`, no quantities), four signs without the marks. Where both
    have marks, they stand at the same places: A1-2 and A-12 are two codes. In columns whose codes mix capitals and small
    letters (a tenth of them), case tells codes apart. The spelling of the column's usual form stays, else the most
    frequent one; where neither says which, they are told and left.
    """
    for column in view.texts:
        if column.role != "identifier" or column.numbers is not None or not column.meant.height:
            continue
        codes = _keyed(column)
        groups = [_alike(group) for group in _groups(codes)]
        changes, ties, names = _settled([group for group in groups if len(group) > 1])
        if names:
            yield _told(
                column,
                changes,
                ties,
                f"{column.name} has {len(changes) + len(ties) + names:,} spellings of {plural(names, 'code', 'codes')}",
                "They differ only in case, or in a mark or blank that one of them leaves out, and never meet when tables are joined. "
                "Said of codes of four letters and digits or more.",
            )


def short_words(view: View) -> Iterator[Finding]:
    """Words of one or two letters in two cases: m and M, fr and FR.

    Threshold: a column of categories in which nine tenths of the cells have three letters at most, and one case is at most
    a quarter as frequent as the other: two that are both frequent are meant.
    """
    for column in view.texts:
        counts = column.meant
        if column.role != "category" or not counts.height:
            continue
        brief = counts.filter(pl.col("value").str.len_chars() <= 3)["n"].sum()
        if brief * 10 < counts["n"].sum() * 9:
            continue
        pairs = counts.filter(pl.col("value").str.contains(r"^\p{L}{1,2}$")).with_columns(
            key=pl.col("value").str.to_uppercase(), usual=pl.lit(0.0)
        )
        groups = [_rare(list(group.iter_rows(named=True))) for group in _groups(pairs)]
        groups = [group for group in groups if len(group) > 1]
        changes, ties, names = _settled(groups)
        if names:
            yield _told(
                column,
                changes,
                ties,
                f"{column.name} has {len(changes) + len(ties) + names:,} spellings of {plural(names, 'short word', 'short words')}",
                "They differ only in capitals and small letters, and are counted as different things.",
            )


def _keyed(column: Column) -> pl.DataFrame:
    """Codes with `key`, without marks and in capitals, and `usual`, the share of codes of the same form."""
    value = pl.col("value")
    codes = column.meant.filter(
        value.str.contains(r"\p{L}") & value.str.contains(r"\d") & value.str.contains(r"^[\p{L}\d\s\-_./]+$")
    )
    both = value.str.contains(r"\p{Ll}") & value.str.contains(r"\p{Lu}")
    cased = codes.select(both.mean()).item() or 0.0
    bare = value.str.replace_all(_MARKS, "")
    keyed = codes.with_columns(key=bare if cased >= 0.1 else bare.str.to_uppercase())
    if keyed["key"].n_unique() == keyed.height:
        return keyed.head(0).with_columns(usual=pl.lit(0.0))  # the forms of a million codes are dear
    keyed = keyed.with_columns(
        form=pattern_of_text(value, fine=True), capitals=value == value.str.to_uppercase()
    )
    keyed = keyed.with_columns(usual=pl.len().over("form", "capitals") / max(keyed.height, 1))
    return keyed.filter(pl.col("key").str.len_chars() >= 4)


def _groups(keyed: pl.DataFrame) -> Iterator[pl.DataFrame]:
    several = keyed.filter(pl.len().over("key") > 1)
    for _, group in several.sort(
        ["key", "usual", "n", "value"], descending=[False, True, True, False]
    ).group_by("key", maintain_order=True):
        yield group


def _alike(group: pl.DataFrame) -> list[dict[str, Any]]:
    """The spellings of the first one's code: those whose marks stand where its own stand, or that leave some out."""
    first, *others = group.iter_rows(named=True)
    own = _places(first["value"])
    return [first, *(one for one in others if (there := _places(one["value"])) <= own or own <= there)]


def _rare(group: list[dict[str, Any]]) -> list[dict[str, Any]]:
    first, *others = group
    return [first, *(one for one in others if one["n"] * 4 <= first["n"])]


def _places(code: str) -> set[int]:
    """Where a code has marks, counted in the letters and digits before them."""
    places, seen = set(), 0
    for sign in code:
        if re.match(_MARKS, sign):
            places.add(seen)
        else:
            seen += 1
    return places


def _settled(groups: Sequence[list[dict[str, Any]]]) -> tuple[dict[str, str], list[str], int]:
    """Each other spelling → the one that stays; those of which nobody can say; and how many things they are of."""
    changes: dict[str, str] = {}
    ties: list[str] = []
    for first, *others in groups:
        for other in others:
            usual = first["usual"] >= _USUAL and other["usual"] < _USUAL
            if usual or other["n"] < first["n"]:
                changes[other["value"]] = first["value"]
            else:
                ties.append(other["value"])
    return changes, ties, len(groups)


def _told(column: Column, changes: dict[str, str], ties: list[str], sentence: str, why: str) -> Finding:
    rows = column.rows_meaning([*changes, *ties])
    left = f"; {len(ties):,} of them as frequent as another and left" if ties else ""
    name = f"Recode {plural(len(changes), 'spelling', 'spellings')} of {column.name}"
    return Finding(
        "variants",
        (column.name,),
        rows.len(),
        sentence + left,
        why,
        short([*(f"{old} → {new}" for old, new in changes.items()), *ties]),
        rows,
        (Repair(name, (recode(column.name, changes),)),) if changes else (),
        weight=72 + min(10, len(changes) / 2),
    )
