"""A table to plant defects in, and what its columns are."""

from __future__ import annotations

import random
from collections.abc import Callable
from dataclasses import dataclass, field

import polars as pl

Rows = list[list[str | None]]


@dataclass
class Spoilt:
    """A table with one defect: its cells as text, and what may tell it.

    `rows` are places in the spoilt table, `was` what stood in a cell before, `gone` how many rows were put in.
    """

    names: list[str]
    rows: Rows
    codes: tuple[str, ...]
    columns: tuple[str, ...] = ()
    places: list[int] = field(default_factory=list)
    was: dict[tuple[int, str], str | None] = field(default_factory=dict)
    added: list[int] = field(default_factory=list)

    def frame(self) -> pl.DataFrame:
        columns = zip(*self.rows, strict=True) if self.rows else [()] * len(self.names)
        return pl.DataFrame(
            {name: list(cells) for name, cells in zip(self.names, columns, strict=True)},
            schema=dict.fromkeys(self.names, pl.String),
        )


class Ground:
    """A table to plant in."""

    def __init__(self, typed: pl.DataFrame, rng: random.Random) -> None:
        flat = [name for name, dtype in typed.schema.items() if not dtype.is_nested()]
        self.typed, self.rng, self.names = typed.select(flat), rng, flat
        text = self.typed.select(pl.col(pl.Boolean).cast(pl.String), ~pl.selectors.boolean())
        self.cells: Rows = [list(row) for row in text.select(flat).cast(pl.String).rows()]

    def columns(self, test: Callable[[pl.Series], bool], least: int = 1) -> list[str] | None:
        fitting = [name for name in self.names if test(self.typed[name])]
        return self.rng.sample(fitting, least) if len(fitting) >= least else None

    def some(self, name: str, many: int, test: Callable[[str], bool] = bool) -> list[int]:
        place = self.names.index(name)
        fitting = [n for n, row in enumerate(self.cells) if row[place] is not None and test(str(row[place]))]
        return sorted(self.rng.sample(fitting, min(many, len(fitting))))

    def change(
        self, name: str, rows: list[int], how: Callable[[str], str | None], *codes: str
    ) -> Spoilt | None:
        place = self.names.index(name)
        changed = {row: how(str(self.cells[row][place])) for row in rows}
        changed = {row: new for row, new in changed.items() if new != self.cells[row][place]}
        if not changed:
            return None
        cells = [list(row) for row in self.cells]
        was = {(row, name): cells[row][place] for row in changed}
        for row, new in changed.items():
            cells[row][place] = new
        return Spoilt(self.names, cells, codes, (name,), list(changed), was)

    def insert(self, rows: dict[int, list[str | None]], *codes: str) -> Spoilt:
        """Rows put in so that each stands at its place afterwards."""
        cells = [list(row) for row in self.cells]
        for place in sorted(rows):
            cells.insert(place, rows[place])
        return Spoilt(self.names, cells, codes, (), sorted(rows), {}, sorted(rows))


def is_text(series: pl.Series) -> bool:
    return isinstance(series.dtype, pl.String) and series.drop_nulls().len() >= 10


def is_word(series: pl.Series) -> bool:
    filled = series.drop_nulls()
    return is_text(series) and bool(filled.str.contains(r"\p{L}{4}").mean() > 0.8)  # type: ignore[operator]


def is_category(series: pl.Series) -> bool:
    return is_word(series) and 2 <= series.n_unique() <= series.len() / 5


def is_number(series: pl.Series) -> bool:
    return series.dtype.is_numeric() and series.drop_nulls().len() >= 20 and series.n_unique() >= 10


def is_amount(series: pl.Series) -> bool:
    return is_number(series) and bool((series.drop_nulls() > 0).all())


def is_fraction(series: pl.Series) -> bool:
    return is_amount(series) and series.dtype.is_float() and bool((series.drop_nulls() % 1 != 0).mean() > 0.5)  # type: ignore[operator]


def is_date(series: pl.Series) -> bool:
    return series.dtype.is_temporal() and series.drop_nulls().len() >= 10


def is_key(series: pl.Series) -> bool:
    return (
        series.null_count() == 0
        and series.n_unique() == series.len()
        and (is_text(series) or series.dtype.is_integer())
    )
