"""Run a whole flow: every step once, in order, then deliver all outputs, or none when something stops it.

Steps are computed one after another rather than as one fused query: so each one's rows, facts and time are its own, a
failure names its step, and a run can be cancelled in between. Tables are let go once nothing needs them any more.
"""

from __future__ import annotations

import errno
import os
import time
import uuid
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Literal

import polars as pl

from updraft.core.engine.files import Door, Files
from updraft.core.engine.planning import Plan
from updraft.core.engine.table import Fact, compute
from updraft.core.flow.model import Ref, label
from updraft.core.problems import Problem
from updraft.core.steps import Output, Wanted


class Stopped(Exception):  # noqa: N818
    """The run was cancelled."""


@dataclass(frozen=True)
class StepReport:
    """What one step did. `seconds` is wall time, `rows_in` None for a source."""

    id: str
    kind: str
    name: str
    rows_in: int | None
    rows_out: int
    seconds: float
    facts: tuple[Fact, ...] = ()
    warnings: tuple[str, ...] = ()
    sides: dict[str, int] = field(default_factory=dict)

    def as_dict(self) -> dict[str, Any]:
        return {**vars(self), "facts": [vars(fact) for fact in self.facts], "warnings": list(self.warnings)}


@dataclass(frozen=True)
class Delivered:
    """A file that an output wrote."""

    step: str
    path: Path
    rows: int

    def as_dict(self) -> dict[str, Any]:
        return {"step": self.step, "path": str(self.path), "rows": self.rows}


@dataclass
class Report:
    """A run's result; `error` is set when status is failed, or partly: then a column was gone, and what does not need it
    was delivered all the same."""

    status: Literal["ok", "partly", "failed", "cancelled"] = "ok"
    steps: list[StepReport] = field(default_factory=list)
    outputs: list[Delivered] = field(default_factory=list)
    error: Problem | None = None
    seconds: float = 0.0

    def as_dict(self) -> dict[str, Any]:
        return {
            "status": self.status, "seconds": round(self.seconds, 4), "steps": [step.as_dict() for step in self.steps],
            "outputs": [output.as_dict() for output in self.outputs],
            "error": self.error.as_dict() if self.error else None,
        }


Progress = Callable[[str, StepReport | None], None]  # step id; None when it starts, its report when it is done


def run(planned: Plan, files: Files, out: Path, *, progress: Progress | None = None,
        cancelled: Callable[[], bool] = lambda: False) -> Report:
    """Run all steps and write the outputs into a folder.

    Files are written under scratch names and renamed once all of them are whole. Nothing is raised for what goes
    wrong in the flow: the report says it.
    """
    started = time.perf_counter()
    report = Report()
    scratch: dict[Path, Delivered] = {}
    tell = progress or (lambda *_: None)
    try:
        _stop_at_problems(planned)
        try:
            _compute_all(planned, files, out, report, scratch, tell, cancelled, needed_columns(planned))
        except Problem as problem:
            if problem.code != "missing_column":
                raise
            # Sources left out columns that nothing needs; with all of them the message can name the nearest.
            report.steps.clear()
            for beside in scratch:
                beside.unlink(missing_ok=True)
            scratch.clear()
            _compute_all(planned, files, out, report, scratch, tell, cancelled, {}, carry_on=True)
        for beside, delivered in scratch.items():
            os.replace(beside, delivered.path)  # noqa: PTH105
            report.outputs.append(delivered)
        if report.error is not None:
            report.status = "partly" if report.outputs else "failed"
    except Stopped:
        report.status = "cancelled"
    except Problem as problem:
        report.status, report.error = "failed", problem
    finally:
        for beside in scratch:
            beside.unlink(missing_ok=True)
    report.seconds = time.perf_counter() - started
    return report


def _stop_at_problems(planned: Plan) -> None:
    for step in planned.steps.values():
        if step.problem is not None and step.step.enabled:
            raise step.problem
    if not planned.steps:
        raise Problem("The flow", "it has no step yet.", "Begin with a file.", code="empty_flow")


def _compute_all(planned: Plan, files: Files, out: Path, report: Report, scratch: dict[Path, Delivered],
                 progress: Progress, cancelled: Callable[[], bool], wanted: dict[str, Wanted], *,
                 carry_on: bool = False) -> None:
    """Compute every step. With `carry_on` a column that is gone stops only the steps that follow from there; the first
    such problem goes into the report."""
    lost: set[str] = set()
    needed = _uses(planned)
    tables: dict[Ref, pl.DataFrame] = {}
    for step_id, step in planned.steps.items():
        if step.passes_on is not None or not step.fingerprint:
            continue
        if cancelled():
            raise Stopped
        if any(ref.step in lost for ref in step.inputs.values()):
            lost.add(step_id)
            continue
        progress(step_id, None)
        assert step.kind is not None and step.settings is not None
        try:
            table = compute(step.kind, step.settings, {p: tables[r].lazy() for p, r in step.inputs.items()},
                            Door(files, step_id, wanted.get(step_id)))
            seconds = table.seconds
            if isinstance(step.kind, Output):
                frame = table.frames[""]
                assert isinstance(frame, pl.DataFrame)
                seconds += _write(step.kind, step.settings, step_id, frame, out, scratch)
        except Problem as found:
            problem = found if found.step else found.at(step_id)
            if not carry_on or problem.code != "missing_column":
                raise problem from None
            report.error = report.error or problem
            lost.add(step_id)
            continue
        for source in step.inputs.values():
            needed[source] -= 1
            if not needed[source]:
                tables.pop(source, None)
        for output, frame in table.frames.items():
            if needed.get(Ref(step_id, output)) and isinstance(frame, pl.DataFrame):
                tables[Ref(step_id, output)] = frame
        done = StepReport(step_id, step.step.kind, label(step.step), table.rows_in, table.height, round(seconds, 6),
                          table.facts, table.warnings, {k: v for k, v in table.rows.items() if k})
        report.steps.append(done)
        progress(step_id, done)


def needed_columns(planned: Plan) -> dict[str, Wanted]:
    """For every step the columns of its main output that any later step needs; None means all.

    A backward pass over the steps (liveness analysis): each kind says what it reads for what is wanted of it.
    """
    wanted: dict[str, Wanted] = {}
    sides = {ref.step for step in planned.steps.values() for ref in step.inputs.values() if ref.output}
    taken = {ref.step for step in planned.steps.values() if step.passes_on is None for ref in step.inputs.values()}
    for step_id, step in reversed(planned.steps.items()):
        if step_id not in taken or step_id in sides:
            wanted[step_id] = None  # its whole table is a result, or a side output with all columns is taken
        if step.kind is None or step.settings is None or step.passes_on is not None:
            continue
        for port, ref in step.inputs.items():
            reads = step.kind.reads(step.settings, wanted[step_id], port)
            before = wanted.get(ref.step, frozenset())
            wanted[ref.step] = None if reads is None or before is None else before | reads
    return wanted


def _uses(planned: Plan) -> dict[Ref, int]:
    """How many inputs take each table."""
    uses: dict[Ref, int] = {}
    for step in planned.steps.values():
        if step.passes_on is None and step.fingerprint:
            for ref in step.inputs.values():
                uses[ref] = uses.get(ref, 0) + 1
    return uses


def _write(kind: Output, settings: Any, step_id: str, table: pl.DataFrame, out: Path,
           scratch: dict[Path, Delivered]) -> float:
    started = time.perf_counter()
    try:
        out.mkdir(parents=True, exist_ok=True)
        path = kind.target(settings, out)
        if any(other.path == path for other in scratch.values()):
            raise Problem(path.name, "two outputs of this flow write a file of this name.",
                          "Give one of them another name.", step=step_id, field="name", code="same_name")
        beside = path.with_name(f".{uuid.uuid4().hex}{path.suffix}")
        scratch[beside] = Delivered(step_id, path, table.height)
        kind.write(table, settings, beside)
    except OSError as error:
        reason = "the disk is full" if error.errno == errno.ENOSPC else (error.strerror or str(error)).lower()
        raise Problem(str(out), f"the file could not be written ({reason}).",
                      "Make room or choose another folder, then run again. Earlier files are untouched.",
                      step=step_id, code="cannot_write") from None
    return time.perf_counter() - started
