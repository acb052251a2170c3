"""What outputs would deliver, the first of it; and the terms of vocabularies, as JSON."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, jsonify, request

from updraft.core.deliver import Outlet
from updraft.core.flow.edits import SetSettings
from updraft.core.steps import SHAPES
from updraft.web.asked import body_of
from updraft.web.live.patient import patient
from updraft.web.live.studio import studio
from updraft.web.views.files import Tried

blueprint = Blueprint("samples", __name__, url_prefix="/api")


@blueprint.post("/flows/<flow_id>/steps/<step_id>/sample")
@patient
def sample(flow_id: str, step_id: str) -> Any:
    """The first of what a step would deliver. Body: perhaps `settings` that are tried but not saved."""
    app, tried = studio(), body_of(Tried).settings
    flow = app.flows.get(flow_id).flow
    if tried is not None:
        flow = SetSettings(id=step_id, settings=tried).apply(flow, SHAPES)
    planned = app.plan(flow_id, flow)
    table = app.look(flow_id, planned, step_id, draft=tried is not None)
    step, files = planned.steps[step_id], app.files(flow_id)
    assert step.kind is not None
    outlet = Outlet(step_id, files.folder, files.outside, file=files.file)
    found = step.kind.sample(table.lazy("").collect(), step.settings, outlet)
    return jsonify(sample=vars(found) if found else None)


@blueprint.get("/vocabularies")
def vocabularies() -> Any:
    """Terms of known vocabularies that fit what is typed (`search`): `classes=yes`, or properties."""
    from updraft.core.linked.vocabularies import search

    found = search(request.args.get("search", ""), request.args.get("classes") == "yes")
    return jsonify(terms=[{"name": term.short, "what": term.vocabulary} for term in found])
