"""The computing core of Updraft, usable as a library: `from updraft.core import Flow, Engine`."""

from typing import TYPE_CHECKING

from lazy_loader import attach

if TYPE_CHECKING:
    from updraft.core.engine import Engine, Files, Report, Table, TableCache, plan, run
    from updraft.core.flow import Flow, Parameter, Ref, Step, dump, load
    from updraft.core.problems import Problem

# Nothing is imported before it is used: a command starts with what it needs.
__getattr__, __dir__, _ = attach(
    __name__,
    submod_attrs={
        "engine": ["Engine", "Files", "Report", "Table", "TableCache", "plan", "run"],
        "flow": ["Flow", "Parameter", "Ref", "Step", "dump", "load"],
        "problems": ["Problem"],
    },
)
__all__ = [
    "Engine",
    "Files",
    "Flow",
    "Parameter",
    "Problem",
    "Ref",
    "Report",
    "Step",
    "Table",
    "TableCache",
    "dump",
    "load",
    "plan",
    "run",
]
