"""A large file, or several of one shape, brought in part by part: the types of text columns are still decided
from all of their values.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import polars as pl

from updraft.core.ahead import one_ahead
from updraft.core.formats import FILE_COLUMN
from updraft.core.formats.options import Scan
from updraft.core.formats.reading import scan
from updraft.core.steps.given import Brought, Spool, Wanted
from updraft.core.steps.sources.reading import ReadingSettings, picked, told
from updraft.core.values.decide import Decision, How, Seen, as_it_came, decide_parts


def brought_in_parts(
    paths: Sequence[Path], settings: ReadingSettings, wanted: Wanted, spool: Spool, rows: int
) -> Brought | None:
    """What the files give together, as `reading.as_result` says; None where that takes all of them at once.

    Args:
        spool: keeps frames of text.
        rows: of a part, about.
    """
    found = _scans(paths, settings, wanted)
    if found is None:
        return None
    seen: dict[str, Seen] = {}
    try:
        parts = [_parts(one, spool, rows, seen) for one in found]
    except pl.exceptions.PolarsError:
        return None  # a row of another width, say: the careful reader knows what to do
    first, said = found[0], list(found[0].warnings)
    if len(found) > 1:
        column, number = FILE_COLUMN, 2
        while column in parts[0][0].collect_schema():
            column, number = f"{FILE_COLUMN} {number}", number + 1
        names = [pl.lit(path.name).alias(column) for path in paths]
        parts = [
            [part.select(name, pl.all()) for part in own] for name, own in zip(names, parts, strict=True)
        ]
        said = [
            f"File “{path.name}”: {text}"
            for path, one in zip(paths, found, strict=True)
            for text in one.warnings
        ]
    together = [part for own in parts for part in own]
    schema = together[0].collect_schema()
    kept, differs = picked(schema.names(), first.detected, settings, wanted)
    hows, decisions = _decided(together, pl.Schema({name: schema[name] for name in kept}), settings, seen)
    warnings, evidence = told(decisions, first.detected, kept)
    return Brought(together, _Typed(tuple(kept), hows), (*said, *differs, *warnings), evidence)


def _scans(paths: Sequence[Path], settings: ReadingSettings, wanted: Wanted) -> list[Scan] | None:
    """The files part by part; None where one has to be read as a whole, or has other columns."""
    options = settings.options()
    needed = wanted if not settings.columns and len(paths) == 1 else None
    found: list[Scan] = []
    for path in paths:
        one = scan(path, options, needed)
        if one is None or (found and one.query.collect_schema() != found[0].query.collect_schema()):
            return None
        found.append(one)
    return found


def _parts(one: Scan, spool: Spool, rows: int, seen: dict[str, Seen]) -> list[pl.LazyFrame]:
    """Queries of the parts of a file: as they lie there, or of text once it was kept by columns, which is
    `seen` on the way.
    """
    if one.detected.format in ("parquet", "arrow"):
        many = one.query.select(pl.len()).collect().item()
        return [one.query.slice(start, rows) for start in range(0, max(many, 1), rows)]
    frames = one.query.collect_batches(chunk_size=rows, maintain_order=True)
    table = _without_last(iter(frames), len(one.notes), one.query.collect_schema())
    return list(spool(_looked_at(table, seen)))


def _looked_at(frames: Iterator[pl.DataFrame], seen: dict[str, Seen]) -> Iterator[pl.DataFrame]:
    for frame in frames:
        for column in frame.get_columns():
            if column.dtype == pl.String:
                seen.setdefault(column.name, Seen()).add(column)
        yield frame


def _without_last(frames: Iterator[pl.DataFrame], many: int, schema: pl.Schema) -> Iterator[pl.DataFrame]:
    """Frames without the last rows of all; at least one."""
    held = pl.DataFrame(schema=schema)
    yield held
    for frame in frames:
        held = pl.concat([held, frame])
        yield held.head(max(held.height - many, 0))
        held = held.tail(many) if many else held.clear()


def _decided(
    parts: Sequence[pl.LazyFrame], schema: pl.Schema, settings: ReadingSettings, seen: Mapping[str, Seen]
) -> tuple[dict[str, How], list[Decision]]:
    """What the text columns are taken for, from all of their values."""
    if settings.types != "decide":
        return {}, []
    texts = [name for name, dtype in schema.items() if dtype == pl.String]

    def of(names: Sequence[str]) -> Iterator[pl.DataFrame]:
        return one_ahead(lambda part: part.select(names).collect(), parts)

    empty = settings.missing == "empty"
    decided = decide_parts(texts, of, settings.numbers, missing=empty, seen=seen)
    decisions = [
        decided[name][1] if name in decided else as_it_came(name, dtype) for name, dtype in schema.items()
    ]
    return {name: how for name, (how, _) in decided.items()}, decisions


@dataclass(frozen=True)
class _Typed:
    """A part as what its columns were taken for.

    Args:
        columns: those that are kept.
        hows: what columns of text become.
    """

    columns: tuple[str, ...]
    hows: Mapping[str, How]

    def __call__(self, part: pl.LazyFrame) -> pl.DataFrame:
        frame = part.select(self.columns).collect()
        texts = [name for name in self.columns if name in self.hows]
        with ThreadPoolExecutor() as pool:
            return frame.with_columns(pool.map(lambda name: self.hows[name].made(frame[name]), texts))
