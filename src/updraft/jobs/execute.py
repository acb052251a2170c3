"""The process of one run: `python -m updraft.jobs.execute DATA RUN`."""

from __future__ import annotations

import json
import logging
import os
import shutil
import signal
import sys
import threading
import time
from collections.abc import Callable
from datetime import date
from pathlib import Path
from types import FrameType
from typing import Any

from updraft.core import Files, Problem, plan, run
from updraft.core.connect import Outside
from updraft.core.engine import Report, StepReport
from updraft.core.engine.cutting import cut_for, memory_of_runs
from updraft.core.engine.spark import cluster_of
from updraft.store import (
    ConnectionStore,
    DeliveryJournal,
    FlowStore,
    Folders,
    RunStore,
    SavedFlows,
    open_database,
)


def main(data: str, run_id: str) -> None:
    logging.basicConfig()  # to the log of the run
    folders = Folders(Path(data))
    open_database(folders.database)
    runs = RunStore()
    asked = runs.get(run_id)
    _end_with_parent()
    signal.signal(signal.SIGTERM, _leave)  # so that scratch files are removed on the way out
    out = folders.out(asked["flow"])
    try:
        allow = frozenset(filter(None, os.environ.get("UPDRAFT_ALLOW", "").split(",")))
        outside = Outside(ConnectionStore(folders).all(), None, allow, chain=_chain(asked))

        def files_of(flow_id: str) -> Files:
            library = SavedFlows(FlowStore(folders), files_of)
            return Files(folders.files(flow_id), outside=outside, today=date.today, library=library)

        files = files_of(asked["flow"])
        planned = plan(runs.flow(run_id), files, asked["parameters"])
        done: dict[str, Any] = {}

        def progress(step_id: str, report: StepReport | None) -> None:
            if _asked:  # what is raised while compiled code calls back is ignored there, and is raised again
                raise SystemExit(128 + _asked[0])
            done[step_id] = report.as_dict() if report else None
            runs.progress(run_id, {"total": len(planned.steps), "steps": done})

        cluster, scratch = cluster_of(planned.flow, outside) or (None, folders.parts(run_id))
        report = run(
            planned,
            files,
            out,
            progress=progress,
            cancelled=lambda: runs.is_cancelled(run_id),
            series=asked["series"],
            journal=DeliveryJournal(asked["series"]),
            dry=asked["dry"],
            cut=cut_for(planned, files, memory_of_runs(), scratch, always=cluster is not None),
            cluster=cluster,
        )
    except Problem as problem:
        report = Report("failed", error=problem)
    _keep(report, folders.run(run_id))
    if asked["profiled"] and report.status in ("ok", "held"):
        figures = [column.with_values() for column in report.steps[-1].figures]
        folders.profile(run_id).write_text(json.dumps(figures, default=str), "utf-8")
    body = report.as_dict()
    for output in body["outputs"]:
        output["path"] = Path(output["path"]).name
    runs.finish(run_id, report.status, body)


def _chain(asked: dict[str, Any]) -> str:
    """The flows that led to this run, the last of them its own: what it sends says so."""
    before = [one for one in asked["chain"].split(",") if one and one != asked["flow"]]
    return ",".join([*before, asked["flow"]])


def _keep(report: Report, folder: Path) -> None:
    """Keep what was delivered as it is now, since the next run may replace the file. A link costs no room."""
    for output in report.outputs:
        if output.path is None or not output.path.exists():
            continue  # no file, or one that an earlier run of the series delivered and that is gone since
        kept = folder / output.path.name
        kept.unlink(missing_ok=True)
        try:
            os.link(output.path, kept)
        except OSError:
            shutil.copyfile(output.path, kept)


_asked: list[int] = []  # signals that asked the process to end


def _leave(number: int, frame: FrameType | None) -> None:
    _asked.append(number)
    raise SystemExit(128 + number)


def _end_with_parent() -> None:
    """A run without its worker would go on unseen; it ends instead and is marked as cut off."""
    parent = os.getppid()

    def watch() -> None:
        while os.getppid() == parent:
            time.sleep(0.5)
        os._exit(1)

    threading.Thread(target=watch, daemon=True).start()


def _left(act: Callable[[], None]) -> None:
    """Do it; once the process was asked to end it ends as it was asked, whatever came of that on the way."""
    try:
        act()
    except Exception:
        if not _asked:
            raise
    if _asked:
        raise SystemExit(128 + _asked[0])


if __name__ == "__main__":
    _left(lambda: main(sys.argv[1], sys.argv[2]))
