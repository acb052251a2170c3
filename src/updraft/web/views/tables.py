"""Tables as JSON: look at a stop, fetch windows of rows, column summaries and value lists."""

from __future__ import annotations

import json
import math
from typing import Any

import polars as pl
from flask import Blueprint, current_app, jsonify, request

from updraft.core import Flow, Problem, Ref, Step, Table
from updraft.core.engine import Plan
from updraft.core.engine.coded import differs
from updraft.core.flow.edits import SetSettings
from updraft.core.flow.model import label
from updraft.core.insight import ColumnSummary, summarise_columns
from updraft.core.steps import SHAPES, kinds, outputs_of
from updraft.core.steps.ordering import sort_rank
from updraft.core.values import TITLES, guess_format, kind_of
from updraft.core.values.kinds import Kind
from updraft.core.values.text import shown
from updraft.web.asked import Asked, Text, Whole, body_of, focus_of_query, query_of
from updraft.web.live.kept import focused_rows, kept, kept_frame, kept_table, need_column, split_key
from updraft.web.live.patient import patient
from updraft.web.live.studio import remembered, studio
from updraft.web.live.windows import Windows
from updraft.web.shown.contract import ArrivingShown, ColumnThere, LookShown, TableShown
from updraft.web.shown.state import facts_shown, origins, problem_shown, sampled, sides_shown, takeable
from updraft.web.shown.words import did

PREVIEW = 1_000  # rows that a source outside brings while its settings are only tried
blueprint = Blueprint("tables", __name__, url_prefix="/api/flows/<flow_id>")
MAX_WINDOW = 2000
MAX_TEXT = 5000  # characters of one cell that are sent


class Look(Asked):
    step: Text = ""
    output: Text = ""
    settings: dict[str, Any] | None = None


class Behind(Asked):
    step: Text = ""
    row: Whole = 0


class Window(Asked):
    output: str = ""
    offset: Whole = 0
    limit: Whole = 100


class Formats(Asked):
    kind: Kind = Kind.DATE


@blueprint.post("/look")
@patient
def look(flow_id: str) -> Any:
    """The table after a step. Body: `step`, perhaps `output` and `settings` that are tried but not saved.

    Where the step has a problem the answer carries it, with the table that comes in, so that the person
    sees what the step would work on.
    """
    body = body_of(Look)
    flow = studio().flows.get(flow_id).flow
    step_id, output = body.step, body.output
    if not flow.has(step_id):
        raise Problem(
            "This step", "the flow does not have it any more.", "Choose another one.", code="no_step"
        )
    preview = None
    if body.settings is not None:
        settings, preview = _previewed(flow.step(step_id), body.settings)
        flow = SetSettings(id=step_id, settings=settings).apply(flow, SHAPES)
    planned = studio().plan(flow_id, flow)
    incoming = _incoming(flow_id, flow, planned, step_id)
    try:
        table = studio().look(flow_id, planned, step_id, draft=body.settings is not None)
    except Problem as problem:
        port = kind.main_port if (kind := kinds().get(flow.step(step_id).kind)) else None
        main = incoming.get(port.name) if port else None
        fallback = None
        if main and main["known"]:
            fallback = _about(flow_id, planned, Ref.parse(main["ref"]), None)
        told = problem_shown(problem)
        may = takeable(flow, step_id)
        return jsonify(LookShown(problem=told, table=fallback, incoming=incoming, takeable=may))
    ref = planned.resolve(Ref(step_id))
    chosen = output if output in table.frames else ref.output
    shown = _about(flow_id, planned, Ref(ref.step, chosen), table)
    shown["preview"] = preview
    return jsonify(LookShown(problem=None, table=shown, incoming=incoming, takeable=takeable(flow, step_id)))


def _previewed(step: Step, settings: dict[str, Any]) -> tuple[dict[str, Any], int | None]:
    """Settings that are tried on a source outside bring its first rows alone; how many, where it does."""
    kind = kinds().get(step.kind)
    asked = settings.get(kind.previews) if kind else None
    if kind is None or not kind.previews or (isinstance(asked, int) and asked <= PREVIEW):
        return settings, None
    return {**settings, kind.previews: PREVIEW}, PREVIEW


@blueprint.post("/behind")
@patient
def behind(flow_id: str) -> Any:
    """The rows that a row of a step's table stands for. Body: `step`, `row` (its place).

    Answers the `step` and `output` whose rows they are, and the `rule` that opens them.
    """
    body = body_of(Behind)
    flow = studio().flows.get(flow_id).flow
    if not flow.has(body.step):
        raise Problem("This step", "the flow does not have it any more.", "Choose another one.")
    planned = studio().plan(flow_id, flow)
    table = studio().look(flow_id, planned, body.step).lazy().collect()
    step, kind = planned.steps[body.step], kinds()[flow.step(body.step).kind]
    rule = None
    if step.main is not None and step.settings is not None and body.row < table.height:
        rule = kind.behind(step.settings, table, body.row)
    if rule is None or step.main is None:
        raise Problem(
            "The rows of this group", "no rule tells them from the others.", "Group by columns, or by dates."
        )
    main = planned.resolve(step.main)
    return jsonify(step=main.step, output=main.output, rule=rule)


@blueprint.get("/tables/<key>/rows")
def rows(flow_id: str, key: str) -> Any:
    """A window of rows: `offset`, `limit`; perhaps `focus`, `output`, `sort`, `desc`, `before` (a key),
    `changed` (only those).

    Answers `rows` as lists of cells, `numbers` (the row's place in the table, from 0) and `was`: for changed
    cells row in the window → column → the value before.
    """
    # A window of the table as it stands is there at once; sorting and a focus take their time.
    slow = any(request.args.get(name) for name in ("sort", "changed", "focus"))
    return patient(_rows)(flow_id=flow_id, key=key) if slow else _rows(flow_id, key)


def _rows(flow_id: str, key: str) -> Any:
    asked = query_of(Window)
    frame = kept_frame(key, asked.output)
    order, total = _order(key, frame)
    offset, limit = asked.offset, min(asked.limit, MAX_WINDOW)
    path = studio().engine.cache.place(key, asked.output)
    if order is None and path is not None and isinstance(frame, pl.LazyFrame):
        window = windows().read(path, offset, limit)
        numbers = list(range(offset, offset + window.height))
    else:
        window, numbers = _window(frame, order, offset, limit)
    was: dict[int, dict[str, Any]] = {}
    before = request.args.get("before", "")
    touched = [name for name in request.args.getlist("touched") if name in window.columns]
    if before and touched:
        old, _ = _window(kept_frame(*split_key(before)), order, offset, limit)
        for name in touched:
            if name in old.columns:
                for place in differs(old[name], window[name]).arg_true():
                    was.setdefault(place, {})[name] = _cell(old[name][place])
    body = [[_cell(value) for value in row] for row in window.iter_rows()]
    return jsonify(rows=body, numbers=numbers, was=was, total=total)


@blueprint.get("/tables/<key>/summary")
@patient
def summary(flow_id: str, key: str) -> Any:
    output = request.args.get("output", "")
    focus = focus_of_query()

    def make() -> list[ColumnSummary]:
        rows = focused_rows(key, output, focus)
        frame = kept(key, output)
        return summarise_columns(frame if rows is None else frame.collect()[rows].lazy())

    found = remembered(("summary", key, output, focus.model_dump_json()), make)
    return jsonify(columns=[vars(column) for column in found])


@blueprint.get("/tables/<key>/formats")
@patient
def formats(flow_id: str, key: str) -> Any:
    """Formats that read the most texts of a `column` as `kind`, best first."""
    output = request.args.get("output", "")
    name = need_column(key, output, request.args.get("column", ""))
    series = kept(key, output).select(name).collect().to_series()
    if series.dtype != pl.String:
        return jsonify(formats=[])
    kind = query_of(Formats).kind
    return jsonify(
        formats=guess_format(series, kind) if kind in (Kind.DATE, Kind.DATETIME, Kind.NUMBER) else []
    )


def windows() -> Windows:
    found: Windows = current_app.extensions["windows"]
    return found


def _about(flow_id: str, planned: Plan, ref: Ref, table: Table | None) -> TableShown:
    app = studio()
    table = table or app.look(flow_id, planned, ref.step)
    step = planned.steps[ref.step]
    before = came = None
    if not ref.output and step.main is not None:
        first = planned.resolve(step.main)
        came = f"{planned.fingerprint(first)}.{first.output}"
    if table.touched and not ref.output and step.main is not None:
        main = planned.resolve(step.main)
        app.look(flow_id, planned, main.step)
        before = f"{planned.fingerprint(main)}.{main.output}"
    elsewhere = origins(planned, app, ref.step)
    kind = kinds().get(step.step.kind)
    return {
        "key": table.fingerprint,
        "step": ref.step,
        "label": label(step.step),
        "output": ref.output,
        "before": before,
        "came": came,
        "rows": table.rows[ref.output],
        "sample": sampled(app, planned, ref),
        "samples": len(planned.samples_before(ref)),
        "rows_in": table.rows_in,
        "seconds": table.seconds,
        "did": did(table, bool(kind and kind.other_rows)),
        "touched": list(table.touched or ()),
        "sides": sides_shown(table),
        "titles": {out.name: out.title for out in outputs_of(step.step) if not out.main},
        "facts": facts_shown(table),
        "warnings": list(table.warnings),
        "columns": [
            {
                "name": name,
                "kind": kind_of(dtype).value,
                "kind_title": TITLES[kind_of(dtype)],
                "origin": elsewhere.get(name),
                "evidence": "" if ref.output else table.evidence.get(name, ""),
                "changed": 0 if ref.output else table.changed.get(name, 0),
            }
            for name, dtype in table.schema(ref.output).items()
        ],
    }


def _incoming(flow_id: str, flow: Flow, planned: Plan, step_id: str) -> dict[str, ArrivingShown]:
    """What arrives at each port, for the form's column pickers."""
    found: dict[str, ArrivingShown] = {}
    for port, plugged in reversed(
        flow.step(step_id).plugs()
    ):  # of many tables the first one's columns are offered
        ref = planned.resolve(plugged)
        try:
            table = studio().look(flow_id, planned, ref.step)
            schema = table.schema(ref.output)
            columns = [ColumnThere(name=n, kind=kind_of(t).value) for n, t in schema.items()]
            found[port] = {
                "ref": str(ref),
                "known": True,
                "key": table.fingerprint,
                "output": ref.output,
                "columns": columns,
            }
        except (Problem, KeyError):
            found[port] = {"ref": str(ref), "known": False, "key": None, "output": "", "columns": []}
    return found


def _order(key: str, frame: pl.DataFrame | pl.LazyFrame) -> tuple[pl.Series | None, int]:
    """The row numbers to show, in order (None: all, as they are), and how many there are."""
    sort, down = request.args.get("sort", ""), request.args.get("desc") == "1"
    only = request.args.get("changed") == "1"
    output, before, touched = (
        request.args.get("output", ""),
        request.args.get("before", ""),
        request.args.getlist("touched"),
    )
    schema = frame.lazy().collect_schema()
    touched = [name for name in touched if name in schema]
    focus = focus_of_query()
    if not sort and not only:
        rows = focused_rows(key, output, focus)
        return rows, kept_table(key).rows[output] if rows is None else rows.len()

    def ordered() -> pl.Series:
        lazy = frame.lazy()
        names = [sort] if sort in schema else []
        table = lazy.select(pl.int_range(pl.len(), dtype=pl.UInt32).alias("\0row"), *names).collect()
        if only and before:
            new, old = lazy.select(touched).collect(), kept(*split_key(before)).select(touched).collect()
            changed = [differs(old[name], new[name]) for name in touched]
            table = table.filter(pl.DataFrame(changed).select(pl.any_horizontal(pl.all())).to_series())
        if (rows := focused_rows(key, output, focus)) is not None:
            table = table.filter(pl.col("\0row").is_in(rows.implode()))
        if names:
            by = pl.col(sort) if schema[sort].is_nested() else sort_rank(sort, schema[sort])
            table = table.sort(by, descending=down, nulls_last=True, maintain_order=True)
        return table["\0row"]

    index: pl.Series = remembered(
        ("order", key, output, sort, down, only, before, focus.model_dump_json()), ordered
    )
    return index, index.len()


def _window(
    frame: pl.DataFrame | pl.LazyFrame, order: pl.Series | None, offset: int, limit: int
) -> tuple[pl.DataFrame, list[int]]:
    if order is None:
        # Of a table in memory without a query, which would wait for those that compute.
        window = (
            frame[offset : offset + limit]
            if isinstance(frame, pl.DataFrame)
            else frame.slice(offset, limit).collect()
        )
        return window, list(range(offset, offset + window.height))
    picked = order.slice(offset, limit)
    return frame.lazy().select(pl.all().gather(picked)).collect(), picked.to_list()


def _cell(value: Any) -> Any:
    """A cell as JSON that loses nothing a reader would miss: big whole numbers and odd floats go as text."""
    if value is None or isinstance(value, bool):
        return value
    if isinstance(value, int):
        return value if abs(value) < 2**53 else str(value)
    if isinstance(value, float):
        return value if math.isfinite(value) else str(value)
    if isinstance(value, str):
        return value if len(value) <= MAX_TEXT else value[:MAX_TEXT] + "…"
    if isinstance(value, list) and all(isinstance(item, str | None) for item in value):
        return f"[{', '.join('' if item is None else item for item in value)}]"[:MAX_TEXT]
    if isinstance(value, list | dict):
        return json.dumps(value, ensure_ascii=False, default=str)[:MAX_TEXT]
    return shown(pl.Series([value]))[0]
