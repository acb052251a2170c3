"""How numbers, days and times are written where a file holds them as text."""

from __future__ import annotations

from dataclasses import dataclass
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

import polars as pl

from updraft.core.problems import Problem
from updraft.core.values.convert import pattern_of


@dataclass(frozen=True)
class Forms:
    """How numbers, days and times are written.

    Args:
        comma: whether decimals stand behind a comma.
        dates, times: their formats in letters, such as DD.MM.YYYY and DD.MM.YYYY hh:mm; "" for ISO 8601.
        zone: the time zone in which times that have one are written; "" for the one that they have.
    """

    comma: bool = False
    dates: str = ""
    times: str = ""
    zone: str = ""

    def of(self, table: pl.DataFrame) -> pl.DataFrame:
        """The table with what is asked for as text, all else as it is.

        Raises:
            Problem: a format or a time zone that is none.
        """
        return table.with_columns(self._written(table[name]) for name in table.columns)

    def _written(self, column: pl.Series) -> pl.Series:
        dtype = column.dtype
        if dtype.is_float() and self.comma:
            return column.cast(pl.String).str.replace(".", ",", literal=True)
        if isinstance(dtype, pl.Date) and self.dates:
            return column.dt.to_string(pattern_of(self.dates, year=False))
        if isinstance(dtype, pl.Datetime):
            if self.zone and dtype.time_zone is not None:
                column = column.dt.convert_time_zone(known_zone(self.zone))
            if self.times:
                return column.dt.to_string(pattern_of(self.times, year=False))
        return column


def known_zone(name: str) -> str:
    """A time zone's name that there is; Problem otherwise."""
    try:
        ZoneInfo(name)
    except (ValueError, OSError, ZoneInfoNotFoundError):
        raise Problem(
            f"Time zone “{name}”",
            "there is none of this name.",
            "Choose one such as Europe/London.",
            field="zone",
        ) from None
    return name
