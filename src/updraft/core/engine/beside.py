"""Put what was made of a few columns of a table beside its other columns again."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import polars as pl

from updraft.core.engine.pieces import Pieces
from updraft.core.steps.spread import PLACE


def beside(whole: Pieces, made: Pieces, names: Sequence[str]) -> Iterator[pl.DataFrame]:
    """Rows of a table with columns that were made anew of some of them.

    Args:
        whole: the table.
        made: columns, and the PLACE in the table of the row that each row stands for; in its order.
        names: the columns to give, of `made` where it has them, else of the table.
    """
    fresh = [name for name in made.schema if name in names]
    stay = [name for name in names if name not in fresh]
    coming, rest, first = iter(made), pl.DataFrame(schema=made.schema), 0
    for piece in whole.pieces:
        behind = first + piece.height
        while not rest.height or rest.item(-1, PLACE) < behind:
            frame = next(coming, None)
            if frame is None:
                break
            rest = pl.concat([rest, frame])
        here = rest.head(int(rest[PLACE].search_sorted(behind)))
        rest = rest.slice(here.height)
        other = piece.lazy().select(stay).collect() if stay else pl.DataFrame()
        places = here[PLACE] - first
        kept = other if here.height == piece.height else other[places]
        yield pl.concat([kept, here.select(fresh)], how="horizontal").select(names)
        first = behind
