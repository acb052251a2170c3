"""`python apart_reader.py HOW FOLDER BYTES FILE…`: read files one after another; of a workbook, write each
sheet's cells as Arrow into the folder.

HOW is book, or the name of a reader of Polars, which only tries whether it can read the files, or
`pieces FORM [[FIRST, BEHIND], …]`: rows that are written to a file of the same form. After each, about.json
says so. Run by `apart` in a process of its own with that much address space; it imports nothing of
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
            about = done(how, path, folder)
        except BaseException as error:  # a panic is no Exception
            sys.stdout.write(" ".join(str(error).split()) or type(error).__name__)
            sys.exit(1)
        written = folder / "about.new"  # whole at any moment, since it may be stopped at any
        written.write_text(json.dumps({**about, "read": number}))
        written.replace(folder / "about.json")


def done(how: str, path: Path, folder: Path) -> dict[str, Any]:
    if how == "book":
        return book(path, folder)
    if how.startswith("pieces "):
        _, form, places = how.split(" ", 2)
        return pieces(path, folder, form, json.loads(places))
    getattr(pl, how)(path)
    return {}


def pieces(path: Path, folder: Path, form: str, places: list[tuple[int, int]]) -> dict[str, Any]:
    query = pl.scan_parquet(path, glob=False) if form == "parquet" else pl.scan_ipc(path, glob=False)
    made = pl.concat([query.slice(first, behind - first).collect() for first, behind in places])
    if form == "parquet":
        made.write_parquet(folder / form)
    else:
        made.write_ipc(folder / form)
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
