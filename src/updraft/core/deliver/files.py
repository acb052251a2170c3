"""Deliver a file: written whole beside its place, then renamed into it."""

from __future__ import annotations

import contextlib
import os
import uuid
from collections.abc import Callable
from datetime import datetime
from pathlib import Path

from updraft.core.deliver.contract import Delivered, Delivery, Effect, Outlet
from updraft.core.problems import Problem, of_the_system, reason_of


class FileDelivery(Delivery):
    """A file that waits beside its place.

    Args:
        asked: the name that the settings ask for.
        target: where it goes; what is there already is replaced.
        write: writes the whole file to the path it is given.
        rows: rows in it.

    Raises:
        Problem: it cannot be written there.
    """

    def __init__(
        self, outlet: Outlet, asked: str, target: Path, write: Callable[[Path], None], rows: int
    ) -> None:
        self.step, self.content, self._target = outlet.step, outlet.content, target
        self._beside = target.with_name(f".{uuid.uuid4().hex}{target.suffix}")
        self.effect = Effect(asked, str(target.resolve()), rows, _what_is_there(target))
        try:
            target.parent.mkdir(parents=True, exist_ok=True)
            write(self._beside)
        except BaseException as error:
            self.discard()
            if told := of_the_system(error):
                raise _cannot_write(target, told, self.step) from None
            raise

    def commit(self) -> Delivered:
        try:
            os.replace(self._beside, self._target)  # noqa: PTH105
        except OSError as error:
            raise _cannot_write(self._target, error, self.step) from None
        return Delivered(self.step, self._target.name, self.effect.rows, self._target)

    def discard(self) -> None:
        with contextlib.suppress(FileNotFoundError, NotADirectoryError):  # or the folder never came to be
            self._beside.unlink()


def _what_is_there(target: Path) -> str:
    if not target.is_file():
        return ""
    stat = target.stat()
    return f"the file of {datetime.fromtimestamp(stat.st_mtime):%Y-%m-%d %H:%M} ({stat.st_size:,} bytes)"


def _cannot_write(target: Path, error: OSError, step: str) -> Problem:
    return Problem(
        str(target.parent),
        f"the file could not be written ({reason_of(error)}).",
        "Make room or choose another folder, then run again. Earlier files are untouched.",
        step=step,
        code="cannot_write",
    )
