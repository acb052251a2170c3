"""Runs: what was asked for, how far it is, what came of it."""

from __future__ import annotations

import json
import uuid
from typing import Any

from updraft.core import Flow, Problem, dump, load
from updraft.core.flow.model import label
from updraft.store.database import now
from updraft.store.models import RunRow, database
from updraft.store.orm import peewee as pw

ROWID = pw.SQL("rowid")  # in the order in which runs were asked for, whatever the clock said
OPEN = ("waiting", "running")


class RunStore:
    def create(
        self,
        flow_id: str,
        flow: Flow,
        revision: int,
        parameters: dict[str, Any],
        *,
        dry: bool = False,
        repeats: str = "",
        by: str = "",
        cause: str = "",
        chain: str = "",
        profiled: str = "",
    ) -> str:
        """A waiting run of the flow as it is now.

        Args:
            dry: prepare deliveries, but make none.
            repeats: the run that it repeats because that one did not come to its end.
            by: the schedule that begins it.
            cause: what begins it, in words.
            chain: ids of the flows whose messages led to it.
            profiled: names the table, as it was looked at, of which it profiles all rows.
        """
        run_id = uuid.uuid4().hex[:12]
        RunRow.create(
            id=run_id,
            flow=flow_id,
            revision=revision,
            document=dump(flow),
            created=now(),
            parameters=json.dumps(parameters),
            series=(self.get(repeats)["series"] if repeats else "") or run_id,
            dry=dry,
            by=by,
            cause=cause,
            chain=chain,
            profiled=profiled,
        )
        return run_id

    def is_open(self, run_id: str) -> bool:
        """Whether a run waits or is under way."""
        row = RunRow.get_or_none(RunRow.id == run_id)
        return row is not None and row.status in OPEN

    def get(self, run_id: str) -> dict[str, Any]:
        """A run as plain data. Raises Problem (code no_run) when it is gone."""
        row = RunRow.get_or_none(RunRow.id == run_id)
        if row is None:
            raise Problem("This run", "it is not here any more.", "Go back to the flow.", code="no_run")
        return _plain(row)

    def list(self, flow_id: str, most: int = 50) -> list[dict[str, Any]]:
        """The newest runs of a flow first."""
        rows = RunRow.select().where(RunRow.flow == flow_id).order_by(ROWID.desc())
        return [_plain(row) for row in rows.limit(most)]

    def newest(self) -> dict[str, dict[str, Any]]:
        """The newest run of each flow, by the flow's id; profiles left out."""
        last = RunRow.select(pw.fn.MAX(ROWID)).where(RunRow.profiled == "").group_by(RunRow.flow)
        return {str(row.flow_id): _plain(row) for row in RunRow.select().where(ROWID.in_(last))}

    def profiling(self, profiled: str) -> dict[str, Any] | None:
        """The newest run that profiles all rows of a table; None where none did or is about to."""
        good = RunRow.status.in_((*OPEN, "ok", "held"))
        rows = RunRow.select().where((RunRow.profiled == profiled) & good).order_by(ROWID.desc())
        row = rows.first()
        return _plain(row) if row else None

    def flow(self, run_id: str) -> Flow:
        """The flow as it was when the run was asked for."""
        return load(RunRow.get_by_id(run_id).document)

    def start(self, run_id: str) -> bool:
        """Take a waiting run; False when it was cancelled or taken before."""
        return bool(
            RunRow.update(status="running", started=now())
            .where((RunRow.id == run_id) & (RunRow.status == "waiting") & (RunRow.cancel == False))  # noqa: E712
            .execute()
        )

    def progress(self, run_id: str, progress: dict[str, Any]) -> None:
        RunRow.update(progress=json.dumps(progress)).where(RunRow.id == run_id).execute()

    def under_way(self, run_id: str) -> tuple[str, str] | None:
        """Id and name of the step that a run is at, or was at when its process went away."""
        steps = self.get(run_id)["progress"].get("steps", {})
        at = next((step_id for step_id, done in steps.items() if done is None), None)
        return (at, label(self.flow(run_id).step(at))) if at else None

    def finish(self, run_id: str, status: str, report: dict[str, Any]) -> None:
        """Close an open run; one that is closed already stays as it is."""
        RunRow.update(status=status, report=json.dumps(report), finished=now()).where(
            (RunRow.id == run_id) & RunRow.status.in_(OPEN)
        ).execute()

    def cancel(self, run_id: str) -> None:
        with database.atomic("IMMEDIATE"):
            RunRow.update(cancel=True).where(RunRow.id == run_id).execute()
            RunRow.update(status="cancelled", finished=now()).where(
                (RunRow.id == run_id) & (RunRow.status == "waiting")
            ).execute()

    def is_cancelled(self, run_id: str) -> bool:
        return RunRow.select().where((RunRow.id == run_id) & (RunRow.cancel == True)).exists()  # noqa: E712

    def cut_off(self) -> int:
        """Mark what was running when its process went away; returns how many."""
        problem = Problem(
            "This run", "it was cut off when the worker stopped.", "Run it again.", code="cut_off"
        )
        report = json.dumps({"status": "cut off", "steps": [], "outputs": [], "error": problem.as_dict()})
        return int(
            RunRow.update(status="cut off", finished=now(), report=report)
            .where(RunRow.status == "running")
            .execute()
        )

    def before(self, run_id: str) -> int:
        """How many runs, under way or waiting, come before one that waits."""
        mine = RunRow.select(ROWID).where(RunRow.id == run_id)
        earlier = (RunRow.status == "waiting") & (mine > ROWID)
        return int(RunRow.select().where((RunRow.status == "running") | earlier).count())

    def waiting(self) -> list[str]:
        return [row.id for row in RunRow.select(RunRow.id).where(RunRow.status == "waiting").order_by(ROWID)]


def _plain(row: RunRow) -> dict[str, Any]:
    return {
        "id": row.id,
        "flow": row.flow_id,
        "revision": row.revision,
        "status": row.status,
        "created": row.created,
        "started": row.started,
        "finished": row.finished,
        "parameters": json.loads(row.parameters),
        "series": row.series or row.id,
        "dry": row.dry,
        "by": row.by,
        "cause": row.cause,
        "chain": row.chain,
        "profiled": row.profiled,
        "progress": json.loads(row.progress),
        "report": json.loads(row.report) if row.report else None,
        "cancelling": row.cancel and row.status == "running",
    }
