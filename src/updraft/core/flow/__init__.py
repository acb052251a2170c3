"""Flows as data: the model, the edits, the file format and the picture's layout. Knows no step kinds."""

from updraft.core.flow.document import FORMAT, dump, load, schema
from updraft.core.flow.model import Flow, Parameter, Ref, Step

__all__ = ["FORMAT", "Flow", "Parameter", "Ref", "Step", "dump", "load", "schema"]
