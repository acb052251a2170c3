"""Schedules: when flows run by themselves, and what set them off last."""

from __future__ import annotations

import json
import uuid
from typing import Any

from updraft.core import Problem
from updraft.store.database import now
from updraft.store.models import ScheduleRow
from updraft.store.orm import peewee as pw

FILES, MAIL = "files", "mail:"  # what a trigger watches: the flow's files, or the mail of a connection


class ScheduleStore:
    def create(
        self,
        flow_id: str,
        *,
        cron: str = "",
        zone: str = "UTC",
        watch: str = "",
        only: dict[str, str] | None = None,
        parameters: dict[str, Any],
    ) -> str:
        """A schedule by time (`cron`), or a trigger (`watch`: `files`, or `mail:` and a connection; `only`
        the mail whose sender, subject or name of an attachment fits).
        """
        made = uuid.uuid4().hex[:12]
        ScheduleRow.create(
            id=made,
            flow=flow_id,
            at=cron,
            zone=zone,
            watch=watch,
            only=json.dumps(only or {}),
            parameters=json.dumps(parameters),
            created=now(),
        )
        return made

    def list(self, flow_id: str | None = None) -> list[dict[str, Any]]:
        """Schedules of a flow, or of all, the oldest first."""
        rows = ScheduleRow.select().order_by(pw.SQL("rowid"))
        return [_plain(row) for row in (rows.where(ScheduleRow.flow == flow_id) if flow_id else rows)]

    def switch(self, flow_id: str, schedule_id: str, active: bool) -> None:
        """Switch on or off. What was missed while it was off does not count."""
        self._row(flow_id, schedule_id)
        ScheduleRow.update(active=active, last=now()).where(ScheduleRow.id == schedule_id).execute()

    def delete(self, flow_id: str, schedule_id: str) -> None:
        self._row(flow_id, schedule_id).delete_instance()

    def mark(
        self,
        schedule_id: str,
        *,
        last: str,
        run: str | None = None,
        seen: str | None = None,
        said: str | None = None,
    ) -> None:
        """Note when it was last looked at, the run that it began, what a trigger has seen, and why that did
        not begin one.
        """
        some = {"run": run or None, "seen": seen, "said": said}
        told = {"last": last, **{name: value for name, value in some.items() if value is not None}}
        ScheduleRow.update(told).where(ScheduleRow.id == schedule_id).execute()

    def _row(self, flow_id: str, schedule_id: str) -> ScheduleRow:
        row = ScheduleRow.get_or_none((ScheduleRow.id == schedule_id) & (ScheduleRow.flow == flow_id))
        if row is None:
            raise Problem("This schedule", "it is not here any more.", "Look again.", code="no_schedule")
        return row


def _plain(row: ScheduleRow) -> dict[str, Any]:
    return {
        "id": row.id,
        "flow": row.flow_id,
        "cron": row.at,
        "zone": row.zone,
        "watch": row.watch,
        "parameters": json.loads(row.parameters),
        "active": row.active,
        "created": row.created,
        "last": row.last,
        "run": row.run,
        "seen": row.seen,
        "only": json.loads(row.only),
        "said": row.said,
    }
