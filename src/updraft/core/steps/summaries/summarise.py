from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence, Set
from typing import Any, Literal

import polars as pl

from updraft.core.formula import names_in
from updraft.core.problems import Problem
from updraft.core.steps.base import StepKind
from updraft.core.steps.behind import all_of, equal_to
from updraft.core.steps.choice import listed
from updraft.core.steps.counts import Count, control_total
from updraft.core.steps.figures import (
    FIGURE_WORDS,
    OF_ALL,
    FigureOfSome,
    added_up,
    expression,
    leaves_out_empty,
)
from updraft.core.steps.given import Context, Grounds, Result, Wanted
from updraft.core.steps.presummed import SIZE, SUM, Groups, can_be_added, empties_of, figure_of, groups_for
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.spread import WHOLE, Spread
from updraft.core.steps.summaries.groups import MadeGroup, keyed, rows_of
from updraft.core.steps.summaries.totals import GROUP, TOTAL, with_totals
from updraft.core.steps.tables import Tables
from updraft.core.values.decimals import in_millionths

_SUMS = 5  # figures of which it is told whether they agree
_MADE, _FIGURE, _LEVEL = "\0made", "\0figure", "\0level"  # names no file can bring


class SummariseSettings(Settings):
    by: tuple[str, ...] = setting(
        "For each", "no column makes one row for the whole table", widget="names", default=()
    )
    made: tuple[MadeGroup, ...] = setting(
        "Groups made of a column", "such as its month, or ranges", widget="items", default=(), one="group"
    )
    figures: tuple[FigureOfSome, ...] = setting("Figures", widget="figures", default=(), figures=FIGURE_WORDS)
    totals: Literal["none", "all", "each"] = setting(
        "Totals",
        widget="choice",
        default="none",
        labels={"none": "none", "all": "of all", "each": "of each, too"},
    )
    level: str = setting(
        "Column that tells totals from groups",
        widget="text",
        default="Row",
        when={"totals": ["all", "each"]},
        needs="name",
    )
    order: Literal["groups", "first"] = setting(
        "Order",
        widget="choice",
        default="groups",
        labels={"groups": "by group", "first": "as they first come"},
        when={"totals": ["none"]},
    )


class Summarise(StepKind):
    """One row for each group, with figures. Empty values form a group of their own and count in no figure
    but rows, unless a figure says so. Shares are of what all groups have together, from 0 to 1. Totals stand
    after the groups that they are of, with nothing in the other columns of groups.
    """

    kind = "summarise"
    title = "Summarise"
    summary = "Group rows and count, add up or average them"
    words = (
        "group by",
        "aggregate",
        "sum",
        "count",
        "total",
        "average",
        "mean",
        "min",
        "max",
        "pivot",
        "subtotal",
        "distinct",
        "sumif",
        "countif",
        "percentile",
        "quantile",
        "standard deviation",
    )
    icon = "collection"
    other_rows = True
    Settings = SummariseSettings

    def apply(self, tables: Tables, settings: SummariseSettings, context: Context) -> Result:
        table = tables.main
        schema = table.collect_schema()
        presummed = context.presummed if context is not None else None
        if not settings.figures and not settings.by and not settings.made:
            raise Problem(
                "The summary",
                "it has no figure yet.",
                "Choose a figure such as the number of rows.",
                field="figures",
                code="unfinished",
            )
        asked = [
            one for figure in settings.figures for one in ([figure] if presummed else figure.each(schema))
        ]
        groups = [keyed(group, schema, context, f"{_MADE}{n}") for n, group in enumerate(settings.made)]
        level = [settings.level.strip()] if self._totalled(settings) else []
        self._check_names([*settings.by, *(g.name for g in groups), *level, *(f.called() for f in asked)])
        fine = frozenset() if presummed else in_millionths(table, added_up(asked, schema))
        if not presummed and (level or not (settings.by or groups)):
            table = _in_one_piece(table, schema, {one.column for one in asked} - fine)
        figures = [
            (
                figure_of(presummed, figure.figure, figure.column, schema)
                if presummed
                else expression(figure, schema, fine=fine)
            ).alias(f"{_FIGURE}{n}")
            for n, figure in enumerate(asked)
        ]
        table = table.with_columns(group.key.alias(f"{_MADE}{n}") for n, group in enumerate(groups))
        names = [*settings.by, *(group.name for group in groups)]
        keys = [*settings.by, *(f"{_MADE}{n}" for n in range(len(groups)))]
        if not keys:
            made = table.select(figures)
        elif level:
            of_each = settings.totals == "each"
            made = with_totals(table, keys, names, figures, _LEVEL, of_each=of_each)
        elif settings.order == "first":
            made = table.group_by(keys, maintain_order=True).agg(figures)
        else:
            made = table.group_by(keys).agg(figures).sort(keys, nulls_last=True)
        made = made.cache()
        result = made.select(
            *settings.by,
            *(group.label.alias(group.name) for group in groups),
            *(pl.col(_LEVEL).alias(name) for name in level),
            *(
                _of_all(pl.col(f"{_FIGURE}{n}"), figure, totalled=bool(level)).alias(figure.called())
                for n, figure in enumerate(asked)
            ),
        )
        counts = (*_left_out(table, asked, presummed), *_agreeing(table, made, asked, level, presummed))
        return Result(result, counts=counts)

    def _totalled(self, settings: SummariseSettings) -> bool:
        return settings.totals != "none" and bool(settings.by or settings.made)

    def _check_names(self, names: list[str]) -> None:
        double = next((name for name in names if names.count(name) > 1), None)
        if double is not None:
            raise Problem(
                f"“{double}”",
                "two columns of the summary would have this name.",
                "Give one of the figures another name.",
                field="figures",
            )

    def reads(self, settings: SummariseSettings, wanted: Wanted, port: str) -> Wanted:
        made = [group.read() for group in settings.made]
        if any(figure.like.strip() for figure in settings.figures) or None in made:
            return None  # only the table tells which columns
        read = {name for figure in settings.figures for name in figure.read()}
        return frozenset([*settings.by, *read]).union(*(some for some in made if some))

    def depends_on(self, settings: SummariseSettings, grounds: Grounds) -> list[str]:
        used = {
            name for group in settings.made if group.by == "formula" for name in names_in(group.formula)[1]
        }
        return [grounds.parameter(name) for name in sorted(used)]

    def presums(self, settings: SummariseSettings) -> Groups | None:
        ordered = settings.order == "first" and not self._totalled(settings)
        if settings.made or ordered or not (settings.by or settings.figures):
            return None
        if any(one.like.strip() or one.where.of or one.empty for one in settings.figures):
            return None
        if any(not one.column for one in settings.figures if one.figure not in ("rows", "rows_share")):
            return None
        rows = ("rows", "rows_share")
        asked = [(one.figure, "" if one.figure in rows else one.column) for one in settings.figures]
        return groups_for(settings.by, asked)

    def behind(self, settings: SummariseSettings, table: pl.DataFrame, row: int) -> dict[str, Any] | None:
        names = [*settings.by, *(group.called() for group in settings.made)]
        told = table[settings.level.strip()][row] if self._totalled(settings) else GROUP
        counted = _told_by(told, names)
        conditions = []
        for name in settings.by[:counted]:
            conditions += equal_to(name, table[name][row], table.schema[name], table[name])
        for group in settings.made[: max(0, counted - len(settings.by))]:
            made = rows_of(group, table[group.called()], row)
            if made is None:
                return None
            conditions += made
        return all_of(conditions)

    def spread(self, settings: SummariseSettings, schemas: Mapping[str, pl.Schema]) -> Spread:
        ordered = all(group.by not in ("range", "formula") for group in settings.made)
        alone = all(figure.figure not in OF_ALL for figure in settings.figures)
        if not (settings.by or settings.made) or self._totalled(settings) or not ordered or not alone:
            asked = self.presums(settings)
            fits = asked and can_be_added(asked, schemas["table"])
            return Spread("whole", groups=asked) if fits and _can_be_had(settings, schemas) else WHOLE
        schema = schemas["table"]
        if any(name not in schema for name in settings.by):
            return WHOLE
        groups = [keyed(group, schema, None, f"{_MADE}{n}") for n, group in enumerate(settings.made)]
        keys = [*(pl.col(name) for name in settings.by), *(group.key for group in groups)]
        names = (*settings.by, *(group.name for group in groups))
        order = names if settings.order == "groups" else ()
        asked = self.presums(settings)
        few = asked if asked and can_be_added(asked, schema) and _can_be_had(settings, schemas) else None
        return Spread("keys", {"table": keys}, stands="group", order=order, groups=few)

    def sentence(self, settings: SummariseSettings) -> str:
        figures = listed([figure.called().lower() for figure in settings.figures])
        by = listed([*settings.by, *(group.called() for group in settings.made)])
        return f"{figures or 'groups'} by {by}" if by else figures or "no figure yet"


def _can_be_had(settings: SummariseSettings, schemas: Mapping[str, pl.Schema]) -> bool:
    """Whether all figures fit their columns; where one does not, the step says so of its table."""
    try:
        for figure in settings.figures:
            expression(figure, schemas["table"])
    except Problem:
        return False
    return True


def _in_one_piece(table: pl.LazyFrame, schema: pl.Schema, columns: Set[str]) -> pl.LazyFrame:
    """The table as it is added up over all rows: a sum of floats would be one of the sums of the pieces that
    they lie in, which is not the same.
    """
    floats = any(schema[name].is_float() for name in columns if name)
    return table.map_batches(pl.DataFrame.rechunk, schema=schema) if floats else table


def _of_all(column: pl.Expr, figure: FigureOfSome, *, totalled: bool) -> pl.Expr:
    """A share is what a group has of what all have; totals are not counted once more."""
    if figure.figure not in OF_ALL:
        return column
    whole = (column.filter(pl.col(_LEVEL) == GROUP) if totalled else column).sum()
    return pl.when(whole != 0).then(column / whole)


def _left_out(
    table: pl.LazyFrame, figures: Sequence[FigureOfSome], presummed: Groups | None
) -> Iterator[Count]:
    """How many empty cells of a column are in none of its figures."""
    columns = dict.fromkeys(figure.column for figure in figures if leaves_out_empty(figure))
    for name in columns:
        empty = empties_of(presummed, name) if presummed else pl.col(name).null_count().cast(pl.Int64)
        yield Count(
            f"empty:{name}",
            table.select(empty),
            f"{{n}} empty cells of {name} are in no figure of it",
            one=f"{{n}} empty cell of {name} is in no figure of it",
        )


def _agreeing(
    table: pl.LazyFrame,
    made: pl.LazyFrame,
    figures: Sequence[FigureOfSome],
    level: Sequence[str],
    presummed: Groups | None,
) -> Iterator[Count]:
    """Whether what was added up is the same before and after, of the first sums."""
    sums = [(f"{_FIGURE}{n}", figure) for n, figure in enumerate(figures) if figure.figure == "sum"]
    groups = made.filter(pl.col(_LEVEL) == GROUP) if level else made
    for name, figure in sums[:_SUMS]:
        why = f"{figure.called()} counts only rows that meet its conditions"
        column = figure.column
        value, size = (pl.col(column),) * 2
        if presummed:
            value, size = (pl.col(presummed.names[what, column]) for what in (SUM, SIZE))
        yield control_total(column, table, groups, pl.col(name).sum(), why, value=value, size=size)


def _told_by(level: str, names: Sequence[str]) -> int:
    """How many of the columns of groups tell the rows of a row of the result."""
    if level == GROUP:
        return len(names)
    return 0 if level == TOTAL else names.index(level.removeprefix(f"{TOTAL} of ")) + 1
