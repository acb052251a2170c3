"""Put tables of one shape below each other, columns matched by name, and say where they differ."""

from __future__ import annotations

from dataclasses import replace

import polars as pl

from updraft.core.formats.options import Reading
from updraft.core.problems import nearest


def stacked(
    parts: dict[str, pl.DataFrame], column: str, what: str, *, by_place: bool = False
) -> tuple[pl.DataFrame, list[str]]:
    """One table of all parts, with a first column that names the part, and a sentence for every difference.

    Columns come in the order in which they first appear. A column that a part lacks is empty in its rows;
    where parts hold different types under one name, all are text.

    Args:
        parts: name of the part → its table.
        column: the name of the first column; a number is added when a part has such a column itself.
        what: what a part is called in sentences, "file" or "sheet".
        by_place: columns of every part are called as those at their place in the first part.
    """
    usual = next(iter(parts.values())).columns
    said: list[str] = []
    if by_place:
        for name, frame in parts.items():
            said += [f"{what.capitalize()} “{name}”: {text}" for text in _other_names(usual, frame.columns)]
        parts = {name: _called_as(frame, usual) for name, frame in parts.items()}
    types: dict[str, set[pl.DataType]] = {}
    for name, frame in parts.items():
        said += [
            f"{what.capitalize()} “{name}”: {text}" for text in differences(usual, frame.columns, moved=False)
        ]
        for other, dtype in frame.schema.items():
            types.setdefault(other, set()).add(dtype)
    mixed = [other for other, found in types.items() if len(found - {pl.Null()}) > 1]
    for other in mixed:
        if not all(dtype.is_numeric() for dtype in types[other]):
            said.append(f"Column “{other}” holds different types in the {what}s; all of it is text.")
    number, title = 2, column
    while title in types:
        title, number = f"{column} {number}", number + 1
    frames = [
        frame.with_columns(
            pl.col(c).cast(pl.Float64 if all(t.is_numeric() for t in types[c]) else pl.String)
            for c in mixed
            if c in frame.columns
        ).select(pl.lit(name).alias(title), pl.all())
        for name, frame in parts.items()
    ]
    return pl.concat(frames, how="diagonal"), said


def _called_as(frame: pl.DataFrame, names: list[str]) -> pl.DataFrame:
    """A table whose columns have these names by their places; further ones keep theirs, made different."""
    given = list(names[: frame.width])
    for name in frame.columns[len(given) :]:
        while name in given:
            name = f"{name} 2"
        given.append(name)
    return frame.rename(dict(zip(frame.columns, given, strict=True)))


def _other_names(usual: list[str], now: list[str]) -> list[str]:
    """What is called otherwise at its place, in a sentence."""
    odd = [f"“{new}” stands as “{old}”" for old, new in zip(usual, now, strict=False) if old != new]
    return [f"by place, {', '.join(odd[:6])}{' and others' if len(odd) > 6 else ''}."] if odd else []


def stacked_readings(parts: dict[str, Reading], column: str, what: str, *, by_place: bool = False) -> Reading:
    """Several readings as one: see `stacked`. It was read as the first of them was; each one's warnings name
    the part.
    """
    frame, said = stacked({n: part.frame for n, part in parts.items()}, column, what, by_place=by_place)
    own = [f"{what.capitalize()} “{name}”: {text}" for name, part in parts.items() for text in part.warnings]
    detected = replace(next(iter(parts.values())).detected, columns=tuple(frame.columns))
    return Reading(frame, detected, (*own, *said))


def differences(before: list[str], now: list[str], *, moved: bool = True) -> list[str]:
    """What is different about a table's columns, in sentences: gone, added, perhaps renamed, moved.

    A column that is gone counts as perhaps renamed when one that is new has a similar name, or stands in its
    place between the same neighbours.
    """
    gone, new = [c for c in before if c not in now], [c for c in now if c not in before]
    said: list[str] = []
    for old in list(gone):
        other = _renamed(old, before, now, new)
        if other:
            said.append(f"column “{old}” is gone and “{other}” is new: perhaps renamed.")
            gone.remove(old)
            new.remove(other)
    if gone:
        said.append(f"{_columns(gone)} {'is' if len(gone) == 1 else 'are'} gone.")
    if new:
        said.append(f"{_columns(new)} {'is' if len(new) == 1 else 'are'} new.")
    same_now, same_before = [c for c in now if c in before], [c for c in before if c in now]
    if moved and same_now != same_before:
        odd = [c for c, d in zip(same_now, same_before, strict=True) if c != d]
        said.append(f"{_columns(odd[:6])} stand{'s' if len(odd) == 1 else ''} in another place.")
    return said


def _renamed(old: str, before: list[str], now: list[str], new: list[str]) -> str | None:
    near = nearest(old, new)
    if near:
        return near
    place = before.index(old)
    if place < len(now) and now[place] in new:
        left = before[place - 1] if place else None
        right = before[place + 1] if place + 1 < len(before) else None
        if left == (now[place - 1] if place else None) and right == (
            now[place + 1] if place + 1 < len(now) else None
        ):
            return now[place]
    return None


def _columns(names: list[str]) -> str:
    listed = ", ".join(f"“{name}”" for name in names)
    return f"column{'s' if len(names) > 1 else ''} {listed}"
