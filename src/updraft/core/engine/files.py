"""The files a flow may read: those of its own folder, and inputs given by name. Nothing else is reachable."""

from __future__ import annotations

import json
import threading
import uuid
from collections.abc import Callable, Iterable
from datetime import date
from fnmatch import fnmatchcase
from pathlib import Path

import xxhash

from updraft.core.connect import Outside
from updraft.core.engine.library import Library
from updraft.core.engine.samples import Samples, mark_of
from updraft.core.problems import Problem, nearest


class Files:
    """Resolves the paths in a flow's settings, and tells contents apart by their digest.

    Args:
        folder: relative paths start here, and a path that leads out of it is a problem.
        further: folders whose files may be read besides, by their full paths or by paths from `folder`;
            None where nobody could name any.
        given: paths by the name that the setting uses, wherever they are.
        outside: the connections its steps may use.
        library: other flows its steps may use.
        tokens: where it is remembered what remote sources brought last; None asks them anew each time.
        today: gives the day that “first of last month” is counted from.
        samples: what is looked at of files that are too large; None where all are taken whole.
        by_content: tell files apart by what is in them; otherwise by size and time, which is enough where
            nothing computed is kept.
    """

    def __init__(
        self,
        folder: Path,
        given: dict[str, Path] | None = None,
        *,
        further: Iterable[Path] | None = None,
        by_content: bool = True,
        outside: Outside | None = None,
        library: Library | None = None,
        tokens: Path | None = None,
        today: Callable[[], date] | None = None,
        samples: Samples | None = None,
    ) -> None:
        self.folder, self.given, self.by_content = folder.resolve(), dict(given or {}), by_content
        self._further = None if further is None else tuple(one.resolve() for one in further)
        self.outside, self._tokens = outside or Outside(), tokens
        self._today, self.library, self.samples = today, library, samples
        self._new = uuid.uuid4().hex
        self._lock = threading.Lock()
        self._digests: dict[tuple[Path, int, int], str] = {}

    def may_read(self, found: Path) -> bool:
        """Whether a path, with its links followed, lies where the flow may read."""
        return any(found.is_relative_to(folder) for folder in (self.folder, *(self._further or ())))

    def _way_in(self) -> str:
        beside = "Put the file beside the flow"
        return f"{beside}." if self._further is None else f"{beside}, or name its folder with --files."

    def file(self, path: str) -> Path:
        """The file for a path in a setting.

        Raises:
            Problem: it is not there, or it lies outside the folder.
        """
        if not path:
            raise Problem(
                "The file",
                "none is chosen yet.",
                "Choose a file, or drop one on the page.",
                field="path",
                code="unfinished",
            )
        if path in self.given:
            return self.given[path]
        try:
            found = (self.folder / path).resolve()
            there = found.is_file()
        except (OSError, ValueError):  # too long, or with signs that no file's name has
            raise Problem(
                f"{path[:60]}…" if len(path) > 60 else repr(path),
                "no file can be called so.",
                "Choose another file.",
                field="path",
                code="no_file",
            ) from None
        if not self.may_read(found):
            raise Problem(
                path, "it lies outside the flow's folder.", self._way_in(), field="path", code="outside"
            )
        if not there:
            around = [p.name for p in self.folder.iterdir() if p.is_file()] if self.folder.is_dir() else []
            near = nearest(Path(path).name, around)
            raise Problem(
                path,
                "this file is not here" + (f"; there is “{near}”." if near else "."),
                "Choose another file, or put it beside the flow.",
                field="path",
                code="no_file",
            )
        return found

    def files(self, path: str) -> list[Path]:
        """All files that fit a path with * and ? in it, by name; a plain path is one file.

        Raises:
            Problem: as `file`, or when none fits.
        """
        if path in self.given or not any(sign in path for sign in "*?"):
            return [self.file(path)]
        folder, _, name = path.rpartition("/")
        inside = (self.folder / folder).resolve()
        if any(sign in folder for sign in "*?") or not self.may_read(inside):
            raise Problem(
                path,
                "* and ? can only stand in the file's name, in the flow's folder.",
                self._way_in(),
                field="path",
                code="outside",
            )
        found = (
            [
                p
                for p in inside.iterdir()
                if p.is_file()
                and not p.name.startswith(".")
                and fnmatchcase(p.name, name)
                and self.may_read(p.resolve())  # a link may lead out
            ]
            if inside.is_dir()
            else []
        )
        if not found:
            raise Problem(
                path,
                "no file fits this name.",
                "Change it, or put the files beside the flow.",
                field="path",
                code="no_file",
            )
        return sorted(found, key=lambda p: p.name)

    def today(self) -> date:
        """The day that relative dates are counted from; Problem where whoever uses the core did not say."""
        if self._today is None:
            raise Problem(
                "A parameter", "it counts from today, and no day was given.", "Give it a date.", code="no_day"
            )
        return self._today()

    def token(self, step: str, *, renew: bool = False) -> str:
        """What names the last thing a remote source brought; made when there is none yet, or to `renew`
        it.
        """
        if self._tokens is None:
            return self._new
        with self._lock:
            known: dict[str, str] = json.loads(self._tokens.read_text()) if self._tokens.exists() else {}
            if renew or step not in known:
                known[step] = uuid.uuid4().hex
                beside = self._tokens.with_name(f".{uuid.uuid4().hex}")
                beside.write_text(json.dumps(known))
                beside.replace(self._tokens)
            return known[step]

    def digest(self, path: str) -> str:
        """A digest of the file's content, remembered while size and time of change stay the same.

        For a path that several files fit it covers their names too, so that a file that came or went is
        noticed.
        """
        found = self.files(path)
        if len(found) == 1 and path not in self.given and not any(sign in path for sign in "*?"):
            return self._digest(found[0])
        return " ".join(f"{file.name}={self._digest(file)}" for file in found)

    def _digest(self, found: Path) -> str:
        stat = found.stat()
        key = (found, stat.st_size, stat.st_mtime_ns)
        if not self.by_content or (self.samples and self.samples.too_large([found])):
            return mark_of(found)
        if key not in self._digests:
            self._digests[key] = digest_of(found)
        return self._digests[key]


def digest_of(path: Path) -> str:
    """The XXH3 digest (128 bits) of a file's content."""
    digest = xxhash.xxh3_128()
    with path.open("rb") as file:
        while block := file.read(1 << 20):
            digest.update(block)
    return digest.hexdigest()
