"""The kinds of steps, one file each, by family. A file is found by being there."""

from typing import TYPE_CHECKING

from lazy_loader import attach

if TYPE_CHECKING:
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

# Nothing is imported before it is used: a run loads the kinds of its flow.
__getattr__, __dir__, _ = attach(__name__, submod_attrs={
    "base": ["Context", "Count", "Output", "Port", "Remote", "Result", "Settings", "Source", "StepKind", "Tables", "Wanted", "also", "setting"],
    "registry": ["kinds"],
    "search": ["find_kinds"],
})
__all__ = ["Context", "Count", "Output", "Port", "Remote", "Result", "Settings", "Source", "StepKind", "Tables",
           "Wanted", "also", "find_kinds", "kinds", "setting"]
