"""Computed tables by fingerprint: a few in memory, the rest as Arrow IPC on disk.

A file is written beside its place and renamed, so a reader never sees half of it. Beside it stands a digest;
a file that does not fit its digest is removed and the table computed again.

What lies on disk is known from an index, made once from the folder's names and kept up with every save:
eviction looks at no file that it does not remove. One writer saves; tables that wait for it are bounded in
bytes.
"""

from __future__ import annotations

import json
import os
import re
import threading
import uuid
from collections import OrderedDict
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import polars as pl

from updraft.core.engine.files import digest_of
from updraft.core.engine.table import Fact, Frame, Table

_FINGERPRINT = re.compile(r"\w{1,80}", re.ASCII)
MOST_HELD = 400  # tables in memory
BATCH = (
    65_536  # rows a record batch: small enough to read a window from disk, fixed so that bytes are the same
)


class TableCache:
    """Keeps tables. Safe to use from several threads; several processes may share the folder.

    Args:
        folder: where the files live; None keeps tables in memory only.
        disk_bytes: files are evicted, least recently used first, beyond this.
        memory_bytes: likewise for tables held in memory.
        waiting_bytes: tables that wait to be written; beyond this a table stays in memory only.
    """

    def __init__(
        self,
        folder: Path | None,
        *,
        disk_bytes: int = 8 << 30,
        memory_bytes: int = 1 << 30,
        waiting_bytes: int = 2 << 30,
    ) -> None:
        self.folder, self.disk_bytes, self.memory_bytes, self.waiting_bytes = (
            folder,
            disk_bytes,
            memory_bytes,
            waiting_bytes,
        )
        self._held: OrderedDict[str, Table] = OrderedDict()
        self._lock = threading.Lock()
        self._sizes: dict[str, int] = {}  # of the tables held
        self._writing: dict[str, int] = {}  # fingerprint → bytes, of tables that wait for the writer
        self._index: OrderedDict[str, int] | None = (
            None  # fingerprint → bytes on disk, least recently used first
        )
        self._drafts: set[str] = set()
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
        # A fingerprint comes from an address, too, and becomes the name of a folder.
        table = self._load(fingerprint) if _FINGERPRINT.fullmatch(fingerprint) else None
        if table is not None:
            self._hold(table)
        return table

    def put(self, table: Table, *, wait: bool = False, draft: bool = False) -> None:
        """Keep a table; it goes to disk in the background unless `wait`. A full disk is not an error here.

        Args:
            draft: it belongs to settings that are only tried; such tables are evicted before all others.
        """
        with self._lock:
            (self._drafts.add if draft else self._drafts.discard)(table.fingerprint)
        self._hold(table)
        if self.folder is None:
            return
        size = table.size()
        with self._lock:
            busy = sum(self._writing.values())
            if table.fingerprint in self._writing or (busy and busy + size > self.waiting_bytes and not wait):
                return
            self._writing[table.fingerprint] = size
        job = self._writer.submit(self._save, table)
        if wait:
            job.result()

    def settle(self, fingerprint: str) -> None:
        """A table made for a draft has become one of the flow."""
        with self._lock:
            self._drafts.discard(fingerprint)

    def place(self, fingerprint: str, output: str) -> Path | None:
        """The Arrow file of a table, where it is on disk and whole."""
        if self.folder is None or not _FINGERPRINT.fullmatch(fingerprint):
            return None
        with self._lock:
            if fingerprint in self._writing:
                return None
        path = self._paths(fingerprint, [output])[output]
        return path if self._about(fingerprint).exists() and path.exists() else None

    def shrink(self) -> None:
        """Let go of the tables in memory that are on disk as well."""
        with self._lock:
            for fingerprint in list(self._held):
                if fingerprint not in self._writing and (self.folder is not None):
                    del self._held[fingerprint]
                    self._sizes.pop(fingerprint, None)

    def flush(self) -> None:
        """Wait until everything handed in is on disk."""
        self._writer.submit(lambda: None).result()

    def _hold(self, table: Table) -> None:
        with self._lock:
            self._held[table.fingerprint] = table
            self._held.move_to_end(table.fingerprint)
            self._sizes[table.fingerprint] = table.size()
            total = sum(self._sizes.values())
            for fingerprint in self._by_worth(self._held):
                if total <= self.memory_bytes and len(self._held) <= MOST_HELD:
                    break
                if fingerprint not in self._writing and fingerprint != table.fingerprint:
                    del self._held[fingerprint]
                    total -= self._sizes.pop(fingerprint)

    def _by_worth(self, known: OrderedDict[str, Any]) -> list[str]:
        """Fingerprints, those to be evicted first in front: drafts, then what was not used for longest."""
        return sorted(known, key=lambda fingerprint: fingerprint not in self._drafts)

    def _paths(self, fingerprint: str, outputs: list[str]) -> dict[str, Path]:
        assert self.folder is not None
        return {name: self.folder / f"{fingerprint}{f'.{name}' if name else ''}.arrow" for name in outputs}

    def _save(self, table: Table) -> None:
        assert self.folder is not None
        scratch: list[Path] = []
        try:
            digests, written = {}, []
            for name, path in self._paths(table.fingerprint, list(table.frames)).items():
                frame = table.frames[name]
                if not isinstance(frame, pl.DataFrame):
                    return  # it came from disk
                beside = path.with_name(f".{path.name}.{uuid.uuid4().hex}")
                scratch.append(beside)
                frame.rechunk().write_ipc(beside, record_batch_size=BATCH)
                digests[name] = digest_of(beside)
                os.replace(beside, path)  # noqa: PTH105
                written.append(path)
            about = self.folder / f".{table.fingerprint}.{uuid.uuid4().hex}"
            scratch.append(about)
            about.write_text(json.dumps({**table.about(), "digests": digests}))
            os.replace(about, self._about(table.fingerprint))  # noqa: PTH105
            self._enter(
                table.fingerprint,
                sum(path.stat().st_size for path in written) + self._about(table.fingerprint).stat().st_size,
            )
        except (OSError, pl.exceptions.PolarsError):
            pass  # the table is still in memory; what cannot be kept is computed again
        finally:
            for path in scratch:
                path.unlink(missing_ok=True)
            with self._lock:
                self._writing.pop(table.fingerprint, None)

    def _load(self, fingerprint: str) -> Table | None:
        if self.folder is None:
            return None
        about = self._about(fingerprint)
        try:
            known: dict[str, Any] = json.loads(about.read_text())
            digests: dict[str, str] = known.pop("digests")
            frames: dict[str, Frame] = {}
            for name, path in self._paths(fingerprint, list(digests)).items():
                if not self._is_whole(path, digests[name]):
                    raise ValueError("damaged")
                frames[name] = pl.scan_ipc(path)
                frames[name].lazy().collect_schema()
            self._used(fingerprint)
            known["facts"] = tuple(Fact(**fact) for fact in known["facts"])
            for field in ("brought", "warnings"):
                known[field] = tuple(known[field])
            known["touched"] = None if known["touched"] is None else tuple(known["touched"])
            return Table(frames=frames, **known)
        except FileNotFoundError:
            return None
        except (OSError, ValueError, KeyError, TypeError, AttributeError, pl.exceptions.PolarsError):
            self._remove(fingerprint)  # damaged, or of another shape: it is computed again
            return None

    def _is_whole(self, path: Path, digest: str) -> bool:
        stat = path.stat()
        mark = (stat.st_size, stat.st_mtime_ns)
        if self._trusted.get(path) != mark:
            if digest_of(path) != digest:
                return False
            self._trusted[path] = mark
        return True

    def _about(self, fingerprint: str) -> Path:
        assert self.folder is not None
        return self.folder / f"{fingerprint}.json"

    def _used(self, fingerprint: str) -> None:
        """Note that a table was used now: in the index, and on its file for the index of a later process."""
        self._about(fingerprint).touch()
        with self._lock:
            if self._index is not None and fingerprint in self._index:
                self._index.move_to_end(fingerprint)

    def _enter(self, fingerprint: str, size: int) -> None:
        """Put a saved table into the index, and evict others while there are too many bytes."""
        with self._lock:
            index = self._index if self._index is not None else self._scanned()
            self._index = index
            index[fingerprint] = size
            index.move_to_end(fingerprint)
            total, gone = sum(index.values()), []
            if total > self.disk_bytes:
                for old in self._by_worth(index):
                    if total <= self.disk_bytes:
                        break
                    if old != fingerprint:
                        total -= index[old]
                        gone.append(old)
        for old in gone:
            self._remove(old)

    def _scanned(self) -> OrderedDict[str, int]:
        """The index of what an earlier process left: one pass over the folder."""
        assert self.folder is not None
        sizes: dict[str, int] = {}
        used: dict[str, int] = {}
        with os.scandir(self.folder) as entries:
            for entry in entries:
                if entry.name.startswith("."):
                    continue
                fingerprint, stat = entry.name.split(".")[0], entry.stat()
                sizes[fingerprint] = sizes.get(fingerprint, 0) + stat.st_size
                if entry.name.endswith(".json"):
                    used[fingerprint] = stat.st_mtime_ns
        return OrderedDict((name, sizes[name]) for name in sorted(sizes, key=lambda name: used.get(name, 0)))

    def _remove(self, fingerprint: str) -> None:
        assert self.folder is not None
        about = self._about(fingerprint)
        try:
            files = list(self._paths(fingerprint, list(json.loads(about.read_text())["digests"])).values())
        except (OSError, ValueError, KeyError, TypeError, AttributeError):
            files = list(self.folder.glob(f"{fingerprint}*.arrow"))  # nothing says which files there are
        for path in (about, *files):  # what tells of them first: without it the rest is not looked at
            path.unlink(missing_ok=True)
            self._trusted.pop(path, None)
        with self._lock:
            if self._index is not None:
                self._index.pop(fingerprint, None)
            self._drafts.discard(fingerprint)
            held = self._held.get(fingerprint)
            if held is not None and not all(isinstance(f, pl.DataFrame) for f in held.frames.values()):
                del self._held[fingerprint]
                self._sizes.pop(fingerprint, None)
