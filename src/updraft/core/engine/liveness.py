"""Which columns and which tables later steps still need."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass, replace

from updraft.core.engine.planning import Plan
from updraft.core.flow.model import Ref
from updraft.core.steps import Settings, StepKind, Wanted
from updraft.core.steps.conditions import Only
from updraft.core.steps.presummed import Groups


def needed_columns(planned: Plan) -> dict[str, Wanted]:
    """For every step the columns of its main output that any later step needs; None means all.

    A backward pass over the steps (liveness analysis): each kind says what it reads for what is wanted of it.
    """
    wanted: dict[str, Wanted] = {}
    sides = {ref.step for step in planned.steps.values() for ref in step.refs if ref.output}
    taken = {ref.step for step in planned.steps.values() if step.passes_on is None for ref in step.refs}
    for step_id, step in reversed(planned.steps.items()):
        if step_id not in taken or step_id in sides:
            wanted[step_id] = None  # its whole table is a result, or a side output with all columns is taken
        if step.kind is None or step.settings is None or step.passes_on is not None:
            continue
        for port, refs in step.inputs.items():
            reads = step.kind.reads(step.settings, wanted[step_id], port)
            for ref in refs:
                before = wanted.get(ref.step, frozenset())
                wanted[ref.step] = None if reads is None or before is None else before | reads
    return wanted


def rows_kept(planned: Plan, only: set[str]) -> dict[str, Only]:
    """For sources, the rows that the only step after them keeps."""
    found = ((source, kind.keeps(settings)) for source, kind, settings in _alone_after(planned, only))
    return {source: rows for source, rows in found if rows}


@dataclass(frozen=True)
class Asked:
    """What is asked of groups of a source's rows; `between` is the step that only keeps some of the rows."""

    groups: Groups
    between: str = ""


def groups_asked(planned: Plan, only: set[str]) -> dict[str, Asked]:
    """For sources, what the only step after them asks of groups of their rows, or of those that one step
    between keeps.
    """
    steps, found = planned.steps, dict[str, Asked]()
    for before, kind, settings in _alone(planned, only):
        groups = kind.presums(settings)
        between = steps[before]
        if not groups:
            continue
        if not between.inputs:
            found[before] = Asked(groups)
        elif before in only and between.main and between.kind is not None:
            source = steps.get(between.main.step)
            kept = between.kind.keeps(between.settings)
            if kept and source and not source.inputs and planned.takers(between.main) == 1:
                found[between.main.step] = Asked(replace(groups, only=kept), before)
    return found


def _alone_after(planned: Plan, only: set[str]) -> Iterator[tuple[str, StepKind, Settings]]:
    """Sources that one step alone takes, and that step."""
    for before, kind, settings in _alone(planned, only):
        if not planned.steps[before].inputs:
            yield before, kind, settings


def _alone(planned: Plan, only: set[str]) -> Iterator[tuple[str, StepKind, Settings]]:
    """Steps whose main table nothing else takes, each told with the step that makes it, where they are among
    `only`: others are not computed, and the table before them may be what is asked for.
    """
    for step_id, step in planned.steps.items():
        if step_id not in only or step.passes_on is not None or not step.main:
            continue
        before = planned.steps.get(step.main.step)
        alone = before and not step.main.output and planned.takers(step.main) == 1
        if alone and step.kind is not None and step.settings is not None:
            yield step.main.step, step.kind, step.settings


def uses(planned: Plan, only: set[str]) -> Counter[Ref]:
    """How many inputs of these steps take each table."""
    return Counter(
        ref
        for step_id, step in planned.steps.items()
        if step_id in only and step.passes_on is None and step.fingerprint
        for ref in step.refs
    )
