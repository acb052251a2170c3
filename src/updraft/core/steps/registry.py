"""The kinds of steps: found by their files, and loaded when one is asked for."""

from __future__ import annotations

import pkgutil
from collections.abc import Iterator, Mapping
from functools import cache
from importlib import import_module
from pathlib import Path

from updraft.core.steps.base import StepKind

_HERE = "updraft.core.steps"


class Kinds(Mapping[str, StepKind]):
    """Every kind by its word. One asked for by name loads its file alone; going through them loads all.

    A kind stands in `<family>/<kind>.py`; one registered elsewhere (in a test, say) is known once it was
    imported.
    """

    def __getitem__(self, kind: str) -> StepKind:
        if kind not in StepKind.registry and kind in _files():
            import_module(_files()[kind])
        return StepKind.registry[kind]

    def __iter__(self) -> Iterator[str]:
        for module in _files().values():
            import_module(module)
        return iter(sorted(StepKind.registry, key=self._place))

    def __len__(self) -> int:
        return sum(1 for _ in self)

    def _place(self, kind: str) -> tuple[int, str, str]:
        """Families in their order, kinds in each by title."""
        found = StepKind.registry[kind]
        return found.place, found.family, found.title


_KINDS = Kinds()


def kinds() -> Kinds:
    """Every kind of step by its word, in the order they are offered."""
    return _KINDS


@cache
def _files() -> dict[str, str]:
    """File name → module, of all files in the families' folders; some of them hold no kind."""
    found = {}
    for family in pkgutil.iter_modules([str(Path(__file__).parent)]):
        if family.ispkg:
            for file in pkgutil.iter_modules([str(Path(__file__).parent / family.name)]):
                found[file.name] = f"{_HERE}.{family.name}.{file.name}"
    return found
