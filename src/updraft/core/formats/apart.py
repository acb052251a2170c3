"""Workbooks read in a process of their own: a damaged xls, xlsb or ods can make its reader take all memory, abort, or never end.

`python -m updraft.core.formats.apart FILE FOLDER` writes each sheet's cells as Arrow into the folder, and book.json beside them.
"""

from __future__ import annotations

import json
import os
import resource
import subprocess
import sys
import tempfile
from dataclasses import dataclass
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import fastexcel
import polars as pl

from updraft.core.problems import Problem

_SECONDS = 180.0
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
        Problem: it is damaged, or takes more than 6 GB or 3 minutes.
    """
    with tempfile.TemporaryDirectory(prefix="updraft-") as folder:
        try:
            done = subprocess.run([sys.executable, "-m", __name__, str(path.resolve()), folder], capture_output=True, text=True,
                                  timeout=_SECONDS, env={**os.environ, "POLARS_MAX_THREADS": "1", "RUST_BACKTRACE": "0"})
        except subprocess.TimeoutExpired:
            raise Problem(path.name, "it could not be read in 3 minutes.", "Open it in a spreadsheet and save it as xlsx.",
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


def _main(path: Path, folder: Path) -> None:
    room = _MEMORY + _ROOM * path.stat().st_size
    resource.setrlimit(resource.RLIMIT_AS, (room, room))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    try:
        book = fastexcel.read_excel(path)
        sheets = []
        for n, name in enumerate(book.sheet_names):
            sheet = book.load_sheet(name, header_row=None, dtypes="string")
            sheet.to_polars().write_ipc(folder / f"{n}.arrow")
            sheets.append((name, sheet.visible))
        try:
            names = [(name.name, name.formula) for name in book.defined_names()]
        except Exception:  # formats without names say so in several ways
            names = []
    except BaseException as error:  # a panic is no Exception
        sys.stdout.write(" ".join(str(error).split()) or type(error).__name__)
        sys.exit(1)
    (folder / "book.json").write_text(json.dumps({"sheets": sheets, "names": names}))


if __name__ == "__main__":
    _main(Path(sys.argv[1]), Path(sys.argv[2]))
