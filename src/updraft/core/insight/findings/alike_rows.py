"""Rows that tell the same thing with slips and gaps in several columns: one person entered twice.

Probabilistic record linkage without training (Fellegi and Sunter, "A Theory for Record Linkage", 1969): what agrees speaks
for a pair by how rarely its column agrees (Newcombe 1959), what differs speaks against it.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import combinations
from typing import Any

import numpy as np
import polars as pl
from rapidfuzz.distance import OSA

from updraft.core.insight.findings.model import Finding, Repair, short, step, where
from updraft.core.insight.findings.view import Column, View
from updraft.core.similarity import tidied_blanks
from updraft.core.values import Kind

_MOST_ROWS = 300_000
_TELLING = 8  # columns by which pairs are sought, two at a time
_MOST_PAIRS = 50_000  # that are compared
_CROWD = 6  # rows that share two values; more are a group, not one thing
_BEYOND_CHANCE = 7.0  # bits: one such pair by chance in a hundred tables
_STRANGERS = 0.05  # pairs of two things for one of a single thing, that agree in as much


def alike_rows(view: View) -> Iterator[Finding]:
    """Pairs of rows that agree in what chance would hardly make agree, and differ by slips and gaps in the rest.

    Threshold: 30 rows and 300,000 at most; four columns that tell things apart, and three of them equal; in the others two
    letters differ at most, or one of the two is empty; one may differ outright, and a figure of five, where such
    differences are spread over columns, so that none of them is what tells two things apart (given names within a family).
    A third of the pairs have a slip of letters: who enters a thing twice makes some, and events that are alike have none.
    Keys are left out, for two entries of a thing have two. A fifth of the rows at most.
    """
    if not 30 <= view.height <= _MOST_ROWS:
        return
    columns = [c for c in view.columns if _can_tell(c, view.height)]
    telling = sorted((c for c in columns if _bits(c) >= 2), key=_bits, reverse=True)[:_TELLING]
    if len(telling) < 4:
        return
    hashed = {c.name: _hashed(c) for c in columns}
    pairs = _candidates(telling, hashed)
    alike = _alike([_compared(*pair, columns, hashed) for pair in pairs], columns, view.height)
    rows = pl.Series(sorted({row for one in alike for row in one.rows}), dtype=pl.UInt32)
    if not alike or len(rows) * 5 > view.height:
        return
    yield Finding(
        "alike_rows",
        (),
        len(rows),
        f"{len(rows):,} rows tell the same as another one of them, with slips or gaps",
        "One thing entered twice counts twice. Said of rows that agree where chance would hardly make two rows agree, and whose other "
        "values differ by two letters, or are empty in one of them.",
        short(_written(pair, columns) for pair in alike[:5]),
        rows,
        _marking(view, rows),
        weight=64,
    )  # fmt: skip


def _can_tell(column: Column, height: int) -> bool:
    """Whether a column says something of a thing: no key, not nearly empty, not one value alone."""
    if column.nested or column.filled * 2 < height or column.distinct < 2:
        return False
    return not _is_key(column)


def _is_key(column: Column) -> bool:
    return column.distinct >= 0.98 * column.filled and (column.role == "identifier" or column.is_number)


def _bits(column: Column) -> float:
    """How much it says that two rows agree in a column: the chance of it, as bits; measures say nothing."""
    if not (column.is_text or column.is_date or column.kind is Kind.WHOLE) or column.role == "free":
        return 0.0
    n, filled = column.counts["n"].cast(pl.Float64), max(column.filled, 2)
    equal = float((n * (n - 1)).sum()) + 1  # pairs of two rows
    return math.log2(filled * (filled - 1) / equal)


def _hashed(column: Column) -> np.ndarray[Any, Any]:
    """A number for each value, equal where the values are but for case and blanks; 0 where there is none."""
    series = column.series
    if column.is_text:
        series = series.to_frame().select(tidied_blanks(pl.first()).str.to_lowercase()).to_series()
    return np.where(column.blank.to_numpy(), np.uint64(0), series.hash(1).to_numpy())


def _candidates(telling: Sequence[Column], hashed: dict[str, Any]) -> list[tuple[int, int]]:
    """Pairs of rows that share two telling values which few rows share, those by the most telling columns first."""
    found: set[tuple[int, int]] = set()
    by_bits = sorted(combinations(telling, 2), key=lambda two: -_bits(two[0]) - _bits(two[1]))
    for one, other in by_bits:
        height = len(hashed[one.name])
        if _bits(one) + _bits(other) < math.log2(height):
            break  # a crowd shares them by chance
        both = pl.DataFrame({"a": hashed[one.name], "b": hashed[other.name]}).with_row_index("row")
        filled = both.filter((pl.col("a") != 0) & (pl.col("b") != 0))
        # Values that few share alone first: rows that stand alone by one of them are gone before the dear counting by both.
        for by in (["a"], ["b"], ["a", "b"]):
            filled = filled.filter(pl.len().over(by) > 1)
        groups = (
            filled.group_by("a", "b", maintain_order=True)
            .agg("row")
            .filter(pl.col("row").list.len() <= _CROWD)
        )
        size = pl.col("row").list.len().cast(pl.Int64)
        if groups.select((size * (size - 1) // 2).sum()).item() + len(found) > _MOST_PAIRS:
            continue
        for rows in groups["row"].to_list():
            found.update(combinations(rows, 2))
    return sorted(found)


@dataclass(frozen=True)
class _Pair:
    rows: tuple[int, int]
    agreeing: frozenset[str]
    apart: tuple[str, ...] = ()  # columns in which they differ outright
    digits: tuple[str, ...] = ()  # by one figure of five and more: a slip, or the next number
    slips: int = 0  # by letters
    gaps: int = 0  # one of the two is empty

    @property
    def doubtful(self) -> tuple[str, ...]:
        return (*self.apart, *self.digits)


def _compared(first: int, second: int, columns: Sequence[Column], hashed: dict[str, Any]) -> _Pair:
    told: dict[str, list[str]] = {"agrees": [], "gap": [], "slip": [], "digits": [], "apart": []}
    for column in columns:
        a, b = hashed[column.name][first], hashed[column.name][second]
        if a or b:
            how = "agrees" if a == b else "gap" if not a or not b else _difference(column, first, second)
            told[how].append(column.name)
    agreeing, apart, digits = frozenset(told["agrees"]), tuple(told["apart"]), tuple(told["digits"])
    return _Pair((first, second), agreeing, apart, digits, len(told["slip"]), len(told["gap"]))


def _alike(pairs: Sequence[_Pair], columns: Sequence[Column], height: int) -> list[_Pair]:
    """The pairs that are one thing: what agrees is beyond chance, and hardly ever agrees between two things.

    Rows that differ outright in two columns are two things. What such pairs share, as a family its street and telephone,
    says nothing of one thing.
    """
    bits = {column.name: _bits(column) for column in columns}
    needed = math.log2(height) * 2 - 1 + _BEYOND_CHANCE
    things = Counter(pair.agreeing for pair in pairs if len(pair.apart) > 1)
    one = [
        pair
        for pair in pairs
        if len(pair.apart) < 2
        and 0 < pair.slips + pair.gaps + len(pair.doubtful) <= max(len(columns) // 2, 1)
        and sum(bits[name] > 0 for name in pair.agreeing) >= 3
        and sum(bits[name] for name in pair.agreeing) >= needed
    ]
    counts = Counter(pair.agreeing for pair in one)
    told = {
        shared
        for shared, many in counts.items()
        if sum(n for other, n in things.items() if shared <= other) <= many * _STRANGERS
    }
    alike = _without_what_tells_apart([pair for pair in one if pair.agreeing in told])
    return alike if sum(pair.slips > 0 for pair in alike) * 3 >= len(alike) else []


def _difference(column: Column, first: int, second: int) -> str:
    """`slip` where two texts are two letters apart at most (one, if short), `digits` for one figure of five and more."""
    if not (column.is_text or column.is_date or column.kind is Kind.WHOLE):
        return "apart"
    one, other = str(column.series[first]).strip().lower(), str(column.series[second]).strip().lower()
    least, distance = min(len(one), len(other)), OSA.distance(one, other)
    figures, others = ([c for c in text if c.isdigit()] for text in (one, other))
    if figures != others:
        return "digits" if distance == 1 and min(len(figures), len(others)) >= 5 else "apart"
    return "slip" if least >= 3 and distance <= (2 if least >= 6 else 1) else "apart"


def _without_what_tells_apart(pairs: Sequence[_Pair]) -> list[_Pair]:
    """Pairs without those that differ in a column in which most such pairs differ: there two things are told apart."""
    apart = Counter(name for pair in pairs for name in pair.doubtful)
    many = sum(apart.values())
    spread = {name for name, n in apart.items() if many >= 5 and n * 2 <= many}
    return [pair for pair in pairs if set(pair.doubtful) <= spread]


def _written(pair: _Pair, columns: Sequence[Column]) -> str:
    """What the two rows share, and one thing in which they differ."""
    first, second = pair.rows
    known = [c for c in columns if c.name in pair.agreeing and c.is_text]
    shared = max(known or columns, key=lambda c: (c.role in ("category", "name"), _bits(c)))
    apart = [(c.series[first], c.series[second]) for c in columns if c.name not in pair.agreeing]
    one, other = next(((a, b) for a, b in apart if a is not None and b is not None), (apart or [("", "")])[0])
    return f"{one if one is not None else '(empty)'} / {other if other is not None else '(empty)'} · {shared.series[first]}"


def _marking(view: View, rows: pl.Series) -> tuple[Repair, ...]:
    """Which of two entries stays, nobody but a person can tell: rows with a key are marked."""
    key = next((c for c in view.columns if _is_key(c) and c.filled == c.distinct == view.height), None)
    if key is None or len(rows) > 1000:
        return ()
    rule = where(key.name, "one_of", values=key.texts(key.series.gather(rows)))
    return (
        Repair("Mark these rows with a new column", (step("mark_rows", name="entered twice", rule=rule),)),
    )
