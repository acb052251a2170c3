"""A process with its time and the most memory that it held for itself, without pages of mapped files."""

from __future__ import annotations

import os
import re
import subprocess
import time
from collections.abc import Sequence
from pathlib import Path
from typing import IO


def watched(call: Sequence[str], memory: str = "", said: IO[str] | None = None) -> tuple[float, int]:
    """Seconds of a process, and the MB that it held at most.

    Args:
        memory: what its run may take, as UPDRAFT_MEMORY says it.
        said: where it writes to.
    """
    env = {**os.environ, "UPDRAFT_MEMORY": memory} if memory else dict(os.environ)
    begun = time.perf_counter()
    process = subprocess.Popen(call, stdout=said, env=env)
    most, status = 0, Path(f"/proc/{process.pid}/status")
    while process.poll() is None:
        found = re.search(r"RssAnon:\s+(\d+)", status.read_text()) if status.exists() else None
        most = max(most, int(found[1]) if found else 0)
        time.sleep(0.05)
    assert not process.returncode, f"{' '.join(call)} failed"
    return time.perf_counter() - begun, most // 1024
