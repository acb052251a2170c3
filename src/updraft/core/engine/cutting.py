"""Whether a run needs more memory than it may take, and how its tables are cut then."""

from __future__ import annotations

import os
import re
import shutil
import tempfile
from dataclasses import dataclass
from pathlib import Path

from updraft.core.engine.files import Files
from updraft.core.engine.planning import Plan
from updraft.core.engine.room import held_by, machine_memory
from updraft.core.problems import Problem

_ON_DISK = 2.0  # and that its parts take on disk, at most
_A_ROW = 4096  # a part has as many rows as this goes into the memory, whatever they hold
_FEWEST, _MOST = 20_000, 1_000_000
_UNITS = {"": 1, "K": 2**10, "M": 2**20, "G": 2**30, "T": 2**40}
_SIZE = re.compile(r"(\d+(?:\.\d+)?)\s*([KMGT]?)(?:I?B)?", re.I)


@dataclass(frozen=True)
class Cut:
    """How tables are cut.

    Args:
        scratch: the folder in which parts lie in between; None for the system's folder for such.
        rows: of a part, about.
        buckets: that rows are dealt out to by their keys.
        room: bytes of parts that may be held between steps, and as many again within one.
    """

    scratch: Path | None = None
    rows: int = _MOST
    buckets: int = 32
    room: int = 0

    @classmethod
    def within(cls, memory: int, size: int, scratch: Path | None = None) -> Cut:
        """A cut with which a run takes about so much memory, for sources that take `size` bytes in it."""
        room = memory // 12
        rows = min(max(memory // _A_ROW, _FEWEST), _MOST)
        return cls(scratch, rows, min(max(2 * size // max(room, 1), 8), 64), room)


def memory_of_runs() -> int:
    """Bytes that a run may take: as UPDRAFT_MEMORY says (`2GB`), or half of this machine's.

    Raises:
        Problem: it says no size.
    """
    said = os.environ.get("UPDRAFT_MEMORY", "").strip()
    return size_of_text(said) if said else machine_memory() // 2


def size_of_text(text: str) -> int:
    """Bytes of a size such as `2GB`, `500M` or a number of bytes."""
    found = _SIZE.fullmatch(text)
    size = int(float(found[1]) * _UNITS[found[2].upper()]) if found else 0
    if size < 64 * 2**20:
        raise Problem(
            f"UPDRAFT_MEMORY “{text}”",
            "it is no size." if not found else "no run gets on with so little.",
            "Write it such as 2GB; 64MB is the least.",
            code="bad_call",
        )
    return size


def cut_for(
    planned: Plan, files: Files, memory: int, scratch: Path | None = None, *, always: bool = False
) -> Cut | None:
    """How tables are cut where a run would take more than so much memory; None where they fit.

    Args:
        always: cut them, even where they fit.

    Raises:
        Problem: there is no room on the disk for the parts.
    """
    sources = _sources(planned, files)
    held = sum(held_by(path) for path in sources)
    if held <= memory and not always:
        return None
    folder = scratch or Path(tempfile.gettempdir())
    while not folder.is_dir():  # it is made when a part comes
        folder = folder.parent
    need, free = int(sum(path.stat().st_size for path in sources) * _ON_DISK), shutil.disk_usage(folder).free
    if free < need:
        raise Problem(
            str(folder),
            f"the tables are larger than the memory, and their parts need about {need / 2**30:,.1f} GB of "
            f"disk; {free / 2**30:,.1f} GB are free.",
            "Make room there, name another folder by TMPDIR, or read fewer columns.",
            code="no_room",
        )
    return Cut.within(memory, held, scratch)


def _sources(planned: Plan, files: Files) -> list[Path]:
    """The files that the flow's sources read."""
    found: list[Path] = []
    for step in planned.steps.values():
        if step.kind is not None and step.settings is not None and not step.inputs and not step.passes_on:
            found += [path for name in step.kind.files(step.settings) for path in files.files(name)]
    return found
