"""A flow read as work: which steps in which order, with what settings, and what is wrong before any
computing.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace

import polars as pl

from updraft.core.engine.coded import Coded
from updraft.core.engine.files import Files
from updraft.core.engine.parameters import Parameters
from updraft.core.flow.model import Flow, Ref, Step, label
from updraft.core.problems import Problem
from updraft.core.steps import Incoming, Settings, StepKind, Tables


@dataclass(frozen=True)
class PlannedStep:
    """One step as it will be computed.

    Args:
        inputs: port → the tables that really arrive there, switched-off steps left out.
        passes_on: set for a switched-off step: the table it hands on.
        problem: why it cannot be computed; then `kind` or `settings` may be missing.
        waits_for: id of the step whose problem stops this one.
        fingerprint: equal fingerprints mean equal tables; empty where there is a problem.
        inner: the flow it holds, planned.
        share: how much of its files a source takes here: all (1), or less where somebody looks at a sample.
    """

    step: Step
    kind: StepKind | None
    settings: Settings | None
    inputs: dict[str, tuple[Ref, ...]]
    fingerprint: str = ""
    passes_on: Ref | None = None
    problem: Problem | None = None
    waits_for: str = ""
    inner: Inner | None = None
    share: float = 1.0

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
    """All steps, each after its inputs.

    Args:
        fed: tables that stand for the tables of sources, by the source's id; see Inner.
    """

    flow: Flow
    steps: dict[str, PlannedStep]
    parameters: Parameters
    fed: Mapping[str, pl.LazyFrame] = field(default_factory=dict)

    def fingerprint(self, ref: Ref) -> str:
        """The fingerprint of the table at an output; empty where it cannot be computed."""
        planned = self.steps.get(ref.step)
        return planned.fingerprint if planned else ""

    def problem_before(self, ref: Ref) -> Problem | None:
        """What keeps this table from being computed; None when nothing is known to."""
        step = self.steps.get(self.resolve(ref).step)
        if step is None:
            return Problem(
                f"Step “{ref.step}”", "the flow has no such step.", "Choose another one.", step=ref.step
            )
        return step.problem or (self.steps[step.waits_for].problem if step.waits_for else None)

    def problems(self) -> dict[str, Problem]:
        """What stops a run before any computing, by step. One switched off stops only what takes from it."""
        waiting = {step.waits_for for step in self.steps.values()}
        return {
            step_id: step.problem
            for step_id, step in self.steps.items()
            if step.problem is not None and (step.step.enabled or step_id in waiting)
        }

    def takers(self, ref: Ref) -> int:
        """How many inputs take this output, switched-off steps passed through."""
        return sum(
            taken == ref for step in self.steps.values() if step.passes_on is None for taken in step.refs
        )

    def samples_before(self, ref: Ref) -> list[PlannedStep]:
        """The sources of which a sample is looked at, among those that a table follows from."""
        found, seen, waiting = [], set(), [self.resolve(ref).step]
        while waiting:
            here = waiting.pop()
            if here in seen or here not in self.steps:
                continue
            seen.add(here)
            step = self.steps[here]
            found += [step] if step.share < 1 else []
            found += step.inner.plan.samples_before(step.inner.output) if step.inner else []
            waiting += [self.resolve(ref).step for ref in step.refs]
        return found

    def resolve(self, ref: Ref) -> Ref:
        """The output that really supplies `ref`, switched-off steps passed through."""
        planned = self.steps.get(ref.step)
        while planned is not None and planned.passes_on is not None:
            ref = planned.passes_on
            planned = self.steps.get(ref.step)
        return ref


@dataclass(frozen=True)
class Inner:
    """The flow that a step holds.

    Args:
        name: what that flow is called.
        output: the table that is the step's result.
        feeds: source of that flow → port of the step.
        files: what that flow may read.
        again: plans it with further values of parameters; `mark` keeps the tables of one turn apart from
            others'.
    """

    name: str
    plan: Plan
    output: Ref
    feeds: Mapping[str, str]
    files: Files
    again: Callable[[Mapping[str, str], str], Plan]

    def problem(self, found: Problem, step: str) -> Problem:
        """A problem of that flow as one of the step that holds it."""
        where = f", step “{found.step}”" if found.step else ""
        return Problem(
            f"“{self.name}”{where}: {found.thing}", found.reason, found.way_out, step=step, code="inner"
        )

    def turn(self, tables: Tables, parameters: Mapping[str, str] | None = None, mark: str = "") -> Plan:
        """The plan with the tables that come into the step; for one turn of many with what is its own."""
        planned = self.again(parameters or {}, mark) if parameters or mark else self.plan
        return replace(planned, fed={source: tables[port] for source, port in self.feeds.items()})


def arriving(planned: Plan, step: PlannedStep, table: Callable[[Ref], pl.LazyFrame | Coded]) -> Tables:
    """The tables that come into a step, each made by `table` from where it comes."""
    main = step.kind.main_port if step.kind else None
    arrived = {
        port: [_incoming(table(ref), label(planned.flow.step(ref.step))) for ref in refs]
        for port, refs in step.inputs.items()
    }
    return Tables(arrived, main.name if main else "")


def _incoming(table: pl.LazyFrame | Coded, name: str) -> Incoming:
    return Incoming(table.lazy(), name, table.values if isinstance(table, Coded) else None)
