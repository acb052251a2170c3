"""Inputs of steps where others come, go and move."""

from __future__ import annotations

from collections.abc import Collection
from typing import Protocol

from updraft.core.flow.model import Flow, Ref, Step, label
from updraft.core.flow.order import downstream, upstream
from updraft.core.problems import Problem


class Shapes(Protocol):
    """What edits must know of the kinds of steps."""

    def main_port(self, step: Step) -> str | None:
        """The port a step is put into a lane at; None for a source."""

    def takes_many(self, step: Step, port: str) -> bool:
        """Whether a port takes any number of tables."""

    def ports(self, step: Step) -> list[str]:
        """All ports it has."""

    def has_table(self, step: Step) -> bool:
        """Whether others may take its table: it does not end a lane."""


def source_of(step: Step, shapes: Shapes) -> str | None:
    """What a step takes at its main port, the first of many; None for a source, or where nothing comes in."""
    port = shapes.main_port(step)
    return next(iter(step.plugged(port)), None) if port else None


def put_behind(step: Step, after: str, shapes: Shapes) -> Step:
    """The step taking an output at its main port. Where that takes many, the others stay."""
    port = shapes.main_port(step)
    if port is None:
        raise Problem(
            f"“{label(step)}”",
            "a source takes no table, so it cannot stand behind another step.",
            "Add it beside the others.",
            step=step.id,
        )
    taken: str | tuple[str, ...] = after
    if shapes.takes_many(step, port):
        taken = (after, *(text for text in step.plugged(port)[1:] if text != after))
    return step.model_copy(
        update={"inputs": {port: taken, **{p: t for p, t in step.inputs.items() if p != port}}}
    )


def plugged_in(step: Step, flow: Flow, shapes: Shapes, behind: Collection[str] = ()) -> Step:
    """The step with what is open at its ports plugged to ends of other lanes, none of them `behind` it."""
    mine = {*upstream(flow, step.refs()), step.id, *downstream(flow, step.id), *behind}
    ends = [
        other.id
        for other in flow.steps
        if other.id not in mine and other.enabled and not flow.consumers(other.id) and shapes.has_table(other)
    ]
    inputs = dict(step.inputs)
    for port in shapes.ports(step):
        many = shapes.takes_many(step, port)
        if ends and (many or port not in inputs):
            end = ends.pop()
            inputs[port] = (*step.plugged(port), end) if many else end
    return step.model_copy(update={"inputs": inputs})


def repointed(step: Step, old: str, new: str | None, *, sides: bool = False) -> Step:
    """The step with every input `old` taken from `new`; with `sides`, inputs from old's side outputs are
    unplugged.
    """
    inputs: dict[str, str | tuple[str, ...]] = {}
    for port, taken in step.inputs.items():
        kept: list[str] = []
        for text in step.plugged(port):
            instead = new if text == old else None if sides and Ref.parse(text).step == old else text
            if instead and instead not in kept:
                kept.append(instead)
        if kept:
            inputs[port] = kept[0] if isinstance(taken, str) else tuple(kept)
    return step if inputs == step.inputs else step.model_copy(update={"inputs": inputs})
