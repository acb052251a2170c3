"""A table as detectors look at it: distinct values with their counts, worked out once and shared."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Sequence
from copy import copy
from functools import cached_property
from typing import Any
from zlib import crc32

import numpy as np
import polars as pl

from updraft.core.insight.findings.unknown import is_placeholder
from updraft.core.similarity import tidied_blanks
from updraft.core.values import DTYPES, Kind, by_value, is_blank, kind_of
from updraft.core.values.dressed import undressed
from updraft.core.values.text import shown

MAX_COLUMNS = 2000  # columns that are looked at one by one; a wider table is looked at as far as this
_TYPICAL = 20_000  # distinct values by which a column is told to be a code, a category or free text
# Every blank that `tidied_blanks` would change.
UNTIDY = "^\\s|\\s$|\\s\\s|[\t\n\r\u00a0\u2000-\u200b\u202f\u205f\u2060\u3000\ufeff]"
_LONG = 4000  # characters of a cell that are looked at


def is_figure(texts: pl.Series) -> pl.Series:
    """Text by text, whether it is a number as people write them; null where there is none."""
    return texts.str.contains(r"^\s*[-+(]?[€$£]?\s?\d[\d.,\s]*([eE][-+]?\d+)?\s?%?\)?\s*$")


def is_word(texts: pl.Series) -> pl.Series:
    """Text by text, whether it has letters and no digit; null where there is none."""
    return texts.str.contains(r"^[^\d]*\p{L}{2}[^\d]*$")


_SORTS = {"number": is_figure, "words": is_word}


class Column:
    """One column. All numbers are counted over every row."""

    def __init__(self, series: pl.Series, place: int, above: tuple[Column, pl.Series] | None = None) -> None:
        self.series, self.name, self.place, self._above = series, series.name, place, above
        self.kind = kind_of(series.dtype)
        self.is_text = isinstance(series.dtype, pl.String)
        self.is_number = self.kind in (Kind.WHOLE, Kind.NUMBER)
        self.is_date = self.kind in (Kind.DATE, Kind.DATETIME)
        self.nested = series.dtype.is_nested()

    @cached_property
    def counts(self) -> pl.DataFrame:
        """Distinct filled values, `value` and `n`, most frequent first, then as they first come; of text, 4,000 signs are looked at."""
        if self.nested:
            return pl.DataFrame(schema={"value": pl.String, "n": pl.UInt32})
        if (
            self._above is not None
            and self._above[0].series.dtype == self.series.dtype
            and "counts" in self._above[0].__dict__
        ):
            return self._counts_less(*self._above)
        return _ranked(_counted(self.series))

    def _counts_less(self, above: Column, gone: pl.Series) -> pl.DataFrame:
        """The counts of a column that lacks a few rows of another one."""
        less = _counted(above.series.gather(gone)).rename({"n": "less"})
        if not less.height:
            return above.counts
        fresh = above.counts.join(less, on="value", how="left", maintain_order="left").with_columns(
            pl.col("n") - pl.col("less").fill_null(0)
        )
        return _ranked(fresh.filter(pl.col("n") > 0).drop("less"))

    @cached_property
    def blank(self) -> pl.Series:
        """Row by row, whether the cell is empty or of blanks only."""
        return (
            self.series.to_frame().select(is_blank(self.name, self.series.dtype).alias("blank")).to_series()
        )

    @cached_property
    def empty(self) -> int:
        return int(self.blank.sum())

    @property
    def filled(self) -> int:
        return len(self.series) - self.empty

    @property
    def distinct(self) -> int:
        return self.counts.height

    @cached_property
    def sort(self) -> str:
        """What nine of ten filled cells are: `number`, `words` (letters, no digit), or nothing of the two."""
        if self.is_number and self.filled:
            return "number"
        if not self.is_text:
            return ""
        some = self.counts.gather_every(max(self.distinct // 2000, 1))  # enough to see what it is not
        for sort, test in _SORTS.items():
            if _share(some, test) >= 0.6 and _share(self.counts, test) >= 0.9:
                return sort
        return ""

    def misfits(self) -> pl.Series:
        """Numbers of the rows whose text is not of the column's sort."""
        values = self.counts["value"]
        filled = values.str.strip_chars() != ""
        return self.rows_with(values.filter(filled & ~_SORTS[self.sort](values)))

    @cached_property
    def words(self) -> pl.DataFrame:
        """Of text: distinct values with blanks tidied, `value` and `n`, those without a sign left out."""
        if not self.untidy:
            return self.counts
        tidy = self.counts.lazy().select(tidied_blanks(pl.col("value")), "n").filter(pl.col("value") != "")
        return _ranked(tidy.group_by("value", maintain_order=True).agg(pl.col("n").sum()).collect())

    @cached_property
    def meant(self) -> pl.DataFrame:
        """As `words`, without placeholders for empty."""
        return self.words.filter(~is_placeholder(pl.col("value")))

    @cached_property
    def untidy(self) -> bool:
        """Whether some of its text has stray or doubled blanks, or is of blanks alone."""
        return self.is_text and bool(self.counts["value"].str.contains(UNTIDY).any())

    def hashed(self) -> np.ndarray[Any, np.dtype[np.uint64]]:
        """A number for each cell, equal where the values are; stray blanks do not count."""
        series = self.series
        if self.nested:
            series = pl.Series([str(value) for value in series.to_list()])
        elif self.untidy:
            series = by_value(series, tidied_blanks)
            series = series.to_frame().select(pl.when(pl.first() != "").then(pl.first())).to_series()
        return series.hash(crc32(self.name.encode())).to_numpy()

    @cached_property
    def role(self) -> str:
        """What a text column is for: `category`, `identifier`, `name` (nearly all differ), `free` text or `none`."""
        if not self.is_text or not self.meant.height:
            return "none"
        # What a column is for shows in some thousands of its values.
        facts = (
            self.meant.head(_TYPICAL)
            .select(
                rows=pl.col("n").sum(),
                length=(pl.col("value").str.len_chars() * pl.col("n")).sum() / pl.col("n").sum(),
                words=((pl.col("value").str.count_matches(" ", literal=True) + 1) * pl.col("n")).sum()
                / pl.col("n").sum(),
                digits=(pl.col("value").str.contains(r"\d") * pl.col("n")).sum() / pl.col("n").sum(),
            )
            .row(0, named=True)
        )
        if facts["words"] > 4.5 or facts["length"] > 45:
            return "free"
        share = self.meant.height / max(float(self.meant["n"].sum()), 1)
        if facts["digits"] > 0.8 and facts["words"] < 2.5:
            return "identifier"
        return "category" if share <= 0.6 else "name"

    @cached_property
    def numbers(self) -> np.ndarray[Any, np.dtype[np.float64]] | None:
        """Row by row as numbers (NaN where there is none), for number columns and text that mostly reads as numbers."""
        if self.is_number:
            return self.series.cast(pl.Float64).fill_null(float("nan")).to_numpy()
        if not self.is_text or not self.meant.height:
            return None
        some = self.meant["value"].head(300)
        if some.str.contains(r"^[^\p{L}]*\d[^\p{L}]*\p{L}{0,8}\.?[^\p{L}]{0,3}$").sum() * 10 < some.len() * 6:
            return None
        bare = self.series.str.strip_chars().cast(DTYPES[Kind.NUMBER], strict=False)
        if bare.count() * 10 < self.filled * 7:
            bare = self._by_counts(_undressed)
        return bare.fill_null(float("nan")).to_numpy() if bare.count() * 10 >= self.filled * 7 else None

    def _by_counts(self, make: Callable[[pl.Expr], pl.Expr]) -> pl.Series:
        """The column with an expression worked out for its distinct values, where they are few."""
        if self.distinct * 4 > len(self.series):
            return self.series.to_frame().select(make(pl.col(self.name))).to_series()
        made = self.counts.select("value", made=make(pl.col("value")))
        rows = self.series.alias("value").to_frame()
        return rows.join(made, on="value", how="left", maintain_order="left")["made"]

    def rows_with(self, values: Iterable[Any] | pl.Series) -> pl.Series:
        """Numbers of the rows that hold one of these values (as they stand)."""
        listed = values if isinstance(values, pl.Series) else pl.Series(list(values), dtype=self.series.dtype)
        return self.series.is_in(listed.implode()).fill_null(False).arg_true()

    def rows_meaning(self, words: Sequence[str]) -> pl.Series:
        """Numbers of the rows whose text, with blanks tidied, is one of these."""
        as_they_stand = self.counts.filter(tidied_blanks(pl.col("value")).is_in(list(words)))["value"]
        return self.rows_with(as_they_stand)

    def texts(self, values: pl.Series) -> list[str]:
        return [text for text in shown(values).to_list() if text is not None]


def _share(counts: pl.DataFrame, test: Callable[[pl.Series], pl.Series]) -> float:
    """The share of the cells whose value passes a test."""
    fits = counts.select(test(counts["value"]).alias("fits"), "n")
    return float((fits["fits"] * fits["n"]).sum()) / max(float(counts["n"].sum()), 1.0)


def _undressed(text: pl.Expr) -> pl.Expr:
    """The number that is written with a currency, unit or sign around it."""
    bare, negative, _ = undressed(text)
    number = bare.str.replace_all(r"[,'’ \u{a0}\u{202f}]", "").cast(pl.Float64, strict=False)
    return pl.when(negative).then(-number).otherwise(number)


def _counted(series: pl.Series) -> pl.DataFrame:
    values = series.alias("value").drop_nulls()
    if isinstance(series.dtype, pl.String) and bool((values.str.len_bytes() > _LONG).any()):
        values = values.str.slice(0, _LONG)
    return values.to_frame().group_by("value", maintain_order=True).agg(pl.len().alias("n"))


def _ranked(counts: pl.DataFrame) -> pl.DataFrame:
    return counts.sort("n", descending=True, maintain_order=True)


class View:
    """A table to look at, and the other tables it may meet.

    Args:
        frame: the whole table in memory.
        others: other tables of the flow, by what they are called.
        above, gone: a view of the same table with more rows, and the numbers of those that this one lacks.
        known, changed: a view of the same rows, and the columns that are not what they were.
    """

    def __init__(
        self,
        frame: pl.DataFrame,
        others: dict[str, pl.DataFrame] | None = None,
        above: View | None = None,
        gone: pl.Series | None = None,
        known: View | None = None,
        changed: Collection[str] = (),
    ) -> None:
        self.frame, self.others = frame, others or {}
        kept = {c.name: c for c in known.columns if c.name not in changed} if known is not None else {}
        self.columns: list[Column] = []
        for place, series in enumerate(frame.get_columns()[:MAX_COLUMNS]):
            old = kept.get(series.name)
            if old is not None and old.series.dtype == series.dtype:
                self.columns.append(old)
                continue
            source = None if above is None or gone is None else (above.columns[place], gone)
            self.columns.append(Column(series, place, source))
        self.height = frame.height

    def only(self, names: Collection[str]) -> View:
        """The same view with some of its columns."""
        some = copy(self)
        some.columns = [c for c in self.columns if c.name in names]
        some.__dict__.pop("texts", None)
        some.__dict__.pop("usual", None)
        return some

    def less(self, gone: pl.Series, frame: pl.DataFrame) -> View:
        """The view of the table without some rows; what is known of its columns is used."""
        return View(frame, self.others, self, gone)

    @cached_property
    def row_hashes(self) -> np.ndarray[Any, np.dtype[np.uint64]]:
        """A number for each row, the sum of its cells' (modulo 2**64), so that a column can be taken away again."""
        total = np.zeros(self.height, dtype=np.uint64)
        for column in self.columns:
            total += column.hashed()
        return total

    @cached_property
    def texts(self) -> list[Column]:
        return [column for column in self.columns if column.is_text]

    @cached_property
    def usual(self) -> list[Column]:
        """Columns that nearly every row fills (at least nine of ten)."""
        return [column for column in self.columns if column.filled * 10 >= self.height * 9]

    def column(self, name: str) -> Column:
        return next(column for column in self.columns if column.name == name)
