"""What a flow is: frozen models, no behaviour beyond looking things up.

A flow may be wrong (a cycle, an unknown kind, an input that is gone): it must still load, show and
be edited, so only its shape is enforced here. `core/flow/order.py` and the engine's plan say what is wrong.
"""

from __future__ import annotations

import re
from typing import Annotated, Any, Literal, NamedTuple

from pydantic import BaseModel, ConfigDict, Field, StringConstraints, model_validator

from updraft.core.flow.decisions import DecisionRows, Decisions

MAIN_PORT = "table"  # what most kinds call their main port
BlockName = Annotated[str, StringConstraints(min_length=1, max_length=200)]
Identifier = Annotated[str, StringConstraints(pattern=r"^[a-z][a-z0-9_]{0,63}$")]


class Ref(NamedTuple):
    """One output of one step; the main output has the empty name."""

    step: str
    output: str = ""

    def __str__(self) -> str:
        return f"{self.step}.{self.output}" if self.output else self.step

    @classmethod
    def parse(cls, text: str) -> Ref:
        step, _, output = text.partition(".")
        return cls(step, output)


class _Frozen(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", defer_build=True)


class Step(_Frozen):
    """One operation: a kind with settings.

    `inputs` maps a port to `step` or `step.output`, or to a list of them where the port takes many.
    """

    id: Identifier
    kind: Annotated[str, StringConstraints(min_length=1, max_length=64)]
    name: Annotated[str, StringConstraints(max_length=200)] = ""
    settings: dict[str, Any] = Field(default_factory=dict)
    inputs: dict[str, str | tuple[str, ...]] = Field(default_factory=dict)
    note: Annotated[str, StringConstraints(max_length=4000)] = ""
    enabled: bool = True

    def plugs(self) -> list[tuple[str, Ref]]:
        """Every (port, output it takes), in the order of the ports."""
        return [(port, Ref.parse(text)) for port in self.inputs for text in self.plugged(port)]

    def plugged(self, port: str) -> tuple[str, ...]:
        """What comes in at a port, as `inputs` says it."""
        taken = self.inputs.get(port, ())
        return (taken,) if isinstance(taken, str) else taken

    def refs(self) -> list[Ref]:
        return [ref for _, ref in self.plugs()]


class Parameter(_Frozen):
    """A named value a run can be given; settings use it as `{params.name}` inside any text.

    A parameter of kind `date` may name a day from today (“first of last month”); settings get it as
    YYYY-MM-DD. One of kind `choice` takes one of its `options`; one of kind `list` any number of values.
    """

    name: Identifier
    value: str | tuple[str, ...] = ""
    kind: Literal["text", "whole", "number", "date", "yes_no", "choice", "list"] = "text"
    options: tuple[str, ...] = ()
    note: Annotated[str, StringConstraints(max_length=400)] = ""


class Dismissal(_Frozen):
    """A finding that a person has put away for a step's table and the tables after it, and why."""

    step: Identifier
    finding: Annotated[str, StringConstraints(min_length=1, max_length=2000)]
    reason: Annotated[str, StringConstraints(max_length=400)] = ""


class Flow(_Frozen):
    """A saved, repeatable series of steps, in the order they were added.

    `decisions` holds the answers that people gave, by step; `blocks` flows that its steps use, by name;
    `computed_on` names the connection to a cluster, "" for this machine.
    """

    name: Annotated[str, StringConstraints(min_length=1, max_length=200)] = "New flow"
    note: Annotated[str, StringConstraints(max_length=4000)] = ""
    computed_on: Annotated[str, StringConstraints(max_length=80)] = ""
    parameters: tuple[Parameter, ...] = ()
    steps: Annotated[tuple[Step, ...], Field(max_length=500)] = ()
    dismissed: tuple[Dismissal, ...] = ()
    decisions: dict[Identifier, DecisionRows] = Field(default_factory=dict)
    blocks: dict[BlockName, Flow] = Field(default_factory=dict)

    @model_validator(mode="after")
    def _names_are_unique(self) -> Flow:
        for what, names in (
            ("step", [s.id for s in self.steps]),
            ("parameter", [p.name for p in self.parameters]),
        ):
            double = next((name for name in names if names.count(name) > 1), None)
            if double:
                raise ValueError(f"the {what} “{double}” stands there twice")
        return self

    def step(self, step_id: str) -> Step:
        """The step with this id; KeyError when there is none."""
        for step in self.steps:
            if step.id == step_id:
                return step
        raise KeyError(step_id)

    def decided(self, step_id: str) -> Decisions:
        """The answers given for a step."""
        return self.decisions.get(step_id) or Decisions()

    def has(self, step_id: str) -> bool:
        return any(step.id == step_id for step in self.steps)

    def consumers(self, step_id: str) -> list[tuple[Step, str, Ref]]:
        """Every (step, port, ref) that takes an output of this step."""
        return [(step, port, ref) for step in self.steps for port, ref in step.plugs() if ref.step == step_id]

    def new_id(self, kind: str) -> str:
        """A free id made from a kind: `tidy_text`, `tidy_text_2`, …"""
        stem = re.sub(r"[^a-z0-9_]", "_", kind.lower()).strip("_") or "step"
        stem = stem if stem[0].isalpha() else f"step_{stem}"
        number, candidate = 2, stem
        while self.has(candidate):
            candidate, number = f"{stem}_{number}", number + 1
        return candidate


def label(step: Step) -> str:
    """What a step is called: its own name, or its kind in words."""
    return step.name or step.kind.replace("_", " ").capitalize()
