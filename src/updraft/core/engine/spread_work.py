"""Compute the steps of a plan over parts of their tables, which lie in a scratch folder in between.

A step that is spread by rows, and whose table one other step takes, hands its frames on as they come: such
steps one after another hold a part each, and nothing is written out between them.
"""

from __future__ import annotations

import os
import shutil
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path

import polars as pl

from updraft.core.ahead import one_ahead
from updraft.core.engine.coded import Coded
from updraft.core.engine.cutting import Cut
from updraft.core.engine.door import Door
from updraft.core.engine.liveness import uses
from updraft.core.engine.memory import Memory
from updraft.core.engine.parted import Arrived
from updraft.core.engine.pieces import Gathered, Pieces, Scratch, Stream
from updraft.core.engine.planning import PlannedStep
from updraft.core.engine.report import Stopped, Turn
from updraft.core.engine.spreading import Way, spread_of, spread_over, streamed
from updraft.core.engine.summing import Made
from updraft.core.engine.table import Table, compute
from updraft.core.engine.work import Work
from updraft.core.flow.model import Ref, label
from updraft.core.problems import Problem
from updraft.core.steps import StepKind, Tables, Wanted
from updraft.core.steps.given import Brought

_PREFIX = "updraft-parts-"  # then the process, of the folders that parts lie in


@dataclass
class SpreadWork(Work):
    """The computing of one plan by parts."""

    groups = False

    cut: Cut = field(default_factory=Cut)
    _keep: Scratch = field(init=False)
    _tables: dict[Ref, Pieces | Stream] = field(default_factory=dict)
    _needed: Counter[Ref] = field(default_factory=Counter)

    def compute_all(self, wanted: Mapping[str, Wanted], *, carry_on: bool = False) -> None:
        folder = _scratch(self.cut.scratch)
        self._keep = Scratch(folder, self.cut.room)
        try:
            super().compute_all(wanted, carry_on=carry_on)
        finally:
            self._tables.clear()
            shutil.rmtree(folder, ignore_errors=True)

    @property
    def _way(self) -> Way:
        return Way.here(self._keep, self._keep.written, self.cut.rows, self.cut.buckets, self.cut.room)

    def _compute(
        self, only: set[str], wanted: Mapping[str, Wanted], carry_on: bool, result: Ref | None
    ) -> dict[Ref, Coded]:
        self._tables, self._needed = {}, uses(self.planned, only)
        self._ask_outside(only, wanted)
        self._in_order(only, carry_on, lambda step: self._spread(step, wanted.get(step.step.id)))
        for table in list(self._tables.values()):
            if isinstance(table, Stream):  # what takes it could not be computed
                table.finish()
        order = list(self.planned.steps)
        self.report.steps.sort(key=lambda done: order.index(done.id))
        return {}

    def _spread(self, step: PlannedStep, wanted: Wanted) -> None:
        """Compute a step, or begin to hand its table on."""
        kind, settings, step_id = step.kind, step.settings, step.step.id
        assert kind is not None and settings is not None
        turns: list[Turn] = []
        within = self._within(step, turns)
        door = Door(self.files, step_id, self.planned, wanted, within, Memory(sys.maxsize))
        if step_id not in self.asked:
            self.progress(step_id, None)
        if not step.inputs:
            self._brought(step, door, kind)
            return
        sides = {ref.output for ref in self._needed if ref.step == step_id and ref.output}
        arrived = self._arrived(step, kind)
        spread = spread_of(kind, settings, arrived, sides, self.cut.room)
        if spread.how in ("whole", "sort") or spread.learns:
            arrived = {port: [self._settled(one) for one in some] for port, some in arrived.items()}
        delivers = "effects" in kind.needs
        if (
            spread.how == "rows"
            and not (spread.learns or sides or delivers)
            and self._needed[Ref(step_id)] == 1
        ):
            self._tables[Ref(step_id)] = self._hand_on(step, arrived, door, wanted)
            return
        arrived = self._ready(arrived)
        all_of_it = None if delivers else wanted  # what is delivered has all columns
        made = spread_over(kind, settings, arrived, door, self._way, sides, all_of_it)
        if made.together and (made.rows_in or 0) > self.cut.rows:
            made.warnings += (f"All {made.rows_in:,} rows were held at once: {made.together}.",)
        made.seconds += self._prepared(step, made)
        self._let_go(step)
        for output, table in made.outputs.items():
            if self._needed[Ref(step_id, output)]:
                self._tables[Ref(step_id, output)] = table
            else:
                table.discard()
        self._done(step, made, tuple(turns))

    def _hand_on(
        self, step: PlannedStep, arrived: Mapping[str, Sequence[Arrived]], door: Door, wanted: Wanted
    ) -> Stream:
        """The table of a step that is spread by rows, for the one that takes it."""
        assert step.kind is not None and step.settings is not None
        done = partial(self._streamed, step)
        stream = streamed(step.kind, step.settings, arrived, door, self._way, done, wanted)
        return Stream(lambda: self._watched(step.step.id, stream.coded()))

    def _ready(self, arrived: dict[str, list[Arrived]]) -> dict[str, list[Arrived]]:
        """What comes into a step that hands nothing on as it comes."""
        return arrived

    def _brought(self, step: PlannedStep, door: Door, kind: StepKind) -> None:
        """The table of a source."""
        asked = self.asked.pop(step.step.id, None)
        assert step.settings is not None
        started, here = time.perf_counter(), Ref(step.step.id)
        spooled: list[Pieces] = []
        spool = partial(self._spool, spooled)
        brought = None if asked else kind.bring(step.settings, door, spool, self.cut.rows)
        if brought is not None:
            made = Made({}, {}, warnings=brought.warnings, evidence=brought.evidence)
            made.seconds = time.perf_counter() - started
            done = partial(self._all_came, step, made, spooled)
            self._tables[here] = self._flowing(step, brought, made, done, kept=self._needed[here] != 1)
            return
        for left in spooled:
            left.discard()
        table = self._answer(asked) if asked else compute(kind, step.settings, Tables({}, ""), door)
        if self._needed[Ref(step.step.id)]:
            kept = Gathered(self._way.keep, self.cut.rows)
            kept.add(table.lazy().collect())
            self._tables[Ref(step.step.id)] = kept.pieces()
        self._done(step, table)

    def _spool(self, spooled: list[Pieces], frames: Iterator[pl.DataFrame]) -> list[pl.LazyFrame]:
        kept = Gathered(self._way.keep, self.cut.rows)
        for frame in frames:
            self._go_on()
            kept.add(frame)
        spooled.append(kept.pieces())
        return [piece.lazy() for piece in spooled[-1].pieces]

    def _flowing(
        self, step: PlannedStep, brought: Brought, made: Made, done: Callable[[int], None], *, kept: bool
    ) -> Pieces | Stream:
        """The table of a source, as its parts come or kept; `done` is called with its rows once all came."""
        stream = Stream(lambda: self._watched(step.step.id, _counted(brought, made, done)))
        return stream.pieces(self._way.keep, self.cut.rows) if kept else stream

    def _all_came(self, step: PlannedStep, made: Made, spooled: list[Pieces], rows: int) -> None:
        for text in spooled:
            text.discard()
        made.rows = {"": rows}
        self._done(step, made)

    def _arrived(self, step: PlannedStep, kind: StepKind) -> dict[str, list[Arrived]]:
        """What comes in; kept where it is at another port than the main one."""
        main = kind.main_port.name if kind.main_port else ""
        found: dict[str, list[Arrived]] = {}
        for port, refs in step.inputs.items():
            found[port] = []
            for ref in refs:
                one = Arrived(self._tables[ref], label(self.planned.flow.step(ref.step)))
                found[port].append(one if port == main else self._settled(one))
                self._tables[ref] = found[port][-1].table
        return found

    def _settled(self, one: Arrived) -> Arrived:
        if isinstance(one.table, Pieces):
            return one
        return Arrived(one.table.pieces(self._way.keep, self.cut.rows), one.label)

    def _let_go(self, step: PlannedStep) -> None:
        """Let go the tables that were needed only for this step."""
        for ref in step.refs:
            self._needed[ref] -= 1
            table = None if self._needed[ref] else self._tables.pop(ref, None)
            if isinstance(table, Pieces):
                table.discard()

    def _watched(self, step_id: str, frames: Iterator[Coded]) -> Iterator[Coded]:
        """Frames as they come, until the run is cancelled; a problem met on the way is the step's."""
        try:
            for frame in frames:
                self._go_on()
                yield frame
        except Problem as problem:
            raise (problem if problem.step else problem.at(step_id)) from None

    def _go_on(self) -> None:
        if self.cancelled():
            raise Stopped

    def _prepared(self, step: PlannedStep, made: Made) -> float:
        """Prepare what a step delivers; the seconds that took."""
        started, table = time.perf_counter(), made.outputs[""]
        if step.kind is not None and "effects" in step.kind.needs and self.out is not None:
            outlet = self._outlet(step, self.out, table)
            for delivery in step.kind.prepare_parts(table, step.settings, outlet):
                self.prepared.append(delivery)
        return time.perf_counter() - started

    def _streamed(self, step: PlannedStep, made: Made) -> None:
        self._let_go(step)
        self._done(step, made)

    def _done(self, step: PlannedStep, made: Made | Table, turns: tuple[Turn, ...] = ()) -> None:
        self._report(step, made, made.seconds, turns)


def _counted(brought: Brought, made: Made, done: Callable[[int], None]) -> Iterator[Coded]:
    rows = 0

    def timed(part: pl.LazyFrame) -> tuple[pl.DataFrame, float]:
        started = time.perf_counter()
        return brought.made(part), time.perf_counter() - started

    for frame, seconds in one_ahead(timed, brought.parts):
        made.seconds += seconds
        rows += frame.height
        yield Coded(frame)
    done(rows)


def _scratch(within: Path | None) -> Path:
    """A new folder for parts; those that killed runs left there are removed."""
    place = within or Path(tempfile.gettempdir())
    place.mkdir(parents=True, exist_ok=True)
    for left in place.glob(f"{_PREFIX}*"):
        pid = left.name.removeprefix(_PREFIX).partition("-")[0]
        if pid.isdigit() and not _is_running(int(pid)):
            shutil.rmtree(left, ignore_errors=True)
    return Path(tempfile.mkdtemp(prefix=f"{_PREFIX}{os.getpid()}-", dir=place))


def _is_running(pid: int) -> bool:
    try:
        os.kill(pid, 0)
    except ProcessLookupError:
        return False
    except PermissionError:
        pass  # somebody else's
    return True
