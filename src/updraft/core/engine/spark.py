"""Hands on a Spark cluster: tasks, their retries and the dealing out of rows are Spark's, the work is ours.

What Spark moves are blocks of rows as Arrow writes them, so that every type and value stays as it is. Tasks
read parts from a folder that this machine and the cluster's both see, and write new ones there; a task that
Spark runs twice writes two, and only the one it answered with is taken.

pyspark is an extra: it is imported when a run asks for a cluster.
"""

from __future__ import annotations

import io
import math
import pickle
import re
import time
import uuid
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import Future
from dataclasses import dataclass
from itertools import groupby
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar

import polars as pl

from updraft.core.connect import CLUSTER, Cluster, Outside
from updraft.core.engine.hands import Dealt
from updraft.core.engine.pieces import Keep, Piece, Pieces, numbered, parted
from updraft.core.engine.report import Stopped
from updraft.core.engine.sent import sent
from updraft.core.engine.spark_session import ONE, PATIENCE, Wrong, said_of, session_at, versions_here
from updraft.core.flow.model import Flow
from updraft.core.problems import Problem
from updraft.core.steps import Context

if TYPE_CHECKING:
    from pyspark.sql import DataFrame

T = TypeVar("T")
R = TypeVar("R")

_BLOCKS = "bucket int, item int, block binary"
_POLL = 0.2  # seconds between looks at whether a run was cancelled


class Spark:
    """Hands on a cluster.

    Args:
        where: its master's address, such as `spark://host:7077` or `local[2]`.
        cancelled: asked while tasks run.

    Raises:
        Problem: there is no such cluster, Java or pyspark is not here, or other versions are there.
    """

    def __init__(self, where: str, keep: Keep, cancelled: Callable[[], bool] = lambda: False) -> None:
        self.where, self.keep, self._cancelled = where, keep, cancelled
        ONE.acquire()
        try:
            self._session = session_at(where)
            self._check()
        except BaseException:
            self.close()
            raise

    def close(self) -> None:
        """Give the cluster's processes back."""
        session = self.__dict__.pop("session_at", None)
        if session is not None:
            session.stop()
        ONE.release()

    def context(self, context: Context) -> Context:
        return sent(context)

    def each(self, work: Callable[[T], R], items: Iterable[T]) -> Iterator[R]:
        given = list(items)
        return self._answers(self._asked(work, given)) if given else iter(())

    def _asked(self, work: Callable[[T], R], given: Sequence[T]) -> DataFrame:
        def tasks(batches: Iterator[Any]) -> Iterator[Any]:
            for batch in batches:
                for (number,) in zip(*batch.to_pydict().values(), strict=True):
                    yield _row(number=number, made=_answer(lambda n: work(given[n]), number))

        numbers = self._session.range(0, len(given), 1, len(given))
        return numbers.mapInArrow(tasks, "number long, made binary")

    def dealt(
        self, tables: Sequence[Dealt], many: int, rows: int, work: Callable[[int, Sequence[pl.DataFrame]], R]
    ) -> Iterator[R]:
        items = [item for port, one in enumerate(tables) for item in _items(port, one)]
        buckets, columns = [one.bucket for one in tables], [(one.number, _schema(one)) for one in tables]

        def deal(batches: Iterator[Any]) -> Iterator[Any]:
            for batch in batches:
                for (n,) in zip(*batch.to_pydict().values(), strict=True):
                    port, first, piece = items[n]
                    for bucket, frame in _by_buckets(piece, first, columns[port][0], buckets[port], many):
                        yield _row(bucket=bucket, item=n, block=_block(port, frame))

        def by_bucket(batches: Iterator[Any]) -> Iterator[Any]:
            for bucket, rows_of_it in groupby(_rows(batches), lambda row: row["bucket"]):
                came: list[list[pl.DataFrame]] = [[] for _ in columns]
                for row in rows_of_it:
                    port, frame = _of_block(row["block"])
                    came[port].append(frame)
                frames = [
                    pl.concat(some) if some else numbered(pl.DataFrame(schema=schema), 0, number)
                    for some, (number, schema) in zip(came, columns, strict=True)
                ]
                yield _row(number=bucket, made=_answer(lambda b: work(b, frames), bucket))  # noqa: B023  at once

        blocks = self._session.range(0, len(items), 1, len(items)).mapInArrow(deal, _BLOCKS)
        together = blocks.repartition(many, "bucket").sortWithinPartitions("bucket", "item")
        return self._answers(together.mapInArrow(by_bucket, "number long, made binary"))

    def _answers(self, asked: DataFrame, patience: float = math.inf) -> Iterator[Any]:
        """What tasks answered, by their numbers."""
        answers = {row["number"]: pickle.loads(row["made"]) for row in self._collected(asked, patience)}
        for number in sorted(answers):
            answer = answers.pop(number)
            if isinstance(answer, Wrong):
                raise answer.problem
            yield answer

    def _collected(self, asked: DataFrame, patience: float = math.inf) -> list[Any]:
        """The rows of a query; Stopped when the run is cancelled meanwhile, TimeoutError after so many
        seconds.
        """
        from pyspark import InheritableThread

        context, group, answer = self._session.sparkContext, uuid.uuid4().hex, Future[list[Any]]()

        def collect() -> None:
            context.setJobGroup(group, "Updraft", interruptOnCancel=True)
            try:
                answer.set_result(asked.collect())
            except BaseException as error:
                answer.set_exception(error)

        InheritableThread(target=collect, daemon=True).start()
        until = time.monotonic() + patience
        while True:
            try:
                return answer.result(_POLL)
            except TimeoutError:
                if not self._cancelled() and time.monotonic() < until:
                    continue
                context.cancelJobGroup(group)
                if self._cancelled():
                    raise Stopped from None
                raise
            except Exception as error:
                raise self._told(error) from None

    def _check(self) -> None:
        """See that its workers have what is here, and see the folder of parts."""
        here, probe = versions_here(), self.keep(pl.DataFrame({"probe": [1]}))
        assert isinstance(probe.kept, Path), "a cluster's parts are files"
        path, many = probe.kept, 2 * self._session.sparkContext.defaultParallelism
        asked = self._asked(lambda _: (versions_here(), path.exists()), [None] * many)
        try:
            found = list(self._answers(asked, PATIENCE))
        except TimeoutError:
            raise self._problem(
                f"none of its workers took a task within {PATIENCE:.0f} seconds",
                "See that a worker is there, with a core and 1 GB of memory free.",
                "no_worker",
            ) from None
        finally:
            path.unlink(missing_ok=True)
        for versions, sees in found:
            if versions != here:
                raise self._problem(
                    f"other versions are there: {said_of(versions)}; here: {said_of(here)}",
                    "Install the same versions on all of its machines; PYSPARK_PYTHON names their Python.",
                    "other_versions",
                )
            if not sees:
                raise self._problem(
                    f"its workers do not see the folder for parts, {path.parents[1]}",
                    "Name one that all machines see under the same path (--scratch, or the connection's).",
                    "no_folder",
                )

    def _problem(self, reason: str, way_out: str, code: str) -> Problem:
        return Problem(f"The cluster {self.where}", f"{reason}.", way_out, code=code)

    def _told(self, error: Exception) -> Problem:
        text = str(error)
        last = next(
            (
                line.strip()
                for line in reversed(text.splitlines())
                if re.match(r"\s*[\w.]*(Error|Exception)\b", line)
            ),
            "",
        )
        reason = last or text.strip().splitlines()[0][:300]
        if "PYTHON_VERSION_MISMATCH" in text:
            reason = "another version of Python is on its machines"
        elif "No module named" in text:
            reason = f"a Python on its machines lacks what a task needs ({last or 'a module'})"
        return self._problem(
            f"it gave up: {reason}",
            "Nothing was delivered. Mend that and run again, or compute the flow on this machine.",
            "cluster",
        )


@dataclass(frozen=True)
class SparkCluster:
    """A cluster by its address."""

    place: str

    def hands(self, keep: Keep, cancelled: Callable[[], bool]) -> Spark:
        return Spark(self.place, keep, cancelled)


def cluster_at(where: str) -> SparkCluster:
    """The cluster of this address, which is reached when a run begins. Problem where it names none."""
    if not re.fullmatch(CLUSTER, where):
        raise Problem(
            f"--on {where}",
            "it names no cluster.",
            "Write it such as spark://host:7077, or local[2] for this machine.",
            code="bad_call",
        )
    return SparkCluster(where)


def cluster_of(flow: Flow, outside: Outside) -> tuple[SparkCluster, Path] | None:
    """The cluster that a flow is computed on, and the folder for parts there; None for this machine."""
    if not flow.computed_on:
        return None
    found = outside.connection(flow.computed_on, Cluster)
    return cluster_at(found.place), Path(found.folder)


def _answer(work: Callable[[int], Any], number: int) -> bytes:
    try:
        return pickle.dumps(work(number))
    except Problem as problem:
        return pickle.dumps(Wrong(problem))


def _row(**cells: Any) -> Any:
    import pyarrow

    return pyarrow.RecordBatch.from_pylist([cells], schema=_shape(tuple(cells)))


def _shape(names: tuple[str, ...]) -> Any:
    import pyarrow

    types = {
        "block": pyarrow.binary(),
        "made": pyarrow.binary(),
        "bucket": pyarrow.int32(),
        "item": pyarrow.int32(),
    }
    number = pyarrow.int64()
    return pyarrow.schema([(name, types.get(name, number)) for name in names])


def _rows(batches: Iterator[Any]) -> Iterator[dict[str, Any]]:
    for batch in batches:
        yield from batch.to_pylist()


def _items(port: int, one: Dealt) -> Iterator[tuple[int, int, Piece]]:
    """The pieces of a table that is dealt out, each with the place where it begins."""
    assert isinstance(one.table, Pieces), "a cluster is given tables that lie in the shared folder"
    first = 0
    for piece in one.table.pieces:
        yield port, first, piece
        first += piece.height


def _schema(one: Dealt) -> pl.Schema:
    assert isinstance(one.table, Pieces)
    return one.table.schema


def _by_buckets(
    piece: Piece, first: int, number: str, bucket: Any, many: int
) -> Iterator[tuple[int, pl.DataFrame]]:
    """A piece's rows by buckets; the first piece gives the first bucket, which is always worked on, in any
    case.
    """
    frame = numbered(piece.frame(), first, number)
    if not first:
        yield 0, frame.clear()
    yield from parted(frame, bucket(frame, many))


def _block(port: int, frame: pl.DataFrame) -> bytes:
    into = io.BytesIO()
    frame.write_ipc_stream(into, compression="zstd")
    return pickle.dumps((port, into.getvalue()))


def _of_block(block: bytes) -> tuple[int, pl.DataFrame]:
    port, rows = pickle.loads(block)
    return port, pl.read_ipc_stream(io.BytesIO(rows))
