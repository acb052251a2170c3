"""Execute one run in a process of its own, and watch it: cancelling is ending the process, at any moment.

The child writes outputs under scratch names until all are whole, so ending it leaves nothing half there, and
the memory of a large run goes back with the process.
"""

from __future__ import annotations

import subprocess
import sys
import time

from updraft.core import Problem
from updraft.store import Folders, RunStore

POLL = 0.15  # seconds between looks at the child and at the wish to cancel


def supervise(folders: Folders, run_id: str) -> None:
    """Run it to its end and see that it is closed whatever happens."""
    runs = RunStore()
    if not runs.start(run_id):
        return
    child = subprocess.Popen([sys.executable, "-m", "updraft.jobs.execute", str(folders.data), run_id])
    try:
        while child.poll() is None:
            if runs.is_cancelled(run_id):
                child.terminate()
                try:
                    child.wait(5)
                except subprocess.TimeoutExpired:
                    child.kill()
                    child.wait()
                runs.finish(
                    run_id, "cancelled", {"status": "cancelled", "steps": [], "outputs": [], "error": None}
                )
                return
            time.sleep(POLL)
    finally:
        if child.poll() is None:
            child.kill()
            child.wait()
    problem = Problem(
        "This run",
        "its process ended before it was done; perhaps the memory did not suffice.",
        "Run it again, or keep fewer rows or columns.",
        code="process_ended",
    )
    runs.finish(
        run_id, "failed", {"status": "failed", "steps": [], "outputs": [], "error": problem.as_dict()}
    )
