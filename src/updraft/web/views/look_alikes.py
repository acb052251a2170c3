"""Families of spellings, as JSON."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated, Any

from flask import Blueprint, jsonify
from pydantic import Field

from updraft.core import Problem
from updraft.core.problems import missing_column
from updraft.core.similarity.families import Ways, by_name, by_strictness, proposed
from updraft.core.values import Kind, kind_of
from updraft.web.asked import Asked, Text, body_of
from updraft.web.live.kept import kept
from updraft.web.live.patient import patient
from updraft.web.live.studio import remembered

blueprint = Blueprint("look_alikes", __name__, url_prefix="/api/flows/<flow_id>/tables/<key>")

_MOST_FAMILIES = 2_000
_LEAST = 0.7  # the loosest strictness that the slider offers


class Likeness(Asked):
    column: Text = ""
    output: Text = ""
    letters: bool = True
    words: bool = True
    slips: bool = True
    sound: bool = True
    close: bool = True
    strictness: Annotated[float, Field(ge=0.5, le=1)] = 0.83


@blueprint.post("/look-alikes")
@patient
def look_alikes(flow_id: str, key: str) -> Any:
    """Families of spellings of a column. Body: `column`, the ways, `strictness`.

    Answers `families` (`name`, `why`, `sure`, `weakest`: the way least sure of it, `spellings`: value, rows,
    why, likeness), at most 2,000, those with most rows first; how many there are (`all`), `distinct` values;
    and `strictness`: how many families each strictness would give, from the loosest.
    """
    body = body_of(Likeness)
    table = kept(key, body.output)
    schema = table.collect_schema()
    if body.column not in schema:
        raise missing_column(body.column, schema.names())
    if kind_of(schema[body.column]) is not Kind.TEXT:
        raise Problem(f"Column “{body.column}”", "it holds no text.", "Choose a column of text.")
    ways = Ways(body.letters, body.words, body.slips, body.sound, body.strictness if body.close else None)

    def remember(by: tuple[Any, ...], make: Callable[[], Any]) -> Any:
        return remembered((((key, body.output),), *by), make)  # as the step itself remembers, see Door.learnt

    counted, proposals = proposed(table, body.column, ways, remember)
    found = by_name(counted, proposals)
    least = _LEAST if counted.height <= 3_000 else 0.85
    scale = []
    if body.close:  # the slider is there for closeness alone
        scale = remembered(
            ("strictness", key, body.output, body.column, ways[:-1]),
            lambda: by_strictness(counted, ways, least, 12),
        )
    return jsonify(
        distinct=counted.height,
        all=len(found),
        families=[
            {
                "name": one.name,
                "why": one.why,
                "sure": one.sure,
                "weakest": one.weakest,
                "spellings": [
                    [one.name, one.spellings[one.name], "", 1.0],
                    *([p.value, one.spellings[p.value], p.why, p.alike] for p in one.proposals),
                ],
            }
            for one in found[:_MOST_FAMILIES]
        ],
        strictness=scale,
    )
