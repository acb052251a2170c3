"""The file format of a flow: `*.updraft.json`, versioned, readable, without secrets."""

from __future__ import annotations

import json
import re
from collections.abc import Callable
from typing import Any

from pydantic import ValidationError

from updraft.core.flow.model import Flow
from updraft.core.problems import Problem

# 2: a port may take several tables; decisions. 3: types of columns; other names of two kinds. 4: patterns of
# columns' names fit whole names. 5: look-alikes by their words.
FORMAT = 6
SUFFIX = ".updraft.json"
# A row of decisions, which stands on one line so that the file can be read and compared.
_DECISION = re.compile(
    r'\[\n\s+"(?:[^"\\]|\\.)*",\n\s+"(?:[^"\\]|\\.)*"(?:,\n\s+"(?:[^"\\]|\\.)*"){2}\n\s+\]'
)


def _second(body: dict[str, Any]) -> dict[str, Any]:
    """Findings that were put away keep their key; one kind of them has another name since."""
    for one in body.get("dismissed", []):
        if isinstance(one, dict) and isinstance(one.get("finding"), str):
            one["finding"] = re.sub(r"^stand_ins:", "placeholders:", one["finding"])
    return body


def _third(body: dict[str, Any]) -> dict[str, Any]:
    """Columns have types, where they had kinds; two kinds of steps have another name."""
    steps, blocks = body.get("steps"), body.get("blocks")
    for step in steps if isinstance(steps, list) else []:
        if not isinstance(step, dict):
            continue
        settings, kind = step.get("settings"), str(step.get("kind"))
        if kind == "set_kinds" and isinstance(settings, dict):
            columns = settings.get("columns")
            for column in columns if isinstance(columns, list) else []:
                if isinstance(column, dict) and "kind" in column:
                    column["type"] = column.pop("kind")
        step["kind"] = {"set_kinds": "set_types", "settle_groups": "one_value_per_group"}.get(kind, kind)
        if isinstance(settings, dict):
            step["settings"] = _with_types(settings)
    for block in blocks.values() if isinstance(blocks, dict) else []:
        if isinstance(block, dict):
            _third(block)
    return body


def _with_types(value: Any) -> Any:
    """Settings with `types` where `kinds` stood, as names of settings and as a way of choosing columns."""
    if isinstance(value, list):
        return [_with_types(one) for one in value]
    if not isinstance(value, dict):
        return value
    value = {"types" if key == "kinds" else key: _with_types(one) for key, one in value.items()}
    return value | {"by": "types"} if value.get("by") == "kinds" else value


def _fourth(body: dict[str, Any]) -> dict[str, Any]:
    """Patterns of columns' names fit whole names, where they were found anywhere in one."""
    return {key: _with_whole_names(value) for key, value in body.items()}


def _with_whole_names(value: Any) -> Any:
    if isinstance(value, list):
        return [_with_whole_names(one) for one in value]
    if not isinstance(value, dict):
        return value
    value = {key: _with_whole_names(one) for key, one in value.items()}
    pattern = value.get("pattern")
    if value.get("by") == "pattern" and isinstance(pattern, str) and set(value) <= _CHOICE:
        value["pattern"] = f".*(?:{pattern}).*" if pattern else ""
    return value


def _fifth(body: dict[str, Any]) -> dict[str, Any]:
    """Look-alikes are also found by their words, unless said otherwise."""
    steps, blocks = body.get("steps"), body.get("blocks")
    for step in steps if isinstance(steps, list) else []:
        if isinstance(step, dict) and step.get("kind") == "merge_look_alikes":
            settings = step.get("settings", {})
            step["settings"] = {"words": False, **settings} if isinstance(settings, dict) else settings
    for block in blocks.values() if isinstance(blocks, dict) else []:
        if isinstance(block, dict):
            _fifth(block)
    return body


def _sixth(body: dict[str, Any]) -> dict[str, Any]:
    """A look-up by likeness compares several fields, of which its columns become the first."""
    steps, blocks = body.get("steps"), body.get("blocks")
    for step in steps if isinstance(steps, list) else []:
        settings = step.get("settings") if isinstance(step, dict) else None
        if isinstance(settings, dict) and step.get("kind") == "look_up_alike" and "fields" not in settings:
            field = {name: settings.pop(name, "") for name in ("column", "reference")}
            settings["fields"] = [field] if any(field.values()) else []
    for block in blocks.values() if isinstance(blocks, dict) else []:
        if isinstance(block, dict):
            _sixth(block)
    return body


_CHOICE = {"by", "names", "pattern", "types", "but"}  # what a choice of columns holds


# One entry per old version: turns a document of that version into the next one.
MIGRATIONS: dict[int, Callable[[dict[str, Any]], dict[str, Any]]] = {
    1: _second,
    2: _third,
    3: _fourth,
    4: _fifth,
    5: _sixth,
}


def dump(flow: Flow) -> str:
    """The flow as the text of a flow file: stable key order, so that two versions can be compared line by
    line.
    """
    text = json.dumps({"updraft": FORMAT, **_body(flow)}, indent=2, ensure_ascii=False)
    return _DECISION.sub(lambda row: re.sub(r"\s*\n\s*", " ", row.group()), text) + "\n"


def _body(flow: Flow) -> dict[str, Any]:
    body = flow.model_dump(mode="json", exclude={"blocks"})
    body["steps"] = [_without_defaults(step) for step in body["steps"]]
    body["parameters"] = [{k: v for k, v in p.items() if k != "options" or v} for p in body["parameters"]]
    body["blocks"] = {name: _body(block) for name, block in flow.blocks.items()}
    return {
        key: value
        for key, value in body.items()
        if value or key not in ("computed_on", "dismissed", "decisions", "blocks")
    }


def load(text: str, *, source: str = "The flow file") -> Flow:
    """Read the text of a flow file.

    Raises:
        Problem: not JSON, not a flow, or written by a newer Updraft. A flow with a cycle or an unknown
            kind of step loads: it can be looked at and mended.
    """
    try:
        body = json.loads(text.removeprefix("\ufeff"))
    except (ValueError, RecursionError) as error:
        where = f" (line {error.lineno})" if isinstance(error, json.JSONDecodeError) else ""
        raise Problem(
            source,
            f"it is not readable as JSON{where}.",
            "Export the flow again and use that file.",
            code="not_json",
        ) from None
    if not isinstance(body, dict) or "updraft" not in body:
        raise Problem(
            source,
            "it is JSON, but not a flow: the line “updraft” with the format's version is missing.",
            f"Choose a file that ends in {SUFFIX}.",
            code="not_a_flow",
        )
    version = body.pop("updraft")
    if not isinstance(version, int) or isinstance(version, bool) or version < 1:
        raise Problem(
            source,
            f"its format version {version!r} is not a version number.",
            "Export the flow again.",
            code="bad_version",
        )
    if version > FORMAT:
        raise Problem(
            source,
            f"it is written in format {version}; this Updraft reads up to format {FORMAT}.",
            "Update Updraft, then open it again. The file was left as it is.",
            code="newer_version",
        )
    for old in range(version, FORMAT):
        body = MIGRATIONS[old](body)
    try:
        return Flow.model_validate(body)
    except ValidationError as error:
        first = error.errors()[0]
        place = " → ".join(str(part) for part in first["loc"]) or "the flow"
        raise Problem(
            source,
            f"{place}: {first['msg'].removeprefix('Value error, ')}.",
            "Mend that place in the file, or export the flow again.",
            code="bad_flow",
        ) from None


def schema() -> dict[str, Any]:
    """The JSON Schema (2020-12) of a flow file."""
    parts = Flow.model_json_schema()
    # A flow may hold flows, so it is among the parts
    body = {**parts["$defs"]["Flow"], "$defs": parts["$defs"]}
    body["$schema"] = "https://json-schema.org/draft/2020-12/schema"
    body["title"] = "Updraft flow"
    body["properties"] = {
        "updraft": {"const": FORMAT, "description": "version of the format"},
        **body["properties"],
    }
    body["required"] = ["updraft", *body.get("required", [])]
    return body


def _without_defaults(step: dict[str, Any]) -> dict[str, Any]:
    drop = {"name": "", "note": "", "enabled": True, "inputs": {}}
    return {key: value for key, value in step.items() if key not in drop or value != drop[key]}
