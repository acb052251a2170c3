from __future__ import annotations

import polars as pl

from updraft.core.problems import Problem
from updraft.core.steps.base import StepKind
from updraft.core.steps.choice import listed
from updraft.core.steps.given import Context, Result
from updraft.core.steps.grouping import groups_of
from updraft.core.steps.parts import Part
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.tables import Incoming, Tables
from updraft.core.values.text import shown

_MOST = 5_000  # turns
NONE = "-"  # in place of a source: the rows give parameters alone


class FromColumn(Settings):
    name: str = setting("Parameter", "of the flow that is used", widget="text", default="")
    column: str = setting("takes the value of", widget="column", default="")


class ForEachSettings(Settings):
    by: tuple[str, ...] = setting(
        "For each",
        "group of rows equal in these; no column takes each row by itself",
        widget="names",
        default=(),
    )
    flow: str = setting("Let this flow work on it", widget="flow", default="", needs="one")
    block: bool = setting("Kept in this flow", widget="hidden", default=False)
    revision: int | None = setting(
        "Revision", "empty takes it as it is now", widget="revision", default=None, minimum=1
    )
    source: str = setting("The rows stand for", "or its first source", widget="flow_source", default="")
    output: str = setting("Its result is", "or the table of its last step", widget="flow_step", default="")
    parameters: tuple[FromColumn, ...] = setting(
        "Its parameters", widget="items", default=(), one="parameter"
    )
    mark: bool = setting("Put the group's columns before each result", widget="flag", default=True)


class ForEach(StepKind):
    """Let a flow work on each group of rows, or each row, and put the results below each other. Columns that
    only some results have are empty in the others.
    """

    kind = "for_each"
    title = "For each"
    summary = "Let a flow work on each group of rows by itself, results below each other"
    words = ("loop", "iterate", "repeat", "batch", "per group", "per row", "foreach")
    icon = "repeat"
    needs = frozenset({"flows", "whole"})
    Settings = ForEachSettings

    def part(self, settings: ForEachSettings) -> Part:
        feeds = {} if settings.source == NONE else {settings.source: self.inputs[0].name}
        return Part(settings.flow, settings.block, settings.revision, feeds, settings.output, {})

    def apply(self, tables: Tables, settings: ForEachSettings, context: Context) -> Result:
        table = tables.main.collect()
        groups = _groups(table, settings.by)
        if not groups:  # the flow is asked once, so that the columns are there
            return Result(self._turn(table, 0, settings, context).clear())
        done = [self._turn(group, n, settings, context) for n, group in enumerate(groups, 1)]
        return Result(pl.concat(done, how="diagonal_relaxed"))

    def _turn(
        self, group: pl.DataFrame, number: int, settings: ForEachSettings, context: Context
    ) -> pl.LazyFrame:
        first = {name: shown(group[name].head(1)).to_list() for name in group.columns}
        named = [(first[name] or [""])[0] or "empty" for name in settings.by or group.columns[:1]]
        given = {one.name: (first[one.column] or [""])[0] or "" for one in settings.parameters}
        rows = Tables({"table": [Incoming(group.lazy())]})
        result = context.inside(rows, given, f"{number} · {', '.join(named)}")
        if not settings.mark or not settings.by:
            return result
        known = result.collect_schema()
        mine = [name for name in settings.by if name not in known]
        return result.select(
            *(pl.lit(group[name].first(), dtype=group.schema[name]).alias(name) for name in mine), *known
        )

    def sentence(self, settings: ForEachSettings) -> str:
        return f"{listed(settings.by) or 'each row'} · {settings.flow or 'no flow yet'}"


def _groups(table: pl.DataFrame, by: tuple[str, ...]) -> list[pl.DataFrame]:
    if by:
        return groups_of(table, by, _MOST, thing="The turns of the flow") if table.height else []
    if table.height > _MOST:
        raise Problem(
            "For each",
            f"the flow would run {table.height:,} times; {_MOST:,} are the most.",
            "Group by a column of fewer values, or take fewer rows before.",
            field="by",
            code="too_many",
        )
    return [table.slice(n, 1) for n in range(table.height)]
