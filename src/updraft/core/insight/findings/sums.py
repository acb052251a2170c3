"""A column that is the sum of others, but for a few rows."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

import numpy as np

from updraft.core.insight.findings.model import Finding, plural, short
from updraft.core.insight.findings.naming import names_a_code, names_a_total, names_a_year
from updraft.core.insight.findings.view import Column, View

_LEAST = 20
_COLUMNS = (
    40  # of numbers, that could be parts; in wider tables the nearest ones, of columns that are named a total
)
_TRIES = 12
_LOOKED = 80  # rows in which pairs and threes are added up first
_TRIED = 2000  # rows in which a sum must nearly hold before all are added up

Numbers = np.ndarray[Any, np.dtype[np.float64]]


def sums_that_miss(view: View) -> Iterator[Finding]:
    """Rows in which a total column is not the sum of its parts.

    The parts are looked for among all pairs, all threes, columns that stand side by side, and by least squares over as many
    rows as there are columns, drawn at random and drawn again (Fischler and Bolles 1981): where all factors come out as 0 or
    1 and two at least as 1, these are the parts. What is missing in most of the rows that do not add up is a part, too.
    Threshold: twenty rows in which two parts are not 0; each part is not 0 in a fifth of them; the sum holds in nine of ten
    (to the last digit written), and not in the others.
    """
    columns = [
        c
        for c in view.columns
        if c.is_number
        and c.filled == view.height
        and c.distinct > 1
        and not names_a_code(c.name)
        and not names_a_year(c.name)
    ]
    if view.height < _LEAST or len(columns) < 3:
        return
    cells = np.column_stack([c.series.cast(float).to_numpy() for c in columns])
    if not np.isfinite(cells).all():
        return
    draw = np.random.default_rng(7)
    told: set[int] = set()
    for place, total in enumerate(columns):
        if total.distinct <= 5 or (len(columns) > _COLUMNS and not names_a_total(total.name)):
            continue
        others = [n for n in range(len(columns)) if n != place and n not in told]
        others = sorted(sorted(others, key=lambda n: abs(n - place))[: _COLUMNS - 1])
        parts = _parts(cells, place, others, draw)
        if parts is None:
            continue
        parts = _with_missing_part(cells, place, parts, others)
        told.add(place)
        there = cells[:, parts] != 0
        telling = there.sum(axis=1) >= 2
        if telling.sum() < _LEAST or (there[telling].mean(axis=0) < 0.2).any():
            continue
        wrong = np.abs(cells[:, parts].sum(axis=1) - cells[:, place]) > _near(cells[:, place], len(parts))
        many = int(wrong.sum())
        if not many or int((wrong & telling).sum()) * 10 > int(telling.sum()) or many * 10 > view.height:
            continue
        yield _finding(total, [columns[n] for n in parts], np.flatnonzero(wrong), cells, parts, place)


def _parts(cells: Numbers, place: int, others: Sequence[int], draw: np.random.Generator) -> list[int] | None:
    """The columns that add up to the one at a place, in nearly all rows; None where there are none."""
    some = cells if len(cells) <= _TRIED else cells[draw.choice(len(cells), _TRIED, replace=False)]
    goal, base = some[:, place], some[:, others]
    if len(others) < 2:
        return None
    few = _few_parts(some[:_LOOKED], place, others)
    if few is not None and np.mean(np.abs(some[:, few].sum(axis=1) - goal) <= _near(goal)) >= 0.9:
        return few
    if len(some) < len(others) + 4:
        return None
    scale = np.maximum(np.abs(base).max(axis=0), 1e-12)
    for _ in range(_TRIES):
        rows = draw.choice(len(some), min(len(others) + 3, len(some)), replace=False)
        factors, _, rank, _ = np.linalg.lstsq(base[rows] / scale, goal[rows], rcond=1e-10)
        if rank < len(others):
            continue
        factors = factors / scale
        near = np.rint(factors)
        ones = [others[int(n)] for n in np.flatnonzero(near == 1)]
        if len(ones) < 2 or not np.isin(near, (0, 1)).all() or np.abs(factors - near).max() > 0.05:
            continue
        off = np.abs(some[:, ones].sum(axis=1) - goal)
        if np.mean(off <= _near(goal)) >= 0.9:
            return ones
    return None


def _near(goal: Numbers, parts: int = 3) -> Numbers:
    """What a sum may be off: half of the last digit written for each part, and what a float of 32 bits loses."""
    some = goal[:_TRIED]
    digits = next((d for d in range(7) if np.allclose(np.round(some, d), some, rtol=0, atol=1e-9)), 7)
    last = 0.0 if digits in (0, 7) else 10.0**-digits
    return 2e-6 * np.abs(goal) + 0.5 * last * (parts + 1) + 1e-9


def _with_missing_part(cells: Numbers, place: int, parts: list[int], others: Sequence[int]) -> list[int]:
    """The parts, and those columns that are just what most of the wrong rows lack."""
    found = list(parts)
    for _ in range(3):
        lack = cells[:, place] - cells[:, found].sum(axis=1)
        wrong = np.abs(lack) > _near(cells[:, place], len(found))
        left = [n for n in others if n not in found]
        if not wrong.any() or not left:
            break
        near = _near(cells[wrong, place], len(found))[:, None]
        fits = np.mean(np.abs(cells[np.ix_(wrong, left)] - lack[wrong][:, None]) <= near, axis=0)
        best = int(np.argmax(fits))
        if fits[best] < 0.5:
            break
        found.append(left[best])
    return sorted(found)


def _few_parts(some: Numbers, place: int, others: Sequence[int]) -> list[int] | None:
    """Two or three columns, or neighbours, that add up to the one at a place in nearly all of some rows."""
    goal, base = some[:, place], some[:, others]
    near = _near(goal)[:, None]
    one, other = np.triu_indices(len(others), 1)
    pairs = base[:, one] + base[:, other]

    def best(sums: Numbers, wanted: Numbers) -> int | None:
        fits = np.mean(np.abs(sums - wanted[:, None]) <= near, axis=0)
        at = int(np.argmax(fits))
        return at if fits[at] >= 0.9 else None

    at = best(pairs, goal)
    if at is not None:
        return [others[int(one[at])], others[int(other[at])]]
    for third in range(len(others)):
        at = best(pairs, goal - base[:, third])
        if at is not None and third not in (one[at], other[at]):
            return sorted({others[third], others[int(one[at])], others[int(other[at])]})
    upto = np.column_stack([np.zeros(len(base)), np.cumsum(base, axis=1)])
    first, last = np.triu_indices(upto.shape[1], 4)
    if len(first):
        at = best(upto[:, last] - upto[:, first], goal)
        if at is not None:
            return [others[n] for n in range(int(first[at]), int(last[at]))]
    return None


def _finding(
    total: Column, parts: list[Column], rows: np.ndarray, cells: Numbers, places: list[int], place: int
) -> Finding:
    import polars as pl

    names = [c.name for c in parts]
    listed = f"{', '.join(names[:-1])} and {names[-1]}" if len(names) <= 6 else f"{len(names)} columns"
    return Finding(
        "sums_that_miss",
        (total.name, *names),
        len(rows),
        f"In {plural(len(rows), 'row', 'rows')} {total.name} is not the sum of {listed}",
        f"In all other rows {total.name} is that sum, so a part or the sum is wrong here. Said where it holds in nine of ten rows.",
        short(f"{cells[row, place]:g}, the parts {cells[row, places].sum():g}" for row in rows[:5]),
        pl.Series(rows, dtype=pl.UInt32),
        weight=59,
    )
