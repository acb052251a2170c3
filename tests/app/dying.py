"""Stands in for the process of a run that dies: `python -m tests.app.dying DATA RUN`, in the way that DYING names."""

import os
import signal
import sys
from pathlib import Path

from updraft.store import Folders, RunStore, open_database

open_database(Folders(Path(sys.argv[1])).database)
RunStore().progress(sys.argv[2], {"total": 2, "steps": {"r": {"rows_out": 3}, "k": None}})
match os.environ["DYING"]:
    case "killed":
        os.kill(os.getpid(), signal.SIGKILL)
    case "ended":
        os.kill(os.getpid(), signal.SIGTERM)
    case "no room":
        sys.stderr.write("memory allocation of 9663676416 bytes failed\n")
        sys.stderr.flush()
        os.abort()
    case "full":
        raise OSError(28, "No space left on device")
    case "fault":
        raise ZeroDivisionError("a secret of the library")
