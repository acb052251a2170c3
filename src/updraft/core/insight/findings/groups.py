"""12: one thing determines another, but for a few rows; gaps that the rest of a group agrees on."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np
import polars as pl

from updraft.core.insight.findings.model import Finding, Repair, plural, short, step
from updraft.core.insight.findings.naming import names_a_code
from updraft.core.insight.findings.view import Column, View
from updraft.core.similarity import tidied_blanks
from updraft.core.values import Kind, by_value

_SAME = 2  # rows that may hold the same slip
_MOST = 14  # columns compared with each other
_TRIED = 30_000  # rows in which a dependency must nearly hold before all are counted

Codes = np.ndarray[Any, np.dtype[np.int32]]


def dependencies(view: View) -> Iterator[Finding]:
    """Columns that determine another one, but for few rows.

    Measures determine nothing: of columns of numbers only those named as codes take part.

    Threshold: groups of three rows on average; in 97 % of the rows of groups the value is that of the majority (a
    majority of 60 %); at most 15 % of the groups are broken, by what looks like slips (see `_are_slips`); the values would not agree as well by chance; and, for gaps,
    all filled cells of the group agree.
    """
    columns = [c for c in view.columns if _may_take_part(c, view.height)][:_MOST]
    if len(columns) < 2 or view.height < 20:
        return
    coded = {c.name: codes(c) for c in columns}
    some = slice(0, _TRIED)
    broken: list[Finding] = []
    for key in sorted(columns, key=lambda c: (-c.distinct, c.place)):
        for other in columns:
            if other is key or other.distinct < 2 or other.distinct > key.distinct * 1.5 + 2:
                continue
            if (
                view.height > 2 * _TRIED
                and agreeing(coded[key.name][some], coded[other.name][some])[0] < 0.95
            ):
                continue
            broken += _broken(view, key, other, coded)
    gaps: set[str] = set()
    for finding in broken:
        if finding.code == "agreed_gaps" and finding.columns[-1] not in gaps:
            gaps.add(finding.columns[-1])
            yield finding
    yield from _blamed([finding for finding in broken if finding.code == "broken_dependency"], columns)


def _blamed(broken: list[Finding], columns: list[Column]) -> Iterator[Finding]:
    """One finding for one error: a wrong name breaks every dependency it takes part in, in the same rows.

    The column that takes part in most of the broken ones is to blame; of two alike the one that is no code, then the one
    further right.
    """
    known = {c.name: c for c in columns}
    left = list(broken)
    while left:
        rows = set(left[0].rows.to_list())
        same = [f for f in left if len(rows & set(f.rows.to_list())) * 2 >= min(len(rows), f.rows.len())]
        part: dict[str, int] = {}
        for finding in same:
            for name in finding.columns:
                part[name] = part.get(name, 0) + 1
        blamed = max(
            part,
            key=lambda name: (
                part[name],
                known[name].role != "identifier" and not known[name].is_number,
                known[name].place,
            ),
        )
        yield next((f for f in same if f.columns[-1] == blamed), same[0])
        left = [f for f in left if f not in same]


def _may_take_part(column: Column, height: int) -> bool:
    if (
        column.nested
        or column.kind is Kind.NUMBER
        or column.is_date
        or column.role == "free"
        or column.kind is Kind.YES_NO
        or (column.kind is Kind.WHOLE and not names_a_code(column.name))
        or (column.is_text and column.numbers is not None)
    ):
        return False
    return 3 <= column.distinct <= max(column.filled / 3, 3) and column.filled >= 0.5 * height


def codes(column: Column) -> Codes:
    """Row by row the number of the value, -1 for empty."""
    series = column.series
    if column.is_text:
        if column.untidy:
            series = by_value(series, tidied_blanks)
            series = series.to_frame().select(pl.when(pl.first() != "").then(pl.first())).to_series()
        series = series.cast(pl.Categorical(pl.Categories.random())).to_physical()
        return series.cast(pl.Int32).fill_null(-1).to_numpy()
    return (series.rank("dense").cast(pl.Int32).fill_null(0) - 1).to_numpy()


def agreeing(key: Codes, other: Codes) -> tuple[float, float]:
    """Share of rows that have their group's most frequent value, and the share that chance alone would give."""
    both = (key >= 0) & (other >= 0)
    if both.sum() < 20:
        return 0.0, 1.0
    k, o = key[both].astype(np.int64), other[both]
    wide = int(o.max()) + 1
    pairs, many = np.unique(k * wide + o, return_counts=True)
    groups = pairs // wide
    starts = np.flatnonzero(np.r_[True, groups[1:] != groups[:-1]])
    usual = np.bincount(o).max() / len(o)
    return float(np.maximum.reduceat(many, starts).sum() / len(o)), float(usual)


def against(key: Codes, other: Codes) -> Codes:
    """Numbers of the rows that have another value than most of their group; of values that are as many, the first one
    is taken for most. As many as `agreeing` leaves out.
    """
    rows = np.flatnonzero((key >= 0) & (other >= 0)).astype(np.int32)
    if not len(rows):
        return rows
    k, o = key[rows].astype(np.int64), other[rows].astype(np.int64)
    pairs, of, many = np.unique(k * (int(o.max()) + 1) + o, return_inverse=True, return_counts=True)
    groups = pairs // (int(o.max()) + 1)
    usual = np.zeros(len(pairs), dtype=bool)
    order = np.lexsort((pairs, -many, groups))
    usual[order[np.r_[True, groups[order][1:] != groups[order][:-1]]]] = True
    return rows[~usual[of]]


def _are_slips(odd: np.ndarray[Any, Any], values: Codes, key: Column, other: Column) -> bool:
    """Whether values that are not their group's look like slips, not like exceptions.

    A value that stands nowhere else is a class of its own. Where many keys share a value (a place and its region), two
    schemes may differ here and there: at most one row or one in two hundred. A code and its name are one to one.
    """
    if not np.isin(values[odd], np.delete(values, odd)).all():
        return False
    one_to_one = other.distinct >= 0.8 * key.distinct
    return one_to_one or len(odd) <= max(1, 0.005 * len(values))


def _backed(odd: Codes, most: Codes, key: Column, other: Column, coded: dict[str, Codes]) -> Codes:
    """Of rows whose value is not their group's, those that look like slips beside the other columns.

    A pair that stands in several rows is a thing of its own; so is one whose value another column backs: what stands there
    goes with it in other rows, and not with the value of the group's majority. Where columns say something of the rows
    at all, one of them must back the majority.

    Args:
        odd: numbers of the rows; `most` the value of most rows of the group of each.
    """
    keys, values = coded[key.name], coded[other.name]
    wide = int(values.max()) + 1
    pairs, often = np.unique(keys.astype(np.int64) * wide + values, return_counts=True)
    many = often[np.searchsorted(pairs, keys[odd].astype(np.int64) * wide + values[odd])]
    keep = many <= _SAME
    backed, said = np.zeros(len(odd), dtype=bool), False
    for name, codes_ in coded.items():
        if name in (key.name, other.name):
            continue
        here = codes_[odd]
        counts = dict(
            zip(*np.unique(codes_.astype(np.int64) * wide + values, return_counts=True), strict=True)
        )
        for n, (code, own, usual) in enumerate(
            zip(here.tolist(), values[odd].tolist(), most.tolist(), strict=True)
        ):
            if code < 0:
                continue
            with_own, with_most = counts.get(code * wide + own, 0) - 1, counts.get(code * wide + usual, 0)
            if with_own >= 2 and with_own > 4 * with_most:
                keep[n] = False
            if with_most >= 2 and with_most > 4 * with_own:
                backed[n] = said = True
    kept: Codes = odd[keep & (backed | (not said))].astype(np.int32)
    return kept


def _broken(view: View, key: Column, other: Column, coded: dict[str, Codes]) -> Iterator[Finding]:
    keys, values = coded[key.name], coded[other.name]
    share, usual = agreeing(keys, values)
    if share < 0.97 or usual > 0.9:
        return
    both = (keys >= 0) & (values >= 0)
    wide = int(values.max()) + 1
    pairs, many = np.unique(keys[both].astype(np.int64) * wide + values[both], return_counts=True)
    groups, kept = pairs // wide, pairs % wide
    starts = np.flatnonzero(np.r_[True, groups[1:] != groups[:-1]])
    sizes, tops = np.add.reduceat(many, starts), np.maximum.reduceat(many, starts)
    # A dependency among many groups of one row says nothing; most rows must stand in groups.
    if sizes[sizes >= 3].sum() < 0.8 * sizes.sum() or sizes.mean() < 3:
        return
    # Would the groups agree as well by chance? Groups of this size, values as frequent as they are.
    if share - usual < 0.5 * (1 - usual) or (sizes >= 2).sum() < 3:
        return
    group_of = np.searchsorted(groups[starts], keys)
    group_of = np.where(keys >= 0, np.minimum(group_of, len(starts) - 1), 0)
    broken = (sizes > tops) & (tops * 10 >= sizes * 6)
    top_value = np.array(
        [kept[s:e][np.argmax(many[s:e])] for s, e in zip(starts, np.r_[starts[1:], len(pairs)], strict=True)]
    )
    odd = np.flatnonzero(both & broken[group_of] & (values != top_value[group_of])).astype(np.int32)
    names = (key.name, other.name)
    few = len(odd) and share < 1 and broken.sum() <= max(0.15 * len(starts), 2)
    slips = odd[:0]
    if few and _are_slips(odd, values, key, other):
        slips = _backed(odd, top_value[group_of[odd]], key, other, coded)
    if len(slips):
        # The repair works on whole groups: where rows of these are things of their own, it would change them too.
        alone = len(slips) == len(odd)
        odd = slips
        rows = pl.Series(odd, dtype=pl.UInt32)
        yield Finding(
            "broken_dependency",
            names,
            len(odd),
            f"In {plural(len(odd), 'row', 'rows')} {other.name} is not what {key.name} says elsewhere",
            f"{key.name} determines {other.name} in {share:.1%} of the rows, so the others are likely slips. Said where that is 97 % and more, in "
            "groups of three rows on average, and the majority has 60 % of its group.",
            short(
                [
                    f"{k}: {v}"
                    for k, v in zip(
                        key.texts(key.series.gather(rows.head(5))),
                        other.texts(other.series.gather(rows.head(5))),
                        strict=False,
                    )
                ]
            ),
            rows,
            (
                Repair(
                    f"Give {other.name} the value that most rows of the same {key.name} have",
                    (step("one_value_per_group", within=[key.name], columns=[other.name]),),
                ),
            )
            if alone
            else (),
            weight=57,
        )
    agreed = (sizes == tops) & (sizes >= 2)
    gaps = np.flatnonzero((keys >= 0) & (values < 0) & agreed[group_of] & (groups[starts][group_of] == keys))
    if len(gaps) and len(gaps) <= 0.3 * view.height and (share == 1 or share > 0.985):
        rows = pl.Series(gaps, dtype=pl.UInt32)
        yield Finding(
            "agreed_gaps",
            names,
            len(gaps),
            f"{other.name} is empty in {plural(len(gaps), 'row', 'rows')} whose {key.name} has it elsewhere",
            "All other rows of the same group agree, so the value is known. Said where the groups agree in 98.5 % of the rows.",
            short(key.texts(key.series.gather(rows.head(5)))),
            rows,
            (
                Repair(
                    f"Fill {other.name} from rows of the same {key.name}",
                    (step("fill_gaps", columns=[other.name], by="group", within=[key.name]),),
                ),
            ),
            weight=61,
        )
