"""Which columns and which tables later steps still need."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass, replace

from updraft.core.engine.planning import Plan
from updraft.core.flow.model import Ref
from updraft.core.steps import Settings, StepKind, Wanted
from updraft.core.steps.conditions import Most, Only
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


def rows_kept(planned: Plan, only: set[str]) -> dict[str, Only | Most]:
    """For sources, the rows that the only step after them keeps; not where the others are taken, too."""
    found = dict[str, Only | Most]()
    for step_id, (source, kind, settings) in _alone(planned, only).items():
        rows = kind.keeps(settings)
        others = isinstance(rows, Most) and planned.takers(Ref(step_id, rows.side))
        if rows and not others and not planned.steps[source].inputs:
            found[source] = rows
    return found


@dataclass(frozen=True)
class Asked:
    """What is asked of groups of a source's rows; `between` is the step that only keeps some of the rows."""

    groups: Groups
    between: str = ""


def groups_asked(planned: Plan, only: set[str]) -> dict[str, Asked]:
    """For sources, what the only step after them asks of groups of their rows, or of those that one step
    between keeps.
    """
    found, alone = dict[str, Asked](), _alone(planned, only)
    for before, kind, settings in alone.values():
        groups = kind.presums(settings)
        if groups and not planned.steps[before].inputs:
            found[before] = Asked(groups)
        elif groups and before in alone:
            source, between, its = alone[before]
            kept = between.keeps(its)
            if isinstance(kept, Only) and not planned.steps[source].inputs:
                found[source] = Asked(replace(groups, only=kept), before)
    return found


def _alone(planned: Plan, only: set[str]) -> dict[str, tuple[str, StepKind, Settings]]:
    """Steps whose main table nothing else takes → the step that makes it, and their own kind and settings.

    Those are told that are among `only`: others are not computed, and the table before them may be what is
    asked for.
    """
    found = {}
    for step_id, step in planned.steps.items():
        if step_id not in only or step.passes_on is not None or not step.main:
            continue
        alone = step.main.step in planned.steps and not step.main.output and planned.takers(step.main) == 1
        if alone and step.kind is not None and step.settings is not None:
            found[step_id] = step.main.step, step.kind, step.settings
    return found


def uses(planned: Plan, only: set[str]) -> Counter[Ref]:
    """How many inputs of these steps take each table."""
    return Counter(
        ref
        for step_id, step in planned.steps.items()
        if step_id in only and step.passes_on is None and step.fingerprint
        for ref in step.refs
    )
