"""A session on a Spark cluster: one that is there, and has the same versions as here."""

from __future__ import annotations

import os
import re
import shutil
import socket
import sys
import tempfile
import warnings
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from importlib.metadata import version
from threading import Lock
from typing import IO, TYPE_CHECKING

from updraft.core.problems import Problem

if TYPE_CHECKING:
    from pyspark.sql import SparkSession


_REACHED, PATIENCE = 5.0, 60.0  # seconds until a master answers, and until a worker takes a first task
ONE = Lock()  # pyspark knows one cluster at a time in a process
_ALIKE = ("updraft", "polars")  # must have the same version everywhere


@dataclass(frozen=True)
class Wrong:
    """A problem that a task met."""

    problem: Problem


def session_at(where: str) -> SparkSession:
    try:
        from pyspark.sql import SparkSession
    except ImportError:
        raise Problem(
            f"The cluster {where}",
            "Spark is not installed here.",
            "Install it: pip install 'updraft[spark]'.",
            code="no_spark",
        ) from None
    if not (shutil.which("java") or os.environ.get("JAVA_HOME")):
        raise Problem(
            f"The cluster {where}",
            "Spark needs Java, and there is none on this machine.",
            "Install it (Debian: sudo apt-get install default-jre-headless), or let JAVA_HOME name it.",
            code="no_java",
        )
    local = where.startswith("local") or _loopback(where)
    os.environ.setdefault("PYSPARK_PYTHON", sys.executable)
    os.environ.setdefault("PYSPARK_DRIVER_PYTHON", sys.executable)
    builder = SparkSession.builder.master(where).appName("Updraft")
    settings = {
        "spark.ui.enabled": "false",
        "spark.ui.showConsoleProgress": "false",
        "spark.log.level": "OFF",
        "spark.executorEnv.POLARS_MAX_THREADS": "1",  # a task has a core
        "spark.sql.execution.arrow.maxRecordsPerBatch": "8",  # blocks, not rows
        "spark.sql.adaptive.enabled": "false",
        **({"spark.driver.host": "127.0.0.1", "spark.driver.bindAddress": "127.0.0.1"} if local else {}),
    }
    for name, value in settings.items():
        builder = builder.config(name, value)
    reach(where)
    warnings.filterwarnings("ignore", module="pyspark")
    with _apart() as told:
        try:
            return builder.getOrCreate()
        except Exception as error:
            told.seek(0)
            said = [line for line in told.read().splitlines() if "Exception" in line or "rror" in line]
            raise Problem(
                f"The cluster {where}",
                f"it could not be started: {said[-1] if said else str(error).splitlines()[0]}.",
                "Nothing was delivered. Mend that, or compute the flow on this machine.",
                code="no_cluster",
            ) from None


@contextmanager
def _apart() -> Iterator[IO[str]]:
    """What the programs that are started within tell, now and later, goes to a file of no name."""
    with tempfile.TemporaryFile("w+", errors="replace") as told:
        before = os.dup(2)
        os.dup2(told.fileno(), 2)
        try:
            yield told
        finally:
            os.dup2(before, 2)
            os.close(before)


def _loopback(where: str) -> bool:
    return bool(re.match(r"spark://(127\.|localhost\b)", where))


def reach(where: str) -> None:
    """See that one of the masters at an address answers: Spark itself would try for minutes."""
    if not where.startswith("spark://"):
        return
    for place in where.removeprefix("spark://").split(","):
        host, _, port = place.rpartition(":")
        try:
            socket.create_connection((host, int(port)), _REACHED).close()
            return
        except OSError as error:
            reason = error
    raise Problem(
        f"The cluster {where}",
        f"nothing answers there ({reason.strerror or reason}).",
        "Start its master, or name another place; or compute the flow on this machine.",
        code="no_cluster",
    )


def versions_here() -> dict[str, str]:
    return {"python": ".".join(map(str, sys.version_info[:2])), **{name: version(name) for name in _ALIKE}}


def said_of(versions: dict[str, str]) -> str:
    return ", ".join(f"{name.capitalize()} {number}" for name, number in versions.items())
