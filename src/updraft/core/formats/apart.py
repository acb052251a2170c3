"""Workbooks read in a process of their own: a damaged xls, xlsb or ods can make its reader take all memory, abort, or never end."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
from dataclasses import dataclass
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import polars as pl

from updraft.core.formats import apart_reader
from updraft.core.problems import Problem

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
        try:
            room = _MEMORY + _ROOM * path.stat().st_size
            done = subprocess.run(
                [sys.executable, "-P", apart_reader.__file__, str(path.resolve()), folder, str(room)], capture_output=True, text=True,
                timeout=_SECONDS + path.stat().st_size / 1e6,
                env={**os.environ, "POLARS_MAX_THREADS": "1", "RUST_BACKTRACE": "0"})
        except subprocess.TimeoutExpired:
            raise Problem(path.name, "its reader did not come to an end.", "Open it in a spreadsheet and save it as xlsx.",
                          code="damaged_workbook") from None
        about = Path(folder) / "book.json"
        if not about.exists():
            why = (done.stdout.strip().splitlines() or ["its reader gave up"])[-1]
            raise Problem(path.name, f"it cannot be opened as a workbook ({why[:120]}).",
                          "It may have been cut off on the way: ask for it again, or open and save it in a spreadsheet.",
                          code="damaged_workbook")
        known = json.loads(about.read_text())
        sheets = {name: _Sheet(pl.read_ipc(Path(folder) / f"{n}.arrow"), visible)
                  for n, (name, visible) in enumerate(known["sheets"])}
        return Apart(sheets, [(name, formula) for name, formula in known["names"]])
