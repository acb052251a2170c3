"""The kinds of steps, one file each, by family. A file is found by being there."""

from typing import TYPE_CHECKING

from lazy_loader import attach

if TYPE_CHECKING:
    from updraft.core.steps.base import StepKind
    from updraft.core.steps.counts import Count
    from updraft.core.steps.given import Context, Grounds, Result, Wanted, also
    from updraft.core.steps.registry import kinds
    from updraft.core.steps.search import Place, elsewhere, find_kinds, used_most
    from updraft.core.steps.settings import Settings, setting
    from updraft.core.steps.shapes import SHAPES, outputs_of
    from updraft.core.steps.tables import Incoming, Out, Port, Tables

# Nothing is imported before it is used: a run loads the kinds of its flow.
__getattr__, __dir__, _ = attach(
    __name__,
    submod_attrs={
        "base": ["StepKind"],
        "settings": ["Settings", "setting"],
        "counts": ["Count"],
        "given": ["Context", "Grounds", "Result", "Wanted", "also"],
        "registry": ["kinds"],
        "search": ["Place", "elsewhere", "find_kinds", "used_most"],
        "shapes": ["SHAPES", "outputs_of"],
        "tables": ["Incoming", "Out", "Port", "Tables"],
    },
)
__all__ = [
    "SHAPES",
    "Context",
    "Count",
    "Grounds",
    "Incoming",
    "Out",
    "Place",
    "Port",
    "Result",
    "Settings",
    "StepKind",
    "Tables",
    "Wanted",
    "also",
    "elsewhere",
    "find_kinds",
    "kinds",
    "outputs_of",
    "setting",
    "used_most",
]
