"""Commit what a run has prepared: in order, what cannot be taken back last, and nothing a second time."""

from __future__ import annotations

import time
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import replace
from typing import Literal, Protocol

import polars as pl
import xxhash

from updraft.core.deliver.contract import Delivered, Delivery
from updraft.core.problems import Problem


class Journal(Protocol):
    """Remembers deliveries by their key, across runs that were cut off."""

    def state(self, key: str) -> Literal["new", "begun"] | Delivered:
        """How far a delivery came: never begun, cut off in between, or done and what it was."""

    def begin(self, key: str, delivery: Delivery) -> None:
        """Note that it is about to be handed over."""

    def done(self, key: str, delivered: Delivered) -> None:
        """Note that it was."""


def key_of(series: str, delivery: Delivery) -> str:
    """Names a delivery: the run with all its repeats, the step, the place asked for and the content."""
    parts = (series, delivery.step, delivery.effect.to, delivery.content)
    return xxhash.xxh3_128("\0".join(parts).encode()).hexdigest()


def in_order(deliveries: Sequence[Delivery]) -> list[Delivery]:
    """As the flow has them, those that cannot be taken back last.

    Raises:
        Problem: two of them write to the same place.
    """
    places: set[str] = set()
    for delivery in deliveries:
        if delivery.effect.place in places:
            raise Problem(
                delivery.effect.to,
                "two outputs of this flow write to it.",
                "Give one of them another name.",
                step=delivery.step,
                field="name",
                code="same_name",
            )
        places.add(delivery.effect.place)
    return sorted(deliveries, key=lambda delivery: delivery.effect.final)


def digest(parts: Iterable[pl.DataFrame]) -> str:
    """A digest (128 bits) of a table in parts, whatever they are: its columns with their types, and its rows
    in their order.
    """
    found = xxhash.xxh3_128()
    for number, part in enumerate(parts):
        found.update(b"" if number else repr(list(part.schema.items())).encode())
        found.update(part.hash_rows().to_numpy().tobytes() if part.width else b"")
    return found.hexdigest()


def commit_all(
    deliveries: Sequence[Delivery], series: str = "", journal: Journal | None = None
) -> Iterator[Delivered]:
    """Hand over one after another; what an earlier run of the series handed over is not handed over again.

    Args:
        deliveries: as `in_order` gives them.
        series: names a run together with the repeats of it.
        journal: without one, nothing is known of earlier runs.

    Raises:
        Problem: one could not be handed over (those before it were), or it cannot be told whether it was.
    """
    for delivery in deliveries:
        key = key_of(series, delivery)
        state = journal.state(key) if journal else "new"
        if isinstance(state, Delivered):
            yield state
            continue
        if state == "begun" and delivery.effect.final:
            raise Problem(
                delivery.effect.to,
                "an earlier run was cut off while it delivered this, and nobody can tell whether it arrived.",
                "See whether it is there. Run the flow anew to deliver it again.",
                step=delivery.step,
                code="perhaps_delivered",
            )
        if journal:
            journal.begin(key, delivery)
        started = time.perf_counter()
        delivered = delivery.commit()
        if journal:
            journal.done(key, delivered)
        yield replace(delivered, seconds=round(time.perf_counter() - started, 4))
