"""The one door to tables that are kept, and to those of their rows that a person has in focus."""

from __future__ import annotations

import json

import polars as pl

from updraft.core import Problem, Table
from updraft.core.insight import Focus
from updraft.core.insight.compare import gone_and_new
from updraft.core.problems import missing_column
from updraft.web.live.detecting import detecting
from updraft.web.live.studio import remembered, studio


def kept_table(key: str) -> Table:
    """The table of a fingerprint.

    Raises:
        Problem: it was left meanwhile.
    """
    table = studio().engine.cache.get(key)
    if table is None:
        raise Problem("This table", "it is not kept any more.", "It is computed again.", code="no_table")
    return table


def kept_frame(key: str, output: str = "") -> pl.DataFrame | pl.LazyFrame:
    """An output of a kept table as it is kept: one in memory answers without a query."""
    frames = kept_table(key).frames
    if output not in frames:
        raise Problem(
            f"Output “{output}”", "the step has none of this name.", "Choose another one.", code="no_table"
        )
    return frames[output]


def kept(key: str, output: str = "") -> pl.LazyFrame:
    return kept_frame(key, output).lazy()


def need_column(key: str, output: str, name: str) -> str:
    """The name, which is one of the table's columns.

    Raises:
        Problem: it is none.
    """
    names = kept(key, output).collect_schema().names()
    if name not in names:
        raise missing_column(name, names)
    return name


def focused_rows(key: str, output: str, focus: Focus) -> pl.Series | None:
    """Numbers of the rows in focus; None for all of them."""
    if focus.nothing:
        return None
    found = {name: rows_of(key, name, output) for name in focus.findings()}

    def make() -> pl.Series:
        known = {name: rows for name, rows in found.items() if rows is not None}
        return focus.rows(kept(key, output), known)

    rows: pl.Series = remembered(("focus", key, output, focus.model_dump_json()), make)
    return rows


def in_focus(key: str, output: str, columns: list[str], focus: Focus) -> pl.DataFrame:
    """Some columns of the rows in focus."""
    rows = focused_rows(key, output, focus)
    frame = kept(key, output).select(columns).collect()
    return frame if rows is None else frame[rows]


def rows_of(key: str, name: str, output: str = "") -> pl.Series | None:
    """Rows of a finding of this table, rows that another table lacks (`gone:KEY`, `new:KEY`), or those that
    break what one column says of another (`against:[A, B]`).
    """
    way, _, other = name.partition(":")
    if way == "against":
        from updraft.core.insight import exceptions

        try:
            both = [str(name) for name in json.loads(other)]
        except (ValueError, TypeError):
            return None
        if len(both) != 2 or not set(both) <= set(kept(key, output).collect_schema()):
            return None
        broken: pl.Series = remembered(
            ("against", key, output, other),
            lambda: exceptions(kept(key, output).select(both).collect(), *both),
        )
        return broken
    if way in ("gone", "new"):
        before, after = (key, other) if way == "gone" else (other, key)
        pair: tuple[pl.Series, pl.Series] = remembered(
            ("compare", before, after),
            lambda: gone_and_new(*(kept(*split_key(name)).collect() for name in (before, after))),
        )
        return pair[0 if way == "gone" else 1]
    return detecting().rows(key, name)


def split_key(text: str) -> tuple[str, str]:
    """`KEY.OUTPUT` as the two."""
    key, _, output = text.partition(".")
    return key, output
