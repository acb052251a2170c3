"""2, 3 and 9: how text is written: blanks, signs, case, spellings, broken letters."""

from __future__ import annotations

from collections.abc import Iterator

import polars as pl

from updraft.core.insight.findings.model import Finding, Repair, chosen, plural, recode, short, step, where
from updraft.core.insight.findings.view import Column, View
from updraft.core.similarity import folded, near_misses, tidied_blanks
from updraft.core.steps.values.tidy_text import BROKEN

# The signs themselves, not their escapes: these patterns go into rules, which Python's re must accept too.
_STRAY = "^\\s|\\s$|[ \u00a0]{2,}"
_ODD_BLANKS = "[\u00a0\u202f\u200b\u200c\u200d\u2060\ufeff]"
_CONTROL = "[\\x00-\\x08\\x0b\\x0c\\x0e-\\x1f\\x7f\u0085]"


def stray_blanks(view: View) -> Iterator[Finding]:
    """Blanks at the ends, doubled, non-breaking or without width. Threshold: one cell."""
    for column in view.texts:
        values = column.counts.filter(pl.col("value").str.contains(f"{_STRAY}|{_ODD_BLANKS}"))
        # A cell of blanks alone is empty, and told as that.
        values = values.filter(tidied_blanks(pl.col("value")) != "")
        if not values.height:
            continue
        odd = int(values.filter(pl.col("value").str.contains(_ODD_BLANKS))["n"].sum())
        many = int(values["n"].sum())
        also = f", {odd:,} of them not the usual one" if odd else ""
        yield Finding(
            "stray_blanks",
            (column.name,),
            many,
            f"Stray blanks in {plural(many, 'cell', 'cells')} of {column.name}{also}",
            "Values that look the same are counted and joined as different ones. Said of every cell with a blank at either end, two "
            "in a row, or one that is non-breaking or without width.",
            short(values["value"]),
            column.rows_with(values["value"]),
            (
                Repair(
                    f"Trim {column.name} and make runs of blanks one",
                    (step("tidy_text", columns=chosen([column.name])),),
                ),
            ),
            where(column.name, "matches", value=f"{_STRAY}|{_ODD_BLANKS}"),
            weight=60,
        )


def control_characters(view: View) -> Iterator[Finding]:
    """Signs that no printer prints (C0, C1, delete; not tab or new line). Threshold: one cell."""
    for column in view.texts:
        values = column.counts.filter(pl.col("value").str.contains(_CONTROL))
        if values.height:
            many = int(values["n"].sum())
            yield Finding(
                "control_characters",
                (column.name,),
                many,
                f"Signs that cannot be seen in {plural(many, 'cell', 'cells')} of {column.name}",
                "They come from other systems, break files and keep equal values apart. Said of every cell that holds one.",
                short([ascii(v)[1:-1] for v in values["value"].head(5)]),
                column.rows_with(values["value"]),
                (
                    Repair(
                        f"Remove control characters from {column.name}",
                        (step("tidy_text", columns=chosen([column.name]), control=True),),
                    ),
                ),
                where(column.name, "matches", value=_CONTROL),
                weight=58,
            )


def broken_text(view: View) -> Iterator[Finding]:
    """Text read in a wrong encoding, as told by ftfy: undoing the mistake gives text that could have been written.

    Threshold: one cell.
    """
    for column in view.texts:
        suspects = column.counts.filter(pl.col("value").str.contains(BROKEN))["value"]
        from ftfy import fix_encoding

        broken = [value for value in suspects if fix_encoding(value) != value]
        if broken:
            rows = column.rows_with(broken)
            yield Finding(
                "broken_text",
                (column.name,),
                rows.len(),
                f"Letters are broken in {plural(rows.len(), 'cell', 'cells')} of {column.name}",
                f"“{short(broken, 1)[0]}” is “{short([fix_encoding(broken[0])], 1)[0]}” read in a wrong encoding. Said where undoing "
                "that gives sound text.",
                short(broken),
                rows,
                (
                    Repair(
                        f"Mend the letters of {column.name}",
                        (
                            step(
                                "tidy_text",
                                columns=chosen([column.name]),
                                mend=True,
                                trim=False,
                                collapse=False,
                            ),
                        ),
                    ),
                ),
                where(column.name, "one_of", values=broken) if len(broken) <= 200 else None,
                weight=70,
            )


def variants(view: View) -> Iterator[Finding]:
    """Values that differ only in case, accents or punctuation (and in blanks, where no digit is in them).

    Threshold: two spellings of one folded key of at least three signs, in text that is not free text.
    """
    for column in view.texts:
        if column.role == "free" or not column.meant.height:
            continue
        sound = column.meant.lazy().filter(~pl.col("value").str.contains(_CONTROL))
        keyed = sound.with_columns(folded(pl.col("value")).alias("key")).filter(
            (pl.col("key").str.len_chars() >= 3) & pl.col("key").str.contains(r"\p{L}")
        )  # signs matter in numbers
        several = keyed.filter(pl.len().over("key") > 1).collect()
        if not several.height:
            continue
        changes, groups = _winners(several)
        if not changes:
            continue
        rows = column.rows_meaning(list(changes))
        yield Finding(
            "variants",
            (column.name,),
            rows.len(),
            f"{column.name} has {len(changes) + groups:,} spellings of {plural(groups, 'name', 'names')}",
            "They differ only in case, accents or punctuation, and are counted as different things. Said of text that is no free text, "
            "of values of three letters or more.",
            short(list(changes)),
            rows,
            _recoding(column, changes),
            weight=72 + min(10, groups / 2),
        )


def _winners(several: pl.DataFrame) -> tuple[dict[str, str], int]:
    """Each other spelling → the one that stays: the most frequent; then one neither all capitals nor all small; then the longest."""
    ranked = several.with_columns(
        mixed=(pl.col("value") != pl.col("value").str.to_lowercase())
        & (pl.col("value") != pl.col("value").str.to_uppercase()),
        size=pl.col("value").str.len_chars(),
    ).sort(["key", "n", "mixed", "size", "value"], descending=[False, True, True, True, False])
    changes: dict[str, str] = {}
    groups = 0
    for _, group in ranked.group_by("key", maintain_order=True):
        values = group["value"].to_list()
        groups += 1
        changes |= dict.fromkeys(values[1:], values[0])
    return changes, groups


def look_alikes(view: View) -> Iterator[Finding]:
    """Rare spellings a slip away from a frequent one, in columns of categories.

    Threshold: see `near_misses`; not in identifiers, free text, or text in which most values differ.
    """
    for column in view.texts:
        if column.role != "category":
            continue
        sound = column.meant.filter(~pl.col("value").str.contains(_CONTROL))
        keyed = sound.with_columns(folded(pl.col("value")).alias("key")).filter(
            pl.col("key").str.len_chars() >= 4
        )
        # One value for each folded key: what differs only in writing is told by `variants`.
        values = keyed.group_by("key", maintain_order=True).agg(pl.col("value").first(), pl.col("n").sum())
        slips = near_misses(values["value"].to_list(), values["n"].to_list())
        if not slips:
            continue
        same = dict(values.select("value", "key").iter_rows())
        changes = {
            value: slips[first]
            for first in slips
            for value in keyed.filter(pl.col("key") == same[first])["value"]
        }
        rows = column.rows_meaning(list(changes))
        names = len(set(changes.values()))
        yield Finding(
            "look_alikes",
            (column.name,),
            rows.len(),
            f"{column.name} has {plural(len(changes), 'rare spelling', 'rare spellings')} like {plural(names, 'frequent name', 'frequent names')}",
            "A slip of the keyboard makes a group of its own in every count. Said of values one letter away (two from ten letters on) from "
            "one at least three times as frequent; digits must be the same.",
            short([f"{old} → {new}" for old, new in changes.items()]),
            rows,
            _recoding(column, changes),
            weight=74 + min(8, len(changes) / 2),
        )


def _recoding(column: Column, changes: dict[str, str]) -> tuple[Repair, ...]:
    """Recode the values; where some have stray blanks, these go first, so that one list will do."""
    needs = column.counts.filter(
        tidied_blanks(pl.col("value")).is_in(list(changes))
        & (tidied_blanks(pl.col("value")) != pl.col("value"))
    )
    tidy = (step("tidy_text", columns=chosen([column.name])),) if needs.height else ()
    return (
        Repair(
            f"{'Trim and recode' if tidy else 'Recode'} {plural(len(changes), 'spelling', 'spellings')} of {column.name}",
            (*tidy, recode(column.name, changes)),
        ),
    )
