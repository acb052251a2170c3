"""Where a flow file finds the flows that it uses: other flow files beside it, and the flows of the app."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

from updraft.core.engine import Files
from updraft.core.flow import Flow
from updraft.core.problems import Problem


class FlowFiles:
    """Flows by the path of their file, relative to the flow that uses them; or by their id in the app's data.

    Args:
        folder: where paths start.
        data: the app's data folder, or None.
        reading: what flows may reach, as arguments of Files.
    """

    def __init__(self, folder: Path, data: Path | None, reading: dict[str, Any]) -> None:
        self._folder, self._data, self._reading = folder, data, reading

    def flow(self, name: str, revision: int | None) -> Flow:
        from updraft.cli.loading import load

        if self._data is not None and re.fullmatch(r"[0-9a-f]{12}", name):
            from updraft.store import FlowStore, Folders, open_database

            folders = Folders(self._data)
            open_database(folders.database)
            return FlowStore(folders).at(name, revision)
        if revision is not None:
            reason = f"revision {revision} of it is asked for, and a file has no revisions."
            raise Problem(name, reason, "Name the app's data folder with --data.", code="no_revision")
        return load(Files(self._folder, further=self._reading["further"]).file(name))

    def files(self, name: str) -> Files:
        if self._data is not None and re.fullmatch(r"[0-9a-f]{12}", name):
            from updraft.store import Folders

            folder = Folders(self._data).files(name)
        else:
            folder = (self._folder / name).parent
        return Files(folder, library=FlowFiles(folder, self._data, self._reading), **self._reading)
