"""The saved flows, as steps that use another flow find them."""

from __future__ import annotations

from collections.abc import Callable

from updraft.core import Files, Flow
from updraft.store.flows import FlowStore


class SavedFlows:
    """See `engine.library.Library`; a flow's name here is its id.

    Args:
        files: makes the files that a flow may read, by its id.
    """

    def __init__(self, flows: FlowStore, files: Callable[[str], Files]) -> None:
        self._flows, self.files = flows, files

    def flow(self, name: str, revision: int | None) -> Flow:
        return self._flows.at(name, revision)
