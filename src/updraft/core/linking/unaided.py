"""Two tables linked with as much said as a person cares to say."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from updraft.core.linking.choosing import Chosen, choose
from updraft.core.linking.columns import columns_that_meet
from updraft.core.linking.fields import Field
from updraft.core.linking.links import Take, link, ranked
from updraft.core.problems import Problem

LEAST = 75.0  # percent, where fields are given and nothing is said


def link_by(
    left: pl.DataFrame, right: pl.DataFrame, fields: Sequence[Field], *, least: float | None, take: Take
) -> tuple[Chosen, pl.DataFrame]:
    """Pairs of rows that stand for one thing as `link` gives them, and by what they were found.

    Args:
        left, right: tables of text.
        fields: none lets fields, measures and weights be chosen by the data.
        least: percent; None takes what the data says, or with fields LEAST.

    Raises:
        Problem: no column of one table meets one of the other.
    """
    if fields:
        chosen = Chosen(tuple(fields), LEAST if least is None else least)
    else:
        pairs = columns_that_meet(left, right)
        if not pairs:
            raise Problem(
                "The tables",
                "no column of one shares a name or values with one of the other.",
                "Say which to compare, as --field NAME=OTHER.",
                code="no_fields",
            )
        chosen = choose(left, right, pairs)
        chosen = chosen if least is None else chosen._replace(least=least)
    if chosen.compared is None:
        return chosen, link(left, right, chosen.fields, least=chosen.least, take=take)
    weights = [field.weight for field in chosen.fields]
    return chosen, ranked(chosen.compared.pairs(weights), chosen.least, take)
