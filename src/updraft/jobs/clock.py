"""Begins runs by themselves: at their time, or when something new has come."""

from __future__ import annotations

import json
import logging
import sqlite3
import threading
from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from updraft.core import Problem
from updraft.core.connect import MailFolder
from updraft.core.connect.mail import messages
from updraft.core.schedule import next_after, words
from updraft.jobs.queue import BY_ITSELF
from updraft.store import ConnectionStore, FlowStore, Folders, RunStore, ScheduleStore
from updraft.store.orm import OperationalError
from updraft.store.schedules import FILES, MAIL

EVERY = 5.0  # seconds between looks
_log = logging.getLogger(__name__)


def tick(folders: Folders, execute: Callable[..., Any], moment: datetime) -> list[str]:
    """Begin what is due; gives the ids of the runs.

    A schedule whose time passed while nothing ran begins once, however often it passed. One whose last run
    is not done yet waits for its next time.
    """
    schedules, begun = ScheduleStore(), []
    for schedule in schedules.list():
        if not schedule["active"]:
            continue
        try:
            run_id = _begin(folders, schedules, schedule, moment)
        except Problem as problem:  # a connection that is gone, say: the others go on
            _log.warning("schedule %s: %s", schedule["id"], problem)
            continue
        if run_id:
            execute(run_id, priority=BY_ITSELF)
            begun.append(run_id)
    return begun


def _begin(folders: Folders, schedules: ScheduleStore, schedule: dict[str, Any], moment: datetime) -> str:
    stamp = moment.astimezone(UTC).isoformat(timespec="seconds")
    seen: str | None = None
    come = Come(f"schedule, {words(schedule['cron'])} ({schedule['zone']})")
    if schedule["watch"]:
        seen = json.dumps(_there(folders, schedule))
        if seen == schedule["seen"]:
            return ""
        new = json.loads(seen).items() - json.loads(schedule["seen"] or "{}").items()
        if not schedule["seen"] or not new:  # the first look, or something is only gone
            schedules.mark(schedule["id"], last=stamp, seen=seen)
            return ""
        come = _come(folders, schedule, sorted(name for name, _ in new))
        if not come.begins:
            schedules.mark(schedule["id"], last=stamp, seen=seen, said=come.cause)
            return ""
    else:
        since = datetime.fromisoformat(schedule["last"] or schedule["created"])
        if since > moment:  # the clock was ahead, and is set right: it goes on from now, not from then
            schedules.mark(schedule["id"], last=stamp)
            return ""
        if next_after(schedule["cron"], schedule["zone"], since) > moment:
            return ""
    runs, flows = RunStore(), FlowStore(folders)
    if schedule["run"] and runs.is_open(schedule["run"]):
        return ""
    number = flows.live(schedule["flow"])
    flow = flows.at(schedule["flow"], number)
    run_id = runs.create(
        schedule["flow"],
        flow,
        number,
        schedule["parameters"],
        by=schedule["id"],
        cause=come.cause,
        chain=",".join(sorted(come.chain)),
    )
    schedules.mark(schedule["id"], last=stamp, run=run_id, seen=seen, said="")
    return run_id


@dataclass(frozen=True)
class Come:
    """What came for a trigger, in words; whether it begins a run; the flows whose messages led to it."""

    cause: str
    begins: bool = True
    chain: frozenset[str] = frozenset()


def _come(folders: Folders, schedule: dict[str, Any], names: list[str]) -> Come:
    """What is new for a trigger. Mail that this flow sent itself, or that followed from what it sent, does
    not begin it again; nor does mail that it is not meant to take.
    """
    if schedule["watch"] == FILES:
        return Come(f"file {names[0]}" + (f" and {len(names) - 1:,} more" if len(names) > 1 else ""))
    found = [m for m in messages(_mail_of(folders, schedule), names) if m.fits(**schedule["only"])]
    if not found:
        return Come("", begins=False)
    others = [message for message in found if schedule["flow"] not in message.chain]
    if not others:
        told = f"“{found[0].subject}” did not begin it: it came of a run of this flow."
        return Come(told, begins=False)
    first = others[0]
    more = f" and {len(others) - 1:,} more" if len(others) > 1 else ""
    chain = frozenset[str]().union(*(message.chain for message in others))
    return Come(f"mail “{first.subject}” from {first.sender}{more}", chain=chain)


def _mail_of(folders: Folders, schedule: dict[str, Any]) -> MailFolder:
    connection = ConnectionStore(folders).get(schedule["watch"].removeprefix(MAIL))
    if not isinstance(connection, MailFolder):
        raise Problem(f"Connection “{connection.name}”", "it is no mail folder.", "Choose another one.")
    return connection


def _there(folders: Folders, schedule: dict[str, Any]) -> dict[str, str]:
    """What a trigger watches, by name, with a mark that changes with the content."""
    if schedule["watch"] == FILES:
        places = [folders.files(schedule["flow"])]
    else:
        places = [Path(_mail_of(folders, schedule).path).expanduser() / part for part in ("new", "cur")]
    found = {}
    for place in places:
        for path in sorted(place.iterdir()) if place.is_dir() else []:
            if path.is_file() and not path.name.startswith("."):
                name = (
                    path.name if schedule["watch"] == FILES else path.name.split(":")[0]
                )  # flags follow a colon
                stat = path.stat()
                found[name] = f"{stat.st_size} {stat.st_mtime_ns}" if schedule["watch"] == FILES else ""
    return found


def start(folders: Folders, execute: Callable[..., Any], bring_back: Callable[[], Any]) -> None:
    """Look every few seconds, in a thread that ends with the process.

    Args:
        bring_back: queues runs that wait and are not in the queue, as after a moment with a full disk.
    """

    def watch() -> None:
        said = ""
        while True:
            try:
                bring_back()
                tick(folders, execute, datetime.now(UTC))
                said = ""
            except (
                OperationalError,
                sqlite3.OperationalError,
            ) as error:  # a full disk, say: told once, not at every look
                if str(error) != said:
                    _log.warning("schedules: %s", error)
                said = str(error)
            except Exception:  # what goes wrong once must not end all schedules
                _log.exception("schedules")
            threading.Event().wait(EVERY)

    threading.Thread(target=watch, daemon=True, name="clock").start()
