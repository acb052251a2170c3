"""Turn flows into tables: plan, cache, look, run."""

from updraft.core.engine.cache import TableCache
from updraft.core.engine.engine import Engine
from updraft.core.engine.files import Door, Files, digest_of
from updraft.core.engine.plan import Plan, PlannedStep, plan
from updraft.core.engine.run import Delivered, Report, StepReport, Stopped, run
from updraft.core.engine.table import Fact, Table

__all__ = ["Delivered", "Door", "Engine", "Fact", "Files", "Plan", "PlannedStep", "Report", "StepReport", "Stopped", "Table",
           "TableCache", "digest_of", "plan", "run"]
