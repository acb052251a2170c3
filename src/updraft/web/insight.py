"""Findings as JSON. They are computed in the background; the grid never waits for them."""

from __future__ import annotations

import threading
from collections import OrderedDict
from queue import LifoQueue
from typing import Any

import polars as pl
from flask import Blueprint, current_app, jsonify, request

from updraft.core import Flow, Problem, Ref
from updraft.core.engine import Plan
from updraft.core.insight import Finding, apply_repair, find, repair_all
from updraft.core.insight.neighbours import dismissed, neighbours
from updraft.web.studio import studio

blueprint = Blueprint("insight", __name__, url_prefix="/api/flows/<flow_id>/steps/<step_id>/findings")
_KEPT = 40  # tables whose findings are remembered


def insight() -> Insight:
    """The app's one Insight."""
    found: Insight = current_app.extensions["insight"]
    return found


class Insight:
    """Finds in the background, one table at a time, the one asked for last first."""

    def __init__(self) -> None:
        self._found: OrderedDict[tuple[str, ...], list[Finding]] = OrderedDict()
        self._latest: dict[str, tuple[str, ...]] = {}  # table → what its findings were found with
        self._wanted: dict[str, tuple[str, ...]] = {}  # flow → what is being looked at
        self._failed: dict[tuple[str, ...], str] = {}
        self._queue: LifoQueue[tuple[Any, ...] | None] = LifoQueue()
        self._lock = threading.Lock()
        self._closing = False
        self._worker = threading.Thread(target=self._work, name="findings", daemon=True)
        self._worker.start()

    def close(self) -> None:
        """Stop looking; the detector at work comes to its end."""
        self._closing = True
        self._queue.put(None)
        self._worker.join(5)

    def _work(self) -> None:
        while (asked := self._queue.get()) is not None and not self._closing:
            self._find(*asked)

    def ask(self, flow_id: str, key: str, table: pl.LazyFrame, others: dict[str, tuple[str, pl.LazyFrame]]) -> list[Finding] | None:
        """The findings of a table, or None while they are being found.

        Args:
            key: the table's fingerprint and output.
            others: what it may meet: name → fingerprint and table.
        """
        mark = (key, *(f"{name}={fingerprint}" for name, (fingerprint, _) in others.items()))
        with self._lock:
            if mark in self._failed:
                raise Problem("The findings", self._failed[mark], "Go on without them, or look at another step.", code="no_findings")
            if mark in self._found:
                self._found.move_to_end(mark)
                self._latest[key] = mark
                return self._found[mark]
            if self._wanted.get(flow_id) == mark:
                return None
            self._wanted[flow_id] = mark
        self._queue.put((flow_id, mark, key, table, others))
        return None

    def _find(self, flow_id: str, mark: tuple[str, ...], key: str, table: pl.LazyFrame,
              others: dict[str, tuple[str, pl.LazyFrame]]) -> None:
        def stopped() -> bool:
            return self._closing or self._wanted.get(flow_id) != mark
        try:
            if stopped():
                return
            found = find(table.collect(), {name: other.collect() for name, (_, other) in others.items()}, stopped)
            if stopped():
                return
            with self._lock:
                self._found[mark] = found
                self._latest[key] = mark
                while len(self._found) > _KEPT:
                    old, _ = self._found.popitem(last=False)
                    self._latest.pop(old[0], None)
        except Exception as error:
            current = str(error).splitlines()[0][:200] if str(error) else type(error).__name__
            self._failed[mark] = f"they could not be worked out ({current})."
        finally:
            with self._lock:
                if self._wanted.get(flow_id) == mark:
                    del self._wanted[flow_id]

    def rows(self, key: str, finding: str) -> pl.Series | None:
        """The rows of a finding of a table; None when it is not known."""
        key = key if "." in key else f"{key}."
        with self._lock:
            found = self._found.get(self._latest.get(key, ()), [])
        return next((f.rows for f in found if f.key == finding), None)


@blueprint.get("")
def findings(flow_id: str, step_id: str) -> Any:
    """The findings of a step's table: `pending`, or `findings` and `dismissed` (with the reason), most serious first."""
    flow, found, table = _ask(flow_id, step_id)
    if found is None:
        return jsonify(pending=True, findings=[], dismissed=[])
    away = dismissed(flow, step_id)
    return jsonify(pending=False, table=table, findings=[f.as_dict() for f in found if f.key not in away],
                   dismissed=[{**f.as_dict(), "reason": away[f.key]} for f in found if f.key in away])


@blueprint.post("/effect")
def effect(flow_id: str, step_id: str) -> Any:
    """What a repair would do. Body: `key` of the finding, `repair` (its number from 0)."""
    body = request.get_json()
    flow, found, _ = _ask(flow_id, step_id)
    finding = next((f for f in found or [] if f.key == body.get("key")), None)
    if finding is None or not 0 <= int(body.get("repair", 0)) < len(finding.repairs):
        raise Problem("This finding", "it is not there any more.", "The list is made anew.", code="no_finding")
    _, said = apply_repair(_table(flow_id, flow, step_id).collect(), finding.repairs[int(body.get("repair", 0))])
    return jsonify(effect=said)


@blueprint.post("/all")
def all_steps(flow_id: str, step_id: str) -> Any:
    """The steps that take the first repair of every finding that was not dismissed and needs no choice, in order."""
    flow = studio().flows.get(flow_id).flow
    away = dismissed(flow, step_id)
    _, done, left = repair_all(_table(flow_id, flow, step_id).collect(), _others(flow_id, flow, step_id), skip=frozenset(away))
    # A step that is the whole repair is called by what it does here.
    return jsonify(steps=[{**dict(step), "name": taken.repair.sentence[:200] if len(taken.repair.steps) == 1 else ""}
                          for taken in done for step in taken.repair.steps],
                   done=[{"sentence": d.finding.sentence, "repair": d.repair.sentence, "effect": d.effect} for d in done],
                   left=[f.sentence for f in left if f.key not in away])


def _ask(flow_id: str, step_id: str) -> tuple[Flow, list[Finding] | None, str]:
    flow = studio().flows.get(flow_id).flow
    planned, ref = _planned(flow_id, flow, step_id)
    table = studio().look(flow_id, planned, ref.step)
    key = f"{table.fingerprint}.{ref.output}"
    others: dict[str, tuple[str, pl.LazyFrame]] = {}
    for other, name in neighbours(flow, step_id).items():
        known = studio().engine.known(planned, other)  # one that is not computed yet is met when it is
        if known is not None:
            others[name] = (known.fingerprint, known.lazy())
    return flow, insight().ask(flow_id, key, table.lazy(ref.output), others), key


def _planned(flow_id: str, flow: Flow, step_id: str) -> tuple[Plan, Ref]:
    if not flow.has(step_id):
        raise Problem("This step", "the flow does not have it any more.", "Choose another one.", code="no_step")
    planned = studio().plan(flow_id, flow)
    return planned, planned.resolve(Ref(step_id))


def _table(flow_id: str, flow: Flow, step_id: str) -> pl.LazyFrame:
    planned, ref = _planned(flow_id, flow, step_id)
    return studio().look(flow_id, planned, ref.step).lazy(ref.output)


def _others(flow_id: str, flow: Flow, step_id: str) -> dict[str, pl.DataFrame]:
    planned, _ = _planned(flow_id, flow, step_id)
    known = {name: studio().engine.known(planned, other) for other, name in neighbours(flow, step_id).items()}
    return {name: table.lazy().collect() for name, table in known.items() if table is not None}
