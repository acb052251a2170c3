"""One step over the parts of its tables, so that no more than a part has to be held at a time.

Every kind says how its work may be spread (`StepKind.spread`). By rows, each part of the main table is given
to the kind as if it were all of it. By keys, rows are dealt out by a hash of their keys first, with the place
where each stood; the results are dealt out again by place, and so come in the order of the whole table. What
is counted is added up. Who does the work on parts stands in `hands`.
"""

from __future__ import annotations

import itertools
import time
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import partial

import polars as pl

from updraft.core.engine.beside import beside
from updraft.core.engine.coded import Coded
from updraft.core.engine.door import of_groups
from updraft.core.engine.hands import ByKeys, ByPlace, ByRange, Dealt, Hands, Here
from updraft.core.engine.parted import Arrived, Task, parts_of
from updraft.core.engine.pieces import (
    Gathered,
    Keep,
    Piece,
    Pieces,
    Stream,
    drained,
    drawn,
    in_memory,
    numbered,
)
from updraft.core.engine.summing import HIDDEN, Made, Sum
from updraft.core.engine.table import telling
from updraft.core.steps import Context, Incoming, Settings, StepKind, Tables, Wanted
from updraft.core.steps.presummed import SURE, Groups, groups_of, together
from updraft.core.steps.spread import OTHER_PLACE, PLACE, WHOLE, Spread

_NOT_EXACT = "its numbers have more than six decimals or too large a sum, so round them before"
_SAMPLED = 20_000  # rows that tell where ranges end
_FEW = 4  # times as many rows as groups, for groups to be added up part by part


@dataclass(frozen=True)
class Way:
    """How a table is cut.

    Args:
        keep: keeps a part.
        hands: who works on parts.
        rows: about so many of a part.
        buckets: so many that rows are dealt out to by their keys.
        room: bytes of rows that may come together without being dealt out.
    """

    keep: Keep
    hands: Hands
    rows: int
    buckets: int
    room: int = 0

    @classmethod
    def here(cls, keep: Keep, spill: Keep, rows: int, buckets: int, room: int = 0) -> Way:
        """In this process; `spill` keeps one of many small frames, which may hold on to large ones."""
        return cls(keep, Here(spill), rows, buckets, room)


def spread_of(
    kind: StepKind,
    settings: Settings,
    arrived: Mapping[str, Sequence[Arrived]],
    sides: Collection[str],
    room: int,
) -> Spread:
    """How a step's work is spread over these tables, when some of its side outputs are needed.

    Args:
        room: bytes of another table that may be held beside each part.
    """
    settings.check_filled()
    schemas = {port: tables[0].table.schema for port, tables in arrived.items()}
    spread, main = kind.spread(settings, schemas), kind.main_port
    if spread.undivided & set(sides) or not _has_keys(spread, schemas):
        return WHOLE
    others = (one.table for port, few in arrived.items() if not main or port != main.name for one in few)
    if spread.how == "rows" and spread.keys and sum(o.size for o in others if isinstance(o, Pieces)) > room:
        # What is the same for every part of the rows is not for rows by their keys.
        return WHOLE if spread.same & set(sides) else replace(spread, how="keys")
    return spread


def spread_over(
    kind: StepKind,
    settings: Settings,
    arrived: Mapping[str, Sequence[Arrived]],
    context: Context,
    way: Way,
    sides: Collection[str] = (),
    wanted: Wanted = None,
) -> Made:
    """What the step makes of all its tables, computed by parts.

    Args:
        arrived: a stream at the main port only, of a step that is spread by rows or keys.
        sides: the side outputs that are needed.
        wanted: columns of the main output that are; None for all.

    Raises:
        Problem: as for `engine.table.compute`.
    """
    started = time.perf_counter()
    with telling(kind):
        spread = spread_of(kind, settings, arrived, sides, way.room)
        step = _Step(kind, settings, arrived, context, way, wanted, frozenset(sides))
        made = step.made(spread)
    made.seconds = time.perf_counter() - started
    return made


def task_of(
    kind: StepKind,
    settings: Settings,
    arrived: Mapping[str, Sequence[Arrived]],
    context: Context,
    way: Way,
    wanted: Wanted = None,
) -> Task:
    """The work of a step that is spread by rows, and hands its main output on."""
    return _Step(kind, settings, arrived, context, way, wanted).task()


def streamed(
    kind: StepKind,
    settings: Settings,
    arrived: Mapping[str, Sequence[Arrived]],
    context: Context,
    way: Way,
    done: Callable[[Made], None],
    wanted: Wanted = None,
) -> Stream:
    """The main output of a step that is spread by rows, frame by frame; what else it made, once all came."""
    step = _Step(kind, settings, arrived, context, way, wanted)
    return Stream(lambda: step.row_by_row(done))


@dataclass(frozen=True)
class _Step:
    kind: StepKind
    settings: Settings
    arrived: Mapping[str, Sequence[Arrived]]
    context: Context
    way: Way
    wanted: Wanted = None
    sides: frozenset[str] = frozenset()

    def made(self, spread: Spread) -> Made:
        match spread.how:
            case "rows":
                return self.by_rows(spread)
            case "keys":
                by_groups = self.by_groups(spread.groups, few=True) if spread.groups else None
                by_few = self.by_few_columns(spread) if spread.rows_stay else None
                return by_groups or by_few or self.by_keys(spread)
            case "sort":
                return self.in_order(spread)
        by_groups = self.by_groups(spread.groups, few=False) if spread.groups else None
        why = _NOT_EXACT if spread.groups else "it cannot work by parts"
        return by_groups or replace(self._together({}), together="" if spread.lean else why)

    def by_groups(self, groups: Groups, *, few: bool) -> Made | None:
        """What is asked of groups of all rows, counted and added up part by part; None where it is not said
        that this gives the same: of decimals of many places, and of sums beyond what a double holds.

        Args:
            few: None also where the groups are not far fewer than the rows.
        """
        table = self._mains[0].table
        parts = table.pieces if isinstance(table, Pieces) else table
        known, rows, total, came = list[pl.DataFrame](), 0, 0.0, 0
        for frame, size, height in self.way.hands.each(partial(_groups_of, groups), parts):
            total, came = total + size, came + height
            known, rows = [*known, frame], rows + frame.height
            if not total < SURE or (few and _FEW * rows > came + self.way.rows):
                return None
            if rows > self.way.rows // (_FEW if few else 1):
                known = [together(groups, known)]
                rows = known[0].height
        port = self._whole().main
        groups_alone = pl.concat(known, how="vertical_relaxed").lazy()
        tables = Tables({port: [Incoming(groups_alone, self._mains[0].label)]}, port)
        summed = self._sum()
        summed.add(self.kind.work(tables, self.settings, of_groups(self.context, groups)), tables, self.sides)
        return replace(summed.made(), rows_in=came)

    def _whole(self) -> Task:
        """The work on all rows, in this process."""
        way = self.way
        return Task(
            self.kind, self.settings, self.arrived, self.context, way.keep, way.rows, self.wanted, self.sides
        )

    def task(self, same: frozenset[str] = frozenset()) -> Task:
        """The work on a part, wherever it is done: without the rows that parts stand in for."""
        whole, hands = self._whole(), self.way.hands
        shapes = [Arrived(_without_rows(one.table), one.label) for one in self._mains]
        arrived = {port: shapes if port == whole.main else few for port, few in self.arrived.items()}
        return replace(
            whole, arrived=arrived, context=hands.context(self.context), keep=hands.keep, same=same
        )

    def _sum(self, *, dealt: bool = False) -> Sum:
        return Sum(self.way.keep, self.way.rows, self.wanted, dealt=dealt)

    @property
    def _mains(self) -> Sequence[Arrived]:
        port = self.kind.main_port
        return self.arrived[port.name if port else ""]

    def by_rows(self, spread: Spread) -> Made:
        if spread.learns:
            self._learn()
        total = self._sum()
        for part in self.way.hands.each(self.task(spread.same).of_part, parts_of(self._mains)):
            total.take(part)
        return total.made()

    def _learn(self) -> None:
        """What is learnt from all rows is kept by the context, for every part."""
        self.kind.work(self._whole().tables({}), self.settings, self.context)

    def row_by_row(self, done: Callable[[Made], None]) -> Iterator[Coded]:
        total, seconds, task = self._sum(), 0.0, self.task()
        for part in parts_of(self._mains):
            started = time.perf_counter()
            partly, made = task.handed_on(part, kept=False)
            total.take(partly)
            seconds += time.perf_counter() - started
            yield made
        finished = total.made()
        finished.seconds = seconds
        done(finished)

    def in_order(self, spread: Spread) -> Made:
        """Rows dealt out by ranges of what they are sorted by first, and each range by itself."""
        table = self._mains[0].table
        assert isinstance(table, Pieces) and spread.along is not None
        edges = self._edges(table, spread.along)
        if not edges.len():
            return self._together({})
        total = self._sum()
        dealt = Dealt(table, ByRange(spread.along, edges, spread.down, spread.empty_first))
        for part in self.way.hands.dealt([dealt], edges.len() + 1, self.way.rows, self.task().of_range):
            total.take(part)
        return total.made()

    def _edges(self, table: Pieces, along: pl.Expr) -> pl.Series:
        """Values that part the table into ranges of about as many rows; rising, none twice."""
        every = partial(_every, along.alias("\0along"), max(table.height // _SAMPLED, 1))
        sample = pl.concat(list(self.way.hands.each(every, table.pieces))).to_series()
        known, many = sample.drop_nulls().sort(), min(self.way.buckets, table.height // self.way.rows + 1)
        return known.gather_every(max(-(-known.len() // many), 1)).slice(1).unique().sort()

    def _together(self, held: Mapping[tuple[str, int], pl.DataFrame]) -> Made:
        """All rows at once; those that are held already need not be asked for."""
        total, tables = self._sum(), self._whole().tables(held)
        total.add(self.kind.work(tables, self.settings, self.context), tables, self.sides)
        return total.made()

    def by_few_columns(self, spread: Spread) -> Made | None:
        """By the keys, where each row of the result is one of the main table: of the columns that the step
        reads alone, the others put beside them again; None where that would be most of them.
        """
        [main], port = self._mains, self._whole().main
        schema, read = main.table.schema, self.kind.reads(self.settings, frozenset(), port)
        few = [name for name in schema if read is not None and name in read]
        if not few or 2 * len(few) > len(schema) or not isinstance(self.way.hands, Here):
            return None
        way, table = self.way, main.table
        whole = table if isinstance(table, Pieces) else table.pieces(way.keep, way.rows)
        some = Pieces([way.keep(piece.lazy().select(few).collect()) for piece in whole.pieces])
        arrived = {**self.arrived, port: [Arrived(some, main.label)]}
        # So many rows are many to work on at once, however few their columns are.
        alone = replace(way, room=way.room if whole.size <= way.room else 0)
        made = replace(self, arrived=arrived, way=alone, wanted=None).by_keys(spread, placed=True)
        some.discard()
        shape = self.kind.work(self.task().tables({}), self.settings, self.context)
        for name, pieces in made.outputs.items():
            names = (shape.sides[name] if name else shape.table).collect_schema().names()
            if not name and self.wanted is not None:
                names = [one for one in names if one in self.wanted] or names[:1]
            kept = Gathered(way.keep, way.rows)
            for frame in beside(whole, pieces, names):
                kept.add(frame)
            pieces.discard()
            made.outputs[name] = kept.pieces()
        if whole is not table:
            whole.discard()
        return made

    def by_keys(self, spread: Spread, *, placed: bool = False) -> Made:
        """Rows that belong together by themselves; `placed` rows keep the number of their place."""
        if spread.learns:
            self._learn()
        frames, left = dict[str, Iterable[pl.DataFrame]](), self.way.room
        for port in spread.keys:
            table = self.arrived[port][0].table
            if isinstance(table, Pieces) and table.size > left:
                break
            few, rest = drawn(table, left)
            left -= sum(int(frame.estimated_size()) for frame in few)
            frames[port] = itertools.chain(drained(few), rest)
            if left < 0:
                break
        else:
            together = {(port, 0): pl.concat(few) for port, few in frames.items()}
            if placed:
                together = {key: numbered(frame, 0, PLACE) for key, frame in together.items()}
            return self._together(together)
        main, apart = self._whole().main, spread.empty_apart
        dealt = []
        for port, keys in spread.keys.items():
            table, place = self.arrived[port][0].table, PLACE if port == main else OTHER_PLACE
            # What was drawn from a stream cannot be drawn again.
            rows = table if isinstance(table, Pieces) else frames.pop(port, table)
            dealt.append(Dealt(rows, ByKeys(tuple(keys), apart), place))
        frames.clear()
        total = self._sum(dealt=True)
        work = partial(self.task(spread.same).of_bucket, spread)
        for part in self.way.hands.dealt(dealt, self.way.buckets, self.way.rows, work):
            total.take(part)
        made = total.made()
        for name in made.outputs.keys() - spread.same:
            pieces, groups = made.outputs[name], spread.stands == "group"
            made.outputs[name] = self._grouped(pieces, spread) if groups else self._placed(pieces, placed)
        return made

    def _placed(self, pieces: Pieces, placed: bool) -> Pieces:
        """Rows in the order of the whole table: dealt out by their places, and sorted within."""
        columns, rows = pieces.schema, self.way.rows
        by = tuple(name for name in HIDDEN if name in columns)
        last = pieces.lazy().select(pl.col(by).max().fill_null(0)).collect().row(0)
        sizes = [place // rows + 1 for place in last]
        starts = tuple(sum(sizes[:n]) for n in range(len(sizes)))
        done, work = Gathered(self.way.keep, rows), partial(_in_place, by, self.way.hands.keep, placed)
        dealt = Dealt(pieces, ByPlace(by, starts, rows))
        for piece in self.way.hands.dealt([dealt], sum(sizes), rows, work):
            done.take(piece)
        pieces.discard()
        return done.pieces()

    def _grouped(self, pieces: Pieces, spread: Spread) -> Pieces:
        done = Gathered(self.way.keep, self.way.rows)
        table = pieces.lazy().sort(spread.order or [PLACE], nulls_last=True, maintain_order=True).collect()
        done.add(table.drop(PLACE, strict=False))
        pieces.discard()
        return done.pieces()


def _without_rows(table: Pieces | Stream) -> Pieces:
    return Pieces([in_memory(pl.DataFrame(schema=table.schema))])


def _groups_of(groups: Groups, part: Piece | pl.DataFrame) -> tuple[pl.DataFrame, float, int]:
    """The groups of a part, how large what was added up is, and how many rows there are."""
    frame = part.frame() if isinstance(part, Piece) else part
    return *groups_of(groups, frame), frame.height


def _every(along: pl.Expr, step: int, piece: Piece) -> pl.DataFrame:
    return piece.lazy().select(along.gather_every(step)).collect()


def _in_place(
    by: Sequence[str], keep: Keep, placed: bool, number: int, frames: Sequence[pl.DataFrame]
) -> Piece:
    made = frames[0].sort(by, nulls_last=True, maintain_order=True)
    return keep(made if placed else made.drop(by))


def _has_keys(spread: Spread, schemas: Mapping[str, pl.Schema]) -> bool:
    """Whether the keys are there; where one is not, the kind itself says so."""
    return all(
        name in schemas[port]
        for port, keys in spread.keys.items()
        for key in keys
        for name in key.meta.root_names()
    )
