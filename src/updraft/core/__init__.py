"""The computing core of Updraft, usable as a library: `from updraft.core import Flow, Engine`."""

from updraft.core.engine import Engine, Files, Report, Table, TableCache, plan, run
from updraft.core.flow import Flow, Parameter, Ref, Step, dump, load
from updraft.core.problems import Problem

__all__ = ["Engine", "Files", "Flow", "Parameter", "Problem", "Ref", "Report", "Step", "Table", "TableCache", "dump",
           "load", "plan", "run"]
