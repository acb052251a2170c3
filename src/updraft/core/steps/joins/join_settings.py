"""By what the rows of a join meet, and which of them come out."""

from __future__ import annotations

from typing import Literal

import polars as pl

from updraft.core.steps.joins.keys import Brought, KeyPair, check_keys, digits_as_numbers
from updraft.core.steps.joins.meeting import by_nearest, by_range, check_ordered
from updraft.core.steps.settings import Settings, setting

WAYS = {
    "inner": "rows that match",
    "left": "all of this table",
    "right": "all of the other",
    "full": "all of both",
    "only": "this table's without a match",
    "only_other": "the other's without a match",
    "apart": "those of both without a match",
    "cross": "each with each",
}
_MOST = 50_000_000


class JoinSettings(Settings):
    keys: tuple[KeyPair, ...] = setting(
        "Where", "all pairs must be equal", widget="keys", default=(), port="reference"
    )
    by: Literal["equal", "nearest", "range"] = setting(
        "Rows meet by",
        widget="choice",
        default="equal",
        labels={"equal": "equal keys", "nearest": "and the nearest", "range": "and a range"},
    )
    near: str = setting(
        "This table's column",
        "a number or a day",
        widget="column",
        default="",
        when={"by": ["nearest", "range"]},
    )
    near_reference: str = setting(
        "Nearest in", widget="column", default="", port="reference", when={"by": ["nearest"]}
    )
    side: Literal["before", "after", "either"] = setting(
        "Which lies",
        widget="choice",
        default="before",
        labels={"before": "at or before", "after": "at or after", "either": "either way"},
        when={"by": ["nearest"]},
    )
    within: float = setting(
        "Away by at most",
        "days, of dates; 0: however far",
        widget="decimal",
        default=0.0,
        ge=0,
        when={"by": ["nearest"]},
    )
    start: str = setting("Lies from", widget="column", default="", port="reference", when={"by": ["range"]})
    end: str = setting(
        "To", "an empty end is open", widget="column", default="", port="reference", when={"by": ["range"]}
    )
    rows: Literal["inner", "left", "right", "full", "only", "only_other", "apart", "cross"] = setting(
        "Rows", widget="pick_one", default="inner", labels=WAYS
    )
    keep: tuple[str, ...] = setting(
        "Columns of this table", "none chosen keeps all", widget="names", default=()
    )
    bring: tuple[Brought, ...] = setting(
        "Columns of the other",
        "none chosen brings all but the keys",
        widget="bring",
        default=(),
        port="reference",
    )
    repeated: Literal["repeat", "stop"] = setting(
        "A row with several matches",
        widget="choice",
        default="repeat",
        labels={"repeat": "is repeated", "stop": "stops the run"},
    )
    ignore_case: bool = setting("Ignore case", widget="flag", default=False)
    ignore_blanks: bool = setting("Ignore blanks at the ends", widget="flag", default=False)
    ignore_accents: bool = setting("Ignore accents", widget="flag", default=False)
    as_numbers: bool = digits_as_numbers()
    most: int = setting(
        "Rows added at most",
        "by repeated matches, or each with each; else it stops before",
        widget="number",
        default=_MOST,
        minimum=1,
    )


def check_join(settings: JoinSettings, schema: pl.Schema, its: pl.Schema) -> None:
    """Raise the problem of what rows are to meet by: not chosen, not there, or of kinds that never meet."""
    if settings.rows != "cross" and (settings.keys or settings.by == "equal"):
        check_keys(settings.keys, schema, its, numbers=settings.as_numbers)
    if settings.rows == "cross" or settings.by == "equal":
        return
    others = (
        {"near_reference": settings.near_reference}
        if settings.by == "nearest"
        else {"start": settings.start, "end": settings.end}
    )
    check_ordered(schema, its, {"near": settings.near}, others)


def pairs_of(
    left: pl.LazyFrame, right: pl.LazyFrame, names: list[str], settings: JoinSettings
) -> pl.LazyFrame:
    """Places LEFT and RIGHT of the rows that meet not by equal keys alone; `names` are the keys."""
    if settings.by == "range":
        return by_range(left, right, names, settings.near, settings.start, settings.end)
    near, reference = settings.near, settings.near_reference
    return by_nearest(left, right, names, near, reference, settings.side, settings.within)
