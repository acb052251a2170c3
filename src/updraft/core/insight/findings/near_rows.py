"""Rows that are nearly the same: equal in all but one name, which differs by a slip."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import polars as pl

from updraft.core.insight.findings.doubles import expected_doubles, identified
from updraft.core.insight.findings.model import Finding, Repair, plural, short, step
from updraft.core.insight.findings.view import View
from updraft.core.similarity import tidied_blanks

_MOST = 40  # columns that are taken away one by one


def near_duplicates(view: View) -> Iterator[Finding]:
    """Pairs of rows equal in everything but one text, whose two values are a slip apart.

    Threshold: four columns; the other columns would make as many equal pairs by chance in one of a hundred tables, or one of
    them tells things apart; the two texts are at most two letters apart of six and more, or differ in case, accents and signs.
    """
    if len(view.columns) < 4 or view.height < 10:
        return
    from rapidfuzz.distance import OSA

    for column in view.texts[:_MOST]:
        if column.role in ("free", "none", "identifier") or column.distinct * 3 < column.filled:
            continue
        others = [c for c in view.columns if c is not column]
        hashes = pl.Series(view.row_hashes - column.hashed())
        places = (hashes.is_duplicated() & column.series.is_not_null()).arg_true()
        if not places.len() or places.len() > max(10, view.height // 10):
            continue
        texts = column.series.to_frame().select(tidied_blanks(pl.first())).to_series()
        pairs = []
        for group in (
            pl.DataFrame({"h": hashes.gather(places), "row": places})
            .group_by("h", maintain_order=True)
            .agg("row")["row"]
        ):
            first, *later = group.to_list()[:20]
            for row in later:
                one, other = str(texts[first]).lower(), str(texts[row]).lower()
                digits = [[c for c in t if c.isdigit()] for t in (one, other)]
                if (
                    one != other
                    and min(len(one), len(other)) >= 6
                    and digits[0] == digits[1]
                    and OSA.distance(one, other) <= 2
                ):
                    pairs.append((first, row))
        if not pairs:
            continue
        if expected_doubles(view, others) * 100 > len(pairs) and not identified(
            view, view.height, but=column
        ):
            continue
        rows = pl.Series(np.unique(np.array(pairs).ravel()), dtype=pl.UInt32)
        yield Finding(
            "near_duplicates",
            (column.name,),
            len(pairs),
            f"{plural(len(pairs), 'row repeats', 'rows repeat')} another row but for a slip in {column.name}",
            "One thing entered twice counts twice. Said of rows that agree in every other column, which chance would hardly make, and whose "
            f"{column.name} differs by two letters at most.",
            short(f"{texts[a]} · {texts[b]}" for a, b in pairs[:5]),
            rows,
            (
                Repair(
                    f"Keep the first of rows that differ in {column.name} alone",
                    (step("remove_duplicates", keys=[c.name for c in others]),),
                ),
            ),
            weight=66,
        )
