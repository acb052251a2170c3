"""What the flow around a table says of it: the tables it may meet, and the findings that were put away."""

from __future__ import annotations

from updraft.core.flow.model import Flow, label


def neighbours(flow: Flow, step_id: str) -> dict[str, str]:
    """Steps that neither lead to a step nor come from it, the last of each lane: id → what the table is
    called.

    What a step on the way takes at another port counts too: keys are looked up there.
    """
    up, down = _reached(flow, step_id, back=True), _reached(flow, step_id, back=False)
    mine = up | down | {step_id}
    found = {
        step.id: label(step)
        for step in flow.steps
        if step.id not in mine
        and step.enabled
        and not any(taker.id not in mine for taker, _, _ in flow.consumers(step.id))
    }
    # A table that is joined further down is no neighbour by lane, but it is what this one must meet.
    for taker in (step for step in flow.steps if step.id in down):
        for other in (ref.step for ref in taker.refs()):
            if flow.has(other) and other not in mine:
                found[other] = label(flow.step(other))
    return found


def dismissed(flow: Flow, step_id: str) -> dict[str, str]:
    """Findings put away at a step or before it: key → reason."""
    up = _reached(flow, step_id, back=True) | {step_id}
    return {d.finding: d.reason for d in flow.dismissed if d.step in up or not flow.has(d.step)}


def _reached(flow: Flow, step_id: str, *, back: bool) -> set[str]:
    reached: set[str] = set()
    waiting = [step_id]
    while waiting:
        here = waiting.pop()
        near = (
            [ref.step for ref in flow.step(here).refs()]
            if back
            else [step.id for step, _, _ in flow.consumers(here)]
        )
        for other in near:
            if other not in reached and flow.has(other):
                reached.add(other)
                waiting.append(other)
    return reached
