"""The queue of runs and the worker that takes from it."""

from typing import TYPE_CHECKING

from lazy_loader import attach

if TYPE_CHECKING:
    from updraft.jobs.queue import make_queue

# Nothing is imported before it is used: a command starts with what it needs.
__getattr__, __dir__, _ = attach(__name__, submod_attrs={"queue": ["make_queue"]})
__all__ = ["make_queue"]
