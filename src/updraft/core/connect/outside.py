"""What a flow may reach outside, handed to its steps."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import TypeVar

from updraft.core.connect.model import Connection
from updraft.core.problems import Problem, nearest

C = TypeVar("C", bound=Connection)


@dataclass(frozen=True)
class Outside:
    """The connections that are known, and the manners of using them.

    Args:
        connections: by name.
        answers: a folder where answers of web services are kept, so that looking does not call again; None
            keeps none.
        allow: `host` or `host:port` that may be asked although they are of this machine or a private network.
        tell: called with what has come so far, in words.
        stopped: asked between chunks; True ends the work.
        chain: ids of the flows that led to what is sent, the last of them this one; with commas.
    """

    connections: dict[str, Connection] = field(default_factory=dict)
    answers: Path | None = None
    allow: frozenset[str] = frozenset()
    tell: Callable[[str], None] = lambda text: None
    stopped: Callable[[], bool] = lambda: False
    chain: str = ""

    def connection(self, name: str, kind: type[C]) -> C:
        """The connection of this name.

        Raises:
            Problem: none is chosen, none is called so, or it is of another kind.
        """
        if not name:
            raise Problem(
                "The connection",
                "none is chosen yet.",
                "Choose one, or make one on the page Connections.",
                field="connection",
                code="unfinished",
            )
        found = self.connections.get(name)
        if isinstance(found, kind):
            return found
        fits = [other.name for other in self.connections.values() if isinstance(other, kind)]
        near = nearest(name, fits)
        raise Problem(
            f"Connection “{name}”",
            "there is none of this name" + (f"; the nearest is “{near}”." if near else "."),
            "Choose another one, or make it on the page Connections.",
            field="connection",
            code="no_connection",
        )

    def writable(self, name: str, kind: type[C]) -> C:
        """The same, where flows may write or send through it; Problem where they may not."""
        found = self.connection(name, kind)
        if not found.writes:
            raise Problem(
                f"Connection “{name}”",
                "flows may only read through it.",
                "Allow more on the page Connections, or choose another one.",
                field="connection",
                code="read_only",
            )
        return found

    def check(self) -> None:
        """Raise the problem of work that a person stopped."""
        if self.stopped():
            raise Problem("Bringing it in", "it was stopped.", "Look again to begin anew.", code="stopped")
