"""What columns of Calculate give, and rules read from text, as JSON."""

from __future__ import annotations

from typing import Any

import polars as pl
from flask import Blueprint, jsonify
from pydantic import ValidationError

from updraft.core import Problem
from updraft.core.engine import Door
from updraft.core.formula import FormulaError, compile_formula, names_in
from updraft.core.formula.registry import of_other_rows
from updraft.core.insight.outcomes import telling_rows
from updraft.core.steps import Tables, kinds
from updraft.core.steps.rule_text import read_rules
from updraft.core.values import Kind, kind_of
from updraft.core.values.text import shown
from updraft.web.asked import Asked, Text, Whole, body_of
from updraft.web.live.kept import kept, kept_table
from updraft.web.live.patient import patient
from updraft.web.live.studio import studio

blueprint = Blueprint("calculating", __name__, url_prefix="/api/flows/<flow_id>/tables/<key>")

_LOOKED_AT = 20_000  # rows from the beginning, among which shapes are looked for
_MOST_TEXT = 300  # characters of a cell that are shown


class Tried(Asked):
    step: Text = ""
    columns: tuple[dict[str, Any], ...] = ()
    at: Whole = 0
    output: Text = ""


class Said(Asked):
    text: Text = ""
    output: Text = ""
    more: dict[str, Kind] = {}


@blueprint.post("/tries")
@patient
def tries(flow_id: str, key: str) -> Any:
    """What a column of Calculate gives. Body: the step's `columns`, and which of them (`at`).

    Answers `rows`, the telling ones, each with its number, what it is made of (`from`), what it gives and why
    it is shown; how many were `looked` at, of `all`; `read`, the columns it is made of; `kind` of the result.
    Where the column does not fit, a `problem`, with the place and the length of what is wrong in a formula.
    """
    body = body_of(Tried)
    calculate = kinds()["calculate"]
    try:
        settings = calculate.Settings.model_validate({"columns": body.columns[: body.at + 1]})
    except ValidationError as error:
        raise Problem(
            "These columns", f"they do not fit ({error.errors()[0]['msg']}).", "Open them anew."
        ) from None
    if body.at >= len(settings.columns):  # type: ignore[attr-defined]
        raise Problem("This column", "it is not there.", "Choose another one.")
    flow = studio().flows.get(flow_id).flow
    door = Door(studio().files(flow_id), body.step, studio().plan(flow_id, flow))
    table = kept(key, body.output)
    item = settings.columns[body.at]  # type: ignore[attr-defined]
    whole = any(_of_groups(column) for column in settings.columns)  # type: ignore[attr-defined]
    looked = table if whole else table.head(_LOOKED_AT)
    try:
        made = calculate.work(Tables.of(looked), settings, door).table
        names = made.collect_schema().names()
        chosen = item.each.resolve(table.collect_schema()) if item.several else ()
        name = item.named(chosen[0]) if item.several else item.name.strip()
        read = [column for column in _read(item, names) if column in table.collect_schema()][:4]
        # A column more, since a frame of none has no rows either.
        before = looked.select(pl.lit(0).alias("\0one"), *read)
        wanted = made.select(pl.col(name).alias("\0result"))
        frames = pl.collect_all([wanted.head(_LOOKED_AT), before.head(_LOOKED_AT)])
    except Problem as problem:
        return jsonify(problem={**problem.as_dict(), **_place(item, table, door, settings, body.at)}, rows=[])
    except pl.exceptions.PolarsError as error:
        from updraft.core.engine.told import told

        return jsonify(problem=told(error, calculate.title).as_dict(), rows=[])
    result, made_of = frames[0].to_series(), frames[1]
    telling = telling_rows(made_of, read, result)
    places = [one.row for one in telling]
    gives, texts = (
        shown(result.gather(places)).to_list(),
        [shown(made_of[column].gather(places)) for column in read],
    )
    return jsonify(
        problem=None,
        read=read,
        kind=kind_of(frames[0].schema["\0result"]),
        looked=len(result),
        all=kept_table(key).rows[body.output],
        empty=int(result.null_count()),
        rows=[
            {**one._asdict(), "gives": _cut(gives[n]), "from": [_cut(text[n]) for text in texts]}
            for n, one in enumerate(telling)
        ],
    )


def _cut(text: str | None) -> str | None:
    return text if text is None or len(text) <= _MOST_TEXT else f"{text[:_MOST_TEXT]}…"


def _of_groups(item: Any) -> bool:
    """Whether its formula looks at other rows."""
    texts = [item.formula, *(rule.then for rule in item.rules if rule.calculated)]
    return any(map(of_other_rows, texts))


def _read(item: Any, names: list[str]) -> list[str]:
    """The columns that it is made of, in the order in which the table has them."""
    texts = [item.formula] if item.by == "formula" else [rule.then for rule in item.rules if rule.calculated]
    read = {column for rule in item.rules for column in rule.when.columns()} if item.by == "rules" else set()
    for text in texts:
        found, _ = names_in(text)
        read |= found if found is not None else {name for name in names if name in text}
    if item.several:
        read |= set(item.each.names)
    return [name for name in names if name in read]


def _place(item: Any, table: pl.LazyFrame, door: Door, settings: Any, at: int) -> dict[str, int]:
    """Where in the formula it is wrong, in characters; nothing where it is not the formula."""
    try:
        kinds_ = {name: kind_of(dtype) for name, dtype in table.collect_schema().items()}
        for made in settings.columns[:at]:
            kinds_.setdefault(made.name.strip(), Kind(made.kind or "text"))
        compile_formula(item.formula, kinds_, door.parameter)
    except FormulaError as error:
        return {"place": error.place, "length": error.length}
    except Problem:
        pass
    return {}


@blueprint.post("/rules")
def rules(flow_id: str, key: str) -> Any:
    """Rules read from lines of text. Body: `text`, and columns that are made before them (`more`).

    Answers `rules` (`when`, `then`, in `words`), `otherwise` and `missed`: what was not understood, with the
    reason.
    """
    body = body_of(Said)
    schema = kept(key, body.output).collect_schema()
    known = {name: kind_of(dtype) for name, dtype in schema.items()}
    read = read_rules(body.text, known | body.more)
    return jsonify(
        rules=[
            {"when": rule.when.model_dump(mode="json"), "then": rule.then, "words": rule.when.words()}
            for rule in read.rules
        ],
        otherwise=read.otherwise,
        missed=[{"text": one.text, "reason": one.reason} for one in read.missed],
    )
