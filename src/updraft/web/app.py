"""Make the Flask app: its safety first, then its parts."""

from __future__ import annotations

import hashlib
import re
import sqlite3
from collections.abc import Callable
from pathlib import Path
from typing import Any

from flask import Flask, Response, jsonify, render_template, request
from flask_wtf.csrf import CSRFError, CSRFProtect
from markupsafe import Markup
from werkzeug.exceptions import HTTPException, SecurityError

from updraft import __version__
from updraft.core import Problem
from updraft.core.engine.inputs import READ_FILE
from updraft.store import Folders
from updraft.store.orm import OperationalError
from updraft.web.live.detecting import Detecting
from updraft.web.live.patient import Patient
from updraft.web.live.studio import Studio
from updraft.web.live.windows import Windows
from updraft.web.views import blueprints

_STATIC, _YEAR = Path(__file__).resolve().parent / "static", 365 * 24 * 3600
UPLOAD_LIMIT = 2 << 30  # bytes of one upload
POLICY = (
    "default-src 'self'; script-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; "
    "object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
)
_TURNING = re.compile("[\u202a-\u202e\u2066-\u2069]")
_GONE = {"no_flow", "no_run", "no_revision", "no_id", "no_step", "no_table", "no_connection"}


def create_app(
    folders: Folders,
    execute: Callable[[str], Any],
    *,
    secret: str,
    upload_limit: int = UPLOAD_LIMIT,
    allow: frozenset[str] = frozenset(),
    memory: int = 0,
) -> Flask:
    """The app on a data folder.

    Args:
        execute: puts a run, by its id, into the queue.
        secret: signs sessions and form tokens.
        allow: addresses (host:port) of this machine or a private network that flows may ask.
        memory: bytes that the server should hold at most; 0 for half of the machine's.
        upload_limit: the largest upload taken, in bytes.
    """
    # Under the state of the files in their address, so that a browser asks for each of them once.
    app = Flask(__name__, static_url_path=f"/static/{_state_of(_STATIC)}")
    app.config.update(
        SEND_FILE_MAX_AGE_DEFAULT=_YEAR,
        SECRET_KEY=secret,
        MAX_CONTENT_LENGTH=upload_limit,
        MAX_FORM_MEMORY_SIZE=32 << 20,
        WTF_CSRF_TIME_LIMIT=None,
        SESSION_COOKIE_SAMESITE="Strict",
        SESSION_COOKIE_HTTPONLY=True,
        # A page elsewhere must not reach the app under a name of its own that it points at this machine.
        TRUSTED_HOSTS=["127.0.0.1", "localhost"],
    )
    app.json.sort_keys = False  # type: ignore[attr-defined]
    app.jinja_env.policies["json.dumps_kwargs"] = {}  # forms show settings in the order they are declared
    app.extensions["studio"] = Studio(folders, execute, allow, memory)
    app.extensions["detecting"] = Detecting(app.extensions["studio"].room)
    app.extensions["patient"] = Patient(app.extensions["studio"].room)
    app.jinja_env.finalize = turned_signs_shown
    app.extensions["windows"] = Windows()
    CSRFProtect(app)
    for blueprint in blueprints():
        app.register_blueprint(blueprint)
    app.register_error_handler(Problem, _problem)
    app.register_error_handler(CSRFError, _no_token)
    app.register_error_handler(OperationalError, _database)
    app.register_error_handler(sqlite3.OperationalError, _database)  # of the queue
    app.register_error_handler(HTTPException, _http)
    app.after_request(_headers)
    app.jinja_env.globals.update(version=__version__, file_kind=READ_FILE)
    return app


def _state_of(folder: Path) -> str:
    """A short text that is another one after any file of a folder has changed."""
    state = hashlib.blake2b(digest_size=6)
    for path in sorted(folder.rglob("*")):
        if path.is_file():
            about = path.stat()
            state.update(f"{path.relative_to(folder)} {about.st_size} {about.st_mtime_ns}\n".encode())
    return state.hexdigest()


def turned_signs_shown(value: Any) -> Any:
    """Signs that turn the direction of writing round, written out: a name must read as it is."""
    if not isinstance(value, str) or isinstance(value, Markup) or not _TURNING.search(value):
        return value
    return _TURNING.sub(lambda sign: f"⟨U+{ord(sign[0]):04X}⟩", value)


def _problem(problem: Problem) -> tuple[Any, int]:
    status = 404 if problem.code in _GONE else {"stale": 409, "bad_request": 400}.get(problem.code, 422)
    return _answer(problem, status)


def _no_token(error: CSRFError) -> tuple[Any, int]:
    return _answer(
        Problem("This page", "it has been open too long, or cookies are off.", "Reload it.", code="csrf"), 400
    )


def _database(error: Exception) -> tuple[Any, int]:
    full = "full" in str(error)
    reason = "the disk is full, so it could not be saved." if full else f"it could not be saved ({error})."
    return _answer(
        Problem(
            "The change",
            reason,
            "Make room, then make it again; what was saved before is untouched.",
            code="cannot_store",
        ),
        507,
    )


def _http(error: HTTPException) -> tuple[Any, int]:
    code = error.code or 500
    if isinstance(error, SecurityError):  # a foreign host name: no page of ours is drawn for it
        return "Updraft answers only at 127.0.0.1 and localhost.", 400
    said = {
        404: Problem("This address", "nothing is here.", "Go back to the list of flows.", code="not_found"),
        413: Problem(
            "The upload",
            "it is larger than this Updraft takes.",
            "Split it, or read it from the command line.",
            code="too_large",
        ),
        400: Problem(
            "The request",
            "it came incomplete; perhaps the connection was cut.",
            "Try again.",
            code="bad_request",
        ),
        500: Problem(
            "Updraft",
            "something went wrong here, and it was not your doing.",
            "Try again; the flow is saved as it was before.",
            code="server",
        ),
    }.get(
        code,
        Problem(
            "The request", f"{(error.description or error.name).rstrip('.')}.", "Try again.", code="http"
        ),
    )
    return _answer(said, code)


def _answer(problem: Problem, status: int) -> tuple[Any, int]:
    if request.path.startswith("/api/"):
        return jsonify(problem=problem.as_dict()), status
    return render_template("problem.html", problem=problem), status


def _headers(response: Response) -> Response:
    response.headers["Content-Security-Policy"] = POLICY
    response.headers["X-Content-Type-Options"] = "nosniff"
    response.headers["Referrer-Policy"] = "same-origin"
    response.headers["X-Frame-Options"] = "DENY"
    if request.path.startswith("/api/"):
        response.headers["Cache-Control"] = "no-store"
    return response
