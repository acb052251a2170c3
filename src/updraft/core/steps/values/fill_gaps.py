from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

import polars as pl

from updraft.core.problems import Problem
from updraft.core.steps.base import StepKind
from updraft.core.steps.choice import listed, need_typed
from updraft.core.steps.conditions import Condition, rows_where
from updraft.core.steps.counts import Count
from updraft.core.steps.given import Context, Result, Wanted, also
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.spread import BY_ROWS, WHOLE, Spread, by_columns
from updraft.core.steps.tables import Out, Tables
from updraft.core.values import TITLES, Kind, converted, is_blank, kind_of

_NUMBERS = (Kind.WHOLE, Kind.NUMBER)


class FillGapsSettings(Settings):
    columns: tuple[str, ...] = setting("Columns", widget="names", default=(), needs="some")
    by: Literal["down", "up", "group", "value", "mean", "median", "between"] = setting(
        "Fill with",
        widget="choice",
        default="down",
        labels={
            "down": "value above",
            "up": "value below",
            "group": "what the group agrees on",
            "value": "a value",
            "mean": "mean",
            "median": "median",
            "between": "between neighbours",
        },
    )
    within: tuple[str, ...] = setting(
        "Group by",
        "rows equal in these belong together",
        widget="names",
        default=(),
        when={"by": ["group", "down", "up", "mean", "median", "between"]},
    )
    value: str = setting("Value", widget="text", default="", when={"by": ["value"]})


class FillGaps(StepKind):
    """Fill empty cells from their neighbours, their group, or with one value. Cells of blanks only count as
    empty.

    `group` fills only where all filled cells of the group agree. Means are not rounded; in a column of whole
    numbers they are, half to even. `between` is the straight line between the nearest filled neighbours.
    """

    kind = "fill_gaps"
    title = "Fill gaps"
    summary = "Fill empty cells from above, below, the group, or with a value"
    words = (
        "fill down",
        "fill up",
        "forward fill",
        "impute",
        "missing",
        "coalesce",
        "interpolate",
        "default",
    )
    icon = "paint-bucket"
    Settings = FillGapsSettings

    def apply(self, tables: Tables, settings: FillGapsSettings, context: Context) -> Result:
        table = tables.main
        schema = table.collect_schema()
        if settings.by == "group" and not settings.within:
            raise Problem(
                "The group",
                "it is not said yet which rows belong together.",
                "Choose a column under “Group by”.",
                field="within",
                code="unfinished",
            )
        filled = {name: self._filled(name, schema[name], settings) for name in settings.columns}
        done = table.with_columns(**filled).cache()
        counts = [
            rows_where(
                f"gaps_left:{name}",
                done,
                [Condition(column=name, test="empty")],
                f"{{n}} cells of {name} stay empty",
                one=f"{{n}} cell of {name} stays empty",
            )
            for name in filled
        ]
        if settings.by != "group":
            return Result(done, touched=tuple(filled), counts=tuple(counts))
        left = _left(settings)
        known = {_known(n): pl.col(name).count() for n, name in enumerate(settings.columns)}
        asked = done.with_columns(many.over(settings.within).alias(n) for n, many in known.items()).cache()
        counts += [part.count(asked) for part in left]
        sides = {part.side: asked.filter(part.rows).select(schema.names()) for part in left}
        return Result(done, sides, tuple(counts), tuple(filled))

    def outs(self, settings: FillGapsSettings) -> tuple[Out, ...]:
        if settings.by != "group":
            return self.outputs
        return (*self.outputs, *(Out(part.side, part.title) for part in _left(settings)))

    def _filled(self, name: str, dtype: pl.DataType, settings: FillGapsSettings) -> pl.Expr:
        cell = pl.when(~is_blank(name, dtype)).then(pl.col(name))
        kind = kind_of(dtype)
        if settings.by in ("mean", "median", "between") and kind not in _NUMBERS:
            raise Problem(
                f"Column “{name}”",
                f"it holds {TITLES[kind]}s, which have no {settings.by.replace('between', 'middle')}.",
                "Choose another way to fill, or set the column to number first.",
                field="by",
            )
        if settings.by == "value":
            return cell.fill_null(_literal(settings.value, name, dtype))
        match settings.by:
            case "down":
                fresh = cell.forward_fill()
            case "up":
                fresh = cell.backward_fill()
            case "group":
                fresh = cell.fill_null(
                    pl.when(cell.drop_nulls().n_unique() == 1).then(cell.drop_nulls().first())
                )
            case "mean" | "median":
                middle = cell.mean() if settings.by == "mean" else cell.median()
                fresh = cell.fill_null((middle.round() if kind is Kind.WHOLE else middle).cast(dtype))
            case "between":
                line = cell.cast(pl.Float64).interpolate()
                fresh = cell.fill_null((line.round() if kind is Kind.WHOLE else line).cast(dtype))
        return fresh.over(settings.within) if settings.within else fresh

    def reads(self, settings: FillGapsSettings, wanted: Wanted, port: str) -> Wanted:
        return also(wanted, [*settings.columns, *settings.within])

    def spread(self, settings: FillGapsSettings, schemas: Mapping[str, pl.Schema]) -> Spread:
        if settings.by == "value":
            return BY_ROWS
        return by_columns(settings.within, rows_stay=True) if settings.within else WHOLE

    def sentence(self, settings: FillGapsSettings) -> str:
        ways = {
            "down": "from above",
            "up": "from below",
            "group": f"as {listed(settings.within) or 'the group'} agrees",
            "value": f"with {settings.value or '…'}",
            "mean": "with the mean",
            "median": "with the median",
            "between": "between neighbours",
        }
        return f"{listed(settings.columns) or 'no columns yet'} · {ways[settings.by]}"


def _literal(text: str, name: str, dtype: pl.DataType) -> pl.Expr:
    """A typed text as a value of the column; Problem when it is none."""
    kind = kind_of(dtype)
    need_typed(name, dtype)
    if kind is Kind.TEXT:
        return pl.lit(text or None, dtype=pl.String)
    read = (
        pl.Series(name, [text or None], dtype=pl.String)
        .to_frame()
        .select(converted(name, pl.String(), kind))
        .to_series()
    )
    if text and read.null_count():
        raise Problem(
            f"“{text}”",
            f"column “{name}” is of type {TITLES[kind]}, and this is not one.",
            f"Type a {TITLES[kind]}.",
            field="value",
        )
    return pl.lit(read.cast(dtype)[0], dtype=dtype)


@dataclass(frozen=True)
class _Left:
    """Cells of a column that stay empty for one reason, and the output that holds their rows."""

    side: str
    title: str
    rows: pl.Expr
    said: str

    def count(self, done: pl.LazyFrame) -> Count:
        of, why = self.said.rsplit(": ", 1)
        one = f"{of}: {why.replace('their', 'its')}"
        cells = done.select(self.rows.sum())
        return Count(f"gaps_{self.side}", cells, f"{{n}} {self.said}", one=f"{{n}} {one}", side=self.side)


def _known(n: int) -> str:
    """The column of how many cells of the n-th column are filled in a row's group."""
    return f"\0known{n}"


def _left(settings: FillGapsSettings) -> list[_Left]:
    """Why cells stay empty when their group is asked: two reasons for each column."""
    parts = []
    for n, name in enumerate(settings.columns):
        there = pl.col(_known(n)) > 0  # where they agreed, the cell is filled by now
        for code, why, said in (
            ("disagree", there, "their group disagrees"),
            ("unknown", ~there, "nothing is known in their group"),
        ):
            title, told = f"Empty {name}: {said}", f"of those of {name}: {said}"
            parts.append(_Left(f"{code}{n}", title, pl.col(name).is_null() & why, told))
    return parts
