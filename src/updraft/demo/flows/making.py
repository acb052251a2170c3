"""Short ways of writing steps down."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from updraft.core import Flow, Step


@dataclass(frozen=True)
class Ready:
    """A ready-made flow with the files of the example world that it reads, by their places there."""

    flow: Flow
    files: tuple[str, ...] = ()


def step(id: str, kind: str, settings: dict[str, Any], table: str = "", **more: Any) -> Step:
    """A step; `table` is what comes in, `reference` what comes in at the other port; the rest as it is."""
    plugs = {"table": table, "reference": more.pop("reference", "")}
    inputs = {port: taken for port, taken in plugs.items() if taken}
    return Step(id=id, kind=kind, settings=settings, inputs=inputs, **more)


def read(id: str, path: str, name: str = "", **settings: Any) -> Step:
    """A step that reads a file."""
    return Step(id=id, kind="read_file", name=name, settings={"path": path, **settings})


def look_up(
    id: str,
    table: str,
    reference: str,
    keys: dict[str, str],
    *bring: str,
    name: str = "",
    many: str = "first",
) -> Step:
    """A step that looks up columns by equal keys."""
    settings = {
        "keys": [{"column": column, "reference": other} for column, other in keys.items()],
        "many": many,
        "bring": [{"column": column} for column in bring],
    }
    return step(id, "look_up", settings, table, reference=reference, name=name)


def where(*conditions: tuple[str, str, str], match: str = "all") -> dict[str, Any]:
    """A rule of conditions, each a column, a test and a value."""
    of = [{"column": column, "test": test, "value": value} for column, test, value in conditions]
    return {"match": match, "of": of}
