"""When a flow runs by itself, as JSON."""

from __future__ import annotations

from datetime import UTC, date, datetime
from typing import Any
from zoneinfo import ZoneInfo

from flask import Blueprint, jsonify

from updraft.core import Problem
from updraft.core.connect import MailFolder
from updraft.core.engine.parameters import parameters_of
from updraft.core.schedule import next_after, words
from updraft.store import ScheduleStore
from updraft.store.schedules import FILES, MAIL
from updraft.web.asked import Asked, Text, Whole, body_of
from updraft.web.live.studio import studio

blueprint = Blueprint("schedules", __name__, url_prefix="/api/flows/<flow_id>/schedules")


class Timed(Asked):
    cron: Text = ""
    zone: Text = ""
    watch: Text = ""
    sender: Text = ""
    subject: Text = ""
    name: Text = ""
    parameters: dict[str, Text] | None = None


class Switched(Asked):
    active: bool = False


class Revision(Asked):
    revision: Whole


@blueprint.get("")
def schedules(flow_id: str) -> Any:
    """Schedules and triggers of a flow, in words, with when each comes next; and the live revision."""
    return jsonify(schedules=all_of(flow_id), live=studio().flows.live(flow_id))


@blueprint.post("")
def create(flow_id: str) -> Any:
    """Body: `cron` and `zone`, or `watch` (`files`, or `mail:` and a connection's name); `parameters`."""
    body = body_of(Timed)
    flow = studio().flows.get(flow_id).flow
    cron, watch, zone = body.cron.strip(), body.watch, body.zone or "UTC"
    if watch == MAIL:
        raise Problem(
            "The trigger",
            "no mail folder is chosen.",
            "Choose the folder that the mail comes to.",
            field="mail",
        )
    if watch.startswith(MAIL):
        connection = studio().connections.get(watch.removeprefix(MAIL))
        if not isinstance(connection, MailFolder):
            raise Problem(f"Connection “{connection.name}”", "it is no mail folder.", "Choose another one.")
    elif watch and watch != FILES:
        raise Problem("The trigger", f"“{watch}” cannot be watched.", "Choose new files or new mail.")
    if not watch:
        next_after(cron, zone, datetime.now(UTC))  # what is wrong with it is said before it is kept
    parameters = dict(body.parameters or {})
    parameters_of(flow, parameters, date.today)
    studio().flows.make_live(
        flow_id, studio().flows.live(flow_id)
    )  # what runs by itself stays what it is now
    asked = {"sender": body.sender.strip(), "subject": body.subject.strip(), "name": body.name.strip()}
    only = {key: text for key, text in asked.items() if text} if watch.startswith(MAIL) else {}
    made = ScheduleStore().create(
        flow_id, cron=cron, zone=zone, watch=watch, only=only, parameters=parameters
    )
    return jsonify(id=made, schedules=all_of(flow_id)), 201


@blueprint.post("/<schedule_id>")
def switch(flow_id: str, schedule_id: str) -> Any:
    """Switch one on or off. Body: `active`."""
    ScheduleStore().switch(flow_id, schedule_id, body_of(Switched).active)
    return jsonify(schedules=all_of(flow_id))


@blueprint.delete("/<schedule_id>")
def delete(flow_id: str, schedule_id: str) -> Any:
    ScheduleStore().delete(flow_id, schedule_id)
    return jsonify(schedules=all_of(flow_id))


@blueprint.post("/live")
def live(flow_id: str) -> Any:
    """Say which revision runs by itself. Body: `revision`."""
    studio().flows.make_live(flow_id, body_of(Revision).revision)
    return jsonify(live=studio().flows.live(flow_id))


def all_of(flow_id: str) -> list[dict[str, Any]]:
    return [
        {
            **{key: one[key] for key in ("id", "cron", "zone", "watch", "active", "last", "run", "said")},
            **_told(one),
        }
        for one in ScheduleStore().list(flow_id)
    ]


def _told(schedule: dict[str, Any]) -> dict[str, str]:
    if schedule["watch"]:
        mail = schedule["watch"].removeprefix(MAIL)
        asked = {"sender": "from {}", "subject": "about “{}”", "name": "with a file {}"}
        told = [asked[key].format(text) for key, text in schedule["only"].items()]
        which = " ".join(["", *told])
        what = "when a file comes" if schedule["watch"] == FILES else f"when mail{which} comes to {mail}"
        return {"words": what, "next": "", "next_words": ""}
    coming = next_after(schedule["cron"], schedule["zone"], datetime.now(UTC))
    there = coming.astimezone(ZoneInfo(schedule["zone"]))
    return {
        "words": f"{words(schedule['cron'])} ({schedule['zone']})",
        "next": coming.isoformat(),
        "next_words": f"{there:%a} {there.day} {there:%b %H:%M} in {schedule['zone']}",
    }
