"""Files of a flow: upload, list, and how a file would be read."""

from __future__ import annotations

import re
import uuid
from dataclasses import asdict
from pathlib import Path
from typing import Any

from flask import Blueprint, jsonify, request

from updraft.core import Problem
from updraft.core.engine import digest_of
from updraft.core.flow.edits import SetSettings
from updraft.core.formats import TITLES, Detected, ReadOptions, detect
from updraft.core.formats.raw import raw
from updraft.core.formats.reading import format_of
from updraft.core.steps import SHAPES
from updraft.core.steps.sources.reading import ReadingSettings
from updraft.store.folders import safe_name
from updraft.web.asked import Asked, Text, body_of
from updraft.web.live.patient import patient
from updraft.web.live.studio import remembered, studio

blueprint = Blueprint("files", __name__, url_prefix="/api/flows/<flow_id>/files")


class Tried(Asked):
    step: Text = ""
    settings: dict[str, Any] | None = None


@blueprint.post("")
def upload(flow_id: str) -> Any:
    """Take a file (multipart field `file`) that can be read as a table; one that cannot is not kept, unless
    it is to be no table (`other`): a template, say.

    `folder` puts it into a folder of the flow's files. The same name with other content is kept beside the
    old one under a numbered name, since other steps and earlier revisions may use it.
    """
    studio().flows.get(flow_id)
    sent = request.files.get("file")
    if sent is None or not sent.filename:
        raise Problem(
            "The upload", "no file came with it.", "Choose a file or drop it on the page.", code="no_file"
        )
    within = safe_name(request.form["folder"]) if request.form.get("folder") else ""
    folder = studio().folders.files(flow_id) / within
    folder.mkdir(exist_ok=True)
    name = safe_name(sent.filename)
    scratch = folder / f".{uuid.uuid4().hex}"
    scratch.mkdir()
    beside = scratch / name  # under its own name, so that messages say it
    try:
        sent.save(beside)
        columns = () if request.form.get("other") else _described(flow_id, beside, ReadOptions())[0].columns
        path = _placed(beside, folder)
    except OSError as error:
        raise Problem(
            name,
            f"it could not be stored ({(error.strerror or str(error)).lower()}).",
            "Make room on the disk, then drop it again.",
            code="cannot_store",
        ) from None
    finally:
        beside.unlink(missing_ok=True)
        scratch.rmdir()
    return jsonify(path=f"{within}/{path.name}" if within else path.name, columns=columns), 201


@blueprint.get("")
def list_files(flow_id: str) -> Any:
    studio().flows.get(flow_id)
    folder = studio().folders.files(flow_id)
    found = sorted(
        p for p in [*folder.glob("*"), *folder.glob("*/*")] if p.is_file() and not p.name.startswith(".")
    )
    return jsonify(files=[{"path": str(p.relative_to(folder)), "bytes": p.stat().st_size} for p in found])


@blueprint.post("/detected")
@patient
def detected(flow_id: str) -> Any:
    """How the file of a step is read, and a picture of it as it stands. Body: `step`, perhaps `settings`
    tried.

    Answers every option with its reason, what else could be chosen, the columns, and `raw`: lines, cells or a
    tree.
    """
    body = body_of(Tried)
    flow = studio().flows.get(flow_id).flow
    step_id = body.step
    if body.settings is not None and flow.has(step_id):
        flow = SetSettings(id=step_id, settings=body.settings).apply(flow, SHAPES)
    planned = studio().plan(flow_id, flow).steps.get(step_id)
    if planned is not None and planned.problem is not None:
        raise planned.problem
    if planned is None or not isinstance(planned.settings, ReadingSettings):
        raise Problem("This step", "it reads no file.", "Choose another one.", code="no_step")
    paths = studio().readable(flow_id, planned)
    found, picture = _described(flow_id, paths[0], planned.settings.options())
    return jsonify(
        format=found.format,
        title=TITLES[found.format],
        options=asdict(found.options),
        reasons=found.reasons,
        choices=found.choices,
        preamble=found.preamble[:20],
        columns=found.columns,
        files=[_name(path) for path in paths],
        raw=picture,
    )


def _name(path: Path) -> str:
    """A file's name; a kept answer of a service has none that would say anything."""
    return "the first answer" if re.fullmatch(r"[0-9a-f]{32}", path.stem) else path.name


def _described(flow_id: str, path: Path, options: ReadOptions) -> tuple[Detected, dict[str, Any]]:
    """Remembered for the file as it is now, since a page asks again whenever something on its form
    changes.
    """
    stat = path.stat()

    def make() -> tuple[Detected, dict[str, Any]]:
        seen = _without_lines(flow_id, path, options)
        found = detect(seen, options)
        picture = raw(seen, found)
        return found, {
            "shape": picture.shape,
            "first": [vars(line) for line in picture.first],
            "last": [vars(line) for line in picture.last],
            "tree": picture.tree.as_dict() if picture.tree else None,
        }

    # By the file itself rather than its name: an upload is looked at before it gets its place.
    return remembered(("detected", stat.st_ino, stat.st_size, stat.st_mtime_ns, options), make)


def _without_lines(flow_id: str, path: Path, options: ReadOptions) -> Path:
    """A file, or its sample where one is looked at and it has no lines whose numbers would be shown."""
    samples = studio().files(flow_id).samples
    if samples is None or format_of(path, options) in ("delimited", "fixed", "told"):
        return path
    share = samples.share([path], options)
    return samples.of(path, share, options) if share < 1 else path


def _placed(beside: Path, folder: Path) -> Path:
    """Put a file into a folder, under a numbered name where others have its name, and say where it lies.

    The name is taken by making it, so that of two uploads at the same moment only one gets it.
    """
    digest, path, number = digest_of(beside), folder / beside.name, 2
    while True:
        try:
            path.touch(exist_ok=False)
        except FileExistsError:
            if digest_of(path) != digest:
                path, number = folder / f"{beside.stem} ({number}){beside.suffix}", number + 1
                continue
        beside.replace(path)
        return path
