"""Which deliveries were made, so that a run that repeats one that was cut off makes none twice."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Literal

from updraft.core.deliver import Delivered, Delivery
from updraft.store.database import now
from updraft.store.models import DeliveryRow


class DeliveryJournal:
    """The journal of one series of runs; see `deliver.Journal`."""

    def __init__(self, series: str) -> None:
        self.series = series

    def state(self, key: str) -> Literal["new", "begun"] | Delivered:
        row = DeliveryRow.get_or_none(DeliveryRow.key == key)
        if row is None:
            return "new"
        if not row.delivered:
            return "begun"
        body = json.loads(row.delivered)
        return Delivered(body["step"], body["to"], body["rows"], Path(body["path"]) if body["path"] else None)

    def begin(self, key: str, delivery: Delivery) -> None:
        row = {"key": key, "series": self.series, "step": delivery.step, "begun": now()}
        DeliveryRow.insert(**row).on_conflict_replace().execute()

    def done(self, key: str, delivered: Delivered) -> None:
        body = json.dumps(delivered.as_dict())
        DeliveryRow.update(delivered=body).where(DeliveryRow.key == key).execute()
