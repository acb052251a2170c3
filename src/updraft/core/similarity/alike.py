"""What the ways of being alike find."""

from __future__ import annotations

from typing import NamedTuple


class Alike(NamedTuple):
    """Two texts by their places, `one` before `other`, how alike they are, to 1, and whether that hardly
    ever errs.
    """

    one: int
    other: int
    alike: float
    sure: bool
