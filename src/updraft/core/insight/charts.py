"""What a chart of a table shows: marks, each with the rows it stands for and the rule that opens them."""

from __future__ import annotations

import math
from datetime import date, datetime
from typing import Any, Literal

import polars as pl
from pydantic import BaseModel, ConfigDict

from updraft.core.figures.histograms import histogram
from updraft.core.problems import Problem
from updraft.core.steps.choice import need_columns, need_kind
from updraft.core.values import Kind, is_blank, kind_of
from updraft.core.values.text import shown

Shape = Literal["bars", "line", "scatter", "histogram"]
Figure = Literal["rows", "sum", "mean", "median", "min", "max"]
BARS, STEPS, POINTS, SERIES, BINS = 40, 400, 2_000, 6, 30
_FAR = 3.5  # robust deviations from the median at which a point is an outlier (Iglewicz and Hoaglin 1993)
_NUMBERS, _DATES = (Kind.WHOLE, Kind.NUMBER), (Kind.DATE, Kind.DATETIME)
_UNITS = {"day": "1d", "week": "1w", "month": "1mo", "quarter": "1q", "year": "1y"}
_SPLIT = "\0split"


class Asked(BaseModel):
    """A chart: `x` across, the figure of `y` upwards, one series for each value of `by`."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    shape: Shape = "bars"
    x: str = ""
    y: str = ""
    figure: Figure = "rows"
    by: str = ""

    def columns(self) -> list[str]:
        """The columns it is of."""
        upward = self.y if self.shape == "scatter" or self.figure != "rows" else ""
        by = self.by if self.shape in ("line", "scatter") else ""
        names = [self.x, upward if self.shape != "histogram" else "", by]
        return list(dict.fromkeys(name for name in names if name))


def usual(table: pl.DataFrame) -> Asked:
    """What is likely wanted of a table: bars for each of few values, a line along days, or a histogram;
    with the sum of its last numbers.

    Args:
        table: some of its rows.
    """
    kinds = {name: kind_of(dtype) for name, dtype in table.schema.items()}
    numbers = [name for name, kind in kinds.items() if kind in _NUMBERS]
    summed: dict[str, Any] = {"y": numbers[-1], "figure": "sum"} if numbers else {}
    for name, kind in kinds.items():
        if kind in (Kind.TEXT, Kind.YES_NO) and 2 <= table[name].n_unique() <= BARS:
            return Asked(x=name, **summed)
    if day := next((name for name, kind in kinds.items() if kind in _DATES), ""):
        return Asked(shape="line", x=day, **summed)
    if numbers:
        return Asked(shape="histogram", x=numbers[0])
    return Asked(x=next(iter(name for name, dtype in table.schema.items() if not dtype.is_nested()), ""))


def chart(table: pl.DataFrame, asked: Asked) -> dict[str, Any]:
    """Marks of a chart of some rows.

    Args:
        table: the rows, with `asked.columns()`.

    Returns:
        `marks`: each `x` (a number, or for bars its place), `y`, `label`, `series` (place), `rows`, `rule`
        (what opens just these rows), and for points `far`; `series`: their names; `kind` of the x axis;
        `said`: what is left out or put together.

    Raises:
        Problem: columns that are not chosen, not there, or of kinds that cannot be drawn so.
    """
    _check(table, asked)
    if asked.shape == "histogram":
        return _histogram(table[asked.x])
    table, series, said = _split(table, asked)
    if asked.shape == "scatter":
        return _scatter(table, asked, series, said)
    return _line(table, asked, series, said) if asked.shape == "line" else _bars(table, asked, said)


def _check(table: pl.DataFrame, asked: Asked) -> None:
    if not asked.x:
        raise Problem("The chart", "it is not said yet of which column.", "Choose one.", field="x")
    need_columns(asked.columns(), table.schema, field="x")
    ordered = [*_NUMBERS, *_DATES]
    if asked.shape != "bars":
        need_kind(
            asked.x, table.schema, ordered, field="x", way_out="Choose bars, or a column of numbers or days."
        )
    elif table.schema[asked.x].is_nested():
        raise Problem(
            f"Column “{asked.x}”", "it holds lists or records.", "Choose another column.", field="x"
        )
    upward = asked.shape == "scatter" or (asked.shape != "histogram" and asked.figure != "rows")
    if upward and not asked.y:
        raise Problem("The chart", "it is not said yet what goes upwards.", "Choose a column.", field="y")
    if upward:
        fits = ordered if asked.shape == "scatter" else [*_NUMBERS, Kind.YES_NO]
        need_kind(asked.y, table.schema, fits, field="y", way_out="Choose a column of numbers.")


def _split(table: pl.DataFrame, asked: Asked) -> tuple[pl.DataFrame, list[str], list[str]]:
    """Rows with the place of their series; those of the rarer values have none and are left out."""
    if not asked.by or asked.shape not in ("line", "scatter"):
        return table.with_columns(pl.lit(0).alias(_SPLIT)), [""], []
    texts = _shown(table[asked.by])
    counts = texts.drop_nulls().value_counts(sort=True)
    names = sorted(counts[texts.name].head(SERIES).to_list())
    place = {name: n for n, name in enumerate(names)}
    split = texts.replace_strict(place, default=None, return_dtype=pl.Int64).alias(_SPLIT)
    left = int(split.null_count())
    said = [f"{left:,} rows of other values of {asked.by} are left out"] if left else []
    return table.with_columns(split).filter(pl.col(_SPLIT).is_not_null()), names, said


def _figure(asked: Asked) -> pl.Expr:
    if asked.figure == "rows":
        return pl.len().cast(pl.Float64)
    y = pl.col(asked.y).cast(pl.Float64)
    y = pl.when(y.is_finite()).then(y)
    made = {"sum": y.sum(), "mean": y.mean(), "median": y.median(), "min": y.min(), "max": y.max()}
    return pl.when(y.count() > 0).then(made[asked.figure])


def _bars(table: pl.DataFrame, asked: Asked, said: list[str]) -> dict[str, Any]:
    kind = kind_of(table.schema[asked.x])
    texts = table.with_columns(_shown(table[asked.x]).alias("\0text"), table[asked.x].alias("\0x"))
    found = texts.group_by("\0text", maintain_order=True).agg(
        _figure(asked).alias("\0y"), pl.len().alias("rows"), pl.col("\0x").first()
    )
    if kind in (*_NUMBERS, *_DATES) and found.height <= BARS:
        found = found.sort("\0x", nulls_last=True)
    else:
        found = found.sort("\0y", descending=True, nulls_last=True, maintain_order=True)
    if found.height > BARS:
        rest = found[BARS:]
        said = [*said, f"{rest.height:,} more values, of {int(rest['rows'].sum()):,} rows, are left out"]
    marks = [
        {
            "x": n,
            "y": y,
            "label": "empty" if text is None else text,
            "series": 0,
            "rows": rows,
            "rule": _rule(_is(asked.x, text)),
        }
        for n, (text, y, rows) in enumerate(found.head(BARS).select("\0text", "\0y", "rows").iter_rows())
    ]
    return {"marks": marks, "series": [""], "kind": "place", "said": said}


def _line(table: pl.DataFrame, asked: Asked, series: list[str], said: list[str]) -> dict[str, Any]:
    known = table.filter(pl.col(asked.x).is_not_null())
    if empty := table.height - known.height:
        said = [*said, f"{empty:,} rows have no {asked.x}"]
    dtype = known.schema[asked.x]
    dates = kind_of(dtype) in _DATES
    if not dates:
        finite = known.filter(pl.col(asked.x).cast(pl.Float64).is_finite())
        known, odd = finite, known.height - finite.height
        said = [*said, f"{odd:,} numbers have no place"] if odd else said
    unit = _unit(known[asked.x]) if dates else ""
    if not dates and known[asked.x].n_unique() > STEPS:
        raise Problem(
            f"Column “{asked.x}”",
            f"it has more than {STEPS} different numbers.",
            "Choose points, or put the numbers into bins first.",
            field="x",
        )
    step = pl.col(asked.x).dt.truncate(_UNITS[unit]) if unit else pl.col(asked.x)
    found = known.group_by(step.alias("\0x"), _SPLIT).agg(_figure(asked).alias("\0y"), pl.len().alias("rows"))
    found = found.sort(_SPLIT, "\0x")
    marks = []
    for at, place, y, rows in found.select("\0x", _SPLIT, "\0y", "rows").iter_rows():
        label, conditions = _step(asked.x, at, unit)
        more = [_is(asked.by, series[place])] if len(series) > 1 or series[0] else []
        mark = {"x": _number(at), "y": y, "label": label, "series": place, "rows": rows}
        marks.append({**mark, "rule": _rule(*conditions, *more)})
    if unit and unit != "day":
        said = [*said, f"one point for each {unit}"]
    return {"marks": marks, "series": series, "kind": "date" if dates else "number", "said": said}


def _unit(values: pl.Series) -> str:
    """The finest step of which there are not too many; "" where there are few values anyhow."""
    if values.n_unique() <= STEPS:
        return ""
    for unit, every in _UNITS.items():
        if values.dt.truncate(every).n_unique() <= STEPS:
            return unit
    return "year"


def _step(name: str, at: Any, unit: str) -> tuple[str, list[dict[str, Any]]]:
    """What a point of a line is called, and the conditions of its rows."""
    text = _text(at)
    if not unit:
        return text, [{"column": name, "test": "between", "value": text, "to": text}]
    end = pl.Series([at]).dt.offset_by(_UNITS[unit])[0]
    until = {"column": name, "test": "less", "value": _text(end)}
    return f"{unit} from {text[:10]}", [{"column": name, "test": "at_least", "value": text}, until]


def _scatter(table: pl.DataFrame, asked: Asked, series: list[str], said: list[str]) -> dict[str, Any]:
    x, y = pl.col(asked.x), pl.col(asked.y)
    known = table.drop_nulls([asked.x, asked.y])
    known = known.filter(_numbers(known[asked.x]).is_finite() & _numbers(known[asked.y]).is_finite())
    if gone := table.height - known.height:
        said = [*said, f"{gone:,} rows lack one of both"]
    group = known.group_by(x.alias("\0x"), y.alias("\0y"), _SPLIT).agg(pl.len().alias("rows"))
    group = group.sort("\0x", "\0y", _SPLIT)
    far = _far(known[asked.x], group["\0x"]) | _far(known[asked.y], group["\0y"])
    group = group.with_columns(far.alias("far"))
    if group.height > POINTS:
        outliers = group.filter("far").head(POINTS // 2)
        some = group.filter(~pl.col("far")).sample(POINTS - outliers.height, seed=0)
        said = [*said, f"{POINTS:,} of {group.height:,} points: the far ones, and some of the others"]
        group = pl.concat([outliers, some]).sort("\0x", "\0y", _SPLIT)
    marks = []
    for at, up, place, rows, is_far in group.select("\0x", "\0y", _SPLIT, "rows", "far").iter_rows():
        conditions = [
            {"column": name, "test": "between", "value": _text(value), "to": _text(value)}
            for name, value in ((asked.x, at), (asked.y, up))
        ]
        more = [_is(asked.by, series[place])] if len(series) > 1 or series[0] else []
        mark = {"x": _number(at), "y": _number(up), "label": f"{_text(at)}, {_text(up)}", "far": is_far}
        marks.append({**mark, "series": place, "rows": rows, "rule": _rule(*conditions, *more)})
    kinds = ["date" if kind_of(table.schema[name]) in _DATES else "number" for name in (asked.x, asked.y)]
    return {"marks": marks, "series": series, "kind": kinds[0], "upward": kinds[1], "said": said}


def _far(values: pl.Series, some: pl.Series) -> pl.Series:
    """Whether some values are outliers among all of them, by their median and the median distance from it."""
    numbers = _numbers(values)
    middle = numbers.median()
    spread = (numbers - middle).abs().median() if middle is not None else None
    if not spread:
        return pl.repeat(False, some.len(), eager=True)
    return 0.6745 * (_numbers(some) - middle).abs() / spread > _FAR


def _numbers(values: pl.Series) -> pl.Series:
    return values.dt.epoch("s").cast(pl.Float64) if values.dtype.is_temporal() else values.cast(pl.Float64)


def _histogram(values: pl.Series) -> dict[str, Any]:
    made = histogram(values, BINS)
    kind = kind_of(values.dtype)
    steps = kind in (Kind.WHOLE, *_DATES)
    marks = []
    for n, rows in enumerate(made.counts):
        low, high = made.labels[n], made.labels[n + 1]
        # Each bin with its lower edge, the last of numbers with its upper one too.
        end = "at_most" if n == len(made.counts) - 1 and not steps else "less"
        conditions = [
            {"column": values.name, "test": "at_least", "value": low},
            {"column": values.name, "test": end, "value": high},
        ]
        mark = {"x": made.edges[n], "to": made.edges[n + 1], "y": float(rows), "label": f"{low} to {high}"}
        marks.append({**mark, "series": 0, "rows": rows, "rule": _rule(*conditions)})
    said = [f"{made.empty:,} cells are empty"] if made.empty else []
    said += [f"{made.outside:,} numbers have no place"] if made.outside else []
    return {"marks": marks, "series": [""], "kind": "date" if kind in _DATES else "number", "said": said}


def _shown(values: pl.Series) -> pl.Series:
    """Values as texts; those of blanks alone are empty, as the condition “empty” says."""
    texts = shown(values)
    return texts.to_frame().select(pl.when(~is_blank(texts.name, texts.dtype)).then(texts.name)).to_series()


def _is(name: str, text: str | None) -> dict[str, Any]:
    if text is None:
        return {"column": name, "test": "empty"}
    return {"column": name, "test": "one_of", "values": [text]}


def _rule(*conditions: dict[str, Any]) -> dict[str, Any]:
    return {"match": "all", "of": list(conditions)}


def _number(value: Any) -> float:
    if isinstance(value, datetime):
        return (value.replace(tzinfo=None) - datetime(1970, 1, 1)).total_seconds()
    if isinstance(value, date):
        return (value - date(1970, 1, 1)).days * 86_400.0
    return float(value)


def _text(value: Any) -> str:
    """A value as a condition reads it."""
    if isinstance(value, float) and math.isfinite(value) and value == int(value) and abs(value) < 1e15:
        return str(int(value))
    return value.isoformat(sep=" ") if isinstance(value, datetime) else str(value)
