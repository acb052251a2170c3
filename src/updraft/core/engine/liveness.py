"""Which columns and which tables later steps still need."""

from __future__ import annotations

from collections import Counter

from updraft.core.engine.planning import Plan
from updraft.core.flow.model import Ref
from updraft.core.steps import Wanted
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
    """For sources, the rows that the only step after them keeps, where it is one of `only`: others are not
    computed, and the source may be what is asked for.
    """
    kept: dict[str, Only] = {}
    for step_id, step in planned.steps.items():
        if (
            step_id not in only
            or step.kind is None
            or step.settings is None
            or step.passes_on is not None
            or not step.main
        ):
            continue
        source, rows = planned.steps.get(step.main.step), step.kind.keeps(step.settings)
        if rows and source and not source.inputs and planned.takers(step.main) == 1:
            kept[step.main.step] = rows
    return kept


def groups_asked(planned: Plan, only: set[str]) -> dict[str, Groups]:
    """For sources, what the only step after them asks of groups of their rows, where it is one of `only`."""
    asked: dict[str, Groups] = {}
    for step_id, step in planned.steps.items():
        if (
            step_id not in only
            or step.kind is None
            or step.settings is None
            or step.passes_on is not None
            or not step.main
        ):
            continue
        source, groups = planned.steps.get(step.main.step), step.kind.presums(step.settings)
        if groups and source and not source.inputs and planned.takers(step.main) == 1:
            asked[step.main.step] = groups
    return asked


def uses(planned: Plan, only: set[str]) -> Counter[Ref]:
    """How many inputs of these steps take each table."""
    return Counter(
        ref
        for step_id, step in planned.steps.items()
        if step_id in only and step.passes_on is None and step.fingerprint
        for ref in step.refs
    )
