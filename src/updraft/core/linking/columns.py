"""Which columns of two tables hold the same: by their names, and else by the values they share."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from updraft.core.linking.measures import prepared
from updraft.core.values.common import tidied_name

_SHARED = 0.1  # of the values of the column that has fewer
_ROWS = 20_000  # rows looked at of each table


def columns_that_meet(left: pl.DataFrame, right: pl.DataFrame) -> list[tuple[str, str]]:
    """Pairs of columns of text tables that hold the same, in the order of the left table; columns without
    values are none.

    Names count without case, accents, blanks and signs. Of the columns left over those pair up that share
    most of their values, a tenth at least; each column once.
    """
    mine, its = (_filled(table) for table in (left, right))
    named = {tidied_name(name): name for name in reversed(its)}
    met = {name: named[tidied_name(name)] for name in mine if tidied_name(name) in named}
    rest = [name for name in mine if name not in met]
    free = [name for name in its if name not in met.values()]
    shares = _shares(left, right, rest, free)
    for _, one, other in sorted(shares, reverse=True):
        if one not in met and other not in met.values():
            met[one] = other
    return [(name, met[name]) for name in mine if name in met]


def _filled(table: pl.DataFrame) -> list[str]:
    return [name for name in table.columns if table[name].null_count() < table.height]


def _shares(
    left: pl.DataFrame, right: pl.DataFrame, mine: Sequence[str], its: Sequence[str]
) -> list[tuple[float, str, str]]:
    """(share of values in common, left, right) of the columns that share enough."""
    values = [{name: _values(table, name) for name in names} for table, names in ((left, mine), (right, its))]
    found = []
    for one, here in values[0].items():
        for other, there in values[1].items():
            share = len(here & there) / max(1, min(len(here), len(there)))
            if share >= _SHARED:
                found.append((share, one, other))
    return found


def _values(table: pl.DataFrame, name: str) -> set[str]:
    return set(table.head(_ROWS).select(prepared(pl.col(name), "digits")).to_series().drop_nulls().to_list())
