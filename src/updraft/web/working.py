"""What the wide desks work with, as JSON: what formulas give, rules read from text, families of spellings."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated, Any

import polars as pl
from flask import Blueprint, jsonify
from pydantic import Field, ValidationError

from updraft.core import Problem
from updraft.core.engine import Door
from updraft.core.formula import FormulaError, compile_formula, names_in
from updraft.core.formula.registry import of_other_rows
from updraft.core.insight.alike_fields import best_scores, proposed_fields
from updraft.core.insight.keys import KeyProposal, proposed_keys
from updraft.core.insight.meeting import COUNTED_BY, Meeting, meeting
from updraft.core.insight.outcomes import telling_rows
from updraft.core.linking import Field as FieldCompared
from updraft.core.problems import missing_column
from updraft.core.similarity.families import Ways, by_name, by_strictness, proposed
from updraft.core.steps import Tables, kinds
from updraft.core.steps.joins.join_settings import JoinSettings
from updraft.core.steps.likeness import FieldAlike, OwnFieldAlike
from updraft.core.steps.rule_text import read_rules
from updraft.core.values import Kind, kind_of
from updraft.core.values.text import shown
from updraft.web.asked import Asked, Text, Whole, body_of
from updraft.web.patient import patient
from updraft.web.studio import remembered, studio

blueprint = Blueprint("working", __name__, url_prefix="/api/flows/<flow_id>/tables/<key>")

_LOOKED_AT = 20_000  # rows from the beginning, among which shapes are looked for
_MOST_TEXT = 300  # characters of a cell that are shown
_MOST_FAMILIES = 2_000
_LEAST = 0.7  # the loosest strictness that the slider offers


class Tried(Asked):
    step: Text = ""
    columns: tuple[dict[str, Any], ...] = ()
    at: Whole = 0
    output: Text = ""


class Said(Asked):
    text: Text = ""
    output: Text = ""
    more: dict[str, Kind] = {}


class Met(Asked):
    output: Text = ""
    other: Text = ""
    other_output: Text = ""


class Joining(Met):
    settings: dict[str, Any] = {}


class Scored(Met):
    fields: tuple[dict[str, Any], ...] = ()


class Likeness(Asked):
    column: Text = ""
    output: Text = ""
    letters: bool = True
    words: bool = True
    slips: bool = True
    sound: bool = True
    close: bool = True
    strictness: Annotated[float, Field(ge=0.5, le=1)] = 0.83


def _table(key: str, output: str) -> pl.LazyFrame:
    table = studio().engine.cache.get(key)
    if table is None or output not in table.frames:
        raise Problem("This table", "it is not kept any more.", "It is computed again.", code="no_table")
    return table.lazy(output)


@blueprint.post("/tries")
@patient
def tries(flow_id: str, key: str) -> Any:
    """What a column of Calculate gives. Body: the step's `columns`, and which of them (`at`).

    Answers `rows`, the telling ones, each with its number, what it is made of (`from`), what it gives and why
    it is shown; `read`, the columns it is made of; `kind` of the result. Where the column does not fit, a
    `problem`, with the place and the length of what is wrong in a formula.
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
    table = _table(key, body.output)
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
    schema = _table(key, body.output).collect_schema()
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


@blueprint.post("/keys")
@patient
def keys(flow_id: str, key: str) -> Any:
    """Pairs of columns by which this table and another one (`other`, a key) are likely to meet."""
    body = body_of(Met)
    mine, its = _table(key, body.output), _table(body.other, body.other_output)
    mark = ("keys", key, body.output, body.other, body.other_output)
    found: list[KeyProposal] = remembered(mark, lambda: proposed_keys(mine, its))
    return jsonify(keys=[one.as_dict() for one in found])


@blueprint.post("/meeting")
@patient
def meet(flow_id: str, key: str) -> Any:
    """How the rows of this table and another one (`other`, a key) would meet by a join's `settings`: counted
    as `insight.meeting.Meeting` says.
    """
    body = body_of(Joining)
    mine, its = _table(key, body.output), _table(body.other, body.other_output)
    try:
        chosen = JoinSettings.model_validate(body.settings)
    except ValidationError:
        raise Problem("The join", "its settings cannot be read.", "Load the page again.") from None
    by = chosen.model_dump_json(include=COUNTED_BY)  # other settings change nothing that is counted
    mark = ("meeting", key, body.output, body.other, body.other_output, by)
    found: Meeting = remembered(mark, lambda: meeting(mine, its, chosen))
    return jsonify(found.as_dict())


@blueprint.post("/fields")
@patient
def fields(flow_id: str, key: str) -> Any:
    """Fields by which rows of this table and another one (`other`, a key) are likely the same things.

    Answers `fields` (column, reference, measure, weight) and `least`, the likeness to ask for in percent.
    """
    body = body_of(Met)
    mine, its = _table(key, body.output), _table(body.other, body.other_output)
    mark = ("fields", key, body.output, body.other, body.other_output)
    found = remembered(mark, lambda: proposed_fields(mine, its))
    return jsonify(
        fields=[
            {"column": one.left, "reference": one.right, "measure": one.measure, "weight": one.weight}
            for one in found.fields
        ],
        least=round(found.least),
    )


@blueprint.post("/scores")
@patient
def scores(flow_id: str, key: str) -> Any:
    """How alike the best matches of some rows are by some `fields`, in another table (`other`, a key), or
    among the table's own rows: see `insight.alike_fields.Scores`.
    """
    body = body_of(Scored)
    mine = _table(key, body.output)
    its = _table(body.other, body.other_output) if body.other else None
    kind = FieldAlike if body.other else OwnFieldAlike
    try:
        chosen = [kind.model_validate(field) for field in body.fields]
    except ValidationError:
        raise Problem("The fields", "they cannot be read.", "Load the page again.") from None
    asked = [
        FieldCompared(one.column, getattr(one, "reference", one.column), one.measure, one.weight)
        for one in chosen
    ]
    mark = ("scores", key, body.output, body.other, body.other_output, repr(asked))
    return jsonify(remembered(mark, lambda: best_scores(mine, its, asked))._asdict())


@blueprint.post("/look-alikes")
@patient
def look_alikes(flow_id: str, key: str) -> Any:
    """Families of spellings of a column. Body: `column`, the ways, `strictness`.

    Answers `families` (`name`, `why`, `sure`, `weakest`: the way least sure of it, `spellings`: value, rows,
    why, likeness), at most 2,000, those with most rows first; how many there are (`all`), `distinct` values;
    and `strictness`: how many families each strictness would give, from the loosest.
    """
    body = body_of(Likeness)
    table = _table(key, body.output)
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
