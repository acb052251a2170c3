"""Answers that people gave to what a step asks, as JSON and CSV."""

from __future__ import annotations

from typing import Any

import polars as pl
from flask import Blueprint, Response, jsonify, request

from updraft.core import Flow, Problem, Ref
from updraft.core.flow.decisions import Decisions
from updraft.core.steps import kinds
from updraft.core.steps.opening import QUESTIONS
from updraft.store.folders import safe_name
from updraft.web.asked import Listed, query_of
from updraft.web.attaching import attached
from updraft.web.live.changes import change
from updraft.web.live.patient import patient
from updraft.web.live.studio import studio
from updraft.web.shown.contract import DecisionsShown, QuestionShown
from updraft.web.shown.state import flow_state

blueprint = Blueprint("decisions", __name__, url_prefix="/api/flows/<flow_id>/steps/<step_id>")


@blueprint.get("/decisions")
@patient
def decisions(flow_id: str, step_id: str) -> Any:
    """The answers given for a step, its open questions, and the answers there can be: `DecisionsShown`.

    Of each at most `most`; `decided` and `open_count` say how many there are. `search` narrows the answers,
    and `found` says to how many.
    """
    flow = studio().flows.get(flow_id).flow
    listed = query_of(Listed)
    search, most = listed.search.casefold(), listed.most
    given = [row for row in flow.decided(step_id) if search in row.key.casefold()]
    asked = _open(flow_id, flow, step_id)
    kind = kinds()[flow.step(step_id).kind]
    shown = DecisionsShown(
        answers=list(kind.answers),
        given=[list(row) for row in given[-most:]],
        decided=len(flow.decided(step_id)),
        found=len(given),
        open=[_shown(row) for row in asked.head(most).iter_rows(named=True)],
        open_count=asked.height,
    )
    return jsonify(shown)


def _shown(row: dict[str, Any]) -> QuestionShown:
    return {
        "key": row["Name"],
        "rows": row["Rows"],
        "proposal": row["Proposal"],
        "why": row["Why"],
        "fields": row["Fields"] or [],
        "candidates": row["Candidates"],
    }


def _open(flow_id: str, flow: Flow, step_id: str) -> pl.DataFrame:
    """What a step would like to ask (`QUESTIONS`); nothing where its table cannot be had."""
    app = studio()
    planned = app.plan(flow_id, flow)
    if not flow.has(step_id):
        raise Problem(
            "This step", "the flow does not have it any more.", "Choose another one.", code="no_step"
        )
    try:
        table = app.look(flow_id, planned, planned.resolve(Ref(step_id)).step)
    except Problem:
        return pl.DataFrame(schema=QUESTIONS)
    return table.lazy("open").collect() if "open" in table.frames else pl.DataFrame(schema=QUESTIONS)


@blueprint.get("/decisions.csv")
def export(flow_id: str, step_id: str) -> Response:
    flow = studio().flows.get(flow_id).flow
    response = Response(flow.decided(step_id).to_csv(), mimetype="text/csv")
    name = safe_name(f"{flow.name.replace('/', '-')} {step_id}.csv")
    return attached(response, name)


@blueprint.post("/decisions.csv")
def bring(flow_id: str, step_id: str) -> Any:
    """Take answers from a CSV file (multipart field `file`), over those of the same keys."""
    app, upload = studio(), request.files.get("file")
    if upload is None:
        raise Problem("The list of decisions", "no file came with it.", "Choose a CSV file.", code="no_file")
    try:
        rows = Decisions.from_csv(upload.stream.read(64 << 20).decode("utf-8-sig"))
    except UnicodeDecodeError:
        raise Problem(
            upload.filename or "The file", "it is not UTF-8 text.", "Save it as CSV in UTF-8."
        ) from None
    change(app, flow_id, [{"op": "decide", "id": step_id, "rows": rows}])
    return jsonify(flow_state(app, app.flows.get(flow_id)))
