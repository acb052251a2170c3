"""Plan a flow: settle every step's settings, inputs and fingerprint, and find what is wrong."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass, replace

import polars as pl
import xxhash
from pydantic import ValidationError

from updraft.core.engine.files import Files
from updraft.core.engine.parameters import Parameters, as_text, parameters_of
from updraft.core.engine.planning import Inner, Plan, PlannedStep
from updraft.core.flow.model import Flow, Ref, Step, label
from updraft.core.flow.order import cycles, drawing_order
from updraft.core.problems import Problem, nearest
from updraft.core.steps import Port, Settings, StepKind, kinds
from updraft.core.steps.parts import Part

_NO_NUMBER = {"int_parsing": "whole number", "int_from_float": "whole number", "float_parsing": "number"}
_LARGEST = 2**63 - 1
_CACHE_FORMAT = 5  # raised when the engine, or what kinds share (values, formulas), gives other results


def plan(flow: Flow, files: Files, parameters: Mapping[str, str | list[str]] | None = None) -> Plan:
    """Plan a flow. Never raises for what is wrong with a step: the step carries its problem.

    Args:
        parameters: values given for this run, over those of the flow.

    Raises:
        Problem: a parameter is given that the flow does not have, or that is not of its kind.
    """
    return _Planner(flow, files, parameters_of(flow, parameters, files.today), {}, ()).plan()


class _Planner:
    """Plans one flow.

    Args:
        fed: fingerprints of the tables that stand for sources, by the source's id.
        trail: the flows that hold this one, outermost first.
    """

    def __init__(
        self, flow: Flow, files: Files, values: Parameters, fed: Mapping[str, str], trail: tuple[str, ...]
    ) -> None:
        self.flow, self.files, self.values, self.fed, self.trail = flow, files, values, fed, trail
        self.looped = cycles(flow)
        self.done: dict[str, PlannedStep] = {}

    def plan(self) -> Plan:
        for step_id in drawing_order(self.flow):
            step = self.flow.step(step_id)
            self.done[step_id] = self._fed(step) if step_id in self.fed else self._planned(step)
        return Plan(self.flow, self.done, self.values)

    def _fed(self, step: Step) -> PlannedStep:
        """A source whose table comes from the step that holds this flow."""
        return PlannedStep(step, None, None, {}, self.fed[step.id])

    def _planned(self, step: Step) -> PlannedStep:
        kind = kinds().get(step.kind)
        found = PlannedStep(step, kind, None, {})
        try:
            kind = _known(step)
            if step.id in self.looped:
                raise Problem(
                    f"“{label(step)}”",
                    "its own result comes back to it as input.",
                    "Let one of the steps in the circle take another table.",
                    code="cycle",
                )
            if not step.enabled:
                return _switched_off(self.flow, step, kind, self.done)
            found = replace(found, settings=_settings(step, kind, self.values))
            return self._settled(found, kind)
        except Problem as problem:
            return replace(found, problem=problem.at(step.id))

    def _settled(self, found: PlannedStep, kind: StepKind) -> PlannedStep:
        """A step whose settings are known, with its inputs and its fingerprint."""
        step, settings = found.step, found.settings
        assert settings is not None
        inputs = _inputs(self.flow, step, kind.ports(settings), self.done)
        settings.check_filled()  # which table comes in is chosen first
        found = replace(found, inputs=inputs)
        below = next((ref.step for ref in found.refs if not self.done[ref.step].fingerprint), "")
        if below:
            return replace(found, waits_for=self.done[below].waits_for or below)
        content = kind.depends_on(settings, _Grounds(self, step.id))
        if "names" in kind.needs:
            content += [label(self.flow.step(ref.step)) for ref in found.refs]
        if "decisions" in kind.needs:
            content.append(self.flow.decided(step.id).digest)
        part = kind.part(settings)
        if part is not None:
            inner = self._inner(step, part, inputs)
            found = replace(found, inner=inner)
            content.append(f"{inner.plan.fingerprint(inner.output)}.{inner.output.output}")
        if (share := self._share(kind, settings)) < 1:
            found = replace(found, share=share)
            content.append(f"sample {share!r}")
        mark = _fingerprint(kind, settings, inputs, self.done, content)
        return replace(found, fingerprint=mark)

    def _share(self, kind: StepKind, settings: Settings) -> float:
        """How much of a source's files is looked at."""
        whole = kind.seen_in_part(settings)
        if whole is None or self.files.samples is None:
            return 1.0
        path, options = whole
        return self.files.samples.share(self.files.files(path), options)

    def _inner(self, step: Step, part: Part, inputs: dict[str, tuple[Ref, ...]]) -> Inner:
        flow, files = self._held(step, part)
        sources = [s.id for s in flow.steps if not s.inputs and s.enabled]
        feeds = {source or (sources[0] if sources else ""): port for source, port in part.feeds.items()}
        lost = next((source for source in feeds if source not in sources), None)
        if lost is not None:
            raise Problem(
                f"“{flow.name}”",
                f"it has no source “{lost}” to give a table to."
                if lost
                else "it has no source to give a table to.",
                f"Its sources are: {', '.join(sources) or 'none'}.",
                field="source",
                code="no_source",
            )

        def again(parameters: Mapping[str, str], mark: str) -> Plan:
            fed = {}
            for source, port in feeds.items():
                ref = inputs[port][0]
                fed[source] = f"{self.done[ref.step].fingerprint}.{ref.output}{mark}"
            values = parameters_of(flow, {**part.parameters, **parameters}, files.today)
            return _Planner(flow, files, values, fed, (*self.trail, part.flow)).plan()

        planned = again({}, "")
        output = _output(flow, part)
        inner = Inner(flow.name, planned, planned.resolve(output), feeds, files, again)
        wrong = planned.problem_before(output)
        if wrong is not None:
            raise inner.problem(wrong, step.id)
        return inner

    def _held(self, step: Step, part: Part) -> tuple[Flow, Files]:
        """The flow that a step holds, and the files it may read."""
        if part.flow in self.trail:
            raise Problem(
                f"“{label(step)}”", "the flow that it uses comes back to itself.", "Use another flow.",
                field="flow", code="recursion",
            )  # fmt: skip
        if part.block:
            if part.flow not in self.flow.blocks:
                raise Problem(
                    f"Block “{part.flow}”", "this flow has no such block.", "Choose another one.",
                    field="flow", code="no_block",
                )  # fmt: skip
            return self.flow.blocks[part.flow], self.files
        if self.files.library is None:
            raise Problem(
                f"Flow “{part.flow}”", "no other flows can be reached from here.",
                "Keep a copy of it in this flow.", field="flow", code="no_library",
            )  # fmt: skip
        return self.files.library.flow(part.flow, part.revision), self.files.library.files(part.flow)


def _output(flow: Flow, part: Part) -> Ref:
    """The table that a flow gives to the step that uses it."""
    if part.output:
        ref = Ref.parse(part.output)
        if flow.has(ref.step):
            return ref
        raise Problem(
            f"“{flow.name}”", f"it has no step “{ref.step}”.", "Choose whose table is the result.",
            field="output", code="no_output",
        )  # fmt: skip
    order = drawing_order(flow)
    if not order:
        raise Problem(
            f"“{flow.name}”", "it has no step.", "Use another flow.", field="flow", code="empty_flow"
        )
    return Ref(order[-1])


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
    # A port that the kind has with other settings may stay plugged: they can be put back.
    declared = kinds()[step.kind].inputs
    unknown = set(step.inputs) - {port.name for port in (*ports, *declared)}
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


def _settings(step: Step, kind: StepKind, values: Parameters) -> Settings:
    try:
        plain = {key: step.settings[key] for key in kind.Settings.unfilled if key in step.settings}
        filled = values.filled({key: value for key, value in step.settings.items() if key not in plain})
        made = kind.Settings.model_validate({**filled, **plain})
    except ValidationError as error:
        first = error.errors()[0]
        field = str(first["loc"][0]) if first["loc"] else ""
        info = kind.Settings.model_fields.get(field)
        title = info.title if info and info.title else field or "Settings"
        if first["type"] == "missing":
            raise Problem(
                title, "it is not chosen yet.", "Choose it in the panel.", field=field, code="unfinished"
            ) from None
        if first["type"] in _NO_NUMBER:
            raise Problem(
                title,
                f"“{first['input']}” is no {_NO_NUMBER[first['type']]}.",
                "Type digits, or the name of a parameter that is one, such as {params.most}.",
                field=field,
                code="bad_setting",
            ) from None
        raise Problem(
            title, f"{first['msg']}.", "Correct it in the panel.", field=field, code="bad_setting"
        ) from None
    for field, value in made.model_dump().items():
        if (large := _beyond_numbers(value)) is not None:
            raise Problem(
                made.titled(field),
                f"{str(large)[:24]} is more than can be counted.",
                "Type a number of eighteen digits at most.",
                field=field,
                code="bad_setting",
            )
    return made


def _beyond_numbers(value: object) -> int | None:
    """A whole number among settings that no column can hold, which takes 64 bits at most."""
    if isinstance(value, int):
        return value if abs(value) > _LARGEST else None
    inner = value.values() if isinstance(value, dict) else value if isinstance(value, list | tuple) else ()
    return next((large for one in inner if (large := _beyond_numbers(one)) is not None), None)


@dataclass(frozen=True)
class _Grounds:
    """What the plan tells a step of the world."""

    planner: _Planner
    step: str

    def content(self, path: str) -> str:
        return self.planner.files.digest(path)

    @property
    def brought(self) -> str:
        return self.planner.files.token(self.step)

    def connection(self, name: str) -> str:
        known = self.planner.files.outside.connections.get(name)
        return known.model_dump_json() if known else ""

    def parameter(self, name: str) -> str:
        return as_text(self.planner.values.of(name))


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
