"""`python apart_reader.py HOW FOLDER BYTES FILE…`: read files one after another; of a workbook, write each
sheet's cells as Arrow into the folder.

HOW is book, or the name of a reader of Polars, which only tries whether it can read the files. After each,
about.json says so. Run by `apart` in a process of its own with that much address space; it imports nothing of
Updraft, so that it starts quickly.
"""

from __future__ import annotations

import contextlib
import json
import resource
import sys
from pathlib import Path
from typing import Any

import fastexcel
import polars as pl


def main(how: str, folder: Path, room: int, paths: list[Path]) -> None:
    with contextlib.suppress(ValueError, OSError):  # not every system bounds the address space
        resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
        resource.setrlimit(resource.RLIMIT_AS, (room, room))
    for number, path in enumerate(paths, 1):
        try:
            about = book(path, folder) if how == "book" else tried(how, path)
        except BaseException as error:  # a panic is no Exception
            sys.stdout.write(" ".join(str(error).split()) or type(error).__name__)
            sys.exit(1)
        written = folder / "about.new"  # whole at any moment, since it may be stopped at any
        written.write_text(json.dumps({**about, "read": number}))
        written.replace(folder / "about.json")


def tried(how: str, path: Path) -> dict[str, Any]:
    getattr(pl, how)(path)
    return {}


def book(path: Path, folder: Path) -> dict[str, Any]:
    found = fastexcel.read_excel(path)
    sheets = []
    for n, name in enumerate(found.sheet_names):
        sheet = found.load_sheet(name, header_row=None, dtypes="string")
        sheet.to_polars().write_ipc(folder / f"{n}.arrow")
        sheets.append((name, sheet.visible))
    try:
        names = [(name.name, name.formula) for name in found.defined_names()]
    except Exception:  # formats without names say so in several ways
        names = []
    return {"sheets": sheets, "names": names}


if __name__ == "__main__":
    main(sys.argv[1], Path(sys.argv[2]), int(sys.argv[3]), [Path(one) for one in sys.argv[4:]])
