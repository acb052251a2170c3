"""A computed table with what is known about how it came to be, and the one place where queries are
collected.
"""

from __future__ import annotations

import time
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

import polars as pl

from updraft.core.engine.coded import Coded, differs
from updraft.core.engine.told import told
from updraft.core.problems import Problem
from updraft.core.steps import Context, Count, Result, Settings, StepKind, Tables

if TYPE_CHECKING:
    from updraft.core.figures import ColumnProfile

_CHANGED = Count("cells_changed", pl.LazyFrame(), "{n} cells changed", one="{n} cell changed")


@dataclass(frozen=True)
class Fact:
    """A number with its sentence; `code` is stable, `level` is info, warning or hold, `side` the output that
    shows the rows, `rule` the one that keeps them of the main output.
    """

    code: str
    count: int
    text: str
    level: str = "info"
    side: str = ""
    rule: Mapping[str, Any] | None = None


Frame = pl.DataFrame | pl.LazyFrame | Coded


@dataclass
class Table:
    """The result of one step: its tables in memory, and the facts.

    Args:
        frames: main output under "", side outputs by name; coded only between the steps of a run.
        rows_in: rows of the main input (of all its tables, where it takes many); None for a source.
        seconds: time the query took.
        touched: as in Result; None when rows came or went.
        changed: cells changed, by column.
        brought: columns that came from another table.
        evidence: why columns have their kinds.
        whole, presummed, figures: as in Result.
    """

    fingerprint: str
    frames: dict[str, Frame]
    rows: dict[str, int]
    rows_in: int | None = None
    seconds: float = 0.0
    facts: tuple[Fact, ...] = ()
    touched: tuple[str, ...] | None = None
    changed: dict[str, int] = field(default_factory=dict)
    brought: tuple[str, ...] = ()
    warnings: tuple[str, ...] = ()
    evidence: dict[str, str] = field(default_factory=dict)
    whole: int | None = None
    presummed: bool = False
    figures: tuple[ColumnProfile, ...] = ()

    @property
    def height(self) -> int:
        return self.rows[""]

    def lazy(self, output: str = "") -> pl.LazyFrame:
        """A table of the step as a lazy frame."""
        return self.frames[output].lazy()

    def schema(self, output: str = "") -> pl.Schema:
        return self.frames[output].lazy().collect_schema()

    def size(self) -> int:
        """Bytes held in memory."""
        return sum(int(f.estimated_size()) for f in self.frames.values() if isinstance(f, pl.DataFrame))

    def about(self) -> dict[str, Any]:
        """All but the frames, as plain data."""
        return {
            "fingerprint": self.fingerprint,
            "rows": self.rows,
            "rows_in": self.rows_in,
            "seconds": self.seconds,
            "facts": [vars(fact) for fact in self.facts],
            "touched": self.touched,
            "changed": self.changed,
            "brought": self.brought,
            "warnings": self.warnings,
            "evidence": self.evidence,
        }


def compute(
    kind: StepKind,
    settings: Settings,
    inputs: Tables,
    context: Context,
    fingerprint: str = "",
    coded: Coded | None = None,
) -> Table:
    """Apply a step and collect its tables, its counts and its changed cells in one query.

    Args:
        coded: the main table, where a step that changes values one by one may leave its result coded.

    Raises:
        Problem: the step does not fit the tables, a count of level `stop` is not 0, or the query failed.
    """
    started = time.perf_counter()
    with telling(kind):
        result = kind.work(inputs, settings, context)
        done = measured(result, inputs, coded=coded)
    facts = facts_of(result, [[frame] for frame in done.counted])
    table = done.main if coded and result.changes else done.main.frame()
    return Table(
        fingerprint,
        {"": table, **done.sides},
        {"": done.main.height, **{name: side.height for name, side in done.sides.items()}},
        done.rows_in,
        time.perf_counter() - started,
        (*facts, *cells_changed(done.changed)),
        result.touched,
        done.changed,
        result.brought,
        result.warnings,
        result.evidence,
        result.whole,
        result.presummed,
        result.figures,
    )


@contextmanager
def telling(kind: StepKind) -> Iterator[None]:
    """What goes wrong within, as a Problem of a step."""
    try:
        yield
    except (pl.exceptions.PolarsError, pl.exceptions.PanicException) as error:
        raise told(error, kind.title) from None
    except MemoryError:
        raise Problem(
            kind.title,
            "there is not enough memory for this table.",
            "Keep fewer rows or columns before this step.",
            code="memory",
        ) from None


@dataclass
class Measured:
    """What one query gave: of all of a step's tables, or of a part of them.

    Args:
        counted: the frame of each count.
        rows_in, changed: as in Table.
    """

    main: Coded
    sides: dict[str, pl.DataFrame]
    counted: list[pl.DataFrame]
    rows_in: int | None = None
    changed: dict[str, int] = field(default_factory=dict)


def measured(
    result: Result,
    inputs: Tables,
    sides: Collection[str] | None = None,
    hidden: Collection[str] = (),
    coded: Coded | None = None,
) -> Measured:
    """Collect a result, its counts and its changed cells in one query.

    Args:
        sides: the side outputs that are needed; None for all.
        hidden: names that only the engine gives, which the tables have here.
        coded: the main table, whose columns stay coded where they are changed value by value.
    """
    needed = {name: side for name, side in result.sides.items() if sides is None or name in sides}
    if result.changes:
        table, before = [], [] if coded else [inputs.main]
    else:
        table, before = [result.table], _before(result, inputs)
    asked = [*needed.values(), *(count.frame for count in result.counts)]
    # In memory: the streaming engine may add floats up in another order from run to run.
    collected = pl.collect_all([*asked, *table, *before], engine="in-memory")
    made = dict(zip(needed, collected, strict=False))
    counted = collected[len(needed) : len(asked)]
    if result.changes:  # each distinct value once
        main, changed = (coded or Coded(collected[-1])).changed(result.changes)
        changed = {name: number for name, number in changed.items() if number}
        return Measured(main, made, counted, main.height, changed)
    frame = collected[len(asked)]
    _check_names([frame, *made.values()], hidden)
    if not before:
        return Measured(Coded(frame), made, counted)
    old = collected[-1]
    rows_in = int(old["\0rows"].sum()) if "\0rows" in old.columns else old.height
    return Measured(Coded(frame), made, counted, rows_in, _changed(old, frame, result.touched or ()))


def _check_names(made: Iterable[pl.DataFrame], hidden: Collection[str]) -> None:
    """Steps give their own columns names that begin with a sign nobody can type: no table may bring such."""
    names = (name for frame in made for name in frame.columns if name not in hidden)
    odd = next((name for name in names if name.startswith("\0")), None)
    if odd is not None:
        raise Problem(
            f"Column “{odd[1:61]}”",
            "its name begins with a sign that cannot be seen.",
            "Give it another name where it comes from.",
            code="odd_name",
        )


def cells_changed(changed: Mapping[str, int]) -> tuple[Fact, ...]:
    number = sum(changed.values())
    return (Fact("cells_changed", number, _CHANGED.said(number)),) if number else ()


def _before(result: Result, inputs: Tables) -> list[pl.LazyFrame]:
    """The main input: only the columns that may change, or only the rows of each table there."""
    if not inputs.mains:
        return []
    if result.touched:
        return [inputs.main.select(result.touched)]
    return [pl.concat([main.select(pl.len().alias("\0rows")) for main in inputs.mains])]


def facts_of(result: Result, counted: Sequence[Sequence[pl.DataFrame]]) -> tuple[Fact, ...]:
    """What the counts say; for each of them the frame of every part. Problem where one stops the step."""
    facts = []
    for count, frames in zip(result.counts, counted, strict=True):
        told = count.told(frames)
        if told is None:
            continue
        code, number, text = told
        if count.level == "stop":
            raise Problem(text, "the step is set to stop then.", count.way_out, code=count.code)
        facts.append(Fact(code, number, text, count.level, count.side, count.rule))
    return tuple(facts)


def _changed(before: pl.DataFrame, after: pl.DataFrame, touched: tuple[str, ...]) -> dict[str, int]:
    with ThreadPoolExecutor() as pool:  # Polars works outside the interpreter's lock
        counts = list(pool.map(lambda name: int(differs(before[name], after[name]).sum()), touched))
    return {name: number for name, number in zip(touched, counts, strict=True) if number}
