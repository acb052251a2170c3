"""Findings as JSON. They are computed in the background; the grid never waits for them."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import polars as pl
from flask import Blueprint, jsonify

from updraft.core import Flow, Problem, Ref
from updraft.core.engine import Plan
from updraft.core.insight.neighbours import dismissed, neighbours
from updraft.web.asked import Asked, Text, Whole, body_of
from updraft.web.detecting import detecting
from updraft.web.patient import patient
from updraft.web.studio import studio

if TYPE_CHECKING:
    from updraft.core.insight import Finding

blueprint = Blueprint("findings", __name__, url_prefix="/api/flows/<flow_id>/steps/<step_id>/findings")


class RepairAsked(Asked):
    key: Text = ""
    repair: Whole = 0


@blueprint.get("")
@patient
def findings(flow_id: str, step_id: str) -> Any:
    """The findings of a step's table: `pending`, or `findings` and `dismissed` (with the reason), most
    serious first.
    """
    flow, found, table = _ask(flow_id, step_id)
    if found is None:
        return jsonify(pending=True, findings=[], dismissed=[])
    away = dismissed(flow, step_id)
    return jsonify(
        pending=False,
        table=table,
        findings=[f.as_dict() for f in found if f.key not in away],
        dismissed=[{**f.as_dict(), "reason": away[f.key]} for f in found if f.key in away],
    )


@blueprint.post("/effect")
@patient
def effect(flow_id: str, step_id: str) -> Any:
    """What a repair would do. Body: `key` of the finding, `repair` (its number from 0)."""
    body = body_of(RepairAsked)
    flow, found, _ = _ask(flow_id, step_id)
    finding = next((f for f in found or [] if f.key == body.key), None)
    if finding is None or not body.repair < len(finding.repairs):
        raise Problem(
            "This finding", "it is not there any more.", "The list is made anew.", code="no_finding"
        )
    from updraft.core.insight import apply_repair

    _, said = apply_repair(_table(flow_id, flow, step_id).collect(), finding.repairs[body.repair])
    return jsonify(effect=said)


@blueprint.post("/all")
@patient
def all_steps(flow_id: str, step_id: str) -> Any:
    """The steps that take the first repair of every finding that was not dismissed and needs no choice, in
    order.
    """
    flow = studio().flows.get(flow_id).flow
    away = dismissed(flow, step_id)
    from updraft.core.insight import repair_all

    _, done, left = repair_all(
        _table(flow_id, flow, step_id).collect(), _others(flow_id, flow, step_id), skip=frozenset(away)
    )
    # A step that is the whole repair is called by what it does here.
    return jsonify(
        steps=[
            {**dict(step), "name": taken.repair.sentence[:200] if len(taken.repair.steps) == 1 else ""}
            for taken in done
            for step in taken.repair.steps
        ],
        done=[
            {"sentence": d.finding.sentence, "repair": d.repair.sentence, "effect": d.effect} for d in done
        ],
        left=[f.sentence for f in left if f.key not in away],
    )


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
    return flow, detecting().ask(flow_id, key, table.lazy(ref.output), others), key


def _planned(flow_id: str, flow: Flow, step_id: str) -> tuple[Plan, Ref]:
    if not flow.has(step_id):
        raise Problem(
            "This step", "the flow does not have it any more.", "Choose another one.", code="no_step"
        )
    planned = studio().plan(flow_id, flow)
    return planned, planned.resolve(Ref(step_id))


def _table(flow_id: str, flow: Flow, step_id: str) -> pl.LazyFrame:
    planned, ref = _planned(flow_id, flow, step_id)
    return studio().look(flow_id, planned, ref.step).lazy(ref.output)


def _others(flow_id: str, flow: Flow, step_id: str) -> dict[str, pl.DataFrame]:
    planned, _ = _planned(flow_id, flow, step_id)
    known = {name: studio().engine.known(planned, other) for other, name in neighbours(flow, step_id).items()}
    return {name: table.lazy().collect() for name, table in known.items() if table is not None}
