"""The state of an open flow as the studio's page needs it: the flow, the course, and what is known at every
stop.
"""

from __future__ import annotations

from collections.abc import Iterator

import polars as pl
from pydantic import ValidationError

from updraft.core import Flow, Problem, Ref, Table
from updraft.core.engine import Plan, PlannedStep
from updraft.core.engine.cluster_work import gathered_first
from updraft.core.flow.layout import course
from updraft.core.flow.model import label
from updraft.core.flow.order import downstream, drawing_order
from updraft.core.steps import Port, StepKind, kinds, outputs_of
from updraft.core.steps.choice import listed
from updraft.store import SavedFlow
from updraft.web.live.studio import Studio
from updraft.web.shown.contract import (
    FactShown,
    FlowShown,
    LinkShown,
    PortShown,
    ProblemShown,
    StepShown,
    StopShown,
)
from updraft.web.shown.words import aside, change, sample_said


def flow_state(studio: Studio, saved: SavedFlow) -> FlowShown:
    """Everything the page shows of a flow but the table itself. Starts computing what is missing."""
    planned = studio.plan(saved.id, saved.flow)
    pending = studio.fill_in(saved.id, planned)
    laid = course(saved.flow)
    return {
        "id": saved.id,
        "name": saved.flow.name,
        "note": saved.flow.note,
        "computed_on": saved.flow.computed_on,
        "gathered": list(gathered_first(planned)) if saved.flow.computed_on else [],
        "revision": saved.revision,
        "undo": saved.undo,
        "redo": saved.redo,
        "pending": pending,
        "parameters": [p.model_dump() for p in saved.flow.parameters],
        "course": {
            "lanes": laid.lanes,
            "stops": [StopShown(id=one.id, row=one.row, lane=one.lane) for one in laid.stops],
            "links": [LinkShown(source=one.source, target=one.target, main=one.main) for one in laid.links],
        },
        "steps": {
            step_id: _step(studio, planned, planned.steps[step_id], pending) for step_id in planned.steps
        },
    }


def _step(studio: Studio, planned: Plan, step: PlannedStep, pending: bool) -> StepShown:
    kind = kinds().get(step.step.kind)
    problem, blocked = problem_of(studio, planned, step)
    table = None if problem or blocked else studio.engine.known(planned, step.step.id)
    if problem:
        status = "unfinished" if problem.code == "unfinished" else "problem"
    elif not step.step.enabled:
        status = "off"
    elif blocked:
        status = "blocked"
    else:
        status = "fresh" if table else "computing" if pending else "waiting"
    shown: StepShown = {
        "id": step.step.id,
        "kind": step.step.kind,
        "label": label(step.step) if step.step.name or not kind else kind.title,
        "name": step.step.name,
        "note": step.step.note,
        "enabled": step.step.enabled,
        "ports": [port_shown(port) for port in _ports(kind, step)],
        "inputs": {port: list(step.step.plugged(port)) for port in step.step.inputs},
        "main": next(iter(step.step.plugged(kind.main_port.name)), None) if kind and kind.main_port else None,
        "settings": step.step.settings,
        "role": kind.role if kind else "step",
        "icon": kind.icon if kind else "question",
        "sentence": sentence(kind, step),
        "status": status,
        "problem": problem_shown(problem) if problem else None,
        "blocked_by": blocked,
        "fingerprint": step.fingerprint,
        "sample": sampled(studio, planned, Ref(step.step.id)),
    }
    if table:
        shown["rows"] = table.height
        shown["change"] = change(table, bool(kind and kind.other_rows)) or aside(sides_shown(table))
        shown["facts"] = facts_shown(table)
        shown["warnings"] = list(table.warnings)
        shown["seconds"] = table.seconds
    return shown


def sampled(studio: Studio, planned: Plan, ref: Ref) -> str:
    """What the rows of a table are a sample of; empty where they are all."""
    said = []
    for source in planned.samples_before(ref):
        known = studio.engine.cache.get(source.fingerprint)
        said.append(sample_said(source, known.height if known else None))
    return listed(said)


def port_shown(port: Port) -> PortShown:
    return PortShown(name=port.name, title=port.title, main=port.main, many=port.many)


def problem_shown(problem: Problem) -> ProblemShown:
    return ProblemShown(**problem.as_dict())  # type: ignore[typeddict-item]


def facts_shown(table: Table) -> list[FactShown]:
    return [FactShown(**vars(fact)) for fact in table.facts]  # type: ignore[typeddict-item]


def sides_shown(table: Table) -> dict[str, int]:
    """Rows of the side outputs that are opened from the table; open questions are on the desk."""
    return {name: rows for name, rows in table.rows.items() if name and name != "open"}


def _ports(kind: StepKind | None, step: PlannedStep) -> tuple[Port, ...]:
    """The ports of a step with the settings that the plan has read; those it has with any otherwise."""
    if kind is None:
        return ()
    return kind.ports(step.settings) if step.settings else kind.inputs


def takeable(flow: Flow, step_id: str) -> list[list[str]]:
    """The tables that a step could take without a circle: reference and title, in the order of the course."""
    after = downstream(flow, step_id) | {step_id}
    found = []
    for number, other in enumerate(drawing_order(flow), start=1):
        step = flow.step(other)
        kind = kinds().get(step.kind)
        if other in after:
            continue
        title = f"{number} · {step.name or (kind.title if kind else label(step))}"
        found.append([other, title])
        found += [
            [f"{other}.{out.name}", f"{title}: {out.title.lower()}"]
            for out in outputs_of(step)
            if not out.main
        ]
    return found


def problem_of(studio: Studio, planned: Plan, step: PlannedStep) -> tuple[Problem | None, str]:
    """The step's own problem, and the id of the step below that stops it."""
    if step.problem is not None:
        return planned.problems().get(step.step.id), ""
    if step.passes_on is None and (failure := studio.failure(step.fingerprint)) is not None:
        return failure, ""
    return None, step.waits_for or studio.failed_below(planned, step.step.id) or ""


def sentence(kind: StepKind | None, step: PlannedStep) -> str:
    """What the step does, in a few words; also for settings that are not finished."""
    if kind is None:
        return f"unknown kind “{step.step.kind}”"
    if step.problem is not None and step.problem.code in ("unfinished", "bad_setting") and not step.settings:
        return "not finished yet"
    try:
        said = kind.sentence(step.settings or kind.Settings.model_validate(step.step.settings))
        # A saved flow is named by its id in settings; people know it by its name.
        return said.replace(str(step.step.settings.get("flow")), step.inner.name) if step.inner else said
    except ValidationError:
        return "not finished yet"


def origins(planned: Plan, studio: Studio, step_id: str) -> dict[str, str]:
    """For the columns of a table that were brought from another one: the label of the step that brought
    them.
    """
    found: dict[str, str] = {}
    for step, table in _way_to(planned, studio, step_id):
        here = set(table.schema())
        found = {name: by for name, by in found.items() if name in here}
        found |= dict.fromkeys(table.brought, label(step.step))
    return found


def meant_as_text(planned: Plan, studio: Studio, step_id: str) -> set[str]:
    """The columns of a table that a step on the way to it made text on purpose."""
    found: set[str] = set()
    before: set[str] | None = None
    for step, table in _way_to(planned, studio, step_id):
        schema = table.schema()
        texts = {name for name, dtype in schema.items() if dtype == pl.String}
        kind = kinds().get(step.step.kind)
        made = set(table.touched or ()) | (set(schema) - before if before is not None else set())
        found = (found | (made if kind and kind.makes_text else set())) & texts
        before = set(schema)
    return found


def _way_to(planned: Plan, studio: Studio, step_id: str) -> Iterator[tuple[PlannedStep, Table]]:
    """The steps from the source to a step by main inputs, with their tables where these are known."""
    chain: list[str] = []
    ref: Ref | None = planned.resolve(Ref(step_id))
    while ref is not None:
        chain.append(ref.step)
        step = planned.steps[ref.step]
        ref = planned.resolve(step.main) if step.main else None
    for link in reversed(chain):
        table = studio.engine.known(planned, link)
        if table is not None:
            yield planned.steps[link], table
