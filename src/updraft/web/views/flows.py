"""Flows as JSON: create, edit, undo, revisions, import and export."""

from __future__ import annotations

from collections import Counter
from datetime import date
from typing import Annotated, Any

from flask import Blueprint, Response, jsonify, request
from pydantic import Field

from updraft.core import Flow, Problem, Ref, dump, load
from updraft.core.engine import carried, reading
from updraft.core.engine.parameters import parameters_of
from updraft.core.flow.document import SUFFIX
from updraft.core.flow.model import label
from updraft.core.steps import Place, elsewhere, find_kinds, kinds, used_most
from updraft.core.values import kind_of
from updraft.store.folders import safe_name
from updraft.web.asked import MOST, Asked, Text, body_of
from updraft.web.attaching import attached
from updraft.web.live.changes import change
from updraft.web.live.studio import studio
from updraft.web.shown.state import flow_state


class Naming(Asked):
    name: Text = ""


class Edits(Asked):
    edits: tuple[Any, ...] = ()
    revision: Annotated[int, Field(ge=0, le=MOST)] | None = None
    sentence: Text = ""


class RunAsked(Asked):
    parameters: dict[str, Text | tuple[Text, ...]] = {}
    inputs: dict[str, Text] = {}
    dry: bool = False


blueprint = Blueprint("flows", __name__, url_prefix="/api/flows")


@blueprint.post("")
def create() -> Any:
    name = body_of(Naming).name.strip()[:200] or "New flow"
    return jsonify(id=studio().flows.create(Flow(name=name), "Began the flow")), 201


@blueprint.post("/import")
def import_flow() -> Any:
    """A flow file (multipart field `file`) as a new flow; it may have faults that the studio then shows."""
    upload = request.files.get("file")
    if upload is None:
        raise Problem(
            "The import", "no file came with it.", f"Choose a file that ends in {SUFFIX}.", code="no_file"
        )
    try:
        text = upload.stream.read(16 << 20).decode("utf-8")
    except UnicodeDecodeError:
        raise Problem(
            upload.filename or "The file",
            "it is not UTF-8 text, so it is no flow file.",
            f"Choose a file that ends in {SUFFIX}.",
            code="not_a_flow",
        ) from None
    flow = load(text, source=upload.filename or "The file")
    return jsonify(id=studio().flows.create(flow, f"Imported from {upload.filename}")), 201


@blueprint.get("/<flow_id>/kinds")
def search_kinds(flow_id: str) -> Any:
    """The words of the kinds of step that fit what was typed (`q`) for the table that a step would take
    (`after`), best first; those used `most` and, by word, what some of them lack here.
    """
    app, flow = studio(), studio().flows.get(flow_id).flow
    planned, after = app.plan(flow_id, flow), request.args.get("after", "")
    table = app.engine.known(planned, Ref.parse(after).step) if after else None
    columns = {name: kind_of(dtype) for name, dtype in table.schema().items()} if table else None
    used = sum((row["used"] for row in app.flows.overview()), Counter[str]())
    tables = sum(kinds()[s.kind].role != "output" for s in flow.steps if s.kind in kinds())
    place = Place(columns, tables, used)
    found = find_kinds(request.args.get("q", ""), place)
    lacks = {kind.kind: said for kind in found if (said := place.lacks(kind))}
    most = [kind.kind for kind in used_most(place)] if tables else []
    query = request.args.get("q", "")
    return jsonify(kinds=[k.kind for k in found], lacks=lacks, most=most, elsewhere=elsewhere(query))


@blueprint.get("/<flow_id>")
def state(flow_id: str) -> Any:
    return _state(flow_id)


@blueprint.post("/<flow_id>/edits")
def edit(flow_id: str) -> Any:
    """Apply edits in order as one revision. Body: `revision` it is based on, `edits`, and perhaps a
    `sentence`.
    """
    body = body_of(Edits)
    added = change(studio(), flow_id, body.edits, body.revision, body.sentence)
    return jsonify({**flow_state(studio(), studio().flows.get(flow_id)), "added": added})


@blueprint.post("/<flow_id>/undo")
def undo(flow_id: str) -> Any:
    studio().flows.undo(flow_id)
    return _state(flow_id)


@blueprint.post("/<flow_id>/redo")
def redo(flow_id: str) -> Any:
    studio().flows.redo(flow_id)
    return _state(flow_id)


@blueprint.get("/<flow_id>/revisions")
def revisions(flow_id: str) -> Any:
    return jsonify(revisions=studio().flows.revisions(flow_id))


@blueprint.post("/<flow_id>/revisions/<int:number>")
def go_to(flow_id: str, number: int) -> Any:
    studio().flows.go_to(flow_id, number)
    return _state(flow_id)


@blueprint.post("/<flow_id>/duplicate")
def duplicate(flow_id: str) -> Any:
    return jsonify(id=studio().flows.duplicate(flow_id)), 201


@blueprint.delete("/<flow_id>")
def delete(flow_id: str) -> Any:
    studio().flows.delete(flow_id)
    return jsonify(ok=True)


@blueprint.get("/<flow_id>/export")
def export(flow_id: str) -> Response:
    flow = studio().flows.get(flow_id).flow
    response = Response(dump(flow), mimetype="application/json")
    return attached(response, safe_name(f"{flow.name.replace('/', '-')}{SUFFIX}"))


@blueprint.post("/<flow_id>/runs")
def start_run(flow_id: str) -> Any:
    """Ask for a run. Body: `parameters` (name → value, or a list of values), `inputs` (source step → file of
    the flow), and `dry` to prepare deliveries without making them.
    """
    body = body_of(RunAsked)
    saved = studio().flows.get(flow_id)
    flow = saved.flow
    for step_id, path in body.inputs.items():
        if path:
            flow = reading(flow, step_id, path)
    parameters = {
        name: list(value) if isinstance(value, tuple) else value for name, value in body.parameters.items()
    }
    parameters_of(flow, parameters, date.today)  # what is wrong with them is said before a run is made
    run_id = studio().runs.create(flow_id, flow, saved.revision, parameters, dry=body.dry)
    studio().execute(run_id)
    return jsonify(id=run_id), 201


@blueprint.get("/<flow_id>/coming")
def coming(flow_id: str) -> Any:
    """What a source outside has brought so far, in words; empty when none is at it."""
    return jsonify(text=studio().coming.get(flow_id, ""))


@blueprint.post("/<flow_id>/stop")
def stop(flow_id: str) -> Any:
    """Stop what is being brought from outside."""
    studio().stop(flow_id)
    return jsonify(ok=True)


@blueprint.post("/<flow_id>/steps/<step_id>/again")
def fetch_again(flow_id: str, step_id: str) -> Any:
    """Bring a source outside anew."""
    studio().flows.get(flow_id)
    studio().fetch_again(flow_id, step_id)
    return _state(flow_id)


@blueprint.get("/<flow_id>/steps/<step_id>/renames")
def renames(flow_id: str, step_id: str) -> Any:
    """Whether columns of a step got other names `since` a revision, and the edits that carry these on."""
    app = studio()
    saved = app.flows.get(flow_id)
    then = app.plan(flow_id, app.flows.at(flow_id, request.args.get("since", type=int)))
    now = app.plan(flow_id, saved.flow)
    before = app.engine.known(then, step_id) if then.flow.has(step_id) else None
    after = app.engine.known(now, step_id) if now.flow.has(step_id) else None
    if before is None or after is None:
        return jsonify(names=[], edits=[], steps=[])
    tables = {step: app.engine.known(then, step) for step in then.steps if step != step_id} | {step_id: after}
    known = {step: {out: t.schema(out) for out in t.frames} for step, t in tables.items() if t is not None}
    found = carried(now, step_id, before.schema(), known)
    return jsonify(
        names=list(found.names.items()),
        edits=[{"op": "set", "id": step, "settings": settings} for step, settings in found.settings.items()],
        steps=[label(now.steps[step].step) for step in found.settings],
    )


def _state(flow_id: str) -> Any:
    return jsonify(flow_state(studio(), studio().flows.get(flow_id)))
