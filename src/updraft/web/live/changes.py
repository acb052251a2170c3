"""Edits as the page sends them: completed, applied in order, saved as one revision."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, datetime
from typing import Any

from pydantic import ValidationError

from updraft.core import Flow, Problem
from updraft.core.flow.decisions import Decision, Decisions
from updraft.core.flow.edits import EDIT, AddStep
from updraft.core.steps import SHAPES
from updraft.web.live.studio import Studio


def change(
    app: Studio, flow_id: str, edits: Sequence[Any], revision: int | None = None, sentence: str = ""
) -> list[str]:
    """Apply edits as one revision; edits that change nothing make none. Gives the ids of steps that were
    added.

    Args:
        revision: what they are based on; None for the flow as it is now.
        sentence: what was done; put together from the edits where it is empty.

    Raises:
        Problem: an edit is not one, does not fit, or the flow was changed meanwhile.
    """
    saved = app.flows.get(flow_id)
    flow, sentences = saved.flow, []
    added: list[str] = []
    try:
        for raw in edits:
            edit = EDIT.validate_python(_completed(app, raw, flow, added))
            sentences.append(edit.sentence(flow))
            flow = edit.apply(flow, SHAPES)
            added += [edit.step.id] if isinstance(edit, AddStep) else []
    except ValidationError as error:
        first = error.errors()[0]
        reason = f"{first['msg'].removeprefix('Value error, ')}."
        field = str(first["loc"][-1]) if first["loc"] else ""
        raise Problem("This change", reason, "Correct it and try again.", field=field) from None
    if flow != saved.flow:
        app.flows.save(flow_id, flow, sentence or "; ".join(sentences), int(revision or saved.revision))
    return added


def _completed(app: Studio, raw: Any, flow: Flow, added: Sequence[str]) -> Any:
    """The page leaves some things to the server: the id of a new step, that it stands behind the one just
    added (`after: "@last"`), the time of an answer, the flow that a block is a copy of (`of`, `revision`).
    """
    if not isinstance(raw, dict):
        return raw
    if raw.get("op") == "add" and isinstance(raw.get("step"), dict):
        step = dict(raw["step"])
        step.setdefault("id", flow.new_id(str(step.get("kind", "step"))))
        behind = {"after": added[-1]} if raw.get("after") == "@last" and added else {}
        return {**raw, "step": step, **behind}
    if raw.get("op") == "decide":
        stamp = datetime.now(UTC).isoformat(timespec="seconds")
        rows = [Decision(*(str(cell) for cell in row)) for row in raw.get("rows", [])]
        return {**raw, "rows": Decisions(row._replace(when=row.when or stamp) for row in rows)}
    if raw.get("op") == "block" and raw.get("of"):
        kept = app.flows.at(str(raw["of"]), raw.get("revision"))
        return {"op": "block", "name": raw.get("name") or kept.name, "flow": kept}
    return raw
