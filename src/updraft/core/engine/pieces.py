"""Tables in pieces: frames one after another, in memory or as files of a scratch folder."""

from __future__ import annotations

import itertools
import os
import uuid
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import Protocol

import polars as pl

from updraft.core.engine.coded import Coded
from updraft.core.problems import Problem, of_the_system, reason_of

_ARROW = b"ARROW1"
_COMPAT = pl.CompatLevel.oldest()  # texts one after another are read in two thirds of the time
_BUCKET, _BUFFERED = "\0bucket", 4  # parts that are held until they are written by buckets


def _nothing() -> None:
    """What has to be done when most pieces are let go; a name, so that a piece can be sent elsewhere."""


@dataclass(frozen=True)
class Piece:
    """A part of a table: a frame, or the Arrow file that holds it.

    Args:
        size: bytes that the frame takes in memory.
        freed: called once it is let go.
    """

    height: int
    kept: pl.DataFrame | Path
    size: int
    freed: Callable[[], None] = _nothing

    def frame(self) -> pl.DataFrame:
        if isinstance(self.kept, pl.DataFrame):
            return self.kept
        try:
            return pl.read_ipc(self.kept)
        except (OSError, pl.exceptions.PolarsError, pl.exceptions.PanicException):
            raise _damaged(self.kept) from None

    def lazy(self) -> pl.LazyFrame:
        if isinstance(self.kept, pl.DataFrame):
            return self.kept.lazy()
        if not _is_whole(self.kept):
            raise _damaged(self.kept)
        return pl.scan_ipc(self.kept)

    def coded(self) -> Coded:
        return Coded(self.frame())


def _is_whole(path: Path) -> bool:
    """Whether a file begins and ends as an Arrow file does."""
    try:
        with path.open("rb") as file:
            begins = file.read(len(_ARROW))
            file.seek(-len(_ARROW), os.SEEK_END)
            return begins == file.read() == _ARROW
    except OSError:
        return False


def _damaged(path: Path) -> Problem:
    gone = "is not there any more" if not path.exists() else "cannot be read"
    return Problem(
        f"The part “{path.name}” of a table in {path.parent}",
        f"it {gone}: something else changed that folder while the run worked.",
        "Keep that folder to Updraft alone, and run again.",
        code="damaged_part",
    )


@dataclass(frozen=True)
class Pieces:
    """A table in pieces, at least one, in the order of its rows."""

    pieces: Sequence[Piece]

    @property
    def height(self) -> int:
        return sum(piece.height for piece in self.pieces)

    @property
    def size(self) -> int:
        return sum(piece.size for piece in self.pieces)

    @property
    def schema(self) -> pl.Schema:
        return self.pieces[0].lazy().collect_schema()

    def __iter__(self) -> Iterator[pl.DataFrame]:
        return (piece.frame() for piece in self.pieces)

    def coded(self) -> Iterator[Coded]:
        return map(Coded, self)

    def lazy(self) -> pl.LazyFrame:
        """All of it, as one query."""
        return pl.concat([piece.lazy() for piece in self.pieces])

    def discard(self) -> None:
        """Let its frames and files go."""
        for piece in self.pieces:
            piece.freed()
            if isinstance(piece.kept, Path):
                piece.kept.unlink(missing_ok=True)


class Stream:
    """A table that comes frame by frame; at least one frame. Between steps that change values one by one,
    frames stay coded. Once all have come, it is over; until then it may begin anew.

    Args:
        frames: makes them, from the beginning.
    """

    def __init__(self, frames: Callable[[], Iterator[Coded]]) -> None:
        self._anew, begun = frames, frames()
        first = next(begun)
        self.schema = first.lazy().collect_schema()
        self._begun: Iterator[Coded] | None = itertools.chain([first], begun)

    def __iter__(self) -> Iterator[pl.DataFrame]:
        return (one.frame() for one in self.coded())

    def coded(self) -> Iterator[Coded]:
        begun, self._begun = self._begun, None
        return begun or self._anew()

    def pieces(self, keep: Keep, rows: int) -> Pieces:
        """All that comes, kept."""
        kept = Gathered(keep, rows)
        for frame in self:
            kept.add(frame)
        return kept.pieces()

    def finish(self) -> None:
        """Let it come to its end, though nobody takes it."""
        for _ in self.coded():
            pass


class Keep(Protocol):
    """Keeps a frame as a piece."""

    def __call__(self, frame: pl.DataFrame) -> Piece: ...


def in_memory(frame: pl.DataFrame) -> Piece:
    return Piece(frame.height, frame, int(frame.estimated_size()))


class Scratch:
    """Keeps frames in memory while there is room, and then as Arrow files of a folder, which its owner
    removes.

    Args:
        room: bytes that may be held.
    """

    def __init__(self, folder: Path, room: int) -> None:
        self.folder, self.room, self._held = folder, room, 0

    def __call__(self, frame: pl.DataFrame) -> Piece:
        size = int(frame.estimated_size())
        if self._held + size <= self.room:
            self._held += size
            return Piece(frame.height, frame, size, partial(self._free, size))
        return self.written(frame)

    def written(self, frame: pl.DataFrame) -> Piece:
        """Keep a frame as a file."""
        path = self.folder / f"{uuid.uuid4().hex}.arrow"
        try:
            frame.write_ipc(path, compat_level=_COMPAT)
        except (OSError, pl.exceptions.PolarsError) as error:
            if told := of_the_system(error):
                raise Problem(
                    str(self.folder.parent),
                    f"a part of the table could not be kept there ({reason_of(told)}).",
                    "Make room, or name another folder by TMPDIR, then run again. Nothing was delivered.",
                    code="no_room",
                ) from None
            raise
        return Piece(frame.height, path, int(frame.estimated_size()))

    def _free(self, size: int) -> None:
        self._held -= size


class Gathered:
    """Frames as they come, put together to pieces of about so many rows.

    Raises:
        TypeError: a frame has other columns than those before it.
    """

    def __init__(self, keep: Keep, rows: int) -> None:
        self._keep, self._rows = keep, rows
        self._done: list[Piece] = []
        self._open: list[pl.DataFrame] = []
        self._schema: pl.Schema | None = None

    def add(self, frame: pl.DataFrame) -> None:
        if self._schema is None:
            self._schema = frame.schema
        elif frame.schema != self._schema:
            raise TypeError(f"parts of one table differ: {self._schema} and {frame.schema}")
        if frame.height > 2 * self._rows:
            for part in frame.iter_slices(self._rows):
                self.add(part)
            return
        if frame.height:
            self._open.append(frame)
        if sum(one.height for one in self._open) >= self._rows:
            self._close()

    def take(self, piece: Piece) -> None:
        """Add what is kept already; a file stays as it is."""
        if isinstance(piece.kept, pl.DataFrame):
            self.add(piece.kept)
            return
        if self._schema is None:
            self._schema = piece.lazy().collect_schema()
        if self._open:
            self._close()
        if piece.height:
            self._done.append(piece)

    def pieces(self) -> Pieces:
        """All that was added; where it has no row, one piece without rows."""
        if self._open or not self._done:
            self._close()
        return Pieces(self._done)

    def _close(self) -> None:
        frames = self._open or [pl.DataFrame(schema=self._schema)]
        self._done.append(self._keep(frames[0] if len(frames) == 1 else pl.concat(frames)))
        self._open = []


def exchanged(
    frames: Iterable[pl.DataFrame],
    bucket: Callable[[pl.DataFrame], pl.Series],
    many: int,
    keep: Keep,
    rows: int,
) -> list[Pieces]:
    """Rows dealt out to buckets, in each of them in their order.

    Args:
        bucket: the number of the bucket of every row of a frame, below `many`.
    """
    dealt = [Gathered(keep, max(_BUFFERED * rows // many, 1)) for _ in range(many)]
    for place, frame in enumerate(frames):
        if not place:
            for one in dealt:
                one.add(frame.clear())  # each knows the columns, whether rows come or not
        for number, part in parted(frame, bucket(frame)):
            dealt[number].add(part)
    return [one.pieces() for one in dealt]


def parted(frame: pl.DataFrame, buckets: pl.Series) -> Iterator[tuple[int, pl.DataFrame]]:
    """The rows of each bucket that has some, in their order."""
    parts = frame.with_columns(buckets.alias(_BUCKET)).partition_by(
        _BUCKET, maintain_order=True, include_key=False, as_dict=True
    )
    return ((int(number), part) for (number,), part in parts.items())


def numbered(frame: pl.DataFrame, first: int, name: str) -> pl.DataFrame:
    """A frame that begins at a place of its table, each row with the place where it stands; "" adds none."""
    places = pl.int_range(first, first + frame.height, dtype=pl.Int64).alias(name)
    return frame.with_columns(places) if name else frame


def drawn(frames: Iterable[pl.DataFrame], room: int) -> tuple[list[pl.DataFrame], Iterator[pl.DataFrame]]:
    """The first frames, until they take more than so many bytes, and those that come after them."""
    few, rest = [], iter(frames)
    for frame in rest:
        few.append(frame)
        room -= int(frame.estimated_size())
        if room < 0:
            break
    return few, rest


def drained(few: list[pl.DataFrame]) -> Iterator[pl.DataFrame]:
    """Frames, each let go once it is taken."""
    few.reverse()
    while few:
        yield few.pop()
