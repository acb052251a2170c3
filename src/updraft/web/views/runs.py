"""Runs as JSON: watch, cancel, repeat, download."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response, jsonify, send_from_directory

from updraft.web.live.studio import studio

blueprint = Blueprint("runs", __name__, url_prefix="/api/runs")


@blueprint.get("/<run_id>")
def watch(run_id: str) -> Any:
    """A run; while it waits, `why` says what for."""
    runs = studio().runs
    run = runs.get(run_id)
    if run["status"] == "waiting":
        many = runs.before(run_id)
        come = "1 run comes" if many == 1 else f"{many:,} runs come"
        run["why"] = f"{come} before it." if many else "Its process is being started."
    return jsonify(run)


@blueprint.post("/<run_id>/cancel")
def cancel(run_id: str) -> Any:
    studio().runs.get(run_id)
    studio().runs.cancel(run_id)
    return jsonify(studio().runs.get(run_id))


@blueprint.post("/<run_id>/repeat")
def repeat(run_id: str) -> Any:
    """The same flow with the same inputs and parameters once more."""
    app = studio()
    old = app.runs.get(run_id)
    repeats = run_id if old["status"] in ("cut off", "failed", "cancelled") else ""
    flow = app.runs.flow(run_id)
    told = {name: old[name] for name in ("dry", "profiled", "cause")}
    new = app.runs.create(old["flow"], flow, old["revision"], old["parameters"], repeats=repeats, **told)
    app.execute(new)
    return jsonify(id=new), 201


@blueprint.get("/<run_id>/files/<path:name>")
def download(run_id: str, name: str) -> Response:
    studio().runs.get(run_id)
    return send_from_directory(studio().folders.run(run_id), name, as_attachment=True)
