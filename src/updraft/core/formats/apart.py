"""Files read in a process of their own: a damaged xls, xlsb, ods, Parquet or Arrow can make its reader take
all memory, abort, or never end, and the app with it."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
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
    _checked(path, path.stat().st_mtime_ns, path.stat().st_size, reader)


@lru_cache(64)
def _checked(path: Path, changed: int, size: int, reader: str) -> None:
    with tempfile.TemporaryDirectory(prefix="updraft-") as folder:
        _about(path, reader, Path(folder), "read")


def _about(path: Path, how: str, folder: Path, done_to: str) -> Any:
    size = path.stat().st_size
    again = "It may have been cut off on the way: ask for it again"
    try:
        done = subprocess.run(
            [
                sys.executable,
                "-P",
                str(_READER),
                how,
                str(path.resolve()),
                str(folder),
                str(_MEMORY + _ROOM * size),
            ],
            capture_output=True,
            text=True,
            timeout=_SECONDS + size / 1e6,
            env={**os.environ, "POLARS_MAX_THREADS": "1", "RUST_BACKTRACE": "0"},
        )
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
