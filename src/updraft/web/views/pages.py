"""The pages themselves."""

from __future__ import annotations

from functools import cache, lru_cache

from flask import Blueprint, render_template
from jinja2.utils import htmlsafe_json_dumps
from markupsafe import Markup

from updraft.core.formula.other_words import words_for
from updraft.core.formula.registry import functions
from updraft.core.steps import StepKind, kinds
from updraft.core.steps.sources.reading import ReadingSettings
from updraft.core.values import FORMATS, TITLES
from updraft.web.live.studio import studio
from updraft.web.shown.contract import KindShown
from updraft.web.shown.description import described
from updraft.web.shown.state import flow_state, port_shown
from updraft.web.views.connections import where
from updraft.web.views.schedules import all_of

blueprint = Blueprint("pages", __name__)


@blueprint.get("/")
def home() -> str:
    app = studio()
    last = app.runs.newest()
    flows = [{**flow, "last": last.get(flow["id"])} for flow in app.flows.overview()]
    ways = sorted((k for k in kinds().values() if k.way_in[1]), key=lambda kind: kind.way_in)
    return render_template("home.html", flows=flows, ways=ways)


@blueprint.get("/flows/<flow_id>")
def open_flow(flow_id: str) -> str:
    saved = studio().flows.get(flow_id)
    return render_template(
        "studio.html",
        flow=saved,
        state=flow_state(studio(), saved),
        catalogue=catalogue(tuple(kinds())),
        formats=FORMATS,
        titles=TITLES,
        functions=all_functions(),
    )


@blueprint.get("/flows/<flow_id>/runs")
def flow_runs(flow_id: str) -> str:
    saved = studio().flows.get(flow_id)
    app = studio()
    return render_template(
        "runs.html",
        flow=saved,
        runs=app.runs.list(flow_id),
        schedules=all_of(flow_id),
        live=app.flows.live(flow_id),
        mail=[c.name for c in app.connections.all().values() if c.kind == "mail"],
    )


@blueprint.get("/flows/<flow_id>/description")
def description(flow_id: str) -> str:
    """A flow in words, to print: what it takes, what each step does and why, what it delivers."""
    saved = studio().flows.get(flow_id)
    steps = described(studio().plan(flow_id, saved.flow))
    return render_template("description.html", flow=saved, steps=steps)


@blueprint.get("/connections")
def connections() -> str:
    known = [
        connection.model_dump() | {"where": where(connection), "has_secret": bool(connection.secret)}
        for connection in studio().connections.all().values()
    ]
    return render_template("connections.html", connections=known)


@cache
def all_functions() -> Markup:
    """The functions of formulas, as JSON for the editor."""
    fields = ("name", "signature", "group", "help", "example")
    return htmlsafe_json_dumps(
        [
            {key: getattr(one, key) for key in fields} | {"words": words_for(one.name)}
            for one in functions().values()
        ]
    )


@lru_cache(2)
def catalogue(known: tuple[str, ...]) -> Markup:
    """These kinds of steps as the page needs them, as JSON: for the add box, and to draw forms."""
    about: list[KindShown] = [
        {
            "kind": k.kind,
            "title": k.title,
            "family": k.family,
            "summary": k.summary,
            "words": list(k.words),
            "icon": k.icon,
            "role": k.role,
            "desk": k.desk,
            "made_for": k.made_for,
            "way_in": list(k.way_in),
            "other_rows": k.other_rows,
            "decides": "decisions" in k.needs,
            "starting": k.starting_settings(),
            "ports": [port_shown(port) for port in k.inputs],
            "remote": "outside" in k.needs,
            "samples": type(k).sample is not StepKind.sample,
            "reads_files": issubclass(k.Settings, ReadingSettings),
            "opens": type(k).behind is not StepKind.behind,
            "schema": k.Settings.model_json_schema(),
        }
        for k in map(kinds().__getitem__, known)
    ]
    return htmlsafe_json_dumps(about)
