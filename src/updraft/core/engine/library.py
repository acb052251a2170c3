"""Where a step finds another flow that it uses."""

from __future__ import annotations

from typing import TYPE_CHECKING, Protocol

from updraft.core.flow.model import Flow

if TYPE_CHECKING:
    from updraft.core.engine.files import Files


class Library(Protocol):
    """The saved flows that steps may use."""

    def flow(self, name: str, revision: int | None) -> Flow:
        """A flow as it is now, or as a revision of it was. Problem when it is not there."""

    def files(self, name: str) -> Files:
        """The files that this flow may read."""
