"""A flow that a step holds and computes with tables of its own."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field


@dataclass(frozen=True)
class Part:
    """Which flow a step uses, and how it is wired.

    Args:
        flow: name of a block of this flow, or of a saved flow.
        block: it is a block.
        revision: of a saved flow; None takes it as it is now.
        feeds: source of that flow → port of the step whose table it gives instead of its own. The empty name
            stands for the flow's first source.
        output: the step of that flow whose table is the result; empty takes the last.
        parameters: values for its parameters.
    """

    flow: str
    block: bool = False
    revision: int | None = None
    feeds: Mapping[str, str] = field(default_factory=dict)
    output: str = ""
    parameters: Mapping[str, str] = field(default_factory=dict)
