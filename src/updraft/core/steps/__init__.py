"""The kinds of steps, one file each, by family. Importing this package registers them all."""

import importlib
import pkgutil

from updraft.core.steps.base import (
    Context,
    Count,
    Output,
    Port,
    Remote,
    Result,
    Settings,
    Source,
    StepKind,
    Tables,
    Wanted,
    also,
    setting,
)
from updraft.core.steps.registry import kinds
from updraft.core.steps.search import find_kinds

for _module in pkgutil.walk_packages(__path__, __name__ + "."):
    importlib.import_module(_module.name)

__all__ = ["Context", "Count", "Output", "Port", "Remote", "Result", "Settings", "Source", "StepKind", "Tables",
           "Wanted", "also", "find_kinds", "kinds", "setting"]
