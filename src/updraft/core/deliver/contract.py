"""The contract of a delivery: an output prepares one, and it is committed when all of a run are prepared."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Literal

from updraft.core.connect import Outside


@dataclass(frozen=True)
class Effect:
    """What a delivery will do, said before it does it.

    Args:
        to: what is written or sent to, as the settings say it: a file's name, a table, an address.
        place: where that really is, so that two outputs that write to one place are noticed.
        rows: rows it hands over.
        replaces: what is there now and will be gone, in words; empty when nothing is.
        final: it cannot be taken back, so it comes after all others.
    """

    to: str
    place: str
    rows: int
    replaces: str = ""
    final: bool = False

    def as_dict(self) -> dict[str, Any]:
        return {"to": self.to, "rows": self.rows, "replaces": self.replaces, "final": self.final}


@dataclass(frozen=True)
class Delivered:
    """What was handed over: by which step, where to, the file where it is one, and how long that took in
    seconds (0 where an earlier run of the series did it).
    """

    step: str
    to: str
    rows: int
    path: Path | None = None
    seconds: float = field(default=0.0, compare=False)

    def as_dict(self) -> dict[str, Any]:
        return {**vars(self), "path": str(self.path) if self.path else ""}


@dataclass(frozen=True)
class Outlet:
    """Where an output may deliver to: a folder for files, and the connections for all else.

    Args:
        content: digest of the table that it hands over.
        file: the file of the flow that a setting names; Problem where it is not there.
    """

    step: str
    folder: Path
    outside: Outside
    content: str = ""
    file: Callable[[str], Path] = Path


@dataclass(frozen=True)
class Sample:
    """The first of what an output would deliver.

    Args:
        form: of the text: plain, or a page of HTML.
        said: which part it is, in a few words.
    """

    text: str
    form: Literal["plain", "html"] = "plain"
    said: str = ""


class Delivery(ABC):
    """Something prepared: whole, checked and counted, but not yet where it goes.

    Attributes:
        step: the output it comes from.
        effect: what it will do.
        content: digest of what is handed over; with the run, the step and the place asked for it names this
            delivery.
    """

    step: str
    effect: Effect
    content: str

    @abstractmethod
    def commit(self) -> Delivered:
        """Hand it over. Problem when that fails; then nothing of it is there."""

    @abstractmethod
    def discard(self) -> None:
        """Let go what was prepared. Also called after a commit."""
