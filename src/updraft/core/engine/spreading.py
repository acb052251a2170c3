"""One step over the parts of its tables, so that no more than a part has to be held at a time.

Every kind says how its work may be spread (`StepKind.spread`). By rows, each part of the main table is given
to the kind as if it were all of it. By keys, rows are dealt out by a hash of their keys first, with the place
where each stood; the results are dealt out again by place, and so come in the order of the whole table. What
is counted is added up.
"""

from __future__ import annotations

import itertools
import time
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace

import polars as pl
import polars.selectors as cs

from updraft.core.engine.coded import Coded
from updraft.core.engine.pieces import Gathered, Keep, Pieces, Stream, exchanged
from updraft.core.engine.table import Fact, cells_changed, facts_of, measured, telling
from updraft.core.steps import Context, Incoming, Result, Settings, StepKind, Tables, Wanted
from updraft.core.steps.spread import OTHER_PLACE, PLACE, WHOLE, Spread

_HIDDEN = (PLACE, OTHER_PLACE)
_SAMPLED = 20_000  # rows that tell where ranges end


@dataclass(frozen=True)
class Arrived:
    """A table that comes in, in pieces or at the main port as a stream, and what its step is called."""

    table: Pieces | Stream
    label: str = ""


@dataclass
class Made:
    """What a step made: as in `engine.table.Table`, its tables in pieces; without those handed on frame by
    frame.
    """

    outputs: dict[str, Pieces]
    rows: dict[str, int]
    rows_in: int | None = None
    facts: tuple[Fact, ...] = ()
    touched: tuple[str, ...] | None = None
    changed: dict[str, int] = field(default_factory=dict)
    brought: tuple[str, ...] = ()
    warnings: tuple[str, ...] = ()
    evidence: dict[str, str] = field(default_factory=dict)
    seconds: float = 0.0

    @property
    def height(self) -> int:
        return self.rows[""]


@dataclass(frozen=True)
class Way:
    """How a table is cut.

    Args:
        keep: keeps a part; `spill` one of many small ones, whose frames may hold on to large ones.
        rows: about so many of a part.
        buckets: so many that rows are dealt out to by their keys.
        room: bytes of rows that may come together without being dealt out.
    """

    keep: Keep
    spill: Keep
    rows: int
    buckets: int
    room: int = 0


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
    return Stream(step.row_by_row(done))


class _Sum:
    """Adds up what parts give.

    Args:
        dealt: all tables were dealt out by keys, so that no count is the same for every part.
    """

    def __init__(self, way: Way, wanted: Wanted, *, dealt: bool = False) -> None:
        self._way, self._wanted, self._dealt = way, wanted, dealt
        self._outputs: dict[str, Gathered] = {}
        self._rows: dict[str, int] = {}
        self._counted: list[list[pl.DataFrame]] = []
        self._rows_in: int | None = None
        self._changed: dict[str, int] = {}
        self._warnings: dict[str, None] = {}
        self._result: Result | None = None

    def add(
        self,
        result: Result,
        inputs: Tables,
        sides: Collection[str] = (),
        same: Collection[str] = (),
        *,
        coded: Coded | None = None,
        kept: bool = True,
    ) -> Coded:
        """Add what comes of a part; its main output, which is kept unless it is handed on."""
        first = self._result is None
        # What is the same for every part is taken of the first.
        needed = [side for side in sides if first or side not in same]
        done = measured(result, inputs, needed, _HIDDEN, coded)
        main = done.main.only(None if self._wanted is None else {*self._wanted, *_HIDDEN})
        self._rows[""] = self._rows.get("", 0) + main.height
        outputs = {**({"": main.frame()} if kept else {}), **done.sides}
        for name, frame in outputs.items():
            self._outputs.setdefault(name, Gathered(self._way.keep, self._way.rows)).add(frame)
        for name, side in done.sides.items():
            self._rows[name] = self._rows.get(name, 0) + side.height
        for place, (count, frame) in enumerate(zip(result.counts, done.counted, strict=True)):
            if first:
                self._counted.append([frame])
            elif count.each or count.missing_of is not None:  # kept small: things, not their parts
                self._counted[place] = [pl.concat([*self._counted[place], frame]).unique()]
            elif not count.once or self._dealt:
                self._counted[place].append(frame)
        if done.rows_in is not None:
            self._rows_in = (self._rows_in or 0) + done.rows_in
        for name, number in done.changed.items():
            self._changed[name] = self._changed.get(name, 0) + number
        self._warnings |= dict.fromkeys(result.warnings)
        self._result = result
        return main

    def made(self) -> Made:
        assert self._result is not None, "a table has one part at least"
        counts = [replace(count, once=False) if self._dealt else count for count in self._result.counts]
        told = replace(self._result, counts=tuple(counts))
        facts = (*facts_of(told, self._counted), *cells_changed(self._changed))
        return Made(
            {name: gathered.pieces() for name, gathered in self._outputs.items()},
            self._rows,
            self._rows_in,
            facts,
            self._result.touched,
            self._changed,
            tuple(name for name in self._result.brought if name not in _HIDDEN),
            tuple(self._warnings),
            self._result.evidence,
        )


@dataclass(frozen=True)
class _Step:
    kind: StepKind
    settings: Settings
    arrived: Mapping[str, Sequence[Arrived]]
    context: Context
    way: Way
    wanted: Wanted = None
    sides: frozenset[str] = frozenset()

    @property
    def _main(self) -> str:
        port = self.kind.main_port
        return port.name if port else ""

    def made(self, spread: Spread) -> Made:
        match spread.how:
            case "rows":
                return self.by_rows(spread)
            case "keys":
                return self.by_keys(spread)
            case "sort":
                return self.in_order(spread)
        return self._together({})

    def in_order(self, spread: Spread) -> Made:
        """Rows dealt out by ranges of what they are sorted by first, and each range by itself."""
        table = self.arrived[self._main][0].table
        assert isinstance(table, Pieces) and spread.along is not None
        along = spread.along.alias("\0along")
        edges = self._edges(table, along)
        many = edges.len() + 1

        def bucket(frame: pl.DataFrame) -> pl.Series:
            value = frame.select(along).to_series()
            place = edges.search_sorted(value.fill_null(edges.first()), "right").cast(pl.Int64)
            place = many - 1 - place if spread.down else place
            empty = 0 if spread.empty_first else many - 1
            return (
                pl.DataFrame({"p": place, "v": value})
                .select(pl.when(pl.col("v").is_null()).then(empty).otherwise("p"))
                .to_series()
            )

        total = _Sum(self.way, self.wanted)
        for part in exchanged(table, bucket, many, self.way.spill, self.way.rows) if many > 1 else [table]:
            tables = self._tables({(self._main, 0): part.lazy().collect()})
            total.add(self.kind.apply(tables, self.settings, self.context), tables, self.sides)
            if many > 1:
                part.discard()
        return total.made()

    def _edges(self, table: Pieces, along: pl.Expr) -> pl.Series:
        """Values that part the table into ranges of about as many rows; rising, none twice."""
        step = max(table.height // _SAMPLED, 1)
        sample = pl.concat([frame.select(along).gather_every(step) for frame in table]).to_series()
        known, many = sample.drop_nulls().sort(), min(self.way.buckets, table.height // self.way.rows + 1)
        return known.gather_every(max(-(-known.len() // many), 1)).slice(1).unique().sort()

    def _together(self, held: Mapping[tuple[str, int], pl.DataFrame]) -> Made:
        """All rows at once; those that are held already need not be asked for."""
        total = _Sum(self.way, self.wanted)
        tables = self._tables(held)
        total.add(self.kind.apply(tables, self.settings, self.context), tables, self.sides)
        return total.made()

    def row_by_row(self, done: Callable[[Made], None]) -> Iterator[Coded]:
        total, seconds = _Sum(self.way, self.wanted), 0.0
        for number, one in enumerate(self.arrived[self._main]):
            for part in one.table.coded():
                started = time.perf_counter()
                with telling(self.kind):
                    tables = self._tables({(self._main, number): part})
                    result = self.kind.apply(tables, self.settings, self.context)
                    made = total.add(result, tables, coded=part, kept=False)
                seconds += time.perf_counter() - started
                yield made
        finished = total.made()
        finished.seconds = seconds
        done(finished)

    def by_rows(self, spread: Spread) -> Made:
        if spread.learns:
            self.kind.apply(self._tables({}), self.settings, self.context)
        total = _Sum(self.way, self.wanted)
        for number, one in enumerate(self.arrived[self._main]):
            for part in one.table.coded():
                tables = self._tables({(self._main, number): part})
                result = self.kind.apply(tables, self.settings, self.context)
                total.add(result, tables, self.sides, spread.same, coded=part)
        return total.made()

    def by_keys(self, spread: Spread) -> Made:
        settings = spread.settings or self.settings
        frames, left = dict[str, Iterable[pl.DataFrame]](), self.way.room
        for port in spread.keys:
            held, rest = _held(self.arrived[port][0].table, left)
            left -= sum(int(frame.estimated_size()) for frame in held)
            frames[port] = itertools.chain(_drained(held), rest)
            if left < 0:
                break
        else:
            return self._together({(port, 0): pl.concat(few) for port, few in frames.items()})
        frames = {port: frames.get(port, self.arrived[port][0].table) for port in spread.keys}
        dealt = {
            port: self._dealt(port, keys, frames[port], apart=spread.empty_apart)
            for port, keys in spread.keys.items()
        }
        total = _Sum(self.way, self.wanted, dealt=True)
        for number in range(self.way.buckets):
            parts = {(port, 0): buckets[number].lazy().collect() for port, buckets in dealt.items()}
            if number and not any(frame.height for frame in parts.values()):
                continue
            tables = self._tables(parts)
            if spread.stands == "row":
                result = self.kind.apply(tables, settings, self.context)
            else:
                result = self._of_groups(parts, spread, settings)
            total.add(result, tables, self.sides, spread.same)
            for buckets in dealt.values():
                buckets[number].discard()
        made = total.made()
        order = self._grouped if spread.stands == "group" else self._placed
        made.outputs = {name: order(pieces, spread) for name, pieces in made.outputs.items()}
        return made

    def _of_groups(
        self, parts: Mapping[tuple[str, int], pl.DataFrame], spread: Spread, settings: Settings
    ) -> Result:
        """The groups of some rows, each with the place where it first comes unless its order is another."""
        main = parts[self._main, 0]
        tables = self._tables({key: frame.drop(PLACE, strict=False) for key, frame in parts.items()})
        result = self.kind.apply(tables, settings, self.context)
        if spread.order:
            return result
        keys = [key.alias(f"\0{n}") for n, key in enumerate(spread.keys[self._main])]
        first = main.group_by(keys, maintain_order=True).agg(pl.col(PLACE).first()).select(PLACE)
        return replace(result, table=pl.concat([result.table, first.lazy()], how="horizontal"))

    def _dealt(
        self, port: str, keys: Sequence[pl.Expr], table: Iterable[pl.DataFrame], *, apart: bool
    ) -> list[Pieces]:
        """The rows of a port's table by their keys, each with the place where it stands."""
        name, many = PLACE if port == self._main else OTHER_PLACE, self.way.buckets
        named = [key.alias(f"\0{n}") for n, key in enumerate(keys)]
        none = pl.any_horizontal(pl.all().is_null()) if apart else pl.lit(False)

        def bucket(frame: pl.DataFrame) -> pl.Series:
            here = frame.select(named).with_columns((cs.float() + 0.0).fill_nan(float("nan")))  # −0 is 0
            # Rows that belong to no other one are dealt out in turn, and fill no bucket by themselves.
            turn = pl.int_range(pl.len(), dtype=pl.UInt64)
            hashed = pl.when(none).then(turn).otherwise(pl.struct(pl.all()).hash(seed=0))
            return here.select(hashed % many).to_series()

        return exchanged(_numbered(table, name), bucket, many, self.way.spill, self.way.rows)

    def _placed(self, pieces: Pieces, spread: Spread) -> Pieces:
        """Rows in the order of the whole table: dealt out by their places, and sorted within."""
        columns, rows = pieces.schema, self.way.rows
        by = [name for name in _HIDDEN if name in columns]
        last = pieces.lazy().select(pl.col(by).max().fill_null(0)).collect().row(0)
        sizes = [place // rows + 1 for place in last]
        starts = [sum(sizes[:n]) for n in range(len(sizes))]
        place = pl.coalesce((pl.col(name) // rows) + start for name, start in zip(by, starts, strict=True))
        done = Gathered(self.way.keep, rows)
        dealt = exchanged(
            pieces, lambda frame: frame.select(place).to_series(), sum(sizes), self.way.spill, rows
        )
        pieces.discard()
        for bucket in dealt:
            frame = bucket.lazy().sort(by, nulls_last=True, maintain_order=True).collect()
            done.add(frame.drop(by))
            bucket.discard()
        return done.pieces()

    def _grouped(self, pieces: Pieces, spread: Spread) -> Pieces:
        done = Gathered(self.way.keep, self.way.rows)
        table = pieces.lazy().sort(spread.order or [PLACE], nulls_last=True, maintain_order=True).collect()
        done.add(table.drop(PLACE, strict=False))
        pieces.discard()
        return done.pieces()

    def _tables(self, parts: Mapping[tuple[str, int], pl.DataFrame | Coded]) -> Tables:
        """The tables that come in, with a part in place of some of them; where a part of one of several
        tables at the main port comes in, the others have no rows.
        """
        ports: dict[str, list[Incoming]] = {}
        for port, tables in self.arrived.items():
            ports[port] = []
            for number, one in enumerate(tables):
                part = parts.get((port, number))
                if part is None and port == self._main and parts:
                    part = pl.DataFrame(schema=one.table.schema)
                table = one.table.lazy() if part is None else part.lazy()  # type: ignore[union-attr]
                values = part.values if isinstance(part, Coded) else None
                ports[port].append(Incoming(table, one.label, values))
        return Tables(ports, self._main)


def _held(frames: Iterable[pl.DataFrame], room: int) -> tuple[list[pl.DataFrame], Iterator[pl.DataFrame]]:
    """The first frames, until they take more than so many bytes, and those that come after them."""
    held, rest = [], iter(frames)
    for frame in rest:
        held.append(frame)
        room -= int(frame.estimated_size())
        if room < 0:
            break
    return held, rest


def _drained(held: list[pl.DataFrame]) -> Iterator[pl.DataFrame]:
    """Frames, each let go once it is taken."""
    held.reverse()
    while held:
        yield held.pop()


def _has_keys(spread: Spread, schemas: Mapping[str, pl.Schema]) -> bool:
    """Whether the keys are there; where one is not, the kind itself says so."""
    return all(
        name in schemas[port]
        for port, keys in spread.keys.items()
        for key in keys
        for name in key.meta.root_names()
    )


def _numbered(table: Iterable[pl.DataFrame], name: str) -> Iterator[pl.DataFrame]:
    """The frames of a table, each row with its place in the whole of it."""
    before = 0
    for frame in table:
        yield frame.with_columns(pl.int_range(before, before + frame.height, dtype=pl.Int64).alias(name))
        before += frame.height
