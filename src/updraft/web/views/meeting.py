"""How the rows of two tables would meet, before they are joined, as JSON."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, jsonify
from pydantic import ValidationError

from updraft.core import Problem
from updraft.core.insight.alike_fields import best_scores, proposed_fields
from updraft.core.insight.keys import KeyProposal, proposed_keys
from updraft.core.insight.meeting import COUNTED_BY, Meeting, meeting
from updraft.core.linking import Field as FieldCompared
from updraft.core.steps.joins.join_settings import JoinSettings
from updraft.core.steps.likeness import FieldAlike, OwnFieldAlike
from updraft.web.asked import Asked, Text, body_of
from updraft.web.live.kept import kept
from updraft.web.live.patient import patient
from updraft.web.live.studio import remembered

blueprint = Blueprint("meeting", __name__, url_prefix="/api/flows/<flow_id>/tables/<key>")


class Met(Asked):
    output: Text = ""
    other: Text = ""
    other_output: Text = ""


class Joining(Met):
    settings: dict[str, Any] = {}


class Scored(Met):
    fields: tuple[dict[str, Any], ...] = ()


@blueprint.post("/keys")
@patient
def keys(flow_id: str, key: str) -> Any:
    """Pairs of columns by which this table and another one (`other`, a key) are likely to meet."""
    body = body_of(Met)
    mine, its = kept(key, body.output), kept(body.other, body.other_output)
    mark = ("keys", key, body.output, body.other, body.other_output)
    found: list[KeyProposal] = remembered(mark, lambda: proposed_keys(mine, its))
    return jsonify(keys=[one.as_dict() for one in found])


@blueprint.post("/meeting")
@patient
def meet(flow_id: str, key: str) -> Any:
    """How the rows of this table and another one (`other`, a key) would meet by a join's `settings`: counted
    as `insight.meeting.Meeting` says.
    """
    body = body_of(Joining)
    mine, its = kept(key, body.output), kept(body.other, body.other_output)
    try:
        chosen = JoinSettings.model_validate(body.settings)
    except ValidationError:
        raise Problem("The join", "its settings cannot be read.", "Load the page again.") from None
    by = chosen.model_dump_json(include=COUNTED_BY)  # other settings change nothing that is counted
    mark = ("meeting", key, body.output, body.other, body.other_output, by)
    found: Meeting = remembered(mark, lambda: meeting(mine, its, chosen))
    return jsonify(found.as_dict())


@blueprint.post("/fields")
@patient
def fields(flow_id: str, key: str) -> Any:
    """Fields by which rows of this table and another one (`other`, a key) are likely the same things.

    Answers `fields` (column, reference, measure, weight) and `least`, the likeness to ask for in percent.
    """
    body = body_of(Met)
    mine, its = kept(key, body.output), kept(body.other, body.other_output)
    mark = ("fields", key, body.output, body.other, body.other_output)
    found = remembered(mark, lambda: proposed_fields(mine, its))
    return jsonify(
        fields=[
            {"column": one.left, "reference": one.right, "measure": one.measure, "weight": one.weight}
            for one in found.fields
        ],
        least=round(found.least),
    )


@blueprint.post("/scores")
@patient
def scores(flow_id: str, key: str) -> Any:
    """How alike the best matches of some rows are by some `fields`, in another table (`other`, a key), or
    among the table's own rows: see `insight.alike_fields.Scores`.
    """
    body = body_of(Scored)
    mine = kept(key, body.output)
    its = kept(body.other, body.other_output) if body.other else None
    kind = FieldAlike if body.other else OwnFieldAlike
    try:
        chosen = [kind.model_validate(field) for field in body.fields]
    except ValidationError:
        raise Problem("The fields", "they cannot be read.", "Load the page again.") from None
    asked = [
        FieldCompared(one.column, getattr(one, "reference", one.column), one.measure, one.weight)
        for one in chosen
    ]
    mark = ("scores", key, body.output, body.other, body.other_output, repr(asked))
    return jsonify(remembered(mark, lambda: best_scores(mine, its, asked))._asdict())
