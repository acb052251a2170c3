"""A real `updraft serve` in a process of its own, with its worker."""

import os
import re
import signal
import subprocess
import sys
import time
import urllib.request
from pathlib import Path


class Served:
    """The app on a free port; `stop` and `kill` end it, `start` begins again on the same data.

    Args:
        threads: that it computes with; as many as the machine has if not said, whatever the tests have themselves.
    """

    def __init__(self, data: Path, command: str = "serve", *options: str, threads: int = 0) -> None:
        self.data, self.command, self.options = data, command, options
        self.environment = {**os.environ, "PYTHONUNBUFFERED": "1", "POLARS_MAX_THREADS": str(threads)}
        if not threads:
            del self.environment["POLARS_MAX_THREADS"]
        self.start()

    @property
    def call(self) -> list[str]:
        return [sys.executable, "-m", "updraft", self.command, "--data", str(self.data), "--port", "0", *self.options]

    def refused(self) -> str:
        """What one more server on the same data says when it does not start."""
        done = subprocess.run(self.call, capture_output=True, text=True, timeout=60)
        assert done.returncode, done.stdout
        return done.stderr

    def start(self) -> None:
        self.process = subprocess.Popen(self.call, stdout=subprocess.PIPE, text=True, env=self.environment)
        for line in self.process.stdout:
            if found := re.search(r"http://127\.0\.0\.1:\d+", line):
                self.url = found.group()
                return
        raise AssertionError("the app did not start")

    def stop(self) -> None:
        self.process.send_signal(signal.SIGTERM)
        self.process.wait(60)

    def kill(self) -> None:
        self.process.kill()
        self.process.wait()

    def workers(self) -> list[int]:
        """Process ids of workers on this data folder."""
        found = subprocess.run(
            ["pgrep", "-f", f"updraft.jobs.worker {self.data.resolve()}$"], capture_output=True, text=True
        )
        return [int(pid) for pid in found.stdout.split()]

    def get(self, path: str) -> bytes:
        with urllib.request.urlopen(self.url + path) as answer:
            return answer.read()


def until(true, seconds: float = 90, what: str = "it"):
    """Wait until `true()` gives something true, and give it."""
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        if found := true():
            return found
        time.sleep(0.05)
    raise AssertionError(f"{what} did not happen in {seconds} s")
