"""The order in which steps are computed and drawn."""

from __future__ import annotations

from updraft.core.flow.model import MAIN_PORT, Flow, Ref, Step


def inputs_of(flow: Flow) -> dict[str, list[str]]:
    """For each step the ids of the existing steps it takes from, main port first."""
    return {step.id: [ref.step for ref in step.refs() if flow.has(ref.step)] for step in flow.steps}


def cycles(flow: Flow) -> set[str]:
    """Ids of the steps that lie on a cycle (depth-first search for strongly connected parts, Tarjan 1972)."""
    edges = inputs_of(flow)
    index: dict[str, int] = {}
    low: dict[str, int] = {}
    stack: list[str] = []
    found: set[str] = set()

    def visit(node: str) -> None:
        index[node] = low[node] = len(index)
        stack.append(node)
        for other in edges[node]:
            if other not in index:
                visit(other)
                low[node] = min(low[node], low[other])
            elif other in stack:
                low[node] = min(low[node], index[other])
        if low[node] == index[node]:
            part = []
            while True:
                part.append(stack.pop())
                if part[-1] == node:
                    break
            if len(part) > 1 or node in edges[node]:
                found.update(part)

    for step in flow.steps:
        if step.id not in index:
            visit(step.id)
    return found


def drawing_order(flow: Flow) -> list[str]:
    """Ids so that every step comes after its inputs and a side lane stands just above where it is taken in.

    Depth first from the ends of the flow, main input first; steps on a cycle come in the order they were
    added.
    """
    edges = inputs_of(flow)
    taken = {source for sources in edges.values() for source in sources}
    ordered: list[str] = []
    seen: set[str] = set()

    def visit(node: str) -> None:
        if node in seen:
            return
        seen.add(node)
        for source in edges[node]:
            visit(source)
        ordered.append(node)

    ends = [step.id for step in flow.steps if step.id not in taken]
    for node in [*ends, *(step.id for step in flow.steps)]:
        visit(node)
    return ordered


def upstream(flow: Flow, refs: list[Ref]) -> set[str]:
    """Ids of the steps that make these tables, and of all before them."""
    edges = inputs_of(flow)
    found: set[str] = set()
    waiting = [ref.step for ref in refs if flow.has(ref.step)]
    while waiting:
        here = waiting.pop()
        if here not in found:
            found.add(here)
            waiting += edges[here]
    return found


def up_to(flow: Flow, ref: Ref, kind: str, name: str) -> Flow:
    """The flow that makes one table, with a last step of a kind and name that takes it."""
    needed, free = upstream(flow, [ref]), kind
    while flow.has(free):
        free += "_"
    last = Step(id=free, kind=kind, name=name, inputs={MAIN_PORT: str(ref)})
    return flow.model_copy(update={"steps": (*(step for step in flow.steps if step.id in needed), last)})


def downstream(flow: Flow, step_id: str) -> set[str]:
    """Ids of all steps that depend on this one, directly or not."""
    found: set[str] = set()
    waiting = [step_id]
    while waiting:
        for step, _, _ in flow.consumers(waiting.pop()):
            if step.id not in found:
                found.add(step.id)
                waiting.append(step.id)
    return found
