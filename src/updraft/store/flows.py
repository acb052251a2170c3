"""Flows and their revisions: save, undo, redo, go back to any."""

from __future__ import annotations

import json
import shutil
import uuid
from collections import Counter
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from updraft.core import Flow, Problem, dump, load
from updraft.core.flow.decisions import Decision, Decisions
from updraft.store.database import now
from updraft.store.folders import Folders
from updraft.store.models import DecisionRow, FlowRow, RevisionRow, database


@dataclass(frozen=True)
class SavedFlow:
    """A flow as it is now, with where undo and redo lead (None: nowhere)."""

    id: str
    flow: Flow
    revision: int
    undo: str | None
    redo: str | None


class FlowStore:
    def __init__(self, folders: Folders) -> None:
        self.folders = folders

    def list(self) -> list[dict[str, Any]]:
        """All flows, the newest change first."""
        return [
            {"id": row.id, "name": row.name, "updated": row.updated, "revision": row.head}
            for row in FlowRow.select().order_by(FlowRow.updated.desc(), FlowRow.name)
        ]

    def overview(self) -> list[dict[str, Any]]:
        """As `list`, with what each is for, its steps, also by kind (`used`), and whether it is `damaged`."""
        rows = (
            FlowRow.select(FlowRow, RevisionRow.document)
            .join(RevisionRow, on=((RevisionRow.flow == FlowRow.id) & (RevisionRow.number == FlowRow.head)))
            .order_by(FlowRow.updated.desc(), FlowRow.name)
            .dicts()
        )
        return [
            {"id": row["id"], "name": row["name"], "updated": row["updated"], "revision": row["head"]}
            | _in_short(row["document"])
            for row in rows
        ]

    def create(self, flow: Flow, sentence: str) -> str:
        flow_id = uuid.uuid4().hex[:12]
        with database.atomic("IMMEDIATE"):
            row = FlowRow.create(id=flow_id, name=flow.name, head=1, created=now(), updated=now())
            RevisionRow.create(
                flow=row, number=1, parent=None, sentence=sentence, created=now(), **_stored(flow)
            )
        return flow_id

    def get(self, flow_id: str) -> SavedFlow:
        """Raises Problem (code no_flow) when it is gone."""
        row = self._row(flow_id)
        revision = self._revision(row, row.head)
        try:
            flow = _flow(revision)
        except Problem:  # damaged: the newest one before it that can be read takes its place
            return self._healed(row, revision)
        child = self._newest_child(row)
        return SavedFlow(
            row.id,
            flow,
            row.head,
            revision.sentence if revision.parent else None,
            child.sentence if child else None,
        )

    def _healed(self, row: FlowRow, damaged: RevisionRow) -> SavedFlow:
        before = damaged
        while before.parent:
            before = self._revision(row, before.parent)
            try:
                _flow(before)
            except Problem:
                continue
            self._point(row, before.number)
            return self.get(row.id)
        _flow(damaged)  # there is none: its problem is said
        raise AssertionError("a damaged revision can be read")

    def save(self, flow_id: str, flow: Flow, sentence: str, based_on: int) -> SavedFlow:
        """Add a revision behind `based_on`.

        Raises:
            Problem: code `stale` when another window has changed the flow since.
        """
        with database.atomic("IMMEDIATE"):
            row = self._row(flow_id)
            if row.head != based_on:
                raise Problem(
                    "The flow",
                    "it was changed in another window meanwhile.",
                    "It is shown as it is now; make your change again.",
                    code="stale",
                )
            number = 1 + max(r.number for r in row.revisions.select(RevisionRow.number))
            RevisionRow.create(
                flow=row,
                number=number,
                parent=row.head,
                sentence=sentence[:400],
                created=now(),
                **_stored(flow),
            )
            self._point(row, number, flow.name)
        return self.get(flow_id)

    def head(self, flow_id: str) -> int:
        """The number of its current revision; 0 when there is no such flow."""
        row = FlowRow.select(FlowRow.head).where(FlowRow.id == flow_id).tuples().first()
        return int(row[0]) if row else 0

    def at(self, flow_id: str, number: int | None) -> Flow:
        """A flow as it is now, or as a revision of it was. Problem when there is none."""
        row = self._row(flow_id)
        return _flow(self._revision(row, number or row.head))

    def live(self, flow_id: str) -> int:
        """The number of the revision that runs by itself: the one made live, or else the current one."""
        row = self._row(flow_id)
        return int(row.live or row.head)

    def make_live(self, flow_id: str, number: int) -> None:
        row = self._row(flow_id)
        self._revision(row, number)
        FlowRow.update(live=number).where(FlowRow.id == flow_id).execute()

    def undo(self, flow_id: str) -> SavedFlow:
        row = self._row(flow_id)
        parent = self._revision(row, row.head).parent
        if parent:
            self._point(row, parent)
        return self.get(flow_id)

    def redo(self, flow_id: str) -> SavedFlow:
        row = self._row(flow_id)
        child = self._newest_child(row)
        if child:
            self._point(row, child.number)
        return self.get(flow_id)

    def go_to(self, flow_id: str, number: int) -> SavedFlow:
        """Make any revision the current one; the others stay."""
        row = self._row(flow_id)
        self._revision(row, number)
        self._point(row, number)
        return self.get(flow_id)

    def revisions(self, flow_id: str) -> list[dict[str, Any]]:
        """All revisions, newest first."""
        row = self._row(flow_id)
        return [
            {
                "number": r.number,
                "parent": r.parent,
                "sentence": r.sentence,
                "created": r.created,
                "current": r.number == row.head,
            }
            for r in row.revisions.order_by(RevisionRow.number.desc())
        ]

    def duplicate(self, flow_id: str) -> str:
        """A copy with its files and without its history."""
        flow = self.get(flow_id).flow
        twin = self.create(
            flow.model_copy(update={"name": f"{flow.name[:190]} (copy)"}), f"Copied from “{flow.name}”"
        )
        shutil.copytree(self.folders.files(flow_id), self.folders.files(twin), dirs_exist_ok=True)
        return twin

    def delete(self, flow_id: str) -> None:
        row = self._row(flow_id)
        for run in row.runs:
            shutil.rmtree(self.folders.run(run.id), ignore_errors=True)
            self.folders.log(run.id).unlink(missing_ok=True)
        row.delete_instance(recursive=True)
        shutil.rmtree(self.folders.flow(flow_id), ignore_errors=True)

    def _row(self, flow_id: str) -> FlowRow:
        row = FlowRow.get_or_none(FlowRow.id == flow_id)
        if row is None:
            raise Problem(
                "This flow", "it is not here any more.", "Go back to the list of flows.", code="no_flow"
            )
        return row

    def _revision(self, row: FlowRow, number: int) -> RevisionRow:
        found = RevisionRow.get_or_none((RevisionRow.flow == row) & (RevisionRow.number == number))
        if found is None:
            raise Problem(
                f"Revision {number}",
                "the flow has no such revision.",
                "Choose one of the list.",
                code="no_revision",
            )
        return found

    def _newest_child(self, row: FlowRow) -> RevisionRow | None:
        return row.revisions.where(RevisionRow.parent == row.head).order_by(RevisionRow.number.desc()).first()

    def _point(self, row: FlowRow, number: int, name: str | None = None) -> None:
        row.head, row.updated = number, now()
        row.name = name if name is not None else load(self._revision(row, number).document).name
        row.save()


def _stored(flow: Flow) -> dict[str, str]:
    """A flow as the columns of a revision; its decisions go into a table of their own, each set once."""
    for decisions in flow.decisions.values():
        if not DecisionRow.get_or_none(DecisionRow.digest == decisions.mark):
            DecisionRow.create(digest=decisions.mark, body=json.dumps([list(row) for row in decisions]))
    decided = {step: decisions.mark for step, decisions in flow.decisions.items()}
    return {"document": dump(flow.model_copy(update={"decisions": {}})), "decided": json.dumps(decided)}


@lru_cache(2000)
def _in_short(document: str) -> dict[str, Any]:
    try:
        found = json.loads(document)
        note = str(found.get("note") or "").partition("\n")[0]
        steps = found.get("steps", ())
        used = Counter(str(step.get("kind")) for step in steps)
        return {"steps": len(steps), "note": note, "damaged": False, "used": used}
    except (ValueError, AttributeError, TypeError):
        note = "It cannot be read; an earlier revision may be whole."
        return {"steps": 0, "note": note, "damaged": True, "used": Counter[str]()}


def _flow(revision: RevisionRow) -> Flow:
    try:
        flow = load(revision.document)
        decided = json.loads(revision.decided)
        found = {step: _decisions(mark) for step, mark in decided.items()}
    except (Problem, ValueError, TypeError, AttributeError, DecisionRow.DoesNotExist) as error:
        raise Problem(
            f"Revision {revision.number} of the flow",
            f"it is damaged in the database ({str(error).splitlines()[0][:200]}).",
            "Choose an earlier revision, or put back a copy of the data folder.",
            code="damaged",
        ) from None
    return flow.model_copy(update={"decisions": found})


@lru_cache(maxsize=64)
def _decisions(mark: str) -> Decisions:
    return Decisions(Decision(*row) for row in json.loads(DecisionRow.get_by_id(mark).body))
