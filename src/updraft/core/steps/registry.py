"""The registered kinds, in the order they are offered."""

from __future__ import annotations

from updraft.core.steps.base import StepKind


def kinds() -> dict[str, StepKind]:
    """Every registered step kind by its word, in the order they are offered."""
    families = ["Bring in", "Rows", "Columns", "Values", "Reshape", "Join", "Summarise", "Deliver"]
    order = {family: place for place, family in enumerate(families)}
    return dict(sorted(StepKind.registry.items(),
                       key=lambda item: (order.get(item[1].family, len(order)), item[1].title)))
