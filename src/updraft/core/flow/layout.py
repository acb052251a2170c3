"""Where each step stands in the course: a row of its own and a lane. Pure, so that it can be tested."""

from __future__ import annotations

from dataclasses import dataclass

from updraft.core.flow.model import Flow
from updraft.core.flow.order import drawing_order, inputs_of


@dataclass(frozen=True)
class Stop:
    """One step's place: `row` counts from the top, `lane` from the left, both from 0."""

    id: str
    row: int
    lane: int


@dataclass(frozen=True)
class Link:
    """A line between two stops; `main` when it continues the lane of the table it carries."""

    source: str
    target: str
    main: bool


@dataclass(frozen=True)
class Course:
    stops: tuple[Stop, ...]
    links: tuple[Link, ...]
    lanes: int


def course(flow: Flow) -> Course:
    """Lay out a flow: one row a step, a lane per table, lanes reused once their table has been taken in.

    A step goes on in the lane of its main input when it is the first to take it; otherwise it opens the
    leftmost lane that is free from its source's row on, so that no line runs through a foreign stop.
    """
    order = drawing_order(flow)
    edges = inputs_of(flow)
    row = {step_id: number for number, step_id in enumerate(order)}
    last_use = {
        step_id: max((row[other] for other in order if step_id in edges[other]), default=row[step_id])
        for step_id in order
    }
    lane: dict[str, int] = {}
    continued: set[str] = set()
    busy_until: list[int] = []  # per lane, the row up to which a line occupies it

    for step_id in order:
        main = edges[step_id][0] if edges[step_id] else None
        if main is not None and main in lane and main not in continued:
            continued.add(main)
            mine = lane[main]
        else:
            mine = next(
                (number for number, until in enumerate(busy_until) if until < row[step_id]), len(busy_until)
            )
        if mine == len(busy_until):
            busy_until.append(0)
        lane[step_id] = mine
        busy_until[mine] = max(busy_until[mine], last_use[step_id])

    links = tuple(
        Link(source, target, lane[source] == lane[target])
        for target in order
        for source in dict.fromkeys(edges[target])
        if row[source] < row[target]
    )
    stops = tuple(Stop(step_id, row[step_id], lane[step_id]) for step_id in order)
    return Course(stops, links, max(len(busy_until), 1))
