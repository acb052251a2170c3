"""The queue of runs and the worker that takes from it."""

from updraft.jobs.queue import make_queue

__all__ = ["make_queue"]
