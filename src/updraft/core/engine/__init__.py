"""Turn flows into tables: plan, cache, look, run."""

from typing import TYPE_CHECKING

from lazy_loader import attach

if TYPE_CHECKING:
    from updraft.core.engine.cache import TableCache
    from updraft.core.engine.door import Door
    from updraft.core.engine.engine import Engine
    from updraft.core.engine.files import Files, digest_of
    from updraft.core.engine.inputs import reading, with_inputs
    from updraft.core.engine.planner import plan
    from updraft.core.engine.planning import Plan, PlannedStep
    from updraft.core.engine.renames import Carried, carried
    from updraft.core.engine.report import Report, StepReport, Stopped
    from updraft.core.engine.running import run
    from updraft.core.engine.table import Fact, Table

# Nothing is imported before it is used: a command starts with what it needs.
__getattr__, __dir__, _ = attach(
    __name__,
    submod_attrs={
        "cache": ["TableCache"],
        "engine": ["Engine"],
        "door": ["Door"],
        "files": ["Files", "digest_of"],
        "inputs": ["reading", "with_inputs"],
        "planner": ["plan"],
        "planning": ["Plan", "PlannedStep"],
        "renames": ["Carried", "carried"],
        "report": ["Report", "StepReport", "Stopped"],
        "running": ["run"],
        "table": ["Fact", "Table"],
    },
)
__all__ = [
    "Carried",
    "Door",
    "Engine",
    "Fact",
    "Files",
    "Plan",
    "PlannedStep",
    "Report",
    "StepReport",
    "Stopped",
    "Table",
    "TableCache",
    "carried",
    "digest_of",
    "plan",
    "reading",
    "run",
    "with_inputs",
]
