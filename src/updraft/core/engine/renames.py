"""A rename carried on: the settings of the steps behind the one in which a column got another name."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import polars as pl

from updraft.core.engine.door import Door
from updraft.core.engine.files import Files
from updraft.core.engine.planning import Plan, PlannedStep
from updraft.core.flow.model import Ref
from updraft.core.flow.order import drawing_order
from updraft.core.problems import Problem
from updraft.core.steps import Incoming, Tables
from updraft.core.steps.renaming import renamed

Schemas = Mapping[str, pl.Schema]  # of a step's tables, by output


@dataclass(frozen=True)
class Carried:
    """What a rename makes necessary: old name → new one where it began, and the settings that follow."""

    names: dict[str, str]
    settings: dict[str, dict[str, Any]]


def names_changed(before: pl.Schema, after: pl.Schema) -> dict[str, str]:
    """Columns that got another name: one that went where one came, or each at its place in a table that has
    as many columns as before. Only columns of one type; empty where it is not plain.
    """
    gone = [name for name in before if name not in after]
    come = [name for name in after if name not in before]
    if len(gone) == len(come) == 1:
        pairs = [(gone[0], come[0])]
    elif len(before) == len(after) and len(gone) == len(come):
        places = zip(before, after, strict=True)
        pairs = [(old, new) for old, new in places if old in gone and new in come]
    else:
        pairs = []
    return {old: new for old, new in pairs if before[old] == after[new]}


def carried(planned: Plan, start: str, before: pl.Schema, known: Mapping[str, Schemas]) -> Carried:
    """The settings of steps behind one in which columns were renamed, with the new names in them.

    Args:
        planned: the flow with the change.
        start: the step that was changed.
        before: the columns of its table before the change.
        known: the columns of the tables as they are or, behind the change, as they were.
    """
    names = names_changed(before, known[start][""]) if start in known else {}
    if not names:
        return Carried({}, {})
    changed: dict[Ref, dict[str, str]] = {Ref(start): names}
    settings: dict[str, dict[str, Any]] = {}
    for step_id in drawing_order(planned.flow):
        step = planned.steps[step_id]
        if step_id == start or step.kind is None or not any(ref in changed for ref in step.refs):
            continue
        by_port = {port: changed.get(refs[0], {}) for port, refs in step.inputs.items() if refs}
        now = renamed(step.kind, step.step.settings, by_port)
        if now != step.step.settings:
            settings[step_id] = now
        if step.passes_on is not None:
            changed[Ref(step_id)] = changed.get(step.passes_on, {})
        else:
            changed |= _behind(step, now, by_port, known)
    return Carried(names, settings)


def _behind(
    step: PlannedStep,
    now: dict[str, Any],
    names: Mapping[str, Mapping[str, str]],
    known: Mapping[str, Schemas],
) -> dict[Ref, dict[str, str]]:
    """What a step's own columns are called otherwise: told by trying it on tables without rows."""
    assert step.kind is not None
    main = step.kind.main_port.name if step.kind.main_port else ""
    try:
        was = _schemas(step, step.step.settings, {port: {} for port in names}, known, names)
        is_now = _schemas(step, now, names, known, names)
    except (Problem, ValueError, pl.exceptions.PolarsError, KeyError):
        return {Ref(step.step.id): dict(names.get(main, {}))}  # it cannot be tried: names go through
    return {Ref(step.step.id, out): names_changed(was[out], is_now[out]) for out in was if out in is_now}


def _schemas(
    step: PlannedStep,
    settings: dict[str, Any],
    names: Mapping[str, Mapping[str, str]],
    known: Mapping[str, Schemas],
    ports: Mapping[str, Mapping[str, str]],
) -> dict[str, pl.Schema]:
    """The columns of the tables that a step makes of tables without rows."""
    assert step.kind is not None and step.kind.main_port is not None
    arrived: dict[str, list[Incoming]] = {}
    for port, refs in step.inputs.items():
        new = names.get(port, {})
        # What comes in as it was: of the changed step itself, its columns stand there under their new names.
        back = {name: old for old, name in ports.get(port, {}).items()}
        arrived[port] = []
        for ref in refs:
            old = {back.get(name, name): dtype for name, dtype in known[ref.step][ref.output].items()}
            frame = pl.DataFrame(schema={new.get(name, name): dtype for name, dtype in old.items()})
            arrived[port].append(Incoming(frame.lazy(), ref.step))
    chosen = step.kind.Settings.model_validate(settings)
    tables = Tables(arrived, step.kind.main_port.name)
    result = step.kind.work(tables, chosen, Door(Files(Path()), step.step.id))
    made = {"": result.table, **result.sides}
    return {name: frame.collect_schema() for name, frame in made.items()}
