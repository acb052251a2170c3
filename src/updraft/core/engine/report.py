"""What a run did, as data."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, Any, Literal

from updraft.core.deliver import Delivered, Effect
from updraft.core.engine.planning import PlannedStep
from updraft.core.engine.summing import Made
from updraft.core.engine.table import Fact, Table
from updraft.core.flow.model import label
from updraft.core.problems import Problem
from updraft.core.steps.conditions import Most

if TYPE_CHECKING:
    from updraft.core.figures import ColumnProfile

Status = Literal["ok", "partly", "held", "failed", "cancelled"]


class Stopped(Exception):  # noqa: N818
    """The run was cancelled."""


@dataclass(frozen=True)
class Turn:
    """What the steps of a flow did that a step holds, one time."""

    name: str
    steps: list[StepReport]

    def as_dict(self) -> dict[str, Any]:
        return {"name": self.name, "steps": [step.as_dict() for step in self.steps]}


@dataclass(frozen=True)
class StepReport:
    """What one step did. `seconds` is wall time, `rows_in` None for a source, `turns` the flows within it,
    `figures` as in Result; these are for whoever asked for the run, and no part of its plain data.
    """

    id: str
    kind: str
    name: str
    rows_in: int | None
    rows_out: int
    seconds: float
    facts: tuple[Fact, ...] = ()
    warnings: tuple[str, ...] = ()
    sides: dict[str, int] = field(default_factory=dict)
    turns: tuple[Turn, ...] = ()
    figures: tuple[ColumnProfile, ...] = ()

    @classmethod
    def of(
        cls, step: PlannedStep, table: Table | Made, seconds: float, turns: tuple[Turn, ...]
    ) -> StepReport:
        sides = {name: rows for name, rows in table.rows.items() if name}
        return cls(
            step.step.id, step.step.kind, label(step.step), table.rows_in, table.height, round(seconds, 6),
            table.facts, table.warnings, sides, turns, table.figures,
        )  # fmt: skip

    def with_rows_left(self, whole: int, step: PlannedStep) -> StepReport:
        """What it would tell of all rows, where some that it does not keep stayed where they were."""
        keeps = step.kind.keeps(step.settings) if step.kind else None
        left = whole - (self.rows_in or 0)
        side = keeps.side if isinstance(keeps, Most) else ""
        more = {side: self.sides[side] + left} if side in self.sides else {}
        return replace(self, rows_in=whole, sides=self.sides | more)

    def as_dict(self) -> dict[str, Any]:
        plain = {key: value for key, value in vars(self).items() if key not in ("turns", "figures")}
        if self.turns:
            plain["turns"] = [turn.as_dict() for turn in self.turns]
        return {**plain, "facts": [vars(fact) for fact in self.facts], "warnings": list(self.warnings)}


@dataclass
class Report:
    """A run's result.

    Args:
        status: `partly`: a column was gone, and what does not need it was delivered all the same; `held`: a
            step has open questions and is set to wait for the answers, so nothing was delivered.
        effects: what was prepared; in a dry run nothing of it is delivered.
        held: what the run waits for, in sentences.
        parts: rows of the parts that tables were cut into, about; 0 where they were held as a whole.
        on: the cluster that it was computed on; "" for this machine.
        error: set when the status is failed or partly.
    """

    status: Status = "ok"
    steps: list[StepReport] = field(default_factory=list)
    outputs: list[Delivered] = field(default_factory=list)
    effects: list[Effect] = field(default_factory=list)
    held: list[str] = field(default_factory=list)
    error: Problem | None = None
    seconds: float = 0.0
    dry: bool = False
    parts: int = 0
    on: str = ""

    def as_dict(self) -> dict[str, Any]:
        return {
            "status": self.status,
            "seconds": round(self.seconds, 4),
            "steps": [step.as_dict() for step in self.steps],
            "outputs": [output.as_dict() for output in self.outputs],
            "dry": self.dry,
            "effects": [effect.as_dict() for effect in self.effects],
            "held": self.held,
            "parts": self.parts,
            "on": self.on,
            "error": self.error.as_dict() if self.error else None,
        }


# Called with a step's id: with None when it starts, with its report when it is done.
Progress = Callable[[str, StepReport | None], None]
