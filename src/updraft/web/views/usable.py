"""Flows that steps of a flow can use, as JSON."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, jsonify, request

from updraft.core import Flow, Problem
from updraft.core.flow.model import label
from updraft.core.flow.order import drawing_order
from updraft.core.steps import kinds
from updraft.web.asked import Asked, Whole, query_of
from updraft.web.live.studio import studio

blueprint = Blueprint("usable", __name__, url_prefix="/api/flows/<flow_id>/usable")


@blueprint.get("")
def usable(flow_id: str) -> Any:
    """What a step of this flow can use: its blocks, and the other saved flows."""
    app = studio()
    blocks = sorted(app.flows.get(flow_id).flow.blocks)
    saved = [{"id": row["id"], "name": row["name"]} for row in app.flows.list() if row["id"] != flow_id]
    return jsonify(blocks=blocks, flows=saved)


class Used(Asked):
    revision: Whole | None = None


@blueprint.get("/about")
def about(flow_id: str) -> Any:
    """The sources, steps, parameters and revisions of a flow (`flow`, `revision`) or a block (`block`)."""
    app, block = studio(), request.args.get("block", "")
    if block:
        blocks = app.flows.get(flow_id).flow.blocks
        if block not in blocks:
            raise Problem(
                f"Block “{block}”", "this flow has no such block.", "Choose another one.", code="no_flow"
            )
        return jsonify(**_about(blocks[block]), revisions=[])
    used = request.args.get("flow", "")
    revisions = [{"number": r["number"], "sentence": r["sentence"]} for r in app.flows.revisions(used)]
    return jsonify(**_about(app.flows.at(used, query_of(Used).revision)), revisions=revisions)


def _about(flow: Flow) -> dict[str, Any]:
    steps = [flow.step(step_id) for step_id in drawing_order(flow)]
    titled = [[step.id, step.name or _title(step.kind) or label(step)] for step in steps]
    sources = {step.id for step in steps if not step.inputs}
    return {
        "name": flow.name,
        "sources": [one for one in titled if one[0] in sources],
        "steps": titled,
        "parameters": [parameter.model_dump() for parameter in flow.parameters],
    }


def _title(kind: str) -> str:
    return kinds()[kind].title if kind in kinds() else ""
