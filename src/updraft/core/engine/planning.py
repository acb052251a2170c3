"""Read a flow as work: which steps in which order, with what settings, and what is wrong before any
computing.
"""

from __future__ import annotations

import json
import re
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import polars as pl
import xxhash
from pydantic import ValidationError

from updraft.core.engine.dates import day_of
from updraft.core.engine.files import Files
from updraft.core.flow.model import Flow, Ref, Step, label
from updraft.core.flow.order import cycles, drawing_order
from updraft.core.problems import Problem, nearest
from updraft.core.steps import Incoming, Port, Settings, StepKind, Tables, kinds

_PARAMETER = re.compile(r"\{params\.([a-z][a-z0-9_]*)\}")
_CACHE_FORMAT = 2  # raised when the engine itself comes to other results


@dataclass(frozen=True)
class PlannedStep:
    """One step as it will be computed.

    Args:
        inputs: port → the tables that really arrive there, switched-off steps left out.
        passes_on: set for a switched-off step: the table it hands on.
        problem: why it cannot be computed; then `kind` or `settings` may be missing.
        waits_for: id of the step whose problem stops this one.
        fingerprint: equal fingerprints mean equal tables; empty where there is a problem.
    """

    step: Step
    kind: StepKind | None
    settings: Settings | None
    inputs: dict[str, tuple[Ref, ...]]
    fingerprint: str = ""
    passes_on: Ref | None = None
    problem: Problem | None = None
    waits_for: str = ""

    @property
    def refs(self) -> list[Ref]:
        """All tables that arrive, whatever the port."""
        return [ref for refs in self.inputs.values() for ref in refs]

    @property
    def main(self) -> Ref | None:
        """The table that arrives at the main port, the first of many; None for a source, or when nothing
        comes in.
        """
        port = self.kind.main_port if self.kind else None
        return next(iter(self.inputs.get(port.name, ())), None) if port else None


@dataclass(frozen=True)
class Plan:
    """All steps, each after its inputs."""

    flow: Flow
    steps: dict[str, PlannedStep]

    def fingerprint(self, ref: Ref) -> str:
        """The fingerprint of the table at an output; empty where it cannot be computed."""
        planned = self.steps.get(ref.step)
        return planned.fingerprint if planned else ""

    def takers(self, ref: Ref) -> int:
        """How many inputs take this output, switched-off steps passed through."""
        return sum(
            taken == ref for step in self.steps.values() if step.passes_on is None for taken in step.refs
        )

    def resolve(self, ref: Ref) -> Ref:
        """The output that really supplies `ref`, switched-off steps passed through."""
        planned = self.steps.get(ref.step)
        while planned is not None and planned.passes_on is not None:
            ref = planned.passes_on
            planned = self.steps.get(ref.step)
        return ref


def arriving(planned: Plan, step: PlannedStep, table: Callable[[Ref], pl.LazyFrame]) -> Tables:
    """The tables that come into a step, each made by `table` from where it comes."""
    main = step.kind.main_port if step.kind else None
    arrived = {
        port: [Incoming(table(ref), label(planned.flow.step(ref.step))) for ref in refs]
        for port, refs in step.inputs.items()
    }
    return Tables(arrived, main.name if main else "")


def plan(flow: Flow, files: Files, parameters: dict[str, str] | None = None) -> Plan:
    """Plan a flow. Never raises for what is wrong with a step: the step carries its problem.

    Args:
        parameters: values given for this run, over those of the flow.

    Raises:
        Problem: a parameter is given that the flow does not have.
    """
    values = {p.name: p.value for p in flow.parameters}
    for name in parameters or {}:
        if name not in values:
            near = nearest(name, values)
            raise Problem(
                f"Parameter “{name}”",
                "the flow has no such parameter" + (f"; did you mean “{near}”?" if near else "."),
                "See the flow's parameters.",
                code="no_parameter",
            )
    values |= parameters or {}
    wrong: dict[str, Problem] = {}
    for parameter in flow.parameters:
        if parameter.kind == "date":
            try:
                values[parameter.name] = f"{day_of(values[parameter.name], files.today)}"
            except Problem as problem:
                wrong[parameter.name] = problem
    looped = cycles(flow)
    planned: dict[str, PlannedStep] = {}
    for step_id in drawing_order(flow):
        planned[step_id] = _planned(flow, flow.step(step_id), planned, looped, values, wrong, files)
    return Plan(flow, planned)


def _planned(
    flow: Flow,
    step: Step,
    done: dict[str, PlannedStep],
    looped: set[str],
    values: dict[str, str],
    wrong: dict[str, Problem],
    files: Files,
) -> PlannedStep:
    kind = kinds().get(step.kind)
    inputs: dict[str, tuple[Ref, ...]] = {}
    settings: Settings | None = None
    problem: Problem | None = None
    try:
        kind = _known(step)
        if step.id in looped:
            raise Problem(
                f"“{label(step)}”",
                "its own result comes back to it as input.",
                "Let one of the steps in the circle take another table.",
                code="cycle",
            )
        if not step.enabled:
            return _switched_off(flow, step, kind, done)
        settings = _settings(step, kind, values, wrong)
        inputs = _inputs(flow, step, kind.ports(settings), done)
        waits = next(
            (ref.step for refs in inputs.values() for ref in refs if not done[ref.step].fingerprint), ""
        )
        if waits:
            return PlannedStep(step, kind, settings, inputs, waits_for=done[waits].waits_for or waits)
        grounds = _Grounds(step.id, files)
        content = kind.depends_on(settings, grounds)
        if "names" in kind.needs:
            content += [label(flow.step(ref.step)) for refs in inputs.values() for ref in refs]
        return PlannedStep(step, kind, settings, inputs, _fingerprint(kind, settings, inputs, done, content))
    except Problem as found:
        problem = found.at(step.id)
    return PlannedStep(step, kind, settings, inputs, problem=problem)


def _known(step: Step) -> StepKind:
    kind = kinds().get(step.kind)
    if kind is None:
        near = nearest(step.kind, kinds())
        raise Problem(
            f"Kind of step “{step.kind}”",
            "this Updraft does not have it" + (f"; the nearest is “{near}”." if near else "."),
            "Remove or replace the step; its settings are kept until then.",
            code="unknown_kind",
        )
    return kind


def _inputs(
    flow: Flow, step: Step, ports: tuple[Port, ...], done: dict[str, PlannedStep]
) -> dict[str, tuple[Ref, ...]]:
    found: dict[str, tuple[Ref, ...]] = {}
    for port in ports:
        taken = [Ref.parse(text) for text in step.plugged(port.name)]
        taken = [ref for ref in taken if flow.has(ref.step)]
        if not taken:
            raise Problem(
                f"“{label(step)}”",
                f"nothing comes in at “{port.title}”.",
                "Choose the table it should take.",
                field=port.name,
                code="unfinished",
            )
        if len(taken) > 1 and not port.many:
            raise Problem(
                f"“{label(step)}”",
                f"several tables come in at “{port.title}”, which takes one.",
                "Choose the table it should take.",
                field=port.name,
                code="too_many",
            )
        found[port.name] = tuple(_arriving(flow, step, port, ref, done) for ref in taken)
    unknown = set(step.inputs) - {port.name for port in ports}
    if unknown:
        raise Problem(
            f"“{label(step)}”", f"it has no input “{sorted(unknown)[0]}”.", "Unplug it.", code="no_port"
        )
    return found


def _arriving(flow: Flow, step: Step, port: Port, ref: Ref, done: dict[str, PlannedStep]) -> Ref:
    """The output that really arrives; the main one by its empty name, switched-off steps left out."""
    before = done.get(ref.step)
    kind = before.kind if before else None
    if ref.output and kind is not None:
        outs = {
            out.name: out
            for out in (kind.outs(before.settings) if before and before.settings else kind.outputs)
        }
        if ref.output not in outs:
            raise Problem(
                f"“{label(step)}”",
                f"“{label(flow.step(ref.step))}” has no output “{ref.output}”.",
                "Choose the table it should take.",
                field=port.name,
                code="no_output",
            )
        ref = Ref(ref.step) if outs[ref.output].main else ref
    return before.passes_on if before and before.passes_on is not None else ref


def _switched_off(flow: Flow, step: Step, kind: StepKind, done: dict[str, PlannedStep]) -> PlannedStep:
    if kind.main_port is None:
        raise Problem(
            f"“{label(step)}”",
            "it is switched off, so no table comes from it.",
            "Switch it on, or take its lane out.",
            code="source_off",
        )
    inputs = _inputs(
        flow,
        step.model_copy(
            update={
                "inputs": {port: taken for port, taken in step.inputs.items() if port == kind.main_port.name}
            }
        ),
        (kind.main_port,),
        done,
    )
    main = inputs[kind.main_port.name][0]
    below = done[main.step]
    waits = "" if below.fingerprint else (below.waits_for or main.step)
    return PlannedStep(step, kind, None, inputs, below.fingerprint, passes_on=main, waits_for=waits)


def _settings(step: Step, kind: StepKind, values: dict[str, str], wrong: dict[str, Problem]) -> Settings:
    try:
        plain = {key: step.settings[key] for key in kind.Settings.unfilled if key in step.settings}
        filled = _filled(
            {key: value for key, value in step.settings.items() if key not in plain}, values, wrong
        )
        return kind.Settings.model_validate({**filled, **plain})
    except ValidationError as error:
        first = error.errors()[0]
        field = str(first["loc"][0]) if first["loc"] else ""
        info = kind.Settings.model_fields.get(field)
        title = info.title if info and info.title else field or "Settings"
        if first["type"] == "missing":
            raise Problem(
                title, "it is not chosen yet.", "Choose it on the desk.", field=field, code="unfinished"
            ) from None
        raise Problem(
            title, f"{first['msg']}.", "Correct it on the desk.", field=field, code="bad_setting"
        ) from None


def _filled(value: Any, values: dict[str, str], wrong: dict[str, Problem]) -> Any:
    """Settings with every `{params.name}` inside a text replaced."""

    def one(match: re.Match[str]) -> str:
        if match.group(1) in wrong:
            raise wrong[match.group(1)]
        if match.group(1) not in values:
            raise Problem(
                f"Parameter “{match.group(1)}”",
                "a setting uses it, but the flow has no such parameter.",
                "Add the parameter to the flow, or take it out of the setting.",
                code="no_parameter",
            )
        return values[match.group(1)]

    if isinstance(value, str):
        return _PARAMETER.sub(one, value)
    if isinstance(value, dict):
        return {key: _filled(item, values, wrong) for key, item in value.items()}
    return [_filled(item, values, wrong) for item in value] if isinstance(value, list | tuple) else value


@dataclass(frozen=True)
class _Grounds:
    """What the plan tells a step of the world."""

    step: str
    files: Files

    def content(self, path: str) -> str:
        return self.files.digest(path)

    @property
    def brought(self) -> str:
        return self.files.token(self.step)

    def connection(self, name: str) -> str:
        known = self.files.outside.connections.get(name)
        return known.model_dump_json() if known else ""


def _fingerprint(
    kind: StepKind,
    settings: Settings,
    inputs: dict[str, tuple[Ref, ...]],
    done: dict[str, PlannedStep],
    content: list[str],
) -> str:
    parts = [
        _CACHE_FORMAT,
        pl.__version__,
        kind.kind,
        kind.version,
        settings.model_dump(mode="json"),
        {
            port: [[done[ref.step].fingerprint, ref.output] for ref in refs]
            for port, refs in sorted(inputs.items())
        },
        content,
    ]
    return xxhash.xxh3_128(json.dumps(parts, sort_keys=True, ensure_ascii=False).encode()).hexdigest()
