"""What stands beside two values of a column: whether other columns say that they are one thing, or two."""

from __future__ import annotations

from collections.abc import Collection, Iterator
from dataclasses import dataclass
from functools import cached_property

import polars as pl

from updraft.core.insight.findings.naming import names_a_code
from updraft.core.insight.findings.view import Column, View
from updraft.core.similarity import tidied_blanks
from updraft.core.values import Kind

_MOST = 24  # columns that are asked
_TELLS = 3.0  # how many times as often as by chance two rows of one value stand beside the same
_AGREE = 3.0  # and the two values beside what they have in common


@dataclass(frozen=True)
class _Asked:
    """Another column: `beside` value → what stands beside it → rows; `often` how often that stands in the table."""

    beside: dict[str, dict[str, int]]
    often: dict[str, int]

    @cached_property
    def rows(self) -> int:
        return sum(self.often.values())

    @cached_property
    def chance(self) -> float:
        """That two rows of the table stand beside the same."""
        return sum(many * (many - 1) for many in self.often.values()) / max(self.rows * (self.rows - 1), 1)

    def says(self, rare: str, common: str) -> bool | None:
        """Whether the two are one; None where it says nothing of the common one, or the rare one has nothing beside it."""
        its, of_common = self.beside.get(rare), self.beside.get(common, {})
        many = sum(of_common.values())
        if not its or many < 3:
            return None
        same = sum(n * (n - 1) for n in of_common.values()) / (many * (many - 1))
        if same < _TELLS * self.chance:
            return None
        if any(said not in of_common for said in its):
            return False
        ratios = (of_common[said] / many * self.rows / self.often[said] for said in its)
        return True if min(ratios) >= _AGREE and max(of_common[said] for said in its) >= 2 else None


class Beside:
    """Tells of two values of a column what the other columns say of them.

    Args:
        values: those that will be asked about, with blanks tidied.
    """

    def __init__(self, view: View, column: Column, values: Collection[str]) -> None:
        self._asked = list(_asked(view, column, list(values)))

    @property
    def asks(self) -> bool:
        """Whether there is any column to ask."""
        return bool(self._asked)

    def agrees(self, rare: str, common: str) -> bool | None:
        """Whether another column says that the two are one, and none that they are two; None where none says anything.

        A column says something where rows of the common value stand beside the same three times as often as rows of the
        table do.
        """
        said = [asked.says(rare, common) for asked in self._asked]
        return False if False in said else True if True in said else None


def _asked(view: View, column: Column, values: list[str]) -> Iterator[_Asked]:
    here = view.frame.lazy().select(
        tidied_blanks(pl.col(column.name)).alias("\0value"),
        *[c.name for c in view.columns if c is not column],
    )
    some = here.filter(pl.col("\0value").is_in(values)).collect()
    fitting = [other for other in view.columns if other is not column and _tells(other)]
    for other in fitting[:_MOST]:
        pairs = (
            some.lazy()
            .select("\0value", pl.col(other.name).cast(pl.String).alias("\0said"))
            .drop_nulls()
            .group_by("\0value", "\0said")
            .agg(pl.len().alias("\0n"))
            .collect()
        )
        beside: dict[str, dict[str, int]] = {}
        for value, said, many in pairs.iter_rows():
            beside.setdefault(value, {})[said] = many
        often = dict(zip(other.counts["value"].cast(pl.String), other.counts["n"], strict=True))
        yield _Asked(beside, often)


def _tells(column: Column) -> bool:
    """Whether a column names something that several rows share: a category or a code, no measure."""
    if column.nested or column.is_date or column.kind is Kind.NUMBER or column.distinct < 2:
        return False
    if column.kind is Kind.WHOLE and not names_a_code(column.name):
        return False
    if column.is_text and (column.role == "free" or column.numbers is not None):
        return False
    return column.distinct * 3 <= column.filled * 2
