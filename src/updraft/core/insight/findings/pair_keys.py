"""Two columns that together tell nearly every row: a station and its day, a shop and its month."""

from __future__ import annotations

from collections.abc import Iterator

import polars as pl

from updraft.core.insight.findings.model import Finding, Repair, plural, short, step
from updraft.core.insight.findings.naming import names_a_year, words_of
from updraft.core.insight.findings.view import Column, View
from updraft.core.values import Kind

_TIMES = frozenset({"month", "week", "quarter", "day", "hour", "period", "season"})
_TRIED = 5  # columns of each sort


def almost_pair_keys(view: View) -> Iterator[Finding]:
    """A thing and a time that come together once, but for a few rows that are not equal.

    Threshold: 40 rows; six tenths of all pairs of a thing and a time are there, as in a table that is kept regularly, where
    chance would leave a third of them twice; 2 % of the rows at most stand in a pair that came before; neither column is a
    key itself; a further column differs.
    """
    if view.height < 40 or len(view.columns) < 3:
        return
    whole = [c for c in view.columns if not c.empty and 2 <= c.distinct <= view.height // 2 and not c.nested]
    times = [c for c in whole if _is_time(c)][:_TRIED]
    things = [
        c for c in whole if not _is_time(c) and (c.is_text or c.kind is Kind.WHOLE) and c.role != "free"
    ][:_TRIED]
    equal = ~pl.Series(view.row_hashes).is_first_distinct()
    for time in times:
        for thing in things:
            cells = thing.distinct * time.distinct
            if not 0.6 * cells <= view.height <= 1.02 * cells:
                continue
            pair = pl.DataFrame({"a": thing.hashed(), "b": time.hashed()})
            again = ~pair.to_struct().is_first_distinct() & ~equal
            many = int(again.sum())
            if many and many * 50 <= view.height:
                yield _told(view, thing, time, pair.to_struct(), again)
                return


def _is_time(column: Column) -> bool:
    if column.is_date:
        return True
    named = names_a_year(column.name) or bool(_TIMES & set(words_of(column.name)))
    return named and (column.kind is Kind.WHOLE or column.is_text)


def _told(view: View, thing: Column, time: Column, pair: pl.Series, again: pl.Series) -> Finding:
    twice = pair.filter(again).unique()
    rows = pair.is_in(twice.implode()).arg_true()
    said = zip(thing.texts(thing.series.filter(again)), time.texts(time.series.filter(again)), strict=True)
    shown = list(dict.fromkeys(f"{a} · {b}" for a, b in said))
    return Finding(
        "almost_key",
        (thing.name, time.name),
        int(again.sum()),
        f"{thing.name} and {time.name} tell every row, but {plural(len(shown), 'pair stands', 'pairs stand')} in several",
        "Sums count such a pair twice, and joins repeat its rows. Said of tables kept regularly, where 2 % of the rows at most "
        "repeat a pair with other values.",
        short(shown),
        rows,
        (
            Repair(
                f"Keep the fullest row for each {thing.name} and {time.name}",
                (step("remove_duplicates", keys=[thing.name, time.name], stays="fullest"),),
            ),
        ),
        open=True,
        weight=67,
    )
