"""Files read in a process of their own: a damaged xls, xlsb, ods, Parquet or Arrow can make its reader take
all memory, abort, or never end, and the app with it."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from threading import Lock
from types import SimpleNamespace
from typing import Any

import polars as pl

from updraft.core.problems import Problem

_READER = Path(__file__).with_name("apart_reader.py")
_SECONDS = 20.0  # and one more for every megabyte
_MEMORY = 6 << 30  # bytes of address space
_ROOM = 80  # times the size of the file that its cells may take beyond that


@dataclass(frozen=True)
class _Sheet:
    cells: pl.DataFrame
    visible: str

    def to_polars(self) -> pl.DataFrame:
        return self.cells


class Apart:
    """A workbook that was read elsewhere, in the shape in which fastexcel gives one."""

    def __init__(self, sheets: dict[str, _Sheet], names: list[tuple[str, str]]) -> None:
        self._sheets, self._names = sheets, names
        self.sheet_names = list(sheets)

    def load_sheet(self, sheet: str, n_rows: int | None = None, **_: Any) -> _Sheet:
        return self._sheets[sheet]

    def table_names(self) -> list[str]:
        return []

    def defined_names(self) -> list[Any]:
        return [SimpleNamespace(name=name, formula=formula) for name, formula in self._names]


def read_apart(path: Path) -> Apart:
    """All sheets of a workbook.

    Raises:
        Problem: it is damaged, or takes more memory or time than a sound one of its size could.
    """
    with tempfile.TemporaryDirectory(prefix="updraft-") as folder:
        known = _about(path, "book", Path(folder), "opened as a workbook")
        sheets = {
            name: _Sheet(pl.read_ipc(Path(folder) / f"{n}.arrow"), visible)
            for n, (name, visible) in enumerate(known["sheets"])
        }
    return Apart(sheets, [(name, formula) for name, formula in known["names"]])


def check_apart(path: Path, reader: str) -> None:
    """See whether a reader of Polars can read a file, since a damaged one may abort the process it is read
    in.

    Raises:
        Problem: it cannot.
    """
    state = _state(path, reader)
    if state in _sound:
        return
    with tempfile.TemporaryDirectory(prefix="updraft-") as folder:
        _about(path, reader, Path(folder), "read")
    _remember([state])


def pieces_apart(path: Path, form: str, places: Sequence[tuple[int, int]], to: Path) -> None:
    """Write some rows of a Parquet or Arrow file to another.

    Args:
        places: where pieces begin, and the rows behind their ends.

    Raises:
        Problem: it cannot be read.
    """
    with tempfile.TemporaryDirectory(prefix="updraft-", dir=to.parent) as folder:
        _about(path, f"pieces {form} {json.dumps(places)}", Path(folder), "read")
        (Path(folder) / form).replace(to)


def check_together(paths: Sequence[Path], reader: str) -> None:
    """The same for several files, in one process: its start takes longer than most files. What cannot be read
    is not said here, but where that file is read.
    """
    # As they are before: one that changes meanwhile is another file.
    new = [state for path in paths if (state := _state(path, reader)) not in _sound]
    if len(new) < 2:
        return
    with tempfile.TemporaryDirectory(prefix="updraft-") as folder:
        with suppress(subprocess.TimeoutExpired):
            _run(reader, [path for path, *_ in new], Path(folder))
        about = Path(folder) / "about.json"
        known = json.loads(about.read_text()) if about.exists() else {"read": 0}
    _remember(new[: known["read"]])


_State = tuple[Path, int, int, str]
_KEPT = 4096  # files that are remembered
_sound: dict[_State, None] = {}  # what was read without harm, the oldest first
_one_by_one = Lock()


def _state(path: Path, reader: str) -> _State:
    stat = path.stat()
    return path, stat.st_mtime_ns, stat.st_size, reader


def _remember(states: Sequence[_State]) -> None:
    with _one_by_one:
        _sound.update(dict.fromkeys(states))
        while len(_sound) > _KEPT:
            del _sound[next(iter(_sound))]


def _run(how: str, paths: Sequence[Path], folder: Path) -> subprocess.CompletedProcess[str]:
    sizes = [path.stat().st_size for path in paths]
    files = [str(path.resolve()) for path in paths]
    return subprocess.run(
        [sys.executable, "-P", str(_READER), how, str(folder), str(_MEMORY + _ROOM * max(sizes)), *files],
        capture_output=True,
        text=True,
        timeout=_SECONDS + sum(sizes) / 1e6,
        env={**os.environ, "POLARS_MAX_THREADS": "1", "RUST_BACKTRACE": "0"},
    )


def _about(path: Path, how: str, folder: Path, done_to: str) -> Any:
    again = "It may have been cut off on the way: ask for it again"
    try:
        done = _run(how, [path], folder)
    except subprocess.TimeoutExpired:
        raise Problem(
            path.name, "its reader did not come to an end.", f"{again}, or as CSV or xlsx.", code="damaged"
        ) from None
    about = folder / "about.json"
    if not about.exists():
        why = (done.stdout.strip().splitlines() or ["its reader gave up"])[-1]
        more = ", or open and save it in a spreadsheet" if how == "book" else ""
        raise Problem(
            path.name,
            f"it cannot be {done_to} ({why[:120]}).",
            f"{again}{more}.",
            code="damaged_workbook" if how == "book" else "damaged",
        )
    return json.loads(about.read_text())
