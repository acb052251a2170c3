"""Real database servers for the tests: PostgreSQL and MariaDB, each on a free port in a folder of its own."""

import os
import shutil
import socket
import subprocess
import time
import warnings
from pathlib import Path


class Postgres:
    """A server of our own; `stop` ends it. As root it runs as the user `postgres`, since it refuses to run as root."""

    def __init__(self, folder: Path) -> None:
        self.bin = self._programs()
        self.folder, self.port = folder, _free_port()
        folder.mkdir(parents=True, exist_ok=True)
        self.user = "postgres" if os.getuid() == 0 else ""
        if self.user:
            for part in [folder, *folder.parents]:
                if part.stat().st_uid == os.getuid() and part != Path("/"):
                    part.chmod(part.stat().st_mode | 0o011)
            shutil.chown(folder, self.user, self.user)
        secret = folder / "password"
        secret.write_text("sesame")
        secret.chmod(0o644)
        self._run(
            "initdb",
            "-D",
            "data",
            "-U",
            "larkmoor",
            "-A",
            "scram-sha-256",
            "--pwfile=password",
            "-E",
            "UTF8",
            "--locale=C.UTF-8",
        )
        settings = f"-p {self.port} -c listen_addresses=127.0.0.1 -c unix_socket_directories='{folder}' -c fsync=off"
        self._run("pg_ctl", "-D", "data", "-w", "-t", "90", "-l", "log", "-o", settings, "start")

    def stop(self) -> None:
        self._run("pg_ctl", "-D", "data", "-m", "immediate", "stop")

    def _run(self, program: str, *arguments: str) -> None:
        as_user = ["runuser", "-u", self.user, "--"] if self.user else []
        with (self.folder / "said").open("w") as said:  # the server keeps what it inherits open, so no pipe
            done = subprocess.run(
                [*as_user, str(self.bin / program), *arguments], cwd=self.folder, stdout=said, stderr=said
            )
        assert done.returncode == 0, (self.folder / "said").read_text()

    @staticmethod
    def _programs() -> Path:
        given = os.environ.get("UPDRAFT_POSTGRESQL")
        found = [Path(given)] if given else sorted(Path("/usr/lib/postgresql").glob("*/bin"))
        found = found or [Path(path).parent for path in [shutil.which("initdb")] if path]
        assert found, "PostgreSQL is missing; see tools/need-postgresql"
        return found[-1]


class MariaDB:
    """A server of our own with the user `larkmoor`, whose password is `sesame`; `stop` ends it."""

    def __init__(self, folder: Path) -> None:
        assert shutil.which("mariadb-install-db"), "MariaDB is missing; see tools/need-mariadb"
        self.folder, self.port = folder, _free_port()
        folder.mkdir(parents=True, exist_ok=True)
        user = ["--user=root"] if os.getuid() == 0 else []
        data = self._made(user)
        start = folder / "start.sql"
        start.write_text(
            "create database lots character set utf8mb4;\n"
            "create user larkmoor@'127.0.0.1' identified by 'sesame';\n"
            "grant all on *.* to larkmoor@'127.0.0.1';\n"
        )
        settings = [
            f"--port={self.port}",
            "--bind-address=127.0.0.1",
            f"--socket={folder / 's'}",
            f"--init-file={start}",
        ]
        program = shutil.which("mariadbd", path=f"{os.environ['PATH']}:/usr/sbin") or "mariadbd"
        with (folder / "said").open("w") as said:
            self.process = subprocess.Popen(
                [program, "--no-defaults", *user, data, *settings], stdout=said, stderr=said
            )
        until = time.monotonic() + 90
        while time.monotonic() < until:
            if "ready for connections" in (folder / "said").read_text():
                return
            time.sleep(0.1)
        raise AssertionError((folder / "said").read_text())

    def _made(self, user: list[str]) -> str:
        """Where its data is; its maker now and then gives up on a busy machine, which is told, and tried once more."""
        for turn in (1, 2):
            data = f"--datadir={self.folder / f'data{turn}'}"
            options = ["--skip-test-db", "--auth-root-authentication-method=normal"]
            made = subprocess.run(
                ["mariadb-install-db", "--no-defaults", *user, data, *options], capture_output=True, text=True
            )
            if not made.returncode:
                break
            warnings.warn(f"mariadb-install-db: {(made.stdout + made.stderr)[-1500:]}", stacklevel=2)
        else:
            raise AssertionError("MariaDB's data could not be made; see the warnings")
        return data

    def stop(self) -> None:
        self.process.kill()
        self.process.wait()


def _free_port() -> int:
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        return free.getsockname()[1]
