"""Places on the globe: a sign turned round, latitude and longitude swapped."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

import polars as pl

from updraft.core.insight.findings.model import Finding, Repair, plural, short, step, where
from updraft.core.insight.findings.naming import words_of
from updraft.core.insight.findings.places import swapping
from updraft.core.insight.findings.view import Column, View

_LEAST = 30  # places, of which most show where the others should lie
_FEW = 50  # one of so many may be wrong, or two
_LATITUDE = frozenset({"lat", "latitude"})
_LONGITUDE = frozenset({"lon", "lng", "long", "longitude"})


class _Range(NamedTuple):
    """Where nine of ten values lie, and as far again on either side as a tenth of that, half a degree at least."""

    low: float
    high: float

    def has(self, numbers: pl.Series) -> pl.Series:
        return ((numbers >= self.low) & (numbers <= self.high)).fill_null(False)


def turned_coordinates(view: View) -> Iterator[Finding]:
    """Latitudes and longitudes that lie where the others do once their sign is turned, or once the two are swapped.

    Threshold: thirty places; nine of ten lie in a range that does not reach its own mirror image (the other one's range, for
    swapped ones); one of fifty, or two, lie outside, and all of these fit once turned.
    """
    latitudes = [c for c in view.columns if _is(c, _LATITUDE)]
    longitudes = [c for c in view.columns if _is(c, _LONGITUDE)]
    told: set[int] = set()
    for lat in latitudes:
        for lon in longitudes:
            if _rest(lat, _LATITUDE) == _rest(lon, _LONGITUDE):
                for finding in _swapped(view, lat, lon):
                    told |= set(finding.rows.to_list())
                    yield finding
    for column in (*latitudes, *longitudes):
        yield from _turned(view, column, told)


def _is(column: Column, names: frozenset[str]) -> bool:
    return column.is_number and column.filled >= _LEAST and bool(names & set(words_of(column.name)))


def _rest(column: Column, names: frozenset[str]) -> list[str]:
    return [word for word in words_of(column.name) if word not in names]


def _range(numbers: pl.Series) -> _Range:
    low, high = (float(numbers.quantile(q) or 0) for q in (0.05, 0.95))
    margin = max(0.1 * (high - low), 0.5)
    return _Range(low - margin, high + margin)


def _few(rows: pl.Series, column: Column) -> bool:
    return 0 < rows.len() <= max(2, column.filled // _FEW)


def _turned(view: View, column: Column, told: set[int]) -> Iterator[Finding]:
    numbers = column.series.cast(pl.Float64)
    usual = _range(numbers)
    if usual.low <= 0 <= usual.high:
        return
    outside = (numbers.sign() != (1 if usual.low > 0 else -1)) & (numbers != 0)
    rows = outside.fill_null(False).arg_true()
    rows = rows.filter(~rows.is_in(list(told)))
    if not _few(rows, column) or not usual.has(-numbers.gather(rows)).all():
        return
    rule = where(column.name, "less" if usual.low > 0 else "more", value="0")
    yield Finding(
        "turned_coordinates",
        (column.name,),
        rows.len(),
        f"{plural(rows.len(), 'value', 'values')} of {column.name} {'lies' if rows.len() == 1 else 'lie'} on the other side of the globe",
        "With the sign turned they lie where the others do, so it was probably lost or added. Said where all others have one sign.",
        short(f"{v:g}" for v in numbers.gather(rows.head(5))),
        rows,
        (
            Repair(
                f"Turn the sign of {column.name} round there",
                (step("set_values", columns=[column.name], to="times", times=-1, rule=rule),),
            ),
            Repair("Mark the rows", (step("mark_rows", name=f"{column.name} turned", rule=rule),)),
        )
        if not told
        else (),
        rule if not told else None,
        weight=66,
    )


def _swapped(view: View, lat: Column, lon: Column) -> Iterator[Finding]:
    mine, its = (c.series.cast(pl.Float64) for c in (lat, lon))
    here, there = _range(mine), _range(its)
    if here.low <= there.high and there.low <= here.high:
        return  # the two cannot be told apart
    rows = (there.has(mine) & here.has(its)).arg_true()
    if not _few(rows, lat):
        return
    yield Finding(
        "turned_coordinates",
        (lat.name, lon.name),
        rows.len(),
        f"In {plural(rows.len(), 'row', 'rows')} {lat.name} and {lon.name} are swapped",
        "Swapped, they lie where the others do. Said where the two have ranges of their own.",
        short(
            f"{a:g} · {b:g}" for a, b in zip(mine.gather(rows.head(5)), its.gather(rows.head(5)), strict=True)
        ),
        rows,
        swapping(view, lat, lon, f"{_within(lat, there)} and {_within(lon, here)}"),
        weight=66,
    )


def _within(column: Column, these: _Range) -> str:
    name = f'column("{column.name}")'
    return f"{name} >= ({these.low!r}) and {name} <= ({these.high!r})"
