"""2, 3 and 9: how text is written: blanks, signs, case, spellings, broken letters."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator

import polars as pl

from updraft.core.insight.findings.beside import Beside
from updraft.core.insight.findings.doubles import identified
from updraft.core.insight.findings.model import Finding, Repair, chosen, plural, recode, short, step, where
from updraft.core.insight.findings.naming import names_a_code
from updraft.core.insight.findings.view import Column, View
from updraft.core.similarity import folded, near_misses, tidied_blanks
from updraft.core.similarity.spelling import apart_words
from updraft.core.steps.values.tidy_text import BROKEN
from updraft.core.values import Kind

# The signs themselves, not their escapes: these patterns go into rules, which Python's re must accept too.
_STRAY = "^\\s|\\s$|[ \u00a0]{2,}"
_ODD_BLANKS = "[\u00a0\u202f\u200b\u2060\ufeff]"  # the joiners without width are letters in Persian and Hindi
_THOUSANDS = "(\\d)[\u00a0\u202f](\\d{3})"
_CONTROL = "[\\x00-\\x08\\x0b\\x0c\\x0e-\\x1f\\x7f\u0085]"


def stray_blanks(view: View) -> Iterator[Finding]:
    """Blanks at the ends, doubled, non-breaking or without width. Threshold: one cell."""
    for column in view.texts:
        values = column.counts.filter(pl.col("value").str.contains(f"{_STRAY}|{_ODD_BLANKS}"))
        # A blank that sets thousands apart is meant: 1 234,50.
        bare = pl.col("value")
        for _ in range(2):  # one may stand right behind another
            bare = bare.str.replace_all(_THOUSANDS, "$1$2")
        values = values.filter(bare.str.contains(f"{_STRAY}|{_ODD_BLANKS}"))
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

    Threshold: two spellings of one folded key of at least three signs, in text that is neither free text nor codes. The most
    frequent stays; of two as frequent none is rewritten. Two that differ in blanks alone and are both frequent, or that
    another column tells apart, are two things; so are two of a thousand names and more that nothing beside them makes one. In a list of names of which each has a key, only another case is told.
    """
    for column in view.texts:
        if column.role in ("free", "identifier") or not column.meant.height:
            continue
        sound = column.meant.lazy().filter(~pl.col("value").str.contains(_CONTROL))
        keyed = sound.with_columns(folded(pl.col("value")).alias("key")).filter(
            (pl.col("key").str.len_chars() >= 3) & pl.col("key").str.contains(r"\p{L}")
        )  # signs matter in numbers
        several = keyed.filter(pl.len().over("key") > 1).collect()
        if not several.height:
            continue
        if column.role == "name" and identified(view, view.height, but=column):
            several = _same_but_for_case(several)
        apart = Apart(view, column)
        told_apart = _apart_in_lists(view, column, several, apart) if column.distinct > _MANY else apart
        changes, ties, groups = _winners(several, told_apart)
        if not groups:
            continue
        told = [*changes, *ties]
        rows = column.rows_meaning(told)
        left = f"; {len(ties):,} of them as frequent as another and left" if ties else ""
        yield Finding(
            "variants",
            (column.name,),
            rows.len(),
            f"{column.name} has {len(told) + groups:,} spellings of {plural(groups, 'name', 'names')}{left}",
            "They differ only in case, accents or punctuation, and are counted as different things. Said of text that is no free text, "
            "of values of three letters or more.",
            short([*(f"{old} → {new}" for old, new in changes.items()), *ties]),
            rows,
            recoding(column, changes) if changes else (),
            weight=72 + min(10, groups / 2),
        )


def _same_but_for_case(several: pl.DataFrame) -> pl.DataFrame:
    """Of names in a list of things that have a key: those written in another case, once and several times. An accent or a
    hyphen may make another name there, and two single rows are two things."""
    lower = pl.col("value").str.to_lowercase()
    return several.filter((pl.len().over(lower) > 1) & (pl.col("n").max().over(lower) > 1))


_MANY = 1000  # names of a column from which on two that are alike may be two things


def _apart_in_lists(
    view: View, column: Column, several: pl.DataFrame, apart: Apart
) -> Callable[[str, str], bool]:
    """Of names in a long list, two are one where another column says so, or where none says anything of any."""
    beside = Beside(view, column, several["value"].to_list())
    if not beside.asks:
        return apart
    return lambda one, other: (
        apart(one, other) or (one.lower() != other.lower() and not beside.agrees(other, one))
    )


def _winners(
    several: pl.DataFrame, apart: Callable[[str, str], bool]
) -> tuple[dict[str, str], list[str], int]:
    """Each rarer spelling → the most frequent one; those of which none is; and how many names they are of."""
    changes: dict[str, str] = {}
    ties: list[str] = []
    groups = 0
    for _, group in several.sort(["key", "n", "value"], descending=[False, True, False]).group_by(
        "key", maintain_order=True
    ):
        (first, most), *others = group.select("value", "n").iter_rows()
        others = [
            (value, n)
            for value, n in others
            if not _are_two(first, most, value, n) and not apart(first, value)
        ]
        groups += bool(others)
        for value, n in others:
            if n < most:
                changes[value] = first
            else:
                ties.append(value)
    return changes, ties, groups


def _are_two(one: str, many: int, other: str, few: int) -> bool:
    """Whether two spellings that differ in blanks alone are both frequent: Newcastle and New Castle."""
    same = re.sub(r"\s", "", one.lower()) == re.sub(r"\s", "", other.lower())
    return same and one.lower() != other.lower() and few >= 5 and few * 10 >= many


class Apart:
    """Tells whether another column says of two values of a column that they are two things.

    Another column tells when it has one value for nearly every value of this one (95 %, of which five stand in several
    rows), is a name or a code and no measure, and has different values for the two.
    """

    def __init__(self, view: View, column: Column) -> None:
        self.view, self.column = view, column
        self._telling: list[tuple[str, dict[str, str]]] | None = None

    def __call__(self, one: str, other: str) -> bool:
        if self._telling is None:
            self._telling = list(self._look())
        return any(
            one in known and other in known and known[one] != known[other] for _, known in self._telling
        )

    def _look(self) -> Iterator[tuple[str, dict[str, str]]]:
        value = tidied_blanks(pl.col(self.column.name)).alias("value")
        for other in self.view.columns:
            fits = (
                other.is_text and other.role in ("category", "identifier", "name") and other.numbers is None
            )
            if other is self.column or not (fits or (other.kind is Kind.WHOLE and names_a_code(other.name))):
                continue
            if other.distinct < 3 or other.distinct > 2 * self.column.distinct or other.name == "value":
                continue
            pairs = (
                self.view.frame.lazy()
                .select(value, pl.col(other.name).cast(pl.String).alias("said"))
                .drop_nulls()
                .group_by("value")
                .agg(pl.col("said").first(), pl.col("said").n_unique().alias("kinds"), pl.len().alias("n"))
                .collect()
            )
            several = pairs.filter(pl.col("n") > 1)
            if several.height >= 5 and int((several["kinds"] == 1).sum()) >= 0.95 * several.height:
                yield other.name, dict(pairs.filter(pl.col("kinds") == 1).select("value", "said").iter_rows())


def look_alikes(view: View) -> Iterator[Finding]:
    """Rare spellings a slip away from a frequent one, in columns of categories.

    Threshold: see `near_misses`; not in identifiers, free text, codes, or text in which most values differ. Another column
    must say that the two are one (see `Beside`), or, where none says anything, the column has 40 names at most and the
    rare one six letters.
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
        slips = {rare: common for rare, common in slips.items() if not _differ_in_a_code(rare, common)}
        if not slips or _is_code(values["value"]):
            continue
        beside = Beside(view, column, {*slips, *slips.values()})
        few = values.height - len(slips) <= _FEW
        close = len(slips)
        slips = {
            rare: common
            for rare, common in slips.items()
            if (said := beside.agrees(rare, common)) or (said is None and few and len(rare) >= _WORDY)
        }
        # Where names are alike by themselves, some stand beside the same by chance.
        by_chance = close >= _SEVERAL and len(slips) * 3 < close
        if not slips or by_chance or _all_alike(slips, values):
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
            "one at least three times as frequent, where the same stands beside both in another column, or few names are in this one.",
            short([f"{old} → {new}" for old, new in changes.items()]),
            rows,
            recoding(column, changes),
            weight=74 + min(8, len(changes) / 2),
        )


_WORDY = 6  # letters of a name in which a slip is told by itself
_SEVERAL = 8  # close pairs of which a third must be one thing, or none is told
_FEW = 40  # names of a column in which a slip is told by itself


def _differ_in_a_code(one: str, other: str) -> bool:
    """Whether two texts differ in a word that is a sign or a short code: ward w and ward a, lot IV and lot V."""
    mine, its = apart_words(one, other)
    if len(mine) != 1 or len(its) != 1 or (len(one.split()) == 1 and len(one) > 3):
        return False
    return all(len(word) <= 2 or (len(word) <= 4 and word.isupper()) for word in (*mine, *its))


def _is_code(values: pl.Series) -> bool:
    """Whether nine of ten values are of one length, in capitals and digits, without a blank."""
    size = values.str.len_chars().mode()[0]
    alike = values.str.contains(r"^[\p{Lu}\d]+$") & (values.str.len_chars() == size)
    return bool(alike.sum() >= 0.9 * values.len())


def _all_alike(slips: dict[str, str], values: pl.DataFrame) -> bool:
    """Whether a fifth of the names are alike and not far rarer than those they are like: then being alike says nothing."""
    many = dict(values.select("value", "n").iter_rows())
    usual = sum(many[common] < 20 * many[rare] for rare, common in slips.items())
    return len(slips) > 3 and len(slips) * 5 > values.height and usual * 4 > len(slips)


def recoding(column: Column, changes: dict[str, str]) -> tuple[Repair, ...]:
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


def once_written(column: Column) -> pl.DataFrame:
    """The values of a column with their rows, the most frequent first, one of those that differ only in writing:
    that is told by `variants`.
    """
    keyed = column.meant.with_columns(folded(pl.col("value")).alias("key"))
    values = keyed.group_by("key", maintain_order=True).agg(pl.col("value").first(), pl.col("n").sum())
    return values.sort("n", "value", descending=[True, False])


def of_other_names(code: str, column: Column, changes: dict[str, str], sentence: str, why: str) -> Finding:
    """The finding that values are other names of what stands there more often: value → that name."""
    rows = column.rows_meaning(list(changes))
    told = short([f"{old} → {new}" for old, new in changes.items()])
    return Finding(
        code, (column.name,), rows.len(), sentence, why, told, rows, recoding(column, changes), weight=72
    )
