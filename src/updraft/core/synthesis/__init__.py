"""Work out a formula from examples of its results."""

from updraft.core.synthesis.readings import Answer, Reading, from_examples

__all__ = ["Answer", "Reading", "from_examples"]
