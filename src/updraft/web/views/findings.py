"""Findings as JSON. They are computed in the background; the grid never waits for them."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import polars as pl
from flask import Blueprint, jsonify

from updraft.core import Flow, Problem, Ref
from updraft.core.engine import Plan
from updraft.core.insight.neighbours import dismissed, neighbours
from updraft.web.asked import Asked, Text, Whole, body_of
from updraft.web.live.detecting import detecting
from updraft.web.live.patient import patient
from updraft.web.live.studio import studio
from updraft.web.shown.contract import FindingShown, FindingsShown
from updraft.web.shown.state import meant_as_text

if TYPE_CHECKING:
    from updraft.core.insight import Finding

blueprint = Blueprint("findings", __name__, url_prefix="/api/flows/<flow_id>/steps/<step_id>/findings")

# What is said of text that would better be something else: not of text that a person asked for.
AS_TEXT = {"numbers_as_text", "number_writing", "dates_as_text", "date_forms", "dates_as_numbers"}


class RepairAsked(Asked):
    key: Text = ""
    repair: Whole = 0


@blueprint.get("")
@patient
def findings(flow_id: str, step_id: str) -> Any:
    """The findings of a step's table, `findings` and `dismissed` (with the reason), most serious first.

    While they are `pending`, those that were found so far; one that another explains may go again.
    """
    flow, found, table, done = _ask(flow_id, step_id)
    away = dismissed(flow, step_id)
    shown = FindingsShown(
        pending=not done,
        table=table,
        findings=[_shown(one) for one in found if one.key not in away],
        dismissed=[_shown(one, away[one.key]) for one in found if one.key in away],
    )
    return jsonify(shown)


def _shown(finding: Finding, reason: str | None = None) -> FindingShown:
    shown = FindingShown(**finding.as_dict())  # type: ignore[typeddict-item]
    if reason is not None:
        shown["reason"] = reason
    return shown


@blueprint.post("/effect")
@patient
def effect(flow_id: str, step_id: str) -> Any:
    """What a repair would do. Body: `key` of the finding, `repair` (its number from 0)."""
    body = body_of(RepairAsked)
    flow, found, _, _ = _ask(flow_id, step_id)
    finding = next((f for f in found if f.key == body.key), None)
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
    order, and `of` which finding each is, by its key.
    """
    flow = studio().flows.get(flow_id).flow
    away = dismissed(flow, step_id)
    meant = _meant(*_planned(flow_id, flow, step_id))
    from updraft.core.insight import repair_all

    mended = repair_all(
        _table(flow_id, flow, step_id).collect(),
        _others(flow_id, flow, step_id),
        skip=frozenset(away) | meant,
    )
    reasons = {(one.finding.code, one.finding.columns): one.reason for one in mended.refused}
    # A step that is the whole repair is called by what it does here.
    return jsonify(
        steps=[
            {**dict(step), "name": taken.repair.sentence[:200] if len(taken.repair.steps) == 1 else ""}
            for taken in mended.done
            for step in taken.repair.steps
        ],
        of=[taken.finding.key for taken in mended.done for _ in taken.repair.steps],
        done=[
            {
                "sentence": d.finding.sentence,
                "repair": d.repair.sentence,
                "effect": d.effect,
                "finding": d.finding.key,
            }
            for d in mended.done
        ],
        left=[
            {"sentence": f.sentence, "reason": reasons.get((f.code, f.columns), "")}
            for f in mended.left
            if f.key not in away and f.key not in meant
        ],
    )


def _ask(flow_id: str, step_id: str) -> tuple[Flow, list[Finding], str, bool]:
    """The flow, what was found in the step's table, the table's key, and whether that is all."""
    flow = studio().flows.get(flow_id).flow
    planned, ref = _planned(flow_id, flow, step_id)
    table = studio().look(flow_id, planned, ref.step)
    key = f"{table.fingerprint}.{ref.output}"
    others: dict[str, tuple[str, pl.LazyFrame]] = {}
    for other, name in neighbours(flow, step_id).items():
        known = studio().engine.known(planned, other)  # one that is not computed yet is met when it is
        if known is not None:
            others[name] = (known.fingerprint, known.lazy())
    found, done = detecting().ask(flow_id, key, table.lazy(ref.output), others)
    meant = _meant(planned, ref) if found else frozenset()
    return flow, [one for one in found if one.key not in meant], key, done


def _meant(planned: Plan, ref: Ref) -> set[str]:
    """The keys of findings that would undo what a step before did on purpose."""
    return {f"{code}:{name}" for name in meant_as_text(planned, studio(), ref.step) for code in AS_TEXT}


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
