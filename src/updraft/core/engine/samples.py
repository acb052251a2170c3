"""What somebody sees of files too large to be looked at as a whole: a sample, kept as a smaller file."""

from __future__ import annotations

import os
import threading
import uuid
from collections.abc import Sequence
from pathlib import Path

import xxhash

from updraft.core.engine.room import held_by
from updraft.core.formats.options import ReadOptions
from updraft.core.problems import Problem, reason_of

_OF_MEMORY = 4  # a table is looked at as a whole up to such a part of the memory
_MOST = 192 << 20  # bytes that a sample takes in memory, about: of a dozen columns a million rows
_KEPT = 12  # samples


class Samples:
    """Smaller files in place of large ones.

    Args:
        folder: where they are kept; those not used for longest go.
        memory: bytes that the process should hold at most.
    """

    def __init__(self, folder: Path, memory: int) -> None:
        self._folder, self._bound = folder, memory // _OF_MEMORY
        self._lock = threading.Lock()
        self._known: dict[tuple[str, ReadOptions], bool] = {}

    def share(self, paths: Sequence[Path], options: ReadOptions) -> float:
        """How much of some files, read as one table, is looked at: 1 where it is all of it."""
        if not self.too_large(paths) or not all(self._can(path, options) for path in paths):
            return 1.0
        return min(self._bound / 2, _MOST) / sum(held_by(path) for path in paths)

    def too_large(self, paths: Sequence[Path]) -> bool:
        """Whether files are too large to be looked at as a whole."""
        return sum(held_by(path) for path in paths) > self._bound

    def of(self, path: Path, share: float, options: ReadOptions) -> Path:
        """The smaller file of a file, of the same name; made where it is not there yet."""
        from updraft.core.formats.thinning import thin

        folder = self._folder / xxhash.xxh3_64_hexdigest(f"{mark_of(path)} {share!r} {options!r}".encode())
        made = folder / path.name
        with self._lock:  # two at the same time would write the same
            if not made.is_file():
                beside = folder / f".{uuid.uuid4().hex}"
                try:
                    folder.mkdir(parents=True, exist_ok=True)
                    thin(path, beside, share, options)
                    beside.replace(made)
                except OSError as error:
                    raise Problem(
                        path.name,
                        f"a sample of it could not be kept ({reason_of(error)}).",
                        "Make room on the disk, then look again.",
                        code="no_room",
                    ) from None
                finally:
                    beside.unlink(missing_ok=True)
                self._tidy()
            os.utime(folder)
        return made

    def _can(self, path: Path, options: ReadOptions) -> bool:
        from updraft.core.formats.thinning import can_thin

        key = (mark_of(path), options)
        if key not in self._known:
            self._known[key] = can_thin(path, options)
        return self._known[key]

    def _tidy(self) -> None:
        folders = sorted(self._folder.iterdir(), key=lambda one: one.stat().st_mtime, reverse=True)
        for folder in folders[_KEPT:]:
            for file in folder.iterdir():
                file.unlink(missing_ok=True)
            folder.rmdir()


def mark_of(path: Path) -> str:
    """What a file's content follows from, without a look at it: place, size and time of change."""
    stat = path.stat()
    return repr((str(path), stat.st_size, stat.st_mtime_ns))
