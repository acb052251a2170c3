"""Scratch files below the data folder: what a killed upload, writer or run left half done is cleared."""

from __future__ import annotations

import re
import shutil
import time
from pathlib import Path

from updraft.store.folders import Folders

OLD = 24 * 3600.0  # seconds after which scratch of a running app was left for sure
# Files of the cache, of answers and deliveries, folders of uploads: a point in front, and 32 digits.
_SCRATCH = re.compile(r"\..*[0-9a-f]{32}.*")


def swept(folders: Folders, age: float) -> int:
    """Remove scratch that is older than `age` seconds; gives how many files and folders went.

    At the start of the one server of a data folder nothing of it is in use, but what a run of an earlier
    worker still writes: that is younger than the last minute of its work, and left.
    """
    now, gone = time.time(), 0
    places = [folders.cache, *folders.data.glob("flows/*/files"), *folders.data.glob("flows/*/files/*")]
    places += [*folders.data.glob("flows/*/out"), *folders.data.glob("flows/*/answers")]
    places += folders.data.glob("samples/*")
    for path in folders.data.glob("runs/*.parts"):  # of runs that were killed
        if now - path.stat().st_mtime >= max(age, 60.0):
            _remove(path)
            gone += 1
    for place in places:
        if not place.is_dir() or place.is_symlink():
            continue
        for path in place.iterdir():
            scratch = _SCRATCH.fullmatch(path.name)
            young = max(age, 60.0 if place.name == "out" else 0.0)
            try:
                if scratch and now - path.lstat().st_mtime >= young:
                    _remove(path)
                    gone += 1
            except OSError:
                continue  # it went by itself, or is not ours
    return gone


def _remove(path: Path) -> None:
    if path.is_dir() and not path.is_symlink():
        shutil.rmtree(path)
    else:
        path.unlink()
