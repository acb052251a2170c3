"""Answers that a browser saves as a file."""

from __future__ import annotations

import unicodedata
from urllib.parse import quote

from flask import Response
from werkzeug.http import dump_options_header


def attached(response: Response, name: str) -> Response:
    """The answer as a file of this name, in any letters (RFC 6266: `filename*` beside a plain one)."""
    plain = unicodedata.normalize("NFKD", name).encode("ascii", "ignore").decode().strip() or "file"
    options = {"filename": plain, "filename*": f"UTF-8''{quote(name, safe='')}"}
    response.headers["Content-Disposition"] = dump_options_header("attachment", options)
    return response
