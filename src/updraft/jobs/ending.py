"""Why the process of a run ended before the run was done, for the person who waits for it."""

from __future__ import annotations

import re
import signal
from contextlib import suppress
from pathlib import Path

from updraft.core import Problem

MEMORY = re.compile(
    r"memory allocation of \d+ bytes failed|MemoryError|bad_alloc|cannot allocate memory", re.I
)
FULL = re.compile(r"No space left on device|disk is full", re.I)
_LITTLE = 1 << 20  # bytes of a disk that is full for what a run writes


def most_memory(pid: int) -> int:
    """The most memory that a process has held, in bytes; 0 where the system does not tell."""
    with suppress(OSError, ValueError):
        found = re.search(r"^VmHWM:\s+(\d+) kB", Path(f"/proc/{pid}/status").read_text(), re.M)
        return int(found[1]) << 10 if found else 0
    return 0


def why_it_ended(
    code: int, said: str, log: str, step: tuple[str, str] | None, most: int, room: int = _LITTLE
) -> Problem:
    """The problem of a run whose process went away.

    Args:
        code: what the process ended with; below 0 the signal that ended it.
        said: what it wrote to its log.
        log: where that log is, as the person finds it.
        step: id and name of the step that was under way.
        most: the most memory it held, in bytes; 0 where that is not known.
        room: bytes that are free on the disk of the data folder.
    """
    while_at = f" while “{step[1]}” was computed" if step else ""
    held = f" It held {most / 1e9:.1f} GB by then." if most else ""
    at = step[0] if step else ""
    if code == -signal.SIGKILL or MEMORY.search(said):
        return Problem(
            "This run",
            f"the memory of this machine did not suffice{while_at}.{held}"
            if MEMORY.search(said)
            else f"the system ended its process{while_at}, as it does when memory runs short.{held}",
            "Keep fewer rows or columns before this step, or run it when less else is under way.",
            step=at,
            code="memory",
        )
    if code == -signal.SIGTERM or code == 128 + signal.SIGTERM:
        return Problem(
            "This run",
            f"its process was ended from outside{while_at}.",
            "Run it again.",
            step=at,
            code="ended",
        )
    if FULL.search(said) or room < _LITTLE:  # then even what went wrong cannot be written down
        return Problem(
            "This run",
            f"the disk is full{while_at}; what was delivered before stands as it was.",
            "Make room, then run it again.",
            step=at,
            code="cannot_store",
        )
    return Problem(
        "This run",
        f"Updraft came to an error of its own{while_at}; your data and your flow are as they were.",
        f"Switch the step off or change it to get on; what happened is told to those who mend it in {log}.",
        step=at,
        code="fault",
    )
