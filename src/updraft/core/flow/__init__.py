"""Flows as data: the model, the edits, the file format and the picture's layout. Knows no step kinds."""

from typing import TYPE_CHECKING

from lazy_loader import attach

if TYPE_CHECKING:
    from updraft.core.flow.document import FORMAT, dump, load, schema
    from updraft.core.flow.model import Flow, Parameter, Ref, Step

# Nothing is imported before it is used: a command starts with what it needs.
__getattr__, __dir__, _ = attach(
    __name__,
    submod_attrs={
        "document": ["FORMAT", "dump", "load", "schema"],
        "model": ["Flow", "Parameter", "Ref", "Step"],
    },
)
__all__ = ["FORMAT", "Flow", "Parameter", "Ref", "Step", "dump", "load", "schema"]
