"""Execute one run in a process of its own, and watch it: cancelling is ending the process, at any moment.

The child writes outputs under scratch names until all are whole, so ending it leaves nothing half there, and
the memory of a large run goes back with the process.
"""

from __future__ import annotations

import shutil
import subprocess
import sys
import time

from updraft.jobs.ending import most_memory, why_it_ended
from updraft.store import Folders, RunStore

PROCESS = "updraft.jobs.execute"
POLL = 0.15  # seconds between looks at the child and at the wish to cancel


def supervise(folders: Folders, run_id: str) -> None:
    """Run it to its end and see that it is closed whatever happens."""
    runs = RunStore()
    if not runs.start(run_id):
        return
    log, most = folders.log(run_id), 0
    with log.open("wb") as said:
        child = subprocess.Popen([sys.executable, "-m", PROCESS, str(folders.data), run_id], stderr=said)
    try:
        while child.poll() is None:
            most = max(most, most_memory(child.pid))
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
                break
            time.sleep(POLL)
    finally:
        if child.poll() is None:
            child.kill()
            child.wait()
        shutil.rmtree(folders.parts(run_id), ignore_errors=True)
    if not runs.is_open(run_id):
        log.unlink(missing_ok=True)
        return
    told = log.read_text(errors="replace")
    room = shutil.disk_usage(folders.data).free
    problem = why_it_ended(child.returncode, told, f"runs/{log.name}", runs.under_way(run_id), most, room)
    runs.finish(
        run_id, "failed", {"status": "failed", "steps": [], "outputs": [], "error": problem.as_dict()}
    )
