"""How the rows of two tables would meet in a join: counted before anything is joined."""

from __future__ import annotations

import polars as pl

from updraft.core.insight.meeting.counted import TIDIED, Meeting
from updraft.core.insight.meeting.equal import by_equal_keys
from updraft.core.insight.meeting.nearby import by_nearness
from updraft.core.steps.joins.join_settings import JoinSettings

__all__ = ["COUNTED_BY", "Meeting", "meeting"]

# The settings of a join that are looked at.
COUNTED_BY = {"keys", "by", "near", "near_reference", "side", "within", "start", "end", *TIDIED}


def meeting(table: pl.LazyFrame, other: pl.LazyFrame, settings: JoinSettings) -> Meeting:
    """Count what a join would bring together.

    Raises:
        Problem: keys or columns that are not chosen, not there, or of kinds that never meet.
    """
    return (by_equal_keys if settings.by == "equal" else by_nearness)(table, other, settings)
