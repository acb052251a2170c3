"""Computed tables by fingerprint: a few in memory, the rest as Arrow IPC on disk.

A file is written beside its place and renamed, so a reader never sees half of it. Beside it stands a digest; a file
that does not fit its digest is removed and the table computed again.
"""

from __future__ import annotations

import json
import os
import threading
import uuid
from collections import OrderedDict
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import polars as pl

from updraft.core.engine.files import digest_of
from updraft.core.engine.table import Fact, Table

BATCH = 65_536  # rows a record batch: small enough to read a window from disk, fixed so that bytes are the same


class TableCache:
    """Keeps tables. Safe to use from several threads; several processes may share the folder.

    Args:
        folder: where the files live; None keeps tables in memory only.
        disk_bytes: files are evicted, least recently used first, beyond this.
        memory_bytes: likewise for tables held in memory.
    """

    def __init__(self, folder: Path | None, *, disk_bytes: int = 8 << 30, memory_bytes: int = 1 << 30) -> None:
        self.folder, self.disk_bytes, self.memory_bytes = folder, disk_bytes, memory_bytes
        self._held: OrderedDict[str, Table] = OrderedDict()
        self._lock = threading.Lock()
        self._writing: set[str] = set()
        self._trusted: dict[Path, tuple[int, int]] = {}
        self._writer = ThreadPoolExecutor(1, thread_name_prefix="table-cache")
        if folder is not None:
            folder.mkdir(parents=True, exist_ok=True)

    def get(self, fingerprint: str) -> Table | None:
        """The table, or None when it was never computed, was evicted or is damaged."""
        with self._lock:
            table = self._held.get(fingerprint)
            if table is not None:
                self._held.move_to_end(fingerprint)
                return table
        table = self._load(fingerprint)
        if table is not None:
            self._hold(table)
        return table

    def put(self, table: Table, *, wait: bool = False) -> None:
        """Keep a table; it goes to disk in the background unless `wait`. A full disk is not an error here."""
        self._hold(table)
        if self.folder is None:
            return
        with self._lock:
            if table.fingerprint in self._writing:
                return
            self._writing.add(table.fingerprint)
        job = self._writer.submit(self._save, table)
        if wait:
            job.result()

    def flush(self) -> None:
        """Wait until everything handed in is on disk."""
        self._writer.submit(lambda: None).result()

    def _hold(self, table: Table) -> None:
        with self._lock:
            self._held[table.fingerprint] = table
            self._held.move_to_end(table.fingerprint)
            total = sum(held.size() for held in self._held.values())
            for fingerprint in list(self._held)[:-1]:
                if total <= self.memory_bytes and len(self._held) <= 400:
                    break
                if self.folder is None or fingerprint in self._writing:
                    continue
                total -= self._held.pop(fingerprint).size()

    def _paths(self, fingerprint: str, outputs: list[str]) -> dict[str, Path]:
        assert self.folder is not None
        return {name: self.folder / f"{fingerprint}{f'.{name}' if name else ''}.arrow" for name in outputs}

    def _save(self, table: Table) -> None:
        assert self.folder is not None
        scratch: list[Path] = []
        try:
            digests = {}
            for name, path in self._paths(table.fingerprint, list(table.frames)).items():
                frame = table.frames[name]
                if not isinstance(frame, pl.DataFrame):
                    return  # it came from disk
                beside = path.with_name(f".{path.name}.{uuid.uuid4().hex}")
                scratch.append(beside)
                frame.rechunk().write_ipc(beside, record_batch_size=BATCH)
                digests[name] = digest_of(beside)
                os.replace(beside, path)  # noqa: PTH105
            about = self.folder / f".{table.fingerprint}.{uuid.uuid4().hex}"
            scratch.append(about)
            about.write_text(json.dumps({**table.about(), "digests": digests}))
            os.replace(about, self.folder / f"{table.fingerprint}.json")  # noqa: PTH105
            self._evict()
        except (OSError, pl.exceptions.PolarsError):
            pass  # the table is still in memory; what cannot be kept is computed again
        finally:
            for path in scratch:
                path.unlink(missing_ok=True)
            with self._lock:
                self._writing.discard(table.fingerprint)

    def _load(self, fingerprint: str) -> Table | None:
        if self.folder is None:
            return None
        about = self.folder / f"{fingerprint}.json"
        try:
            known: dict[str, Any] = json.loads(about.read_text())
            digests: dict[str, str] = known.pop("digests")
            frames: dict[str, pl.DataFrame | pl.LazyFrame] = {}
            for name, path in self._paths(fingerprint, list(digests)).items():
                if not self._is_whole(path, digests[name]):
                    raise ValueError("damaged")
                frames[name] = pl.scan_ipc(path)
                frames[name].lazy().collect_schema()
            about.touch()
            known["facts"] = tuple(Fact(**fact) for fact in known["facts"])
            for field in ("brought", "warnings"):
                known[field] = tuple(known[field])
            known["touched"] = None if known["touched"] is None else tuple(known["touched"])
            return Table(frames=frames, **known)
        except FileNotFoundError:
            return None
        except (OSError, ValueError, KeyError, TypeError, pl.exceptions.PolarsError):
            self._remove(fingerprint)
            return None

    def _is_whole(self, path: Path, digest: str) -> bool:
        stat = path.stat()
        mark = (stat.st_size, stat.st_mtime_ns)
        if self._trusted.get(path) != mark:
            if digest_of(path) != digest:
                return False
            self._trusted[path] = mark
        return True

    def _evict(self) -> None:
        assert self.folder is not None
        known = sorted(self.folder.glob("*.json"), key=lambda p: p.stat().st_mtime_ns)
        sizes = {p.stem: sum(f.stat().st_size for f in self.folder.glob(f"{p.stem}*")) for p in known}
        total = sum(sizes.values())
        for path in known[:-1]:
            if total <= self.disk_bytes:
                break
            total -= sizes[path.stem]
            self._remove(path.stem)

    def _remove(self, fingerprint: str) -> None:
        assert self.folder is not None
        for path in sorted(self.folder.glob(f"{fingerprint}*"), key=lambda p: p.suffix != ".json"):
            path.unlink(missing_ok=True)  # the .json first: without it the rest is not looked at
        with self._lock:
            held = self._held.get(fingerprint)
            if held is not None and not all(isinstance(f, pl.DataFrame) for f in held.frames.values()):
                del self._held[fingerprint]

