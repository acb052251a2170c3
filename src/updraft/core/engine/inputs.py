"""Give the sources of a flow other files to read: for one run, from the page or the command line."""

from __future__ import annotations

from pathlib import Path

from updraft.core.flow.model import Flow
from updraft.core.problems import Problem
from updraft.core.steps import kinds

READ_FILE = "read_file"  # the kind that a source becomes when it is given a file


def with_inputs(flow: Flow, inputs: dict[str, str]) -> tuple[Flow, dict[str, Path]]:
    """The flow with some sources reading other files, and these files by the names that its settings now use.

    A source of another kind than Read file becomes one.

    Args:
        inputs: id of a source step → the file it is to read.

    Raises:
        Problem: the flow has no source of that id, or the file is not there.
    """
    given = {}
    for step_id, text in inputs.items():
        _need_source(flow, step_id)
        path = Path(text).resolve()
        if not path.is_file():
            raise Problem(text, "this file is not here.", "Check the path.", step=step_id, code="no_file")
        name = f"{step_id}={path.name}"
        given[name] = path
        flow = reading(flow, step_id, name)
    return flow, given


def reading(flow: Flow, step_id: str, path: str) -> Flow:
    """The flow with this source reading a file, named as its settings name files.

    Raises:
        Problem: the flow has no source of that id.
    """
    _need_source(flow, step_id)
    step = flow.step(step_id)
    known = step.settings if step.kind == READ_FILE else {}
    instead = step.model_copy(update={"kind": READ_FILE, "settings": {**known, "path": path}})
    return flow.model_copy(update={"steps": tuple(instead if s.id == step_id else s for s in flow.steps)})


def _need_source(flow: Flow, step_id: str) -> None:
    sources = [step.id for step in flow.steps if (kind := kinds().get(step.kind)) and not kind.inputs]
    if step_id not in sources:
        raise Problem(
            f"Input “{step_id}”",
            "the flow has no source of this id.",
            f"Its sources are: {', '.join(sources) or 'none'}.",
            code="bad_call",
        )
