"""Where the app's files live, all below one data folder."""

from __future__ import annotations

import re
import unicodedata
from pathlib import Path

from updraft.core import Problem


class Folders:
    """Paths below the data folder. Names that come from people are checked before they become paths."""

    def __init__(self, data: Path) -> None:
        self.data = data.resolve()
        self.data.mkdir(mode=0o700, parents=True, exist_ok=True)

    @property
    def database(self) -> Path:
        return self.data / "updraft.sqlite"

    @property
    def queue(self) -> Path:
        return self.data / "queue.sqlite"

    @property
    def cache(self) -> Path:
        return self.data / "cache"

    @property
    def samples(self) -> Path:
        """What is looked at of files that are too large to be looked at as a whole."""
        return self.data / "samples"

    def files(self, flow: str) -> Path:
        """The files a flow reads."""
        return self._made(self.data / "flows" / _id(flow) / "files")

    def out(self, flow: str) -> Path:
        """Where a flow's outputs are delivered; the newest of each name."""
        return self._made(self.data / "flows" / _id(flow) / "out")

    def answers(self, flow: str) -> Path:
        """Answers of services that a flow asked, kept so that looking does not ask again."""
        return self.data / "flows" / _id(flow) / "answers"

    def tokens(self, flow: str) -> Path:
        """Which answers are the flow's newest, by step."""
        return self._made(self.data / "flows" / _id(flow)) / "fetched.json"

    def flow(self, flow: str) -> Path:
        return self.data / "flows" / _id(flow)

    def run(self, run: str) -> Path:
        """What one run delivered, kept as it was."""
        return self._made(self.data / "runs" / _id(run))

    def profile(self, run: str) -> Path:
        """The profile that one run made of all rows of a table, as JSON."""
        return self.run(run) / "profile.json"

    def log(self, run: str) -> Path:
        """What the process of a run has to say to those who mend Updraft; gone when all went well."""
        return self._made(self.data / "runs") / f"{_id(run)}.log"

    def parts(self, run: str) -> Path:
        """Where the parts of large tables lie while a run computes; gone when it has ended."""
        return self.data / "runs" / f"{_id(run)}.parts"

    def _made(self, path: Path) -> Path:
        path.mkdir(parents=True, exist_ok=True)
        return path


def _id(text: str) -> str:
    if not re.fullmatch(r"[a-z0-9]{6,32}", text):
        raise Problem(
            "The address", "it names nothing that is here.", "Go back to the list of flows.", code="no_id"
        )
    return text


def safe_name(name: str) -> str:
    """A file name that came with an upload, as a plain name in one folder; it stays readable in any alphabet.

    Raises:
        Problem: nothing of a name is left.
    """
    plain = unicodedata.normalize("NFC", name).replace("\\", "/").rsplit("/", 1)[-1]
    # Signs that turn the direction of writing round make report.exe.csv of another name.
    plain = re.sub(r'[\x00-\x1f<>:"|?*\u202a-\u202e\u2066-\u2069]', "", plain).strip(" .")
    stem, dot, suffix = plain.rpartition(".")
    while len(plain.encode()) > 180 and len(stem) > 1:
        stem = stem[:-1]
        plain = f"{stem}{dot}{suffix}"
    if not plain or len(plain.encode()) > 200:
        raise Problem(
            "The file's name",
            "it is empty or longer than a folder can hold.",
            "Give the file another name.",
            code="bad_name",
        )
    return plain
