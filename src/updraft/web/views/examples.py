"""Formulas worked out from examples, as JSON."""

from __future__ import annotations

from typing import Any

import polars as pl
from flask import Blueprint, jsonify

from updraft.core.problems import missing_column
from updraft.core.synthesis import from_examples
from updraft.core.values.text import shown
from updraft.web.asked import Asked, Text, body_of
from updraft.web.live.kept import kept, kept_table
from updraft.web.live.patient import patient

blueprint = Blueprint("examples", __name__, url_prefix="/api/flows/<flow_id>/tables/<key>/examples")

_LOOKED_AT = 2000  # rows from the table's beginning
_SHOWN = 3  # rows to begin with


class Examples(Asked):
    columns: tuple[Text, ...] = ()
    give: dict[str, Text] = {}
    output: Text = ""


@blueprint.post("")
@patient
def examples(flow_id: str, key: str) -> Any:
    """Readings of the results given. Body: `columns` they are made of, `give`: row, from 0 → result.

    Answers `readings` (`sentence`, `formula`), best first; `question`: the row whose result would tell them
    apart; and `rows`: the first ones, those given and the one asked for, each with what stands there (`from`)
    and what each reading makes of it (`values`).
    """
    body = body_of(Examples)
    table = kept(key, body.output)
    names = table.collect_schema().names()
    for name in body.columns:
        if name not in names:
            raise missing_column(name, names)
    looked = table.select(list(dict.fromkeys(body.columns)))
    given = {int(row): value for row, value in body.give.items() if row.isdigit() and len(row) < 10}
    # Rows further down that are given stand behind those from the beginning.
    height = kept_table(key).rows[body.output]
    later = sorted(row for row in given if _LOOKED_AT <= row < height)
    parts = [looked.head(_LOOKED_AT), *([looked.select(pl.all().gather(later))] if later else [])]
    frame = pl.concat(pl.collect_all(parts))
    place = {row: frame.height - len(later) + n for n, row in enumerate(later)}
    row_at = {at: row for row, at in place.items()}
    wanted = {place.get(row, row): value for row, value in given.items()}
    answer = from_examples(frame, wanted) if wanted else None
    readings = answer.readings if answer else []
    question = answer.question if answer else None
    asked = [] if question is None else [question]
    rows = sorted({*range(min(_SHOWN, frame.height)), *wanted, *asked})
    texts = (
        frame[rows].select(shown(series).alias(series.name) for series in frame)
        if frame.width
        else pl.DataFrame()
    )
    return jsonify(
        readings=[{"sentence": one.sentence, "formula": one.formula} for one in readings],
        question=row_at.get(question, question) if question is not None else None,
        rows=[
            {
                "row": row_at.get(row, row),
                "from": list(texts.row(n)),
                "values": [one.values[row] for one in readings],
            }
            for n, row in enumerate(rows)
        ],
    )
