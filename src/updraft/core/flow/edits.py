"""Edits of a flow: each is data (so that it can come from a page or a file) and a pure function Flow → Flow.

`edit.apply(flow, shapes)` gives the new flow, `edit.sentence(flow)` says what it does to the flow as it was.
"""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, TypeAdapter

from updraft.core.flow.decisions import DecisionRows, Decisions
from updraft.core.flow.model import Dismissal, Flow, Parameter, Ref, Step, label
from updraft.core.flow.order import downstream
from updraft.core.flow.rewiring import Shapes, plugged_in, put_behind, repointed, source_of
from updraft.core.problems import Problem


class _Edit(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", defer_build=True)

    def apply(self, flow: Flow, shapes: Shapes) -> Flow:
        raise NotImplementedError

    def sentence(self, flow: Flow) -> str:
        raise NotImplementedError


class AddStep(_Edit):
    """Put a step into the flow.

    With `after`, it takes that output. `insert` says whether the steps that took it now take the new one;
    without `insert` the new step branches off. With `plug`, its other ports take the ends of other lanes, the
    latest first, and so does a main port that takes many.
    """

    op: Literal["add"] = "add"
    step: Step
    after: str = ""
    insert: bool = True
    plug: bool = False

    def apply(self, flow: Flow, shapes: Shapes) -> Flow:
        if flow.has(self.step.id):
            raise Problem(
                f"Step “{self.step.id}”", "the flow has a step of this id already.", "Choose another id."
            )
        if not self.after:
            return _with_steps(flow, [*flow.steps, self.step])
        at = Ref.parse(self.after)
        _need(flow, at.step)
        step = put_behind(self.step, self.after, shapes)
        # Where it is put in, what follows will stand on its result: to take such a table would be a circle.
        behind = {
            step_id
            for one, _, _ in flow.consumers(at.step)
            for step_id in (one.id, *downstream(flow, one.id))
        }
        step = plugged_in(step, flow, shapes, behind if self.insert else set()) if self.plug else step
        steps = [repointed(s, self.after, step.id) for s in flow.steps] if self.insert else list(flow.steps)
        place = next(n for n, s in enumerate(steps) if s.id == at.step) + 1
        return _with_steps(flow, [*steps[:place], step, *steps[place:]])

    def sentence(self, flow: Flow) -> str:
        return f"Added “{label(self.step)}”"


class RemoveStep(_Edit):
    """Take a step out; what took its main output takes its main input instead."""

    op: Literal["remove"] = "remove"
    id: str

    def apply(self, flow: Flow, shapes: Shapes) -> Flow:
        gone = _need(flow, self.id)
        fallback = source_of(gone, shapes)
        flow = _with(flow, decisions={k: v for k, v in flow.decisions.items() if k != self.id})
        return _with_steps(
            flow, [repointed(s, gone.id, fallback, sides=True) for s in flow.steps if s.id != gone.id]
        )

    def sentence(self, flow: Flow) -> str:
        return f"Removed “{label(_need(flow, self.id))}”"


class MoveStep(_Edit):
    """Move a step behind another one; the lines close up where it was and open where it goes."""

    op: Literal["move"] = "move"
    id: str
    after: str

    def apply(self, flow: Flow, shapes: Shapes) -> Flow:
        step = _need(flow, self.id)
        if Ref.parse(self.after).step == self.id:
            return flow
        if not source_of(step, shapes):
            raise Problem(
                f"“{label(step)}”",
                "a source takes no table, so it cannot stand behind another step.",
                "Move the steps that follow it instead.",
                step=self.id,
            )
        _need(flow, Ref.parse(self.after).step)
        moved = AddStep(step=step, after=self.after).apply(RemoveStep(id=self.id).apply(flow, shapes), shapes)
        # Takers of its side outputs lost them in the removal; they follow the step to its new place.
        sides: dict[str, dict[str, str | tuple[str, ...]]] = {}
        for taker, port, ref in flow.consumers(self.id):
            if ref.output:
                sides.setdefault(taker.id, {})[port] = taker.inputs[port]
        steps = [s.model_copy(update={"inputs": {**s.inputs, **sides.get(s.id, {})}}) for s in moved.steps]
        return _with(_with_steps(flow, steps), decisions=flow.decisions)

    def sentence(self, flow: Flow) -> str:
        target = _need(flow, Ref.parse(self.after).step)
        return f"Moved “{label(_need(flow, self.id))}” behind “{label(target)}”"


class SetSettings(_Edit):
    """Give a step other settings. Ports that it has with these and had not before take open lanes."""

    op: Literal["set"] = "set"
    id: str
    settings: dict[str, Any]

    def apply(self, flow: Flow, shapes: Shapes) -> Flow:
        before = shapes.ports(_need(flow, self.id))
        flow = _changed(flow, self.id, settings=self.settings)
        step = flow.step(self.id)
        if set(shapes.ports(step)) <= {*before, *step.inputs}:
            return flow
        return _with_steps(
            flow, [plugged_in(one, flow, shapes) if one.id == self.id else one for one in flow.steps]
        )

    def sentence(self, flow: Flow) -> str:
        return f"Changed the settings of “{label(_need(flow, self.id))}”"


class RenameStep(_Edit):
    """Give a step another name; the empty name shows its kind's title."""

    op: Literal["rename"] = "rename"
    id: str
    name: str

    def apply(self, flow: Flow, shapes: Shapes) -> Flow:
        return _changed(flow, self.id, name=self.name.strip())

    def sentence(self, flow: Flow) -> str:
        return f"Renamed “{label(_need(flow, self.id))}” to “{self.name.strip()}”"


class NoteStep(_Edit):
    op: Literal["note"] = "note"
    id: str
    note: str

    def apply(self, flow: Flow, shapes: Shapes) -> Flow:
        return _changed(flow, self.id, note=self.note)

    def sentence(self, flow: Flow) -> str:
        return f"{'Wrote' if self.note else 'Removed'} a note on “{label(_need(flow, self.id))}”"


class SwitchStep(_Edit):
    """Switch a step on or off; off, it hands its main input on unchanged."""

    op: Literal["switch"] = "switch"
    id: str
    enabled: bool

    def apply(self, flow: Flow, shapes: Shapes) -> Flow:
        return _changed(flow, self.id, enabled=self.enabled)

    def sentence(self, flow: Flow) -> str:
        return f"Switched “{label(_need(flow, self.id))}” {'on' if self.enabled else 'off'}"


class CopyStep(_Edit):
    """Put a copy of a step right behind it (a copied source starts a lane of its own)."""

    op: Literal["copy"] = "copy"
    id: str

    def apply(self, flow: Flow, shapes: Shapes) -> Flow:
        step = _need(flow, self.id)
        twin = step.model_copy(update={"id": flow.new_id(step.kind), "name": f"{label(step)} (copy)"})
        copied = AddStep(step=twin, after=self.id if source_of(step, shapes) else "").apply(flow, shapes)
        return _deciding(copied, twin.id, flow.decided(self.id))

    def sentence(self, flow: Flow) -> str:
        return f"Copied “{label(_need(flow, self.id))}”"


class ConnectInput(_Edit):
    """Let a port take another output, or several in an order where it takes many; an empty `source` unplugs
    it.
    """

    op: Literal["connect"] = "connect"
    id: str
    port: str
    source: str | tuple[str, ...] = ""

    def apply(self, flow: Flow, shapes: Shapes) -> Flow:
        step = _need(flow, self.id)
        inputs = {port: text for port, text in step.inputs.items() if port != self.port}
        sources = self._sources()
        for source in sources:
            _need(flow, Ref.parse(source).step)
        if sources:
            inputs[self.port] = sources if shapes.takes_many(step, self.port) else sources[0]
        return _changed(flow, self.id, inputs=inputs)

    def sentence(self, flow: Flow) -> str:
        where = f"“{label(_need(flow, self.id))}”"
        labels = [f"“{label(_need(flow, Ref.parse(source).step))}”" for source in self._sources()]
        if not labels:
            return f"Unplugged the {self.port} of {where}"
        return f"{where} now takes its {self.port} from {', '.join(labels)}"

    def _sources(self) -> tuple[str, ...]:
        return tuple(filter(None, (self.source,) if isinstance(self.source, str) else self.source))


class DescribeFlow(_Edit):
    """Change the flow's name, note, parameters or where it is computed; what is left out stays."""

    op: Literal["describe"] = "describe"
    name: str | None = None
    note: str | None = None
    computed_on: str | None = None
    parameters: tuple[Parameter, ...] | None = None

    def apply(self, flow: Flow, shapes: Shapes) -> Flow:
        given = {name: value for name, value in dict(self).items() if name != "op" and value is not None}
        return Flow.model_validate({**dict(flow), **given})

    def sentence(self, flow: Flow) -> str:
        if self.name is not None and self.name != flow.name:
            return f"Renamed the flow to “{self.name}”"
        if self.computed_on is not None:
            return (
                f"Computed on {f'“{self.computed_on}”' if self.computed_on else 'this machine'} from now on"
            )
        return "Changed the parameters" if self.parameters is not None else "Changed the flow's note"


class DismissFinding(_Edit):
    """Put a finding away, at a step and after it; `restore` brings it back."""

    op: Literal["dismiss"] = "dismiss"
    id: str
    finding: str
    reason: str = ""
    restore: bool = False

    def apply(self, flow: Flow, shapes: Shapes) -> Flow:
        if self.restore:
            return flow.model_copy(
                update={"dismissed": tuple(d for d in flow.dismissed if d.finding != self.finding)}
            )
        _need(flow, self.id)
        rest = tuple(d for d in flow.dismissed if (d.step, d.finding) != (self.id, self.finding))
        fresh = Dismissal(step=self.id, finding=self.finding, reason=self.reason.strip())
        return flow.model_copy(update={"dismissed": (*rest, fresh)})

    def sentence(self, flow: Flow) -> str:
        return f"{'Brought back' if self.restore else 'Dismissed'} a finding"


class Decide(_Edit):
    """Note answers that a person gave for a step, each a key, its answer, who gave it and when."""

    op: Literal["decide"] = "decide"
    id: str
    rows: DecisionRows

    def apply(self, flow: Flow, shapes: Shapes) -> Flow:
        return _deciding(flow, self.id, flow.decided(self.id).with_rows(self.rows))

    def sentence(self, flow: Flow) -> str:
        return f"Decided {_answers(len(self.rows))} for “{label(_need(flow, self.id))}”"


class Undecide(_Edit):
    """Take answers back: those of some keys, or all."""

    op: Literal["undecide"] = "undecide"
    id: str
    keys: tuple[str, ...] | None = None

    def apply(self, flow: Flow, shapes: Shapes) -> Flow:
        known = flow.decided(self.id)
        return _deciding(flow, self.id, Decisions() if self.keys is None else known.without(self.keys))

    def sentence(self, flow: Flow) -> str:
        gone = len(flow.decided(self.id)) if self.keys is None else len(self.keys)
        return f"Took back {_answers(gone)} for “{label(_need(flow, self.id))}”"


class SetBlock(_Edit):
    """Keep a flow within this one, under a name; without a flow the block goes."""

    op: Literal["block"] = "block"
    name: str
    flow: Flow | None = None

    def apply(self, flow: Flow, shapes: Shapes) -> Flow:
        rest = {name: block for name, block in flow.blocks.items() if name != self.name}
        return _with(flow, blocks=rest if self.flow is None else {**rest, self.name: self.flow})

    def sentence(self, flow: Flow) -> str:
        return f"{'Removed' if self.flow is None else 'Kept'} the block “{self.name}”"


Edit = Annotated[
    AddStep
    | RemoveStep
    | MoveStep
    | SetSettings
    | RenameStep
    | NoteStep
    | SwitchStep
    | CopyStep
    | ConnectInput
    | DescribeFlow
    | DismissFinding
    | Decide
    | Undecide
    | SetBlock,
    Field(discriminator="op"),
]
EDIT: TypeAdapter[Any] = TypeAdapter(Edit, config=ConfigDict(defer_build=True))


def _need(flow: Flow, step_id: str) -> Step:
    try:
        return flow.step(step_id)
    except KeyError:
        raise Problem(
            f"Step “{step_id}”",
            "the flow has no such step.",
            "It may have been removed in another window: reload the page.",
            code="no_step",
        ) from None


def _changed(flow: Flow, step_id: str, **update: Any) -> Flow:
    _need(flow, step_id)
    steps = [Step.model_validate({**dict(s), **update}) if s.id == step_id else s for s in flow.steps]
    return _with_steps(flow, steps)


def _with_steps(flow: Flow, steps: list[Step]) -> Flow:
    return _with(flow, steps=tuple(steps))


def _with(flow: Flow, **changed: Any) -> Flow:
    return Flow.model_validate({**dict(flow), **changed})


def _deciding(flow: Flow, step_id: str, decisions: Decisions) -> Flow:
    _need(flow, step_id)
    rest = {other: known for other, known in flow.decisions.items() if other != step_id}
    return _with(flow, decisions={**rest, step_id: decisions} if len(decisions) else rest)


def _answers(number: int) -> str:
    return f"{number:,} {'answer' if number == 1 else 'answers'}"
