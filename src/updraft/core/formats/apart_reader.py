"""`python apart_reader.py FILE FOLDER BYTES`: write each sheet's cells as Arrow into the folder, and book.json beside them.

Run by `apart` in a process of its own with that much address space; it imports nothing of Updraft, so that it starts quickly.
"""

from __future__ import annotations

import contextlib
import json
import resource
import sys
from pathlib import Path

import fastexcel


def main(path: Path, folder: Path, room: int) -> None:
    with contextlib.suppress(ValueError, OSError):  # not every system bounds the address space
        resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
        resource.setrlimit(resource.RLIMIT_AS, (room, room))
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
    main(Path(sys.argv[1]), Path(sys.argv[2]), int(sys.argv[3]))
