"""What commands read: flow files, NAME=VALUE pairs, connections, and the table of a file or of a step."""

from __future__ import annotations

import contextlib
import json
import os
from datetime import date
from pathlib import Path
from typing import TYPE_CHECKING

from updraft.cli.saying import fail
from updraft.core.connect.model import CONNECTION, Connection
from updraft.core.flow import Flow
from updraft.core.flow import load as load_flow
from updraft.core.problems import Problem

if TYPE_CHECKING:
    import polars as pl

    from updraft.core.connect.outside import Outside
    from updraft.core.engine import Files

today = date.today


def load(path: Path) -> Flow:
    try:
        return load_flow(path.read_text(encoding="utf-8"), source=path.name)
    except FileNotFoundError:
        raise Problem(str(path), "this flow file is not here.", "Check the path.", code="no_file") from None
    except (OSError, UnicodeDecodeError) as error:
        raise Problem(
            str(path), f"it cannot be read ({error}).", "Choose a flow file.", code="no_file"
        ) from None


def pairs(texts: tuple[str, ...], option: str, form: str) -> dict[str, str]:
    found = {}
    for text in texts:
        name, equals, value = text.partition("=")
        if not equals or not name:
            raise Problem(f"{option} {text}", "it has no “=”.", f"Write it as {form}.", code="bad_call")
        found[name] = value
    return found


def connections(path: Path | None, data: Path | None) -> dict[str, Connection]:
    """Connections from a file and from the app's data. A secret may be given as $NAME, a variable of the
    environment.
    """
    found: dict[str, Connection] = {}
    if data is not None and (data / "updraft.sqlite").exists():
        from updraft.store import ConnectionStore, Folders, open_database

        folders = Folders(data)
        open_database(folders.database)
        found |= ConnectionStore(folders).all()
    if path is not None:
        try:
            for raw in json.loads(path.read_text(encoding="utf-8")):
                secret = str(raw.get("secret", ""))
                known = {
                    **raw,
                    "secret": os.environ.get(secret[1:], "") if secret.startswith("$") else secret,
                }
                connection = CONNECTION.validate_python(known)
                found[connection.name] = connection
        except FileNotFoundError:
            raise Problem(
                str(path), "this file of connections is not here.", "Check the path.", code="no_file"
            ) from None
        except (ValueError, AttributeError, TypeError) as error:
            raise Problem(
                str(path),
                f"it is no list of connections ({str(error).splitlines()[0]}).",
                "See docs/command-line.md for one.",
                code="bad_call",
            ) from None
    return found


def files_beside(
    flow: Path,
    given: dict[str, Path] | None = None,
    outside: Outside | None = None,
    data: Path | None = None,
    *,
    further: tuple[Path, ...] = (),
    by_content: bool = False,
) -> Files:
    """What a flow file may read: files and flows beside it or in further folders, and those of the app."""
    from updraft.cli.library import FlowFiles
    from updraft.core.engine import Files

    reading = {"further": further, "by_content": by_content, "outside": outside, "today": today}
    return Files(flow.parent, given, library=FlowFiles(flow.parent, data, reading), **reading)


def open_questions(path: Path, flow: Flow, step_id: str) -> str:
    """What a step would like to ask, as CSV."""
    from updraft.core.engine import Engine
    from updraft.core.formats.write import write_csv

    engine, files = Engine(), files_beside(path)
    table = engine.look(engine.plan(flow, files), step_id, files)
    if "open" not in table.frames:
        return "Name,Rows\n"
    asked = table.lazy("open").collect()
    told = [s.name for s in asked if s.name in ("Name", "Rows") or s.null_count() < asked.height]
    return write_csv(asked.select(told), None) or ""


def table_of(
    path: Path, step_id: str, as_json: bool
) -> tuple[pl.DataFrame, dict[str, pl.DataFrame], dict[str, str]]:
    """The table of a data file, or of a step of a flow file with the other tables it may meet and what was
    dismissed.
    """
    from updraft.core.engine import Engine
    from updraft.core.insight.neighbours import dismissed, neighbours

    flow, files, step_id = step_of(path, step_id, as_json)
    try:
        engine = Engine()
        planned = engine.plan(flow, files)
        table = engine.look(planned, step_id, files).lazy().collect()
        others = {}
        for other, name in neighbours(flow, step_id).items():
            with contextlib.suppress(Problem):  # a table that cannot be had is none to meet
                others[name] = engine.look(planned, other, files).lazy().collect()
        return table, others, dismissed(flow, step_id)
    except Problem as problem:
        fail(problem, as_json, 2 if problem.code in ("no_file", "bad_call") else 1)


def step_of(path: Path, step_id: str, as_json: bool) -> tuple[Flow, Files, str]:
    """The flow of a flow file with its files and one of its steps, the last one if none is named; of a data
    file one that reads it.
    """
    from updraft.core.engine import Files

    try:
        if not path.is_file():
            raise Problem(str(path), "this file is not here.", "Check the path.", code="no_file")
        if not path.name.endswith(".updraft.json"):
            if step_id:
                raise Problem(
                    f"--step {step_id}",
                    "only a flow (.updraft.json) has steps.",
                    "Leave it out, or name a flow.",
                    code="bad_call",
                )
            return flow_reading(path), Files(path.parent, {"file": path.resolve()}), "file"
        flow, files = load(path), files_beside(path)
        step_id = step_id or next((s.id for s in reversed(flow.steps)), "")
        if not flow.has(step_id):
            raise Problem(
                f"--step {step_id}",
                "the flow has no such step.",
                f"Its steps are: {', '.join(s.id for s in flow.steps) or 'none'}.",
                code="bad_call",
            )
        return flow, files, step_id
    except Problem as problem:
        fail(problem, as_json, 2 if problem.code in ("no_file", "bad_call") else 1)


def flow_reading(file: Path) -> Flow:
    return Flow.model_validate({"steps": [{"id": "file", "kind": "read_file", "settings": {"path": "file"}}]})
