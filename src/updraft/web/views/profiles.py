"""Profiles of whole tables: of what is looked at, and of all rows where that is a sample."""

from __future__ import annotations

import json
from typing import Any

import polars as pl
from flask import Blueprint, Response, jsonify, render_template, request

from updraft.core import Problem
from updraft.core.figures import ColumnProfile, profile, profile_table
from updraft.core.flow.model import Ref, label
from updraft.core.flow.order import up_to
from updraft.core.formats.write import write_csv
from updraft.core.insight import column_values, ordered_values
from updraft.core.steps.summaries.profile_columns import ProfileColumns
from updraft.store.folders import safe_name
from updraft.web.asked import Asked, Listed, Text, body_of, focus_of_query, query_of
from updraft.web.attaching import attached
from updraft.web.live.kept import in_focus, kept
from updraft.web.live.patient import patient
from updraft.web.live.studio import remembered, studio
from updraft.web.views.columns import cells_of

blueprint = Blueprint("profiles", __name__, url_prefix="/api")


class Profiled(Asked):
    step: Text = ""
    output: Text = ""


@blueprint.get("/flows/<flow_id>/tables/<key>/profile")
@patient
def of_table(flow_id: str, key: str) -> Any:
    """The profile of every column in focus: as JSON, or as a file or page by `as` (csv, json, page). As JSON
    it tells the run that profiled all rows of the table, or is about to (`run`).
    """
    focus, output = focus_of_query(), request.args.get("output", "")
    names = kept(key, output).collect_schema().names()
    found = remembered(
        ("profile", key, output, focus.model_dump_json()),
        lambda: profile(in_focus(key, output, names, focus)),
    )
    return _answer(found, run=_run_of(_mark(key, output)) if focus.nothing else None)


@blueprint.post("/flows/<flow_id>/tables/<key>/profile")
def of_all_rows(flow_id: str, key: str) -> Any:
    """Begin a run that profiles all rows of a table of which a sample is looked at. Body: its `step` and
    `output`.
    """
    app, body = studio(), body_of(Profiled)
    saved = app.flows.get(flow_id)
    planned, ref = app.plan(flow_id, saved.flow), Ref(body.step, body.output)
    if not saved.flow.has(ref.step) or planned.fingerprint(planned.resolve(ref)) != key:
        raise Problem("This table", "the flow has changed since.", "Open the profile again.", code="no_table")
    name = label(saved.flow.step(ref.step))
    run_id = app.runs.create(
        flow_id,
        up_to(saved.flow, ref, ProfileColumns.kind, "Profile"),
        saved.revision,
        {},
        dry=True,
        cause=f"the profile of all rows after “{name}”",
        profiled=_mark(key, ref.output),
    )
    app.execute(run_id)
    return jsonify(id=run_id), 201


@blueprint.get("/runs/<run_id>/profile")
def of_run(run_id: str) -> Any:
    """The profile that a run made of all rows, as that of a table."""
    return _answer(_kept(run_id), run=studio().runs.get(run_id))


@blueprint.get("/runs/<run_id>/values")
def values(run_id: str) -> Any:
    """The value list of a `column` in all rows that a run profiled; asked for as that of a table."""
    asked, counted = query_of(Listed), _counted(run_id)
    found = ordered_values(counted, search=asked.search, order=asked.order)
    return jsonify(column_values(counted, found, offset=asked.offset, most=min(asked.most, 2000)))


@blueprint.get("/runs/<run_id>/values.tsv")
def value_list(run_id: str) -> Response:
    return cells_of(request.args.get("column", ""), _counted(run_id))


def _counted(run_id: str) -> pl.DataFrame:
    """All values of a column with their rows, empty cells among them."""
    name = request.args.get("column", "")
    found = next((column for column in _kept(run_id) if column.name == name), None)
    if found is None or found.values is None:
        raise Problem(
            f"“{name}”",
            "the run kept no list of its values; one with very many is not kept.",
            "Add the step Summarise by this column, which counts them.",
            code="no_table",
        )
    empty = pl.DataFrame({"value": [None], "rows": [found.empty]}, schema=found.values.schema)
    both = pl.concat([found.values, empty if found.empty else empty.clear()])
    return both.sort("rows", descending=True, maintain_order=True)


def _kept(run_id: str) -> list[ColumnProfile]:
    app = studio()
    run, path = app.runs.get(run_id), app.folders.profile(run_id)
    if not run["profiled"] or not path.is_file():
        raise Problem("This profile", "it is not here any more.", "Profile all rows again.", code="no_table")

    def read() -> list[ColumnProfile]:
        return [ColumnProfile.of_plain(column) for column in json.loads(path.read_text("utf-8"))]

    found: list[ColumnProfile] = remembered(("profile of all", run_id), read)
    return found


def _run_of(mark: str) -> dict[str, Any] | None:
    """The run that profiles all rows of a table, or did, as long as what it made is there."""
    app = studio()
    run = app.runs.profiling(mark)
    there = run and (app.runs.is_open(run["id"]) or app.folders.profile(run["id"]).is_file())
    return run if there else None


def _mark(key: str, output: str) -> str:
    return f"{key}.{output}"


def _answer(found: list[ColumnProfile], run: dict[str, Any] | None) -> Any:
    way, name = request.args.get("as", ""), safe_name(request.args.get("name", "") or "profile")
    if way == "csv":
        return _download(write_csv(profile_table(found), None) or "", f"{name}.csv", "text/csv")
    if way == "json":
        text = json.dumps([p.as_dict() for p in found], ensure_ascii=False, indent=1, default=str)
        return _download(text, f"{name}.json", "application/json")
    if way == "page":
        return render_template(
            "profile.html",
            profiles=found,
            name=request.args.get("name", ""),
            rows=found[0].rows if found else 0,
        )
    table = profile_table(found)
    return jsonify(
        columns=table.columns,
        rows=[list(row) for row in table.iter_rows()],
        profiles=[p.as_dict() | {"listed": p.values is not None} for p in found],
        run={"id": run["id"], "status": run["status"]} if run else None,
    )


def _download(text: str, name: str, kind: str) -> Response:
    return attached(Response(text, mimetype=kind), name)
