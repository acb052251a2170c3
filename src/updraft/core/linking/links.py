"""Rows of two tables that stand for one thing, with the score that says so."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

import numpy as np
import polars as pl
from numpy.typing import NDArray

from updraft.core.linking.candidates import Marks, candidates
from updraft.core.linking.fields import Field
from updraft.core.linking.measures import Floats, likeness, prepared
from updraft.core.similarity.nearest import nearest_entries

Take = Literal["first", "best", "all", "once"]
Places = NDArray[np.int64]

_EMPTY = 0.1  # of its weight that a field counts against a pair where a value is missing
_TURNED = 0.9  # how alike two fields are whose values stand in each other's place
_FEW = 60  # rows that are all compared with each other row; of more those that share something rare
_OF_ONE_TABLE = 600  # the same, of rows of one table
_AT_ONCE = 50_000  # rows, so that memory stays bounded


class Compared:
    """Two tables made ready to be compared by some fields, and pairs of their rows.

    Attributes:
        left, right: for each pair the places of its rows.
        alike: fields × pairs: 0 to 1, NaN where a value is missing.
    """

    def __init__(
        self,
        left: pl.DataFrame,
        right: pl.DataFrame,
        fields: Sequence[Field],
        *,
        one_table: bool = False,
        same: Places | None = None,
        marks: Marks | None = None,
    ) -> None:
        """Args:
        left, right: hold the fields' columns as text.
        one_table: both are the same table; each pair once, and no row with itself.
        same: for each row of the left table the one of the right that is itself.
        marks: of both tables, where they are known already.
        """
        self.fields = fields
        mine = ready(left, [f.left for f in fields], fields)
        its = ready(right, [f.right for f in fields], fields)
        if right.height <= (_OF_ONE_TABLE if one_table else _FEW):
            pairs = _each_with_each(left.height, right.height, one_table=one_table)
        else:
            pairs = candidates(mine, its, fields, one_table=one_table, marks=marks)
        if same is not None:
            pairs = pairs.filter(pl.Series(same)[pairs["left"]] != pairs["right"])
        self.left: Places = pairs["left"].to_numpy().astype(np.int64)
        self.right: Places = pairs["right"].to_numpy().astype(np.int64)
        known = its
        mine, its = mine[pairs["left"]], its[pairs["right"]]
        self.alike = np.empty((len(fields), pairs.height))
        for n, field in enumerate(fields):
            self.alike[n] = likeness(field.measure, mine[str(n)], its[str(n)], known[str(n)])
        self._turn(mine, its)

    def _turn(self, mine: pl.DataFrame, its: pl.DataFrame) -> None:
        """Names in each other's place, such as a surname given as the first name, are nearly as good."""
        names = [n for n, field in enumerate(self.fields) if field.measure == "spelling"]
        first = [side.select(pl.col(str(n)).str.slice(0, 1) for n in names) for side in (mine, its)]
        for at, one in enumerate(names):
            for other in names[at + 1 :]:
                # Names that are turned begin with the same letters, crosswise: of few pairs is more asked.
                begin = (first[0][str(one)] == first[1][str(other)]) & (
                    first[0][str(other)] == first[1][str(one)]
                )
                unlike = (self.alike[one] < 0.5) & (self.alike[other] < 0.5)
                unlike = np.flatnonzero(unlike & begin.fill_null(False).to_numpy())
                if not unlike.size:
                    continue
                a, b = mine[unlike], its[unlike]
                crossed = [likeness("spelling", a[str(one)], b[str(other)])]
                crossed.append(likeness("spelling", a[str(other)], b[str(one)]))
                turned = np.minimum(*crossed) >= 0.75
                for field, alike in zip((one, other), crossed, strict=True):
                    self.alike[field, unlike[turned]] = alike[turned] * _TURNED

    def pairs(self, weights: Sequence[float] | None = None) -> pl.DataFrame:
        """Places and scores, to a tenth, of all pairs that were compared: by the weights of the fields, or
        others.
        """
        scores = self.scores(weights or [field.weight for field in self.fields]).round(1)
        schema = {"left": pl.UInt32, "right": pl.UInt32, "score": pl.Float64}
        return pl.DataFrame({"left": self.left, "right": self.right, "score": scores}, schema=schema)

    def scores(self, weights: Sequence[float]) -> Floats:
        """For each pair the mean of what its fields are alike, by their weights, in percent. A field with a
        missing value counts a tenth of its weight, as not alike.
        """
        weight = np.asarray(weights, dtype=np.float64)[:, None]
        missing = np.isnan(self.alike)
        counted = np.where(missing, weight * _EMPTY, weight).sum(axis=0)
        reached = (np.where(missing, 0, self.alike) * weight).sum(axis=0)
        known = ~missing.all(axis=0)
        found: Floats = np.where(known, 100 * reached / np.maximum(counted, 1e-300), 0.0)
        return found


def ready(table: pl.DataFrame, names: Sequence[str], fields: Sequence[Field]) -> pl.DataFrame:
    """Columns as their fields compare them, called `0`, `1`, …"""
    return table.select(
        prepared(pl.col(name), field.measure).alias(str(n))
        for n, (name, field) in enumerate(zip(names, fields, strict=True))
    )


def link(
    left: pl.DataFrame,
    right: pl.DataFrame,
    fields: Sequence[Field],
    *,
    least: float,
    take: Take = "first",
    one_table: bool = False,
) -> pl.DataFrame:
    """Rows of two tables that are alike by at least so much, in percent.

    Args:
        left, right: hold the fields' columns as text.
        least: 0 to 100.
        take: for each row of the left table the first of its best, all that are as good as the best, or all
            that are good enough; `once`: the best pairs first, and each row of both tables once.
        one_table: both are the same table; each pair once, the row that stands first on the left.

    Returns:
        columns `left`, `right` (places of rows), `score` (percent), `rank` (1 for the best of a row of the
        left table) and `margin` (points of the score ahead of the next best one that is good enough, too,
        and was not taken; null where there is none, or for letters that are the same), in the order of the
        left table, the best first. Of one field of letters the best of all rows is found; else the best of
        those that share something rare.
    """
    if len(fields) == 1 and fields[0].measure == "letters" and not one_table:
        return ranked(_by_letters(left, right, fields[0], least, take), least, take)
    if take == "once" or one_table:
        return ranked(Compared(left, right, fields, one_table=one_table).pairs(), least, take)
    parts = [
        ranked(Compared(some, right, fields).pairs(), least, take).with_columns(pl.col("left") + start)
        for start in range(0, max(1, left.height), _AT_ONCE)
        for some in [left[start : start + _AT_ONCE]]
    ]
    return pl.concat(parts)


def ranked(pairs: pl.DataFrame, least: float, take: Take) -> pl.DataFrame:
    """Of scored pairs those to take, as `link` returns them."""
    ordered = pairs.sort("left", "score", "right", descending=[False, True, False])
    best, nth = pl.col("score").first().over("left"), pl.int_range(1, pl.len() + 1).over("left")
    ordered = ordered.with_columns(rank=nth.cast(pl.UInt32), best=best)
    fits = ordered.filter((pl.col("score") >= least) & (pl.col("score") > 0))
    match take:
        case "first":
            taken = fits.filter(pl.col("rank") == 1)
        case "best":
            taken = fits.filter(pl.col("score") == pl.col("best"))
        case "once":
            chosen = each_once(fits["left"].to_numpy(), fits["right"].to_numpy(), fits["score"].to_numpy())
            taken = fits[np.sort(chosen)]
        case _:
            taken = fits
    marked = fits.join(taken.select("left", "right", taken=pl.lit(True)), on=["left", "right"], how="left")
    next_best = (
        marked.filter(pl.col("taken").is_null()).group_by("left").agg(pl.col("score").max().alias("next"))
    )
    found = taken.join(next_best, on="left", how="left", maintain_order="left")
    margin = (pl.col("score") - pl.col("next")).round(1)
    return found.select("left", "right", "score", "rank", margin=margin)


def each_once(left: Places, right: Places, scores: Floats) -> Places:
    """Places of pairs, the best first, so that no row stands in two of them; equal scores as they come."""
    rows, others = set(), set()
    chosen = []
    order = np.argsort(-scores, kind="stable")
    for place, one, other in zip(order.tolist(), left[order].tolist(), right[order].tolist(), strict=True):
        if one not in rows and other not in others:
            rows.add(one)
            others.add(other)
            chosen.append(place)
    return np.array(chosen, dtype=np.int64)


def _by_letters(
    left: pl.DataFrame, right: pl.DataFrame, field: Field, least: float, take: Take
) -> pl.DataFrame:
    """Pairs whose letters are alike enough, with their scores: those to take, and what comes next."""
    texts, entries = (
        table.select(text=prepared(pl.col(name), "letters"))
        .with_row_index("row")
        .drop_nulls()
        .group_by("text", maintain_order=True)
        .agg("row")
        for table, name in ((left, field.left), (right, field.right))
    )
    asked, known = texts["text"].to_list(), entries["text"].to_list()
    way: Literal["first", "best", "all"] = "all" if take == "once" else take
    near = nearest_entries(asked, known, max(least, 0.1), way, next_too=True)
    schema = {"text": pl.UInt32, "entry": pl.UInt32, "score": pl.Float64}
    pairs = pl.DataFrame(near, schema=schema, orient="row")
    pairs = pairs.with_columns(
        left=texts["row"].gather(pairs["text"]), right=entries["row"].gather(pairs["entry"])
    )
    return pairs.select("left", "right", "score").explode("left").explode("right")


def _each_with_each(rows: int, others: int, *, one_table: bool) -> pl.DataFrame:
    one, other = np.repeat(np.arange(rows), others), np.tile(np.arange(others), rows)
    if one_table:
        one, other = one[one < other], other[one < other]
    return pl.DataFrame({"left": one, "right": other}, schema={"left": pl.UInt32, "right": pl.UInt32})
