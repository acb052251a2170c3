"""A flow in words, for people who do not work with it."""

from __future__ import annotations

from typing import Any

from updraft.core import Ref
from updraft.core.engine import Plan
from updraft.core.flow.model import label
from updraft.core.flow.order import drawing_order
from updraft.web.shown.state import sentence


def described(planned: Plan) -> list[dict[str, Any]]:
    """The steps in words, in the order in which they are drawn."""
    flow = planned.flow
    order = drawing_order(flow)
    numbers = {step_id: n for n, step_id in enumerate(order, 1)}

    def taken(text: str) -> str:
        ref = Ref.parse(text)
        return f"{numbers[ref.step]} · {label(flow.step(ref.step))}" if ref.step in numbers else ""

    found = []
    for step_id in order:
        step, kind = flow.step(step_id), planned.steps[step_id].kind
        takes = [taken(text) for port in step.inputs for text in step.plugged(port)]
        found.append(
            {
                "number": numbers[step_id],
                "name": step.name or (kind.title if kind else step.kind),
                "title": kind.title if kind else step.kind,
                "role": kind.role if kind else "step",
                "sentence": sentence(kind, planned.steps[step_id]),
                "takes": [text for text in takes if text],
                "note": step.note,
                "off": not step.enabled,
                "decisions": len(flow.decided(step_id)),
            }
        )
    return found
