"""A standalone Spark cluster on this machine's loopback: one master and its workers."""

import os
import re
import signal
import subprocess
import sys
from pathlib import Path

from tests.served import until


class Standalone:
    """A master and workers with a core each; `stop` ends all of them."""

    def __init__(self, folder: Path, workers: int = 2, memory: str = "1g") -> None:
        import pyspark

        self._home, self._folder, self._started = Path(pyspark.__file__).parent, folder, list[subprocess.Popen]()
        self._start("master", "org.apache.spark.deploy.master.Master", "--port", "0")
        self.address = self._told("master", r"Starting Spark master at (spark://\S+)")
        options = ("--cores", "1", "--memory", memory, "--work-dir", str(folder), self.address)
        names = [f"worker{number}" for number in range(workers)]
        self.workers = [self._start(name, "org.apache.spark.deploy.worker.Worker", *options) for name in names]
        for name in names:
            self._told(name, "(Successfully registered) with master")

    def _start(self, name: str, what: str, *options: str) -> subprocess.Popen:
        environment = {
            **os.environ,
            "SPARK_HOME": str(self._home),
            "SPARK_LOCAL_IP": "127.0.0.1",
            "SPARK_DAEMON_JAVA_OPTS": "-XX:TieredStopAtLevel=1",  # they are not there for long
            "PYSPARK_PYTHON": sys.executable,
        }
        call = [str(self._home / "bin/spark-class"), what, "--host", "127.0.0.1", "--webui-port", "0", *options]
        with (self._folder / f"{name}.log").open("w") as log:
            process = subprocess.Popen(call, stdout=log, stderr=log, env=environment, start_new_session=True)
        self._started.append(process)
        return process

    def _told(self, name: str, pattern: str) -> str:
        log = self._folder / f"{name}.log"
        until(lambda: re.search(pattern, log.read_text()), 60, f"the {name} of the cluster")
        return re.search(pattern, log.read_text()).group(1)

    def kill(self, number: int) -> None:
        """A worker and what it runs, as when its machine goes."""
        os.killpg(self.workers[number].pid, signal.SIGKILL)

    def stop(self) -> None:
        for process in self._started:
            if process.poll() is None:
                os.killpg(process.pid, signal.SIGKILL)
            process.wait()
