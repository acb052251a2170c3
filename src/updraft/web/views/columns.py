"""Looking as JSON: value lists, histograms, pairs of columns under a focus, and the steps a focus
makes.
"""

from __future__ import annotations

import csv
import io
from typing import Annotated, Any

import polars as pl
from flask import Blueprint, Response, jsonify, request
from pydantic import Field, ValidationError

from updraft.core import Problem
from updraft.core.figures import histogram, pattern_counts, pattern_words, profile
from updraft.core.formats.write import without_formula
from updraft.core.insight import Focus, column_values, counted_values, ordered_values
from updraft.core.insight.charts import Asked as AskedChart
from updraft.core.insight.charts import chart, usual
from updraft.core.insight.ways import ways_into
from updraft.core.steps.choice import need_columns
from updraft.core.values import Kind, kind_of
from updraft.core.values.coded import by_value
from updraft.core.values.meaning import number_in
from updraft.web.asked import Asked, Listed, Text, body_of, focus_of_query, query_of
from updraft.web.live.kept import in_focus, kept, need_column, rows_of
from updraft.web.live.patient import patient
from updraft.web.live.studio import remembered

blueprint = Blueprint("columns", __name__, url_prefix="/api/flows/<flow_id>/tables/<key>")
MOST_PATTERNS = 200
_CHART_ROWS = 5_000  # by which it is chosen what a chart begins with


class Binned(Asked):
    bins: Annotated[int, Field(ge=1, le=500)] = 24


class FocusStep(Asked):
    focus: Focus = Focus()
    output: Text = ""
    way: Text = ""
    column: Text = ""
    value: Text = ""
    name: Text = ""


def _output() -> str:
    return request.args.get("output", "")


def _column(key: str, field: str = "column") -> str:
    return need_column(key, _output(), request.args.get(field, ""))


def _in_focus(key: str, columns: list[str], focus: Focus) -> pl.DataFrame:
    return in_focus(key, _output(), columns, focus)


@blueprint.get("/values")
@patient
def values(flow_id: str, key: str) -> Any:
    """The value list of a `column`: `search` narrows it, `order` sorts it, `offset` and `most` give a window.

    The column's own selections do not count, so that more of its values can be chosen.
    """
    name = _column(key)
    focus = focus_of_query().without(name)
    mark = ("values", key, _output(), name, focus.model_dump_json())
    asked = query_of(Listed)
    search, order = asked.search, asked.order
    counted = remembered(mark, lambda: counted_values(_in_focus(key, [name], focus)[name]))
    found = remembered((*mark, search, order), lambda: ordered_values(counted, search=search, order=order))
    return jsonify(column_values(counted, found, offset=asked.offset, most=min(asked.most, 2000)))


@blueprint.get("/values.tsv")
@patient
def value_list(flow_id: str, key: str) -> Response:
    """The whole value list with counts, as cells that a spreadsheet takes."""
    name = _column(key)
    return cells_of(name, counted_values(_in_focus(key, [name], focus_of_query().without(name))[name]))


def cells_of(name: str, counted: pl.DataFrame) -> Response:
    """A value list as cells that a spreadsheet takes."""
    text = io.StringIO()
    writer = csv.writer(text, delimiter="\t", lineterminator="\n")
    writer.writerow([without_formula(name), "Rows"])
    for value, rows in counted.iter_rows():
        writer.writerow([without_formula(value) if isinstance(value, str) else value, rows])
    return Response(text.getvalue(), mimetype="text/tab-separated-values")


@blueprint.get("/column")
@patient
def column(flow_id: str, key: str) -> Any:
    """The profile of a `column` in focus, its histogram (`bins`, `log`) and its patterns (`fine`)."""
    name, focus = _column(key), focus_of_query()
    series = _in_focus(key, [name], focus)[name]
    own = _in_focus(key, [name], focus.without(name))[name]
    found = profile(series.to_frame())[0].as_dict()
    kind, bins = kind_of(series.dtype), query_of(Binned).bins
    if kind in (Kind.WHOLE, Kind.NUMBER, Kind.DATE, Kind.DATETIME):
        found["histogram"] = vars(histogram(own, bins, log=request.args.get("log") == "1"))
    elif _as_numbers(own) is not None:
        # Text that mostly reads as numbers: what does not is counted beside, and one click away.
        read = by_value(own, number_in)
        found["histogram"] = vars(histogram(read, bins, log=request.args.get("log") == "1"))
    else:
        found.pop("histogram", None)
    found["ways"] = [way.as_dict() for way in ways_into(own)]
    if "histogram" not in found:  # that a text is no number is worth saying where most of them are
        found["ways"] = [way for way in found["ways"] if way["key"] != "no_number"]
    if isinstance(series.dtype, pl.String):
        found["patterns"] = _patterns(own, request.args.get("fine") == "1")
    return jsonify(found)


def _as_numbers(series: pl.Series) -> Any:
    """Text that mostly reads as numbers, as these; None otherwise."""
    from updraft.core.insight.findings.view import Column

    return Column(series, 0).numbers


def _patterns(series: pl.Series, fine: bool) -> list[dict[str, Any]]:
    counts = series.alias("value").drop_nulls().to_frame().group_by("value").agg(pl.len().alias("n"))
    return [
        {
            "pattern": pattern,
            "words": pattern_words(pattern, fine),
            "test": "fine_shape" if fine else "shape",
            "rows": n,
            "values": many,
            "example": (example or "")[:200],
        }
        for pattern, n, many, example in pattern_counts(counts, fine).head(MOST_PATTERNS).iter_rows()
    ]


@blueprint.get("/pair")
@patient
def pair(flow_id: str, key: str) -> Any:
    """Two columns together (`column`, `other`): a cross table, and a scatter where both are numbers or
    dates.
    """
    one, other = _column(key), _column(key, "other")
    if one == other:
        raise Problem(
            f"“{one}”", "a column says nothing about itself.", "Choose another column.", field="other"
        )
    table = _in_focus(key, [one, other], focus_of_query())
    if any(dtype.is_nested() for dtype in table.dtypes):
        raise Problem(
            "These columns",
            "one of them holds lists or records, which have no order.",
            "Choose another column.",
            field="other",
        )
    ordered = all(
        kind_of(dtype) in (Kind.WHOLE, Kind.NUMBER, Kind.DATE, Kind.DATETIME) for dtype in table.dtypes
    )
    from updraft.core.insight import cross_table, scatter

    return jsonify(
        cross=cross_table(table, one, other), scatter=scatter(table, one, other) if ordered else None
    )


@blueprint.get("/dependencies")
@patient
def dependencies(flow_id: str, key: str) -> Any:
    """Which columns a `column` determines, and which determine it, over the whole table."""
    from updraft.core.insight import determined_by

    name = _column(key)
    found = remembered(
        ("dependencies", key, _output(), name), lambda: determined_by(kept(key, _output()).collect(), name)
    )
    return jsonify(columns=found)


@blueprint.get("/chart")
@patient
def drawn(flow_id: str, key: str) -> Any:
    """Marks of a chart (`chart`: shape, x, y, figure, by, as JSON) of the rows in focus: `insight.charts`.
    Without `chart`, what is likely wanted (`asked`).
    """
    text = request.args.get("chart", "")
    if not text:
        some = kept(key, _output()).head(_CHART_ROWS).collect()
        return jsonify(asked=usual(some).model_dump())
    try:
        asked = AskedChart.model_validate_json(text)
    except ValidationError:
        raise Problem("The chart", "what is asked for cannot be read.", "Load the page again.") from None
    focus = focus_of_query()
    schema = kept(key, _output()).collect_schema()
    need_columns(asked.columns(), schema, field="x")
    mark = ("chart", key, _output(), focus.model_dump_json(), asked.model_dump_json())
    names = asked.columns() or schema.names()[:1]
    return jsonify(remembered(mark, lambda: chart(_in_focus(key, names, focus), asked)))


@blueprint.get("/compare")
@patient
def compare(flow_id: str, key: str) -> Any:
    """How many rows of the table `before` are gone, and how many are new here."""
    before = request.args.get("before", "")
    here = f"{key}.{_output()}"
    gone, new = rows_of(before, f"gone:{here}"), rows_of(here, f"new:{before}")
    return jsonify(gone=0 if gone is None else gone.len(), new=0 if new is None else new.len())


@blueprint.post("/focus-step")
def focus_step(flow_id: str, key: str) -> Any:
    """The step that a focus makes. Body: `focus`, `way` (keep, drop, set, clear, mark), and `column`,
    `value` or `name`.
    """
    body = body_of(FocusStep)
    schema = kept(key, body.output).collect_schema()
    rule, way = body.focus.rule(schema).model_dump(mode="json"), body.way
    if way in ("keep", "drop"):
        return jsonify(kind=f"{way}_rows", settings={"by": "rule", "rule": rule})
    if way == "mark":
        return jsonify(kind="mark_rows", settings={"name": body.name or "Marked", "rule": rule})
    to = {"to": "empty"} if way == "clear" else {"to": "value", "value": body.value}
    return jsonify(kind="set_values", settings={"columns": [body.column], **to, "rule": rule})
