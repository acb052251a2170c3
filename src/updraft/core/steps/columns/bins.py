import math
from collections.abc import Mapping
from itertools import pairwise
from typing import Literal

import polars as pl

from updraft.core.formula.functions.text import as_text
from updraft.core.formula.terms import Term
from updraft.core.problems import Problem
from updraft.core.steps.base import StepKind
from updraft.core.steps.choice import need_new
from updraft.core.steps.given import Context, Result, Wanted, also
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.spread import Spread
from updraft.core.steps.tables import Tables
from updraft.core.values import Kind

MOST = 1_000  # bins; more of them are no bins


class BinsSettings(Settings):
    column: str = setting("Column", widget="column", default="", needs="one", fits="numbers")
    by: Literal["width", "edges", "equal", "even"] = setting(
        "Bins of",
        widget="choice",
        default="width",
        labels={
            "width": "one width",
            "edges": "edges of your own",
            "equal": "so many, of one width",
            "even": "so many, of as many rows each",
        },
    )
    width: float = setting("Width", widget="decimal", default=10.0, when={"by": ["width"]})
    start: float = setting("Counted from", widget="decimal", default=0.0, when={"by": ["width"]})
    edges: tuple[str, ...] = setting(
        "Edges", "one a line; each begins a bin", widget="lines", default=(), when={"by": ["edges"]}
    )
    many: int = setting(
        "How many", widget="number", default=4, minimum=2, maximum=MOST, when={"by": ["equal", "even"]}
    )
    names: tuple[str, ...] = setting(
        "Names of the bins",
        "one a line, from the smallest; nothing names them by their edges",
        widget="lines",
        default=(),
        when={"by": ["edges", "equal", "even"]},
    )
    into: str = setting("Name of the new column", widget="text", default="Bin")


class Bins(StepKind):
    """Put numbers into bins. A bin holds its lower edge and not its upper one; the last of bins
    that the table's own numbers make holds both. An empty cell stays empty.
    """

    kind = "bins"
    title = "Bins"
    summary = "Put numbers into ranges, of one width, of edges of your own, or of as many rows each"
    words = ("bucket", "range", "band", "histogram", "quantile", "quartile", "group numbers", "class", "age")
    icon = "bar-chart-steps"
    needs = frozenset({"whole"})
    works_on = frozenset({Kind.WHOLE, Kind.NUMBER})
    Settings = BinsSettings

    def apply(self, tables: Tables, settings: BinsSettings, context: Context) -> Result:
        table = tables.main
        schema = table.collect_schema()
        into = need_new(settings.into, schema, field="into")
        number = pl.col(settings.column).cast(pl.Float64)
        number = pl.when(number.is_finite()).then(number)
        if settings.by == "width":
            return Result(table.with_columns(_of_width(table, number, settings).alias(into)), touched=())
        by = (settings.column, settings.by, settings.many)
        edges = context.learnt(("edges", *by), lambda: self._edges(table.select(number), settings))
        names = _names(edges, settings)
        place = pl.sum_horizontal([(number >= edge).cast(pl.UInt32) for edge in edges])
        if settings.by in ("equal", "even"):  # the largest number stands in the last bin, not above it
            place = place.clip(upper_bound=len(names) - 1)
        named = place.replace_strict(list(range(len(names))), names, return_dtype=pl.String)
        return Result(table.with_columns(pl.when(number.is_not_null()).then(named).alias(into)), touched=())

    def _edges(self, numbers: pl.LazyFrame, settings: BinsSettings) -> list[float]:
        """Where bins begin, rising; the first bin has all that is below the first of them."""
        if settings.by == "edges":
            return _typed(settings.edges)
        known = numbers.collect().to_series().drop_nulls()
        if known.is_empty():
            return []
        if settings.by == "even":
            cuts = [known.quantile(n / settings.many, "higher") for n in range(1, settings.many)]
            return sorted({float(cut) for cut in cuts if cut is not None and cut > known.min()})  # type: ignore[operator]
        low, high = float(known.min()), float(known.max())  # type: ignore[arg-type]
        step = (high - low) / settings.many
        return [low + step * n for n in range(1, settings.many)] if step else []

    def reads(self, settings: BinsSettings, wanted: Wanted, port: str) -> Wanted:
        return also(wanted, [settings.column, settings.into.strip()])  # new: it must not be there yet

    def spread(self, settings: BinsSettings, schemas: Mapping[str, pl.Schema]) -> Spread:
        return Spread("rows", learns=settings.by in ("equal", "even"))

    def sentence(self, settings: BinsSettings) -> str:
        how = {
            "width": f"{settings.width:g} wide",
            "edges": f"{len(settings.edges) + 1} by edges",
            "equal": f"{settings.many} of one width",
            "even": f"{settings.many} of as many rows",
        }[settings.by]
        return f"{settings.column or '…'} · {how} → {settings.into}"


def _of_width(table: pl.LazyFrame, number: pl.Expr, settings: BinsSettings) -> pl.Expr:
    if not settings.width > 0:
        raise Problem("The width", "it is not above 0.", "Type how wide a bin is.", field="width")
    step = step_of(number, settings.width, settings.start)
    named = table.select(step.alias("step")).unique().collect().drop_nulls()
    # Bins are few beside the rows: each is written once.
    place = pl.col("step")
    texts = named.select(place, name=name_of(place, settings.width, settings.start))
    return step.replace_strict(texts["step"], texts["name"], default=None, return_dtype=pl.String)


def step_of(number: pl.Expr, width: float, start: float = 0.0) -> pl.Expr:
    """Which bin of one width a number is in, counted from the one that begins at `start`."""
    # 0.3 / 0.1 is 2.9999999999999996 in binary: fifteen figures say which bin is meant.
    return ((number - start) / width).round_sig_figs(15).floor()


def name_of(step: pl.Expr, width: float, start: float = 0.0) -> pl.Expr:
    """What a bin of one width is called: “0 to 10”."""
    ends = [((step + further) * width + start).round_sig_figs(15) for further in (0, 1)]
    return pl.concat_str([as_text(Term(end, Kind.NUMBER)) for end in ends], separator=" to ")


def _typed(lines: tuple[str, ...]) -> list[float]:
    found: list[float] = []
    for line in lines:
        try:
            edge = float(line.replace(",", "").strip())
        except ValueError:
            edge = math.nan
        if not math.isfinite(edge):
            raise Problem(f"“{line}”", "it is no number.", "Type one number a line.", field="edges")
        if found and edge <= found[-1]:
            raise Problem(
                f"“{line}”", "it is not above the edge before it.", "Let the edges rise.", field="edges"
            )
        found.append(edge)
    if not found:
        raise Problem("The edges", "there is none yet.", "Type one a line.", field="edges", code="unfinished")
    if len(found) >= MOST:
        raise Problem(
            "The edges", f"there are more than {MOST:,}.", "Choose bins of one width.", field="edges"
        )
    return found


def _names(edges: list[float], settings: BinsSettings) -> list[str]:
    if not settings.names:
        shown = [f"{edge:.12g}" for edge in edges]
        if not shown:
            return ["all"]
        between = [f"{low} to {high}" for low, high in pairwise(shown)]
        return [f"below {shown[0]}", *between, f"{shown[-1]} and above"]
    if len(settings.names) < len(edges) + 1:
        raise Problem(
            "The names of the bins",
            f"there are {len(settings.names)} for {len(edges) + 1} bins.",
            "Type one a line, the bin below the first edge first.",
            field="names",
        )
    return list(settings.names)
