"""Fill a template of HTML with rows. Templates are written in Jinja and run in its sandbox."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, datetime
from importlib.resources import files
from typing import Any

import polars as pl
from jinja2 import StrictUndefined, TemplateError, TemplateSyntaxError, UndefinedError
from jinja2.exceptions import SecurityError
from jinja2.sandbox import ImmutableSandboxedEnvironment

from updraft.core.problems import Problem, did_you_mean
from updraft.core.report.charts import bars
from updraft.core.values.convert import pattern_of

_MOST_BYTES = 20 << 20  # of one filled page


class Report:
    """A template, ready to be filled many times.

    Args:
        text: the template; empty takes a plain one that shows all columns.
        name: what it is called in messages.
        table: all rows that reports are made of; figures of whole columns come from it.

    Raises:
        Problem: the template cannot be read.
    """

    def __init__(self, text: str, name: str, table: pl.DataFrame) -> None:
        self._name = name or "The template"
        self._columns = table.columns
        self._known = _known(table)
        engine = ImmutableSandboxedEnvironment(undefined=StrictUndefined, autoescape=True)
        engine.filters.update(plain=plain, number=number, date=day)
        engine.globals.update(bars=bars, shade=shade)
        text = text or files("updraft.core.report").joinpath("plain.html").read_text(encoding="utf-8")
        try:
            self._template = engine.from_string(text)
        except TemplateSyntaxError as error:
            raise Problem(
                self._name, f"line {error.lineno} cannot be read: {error.message}.", "Mend it.",
                field="template", code="bad_template",
            ) from None  # fmt: skip
        except (RecursionError, SyntaxError, MemoryError):  # of Python, into which a template is turned
            raise self._failed(
                "its blocks or brackets stand in each other too deep", "Take some of them apart."
            ) from None

    def filled(self, rows: pl.DataFrame, title: str) -> str:
        """The page for some of the rows.

        Raises:
            Problem: the template asks for what is not there, or fails.
        """
        given = [_Row(row, self._columns) for row in rows.iter_rows(named=True)]
        first = given[0] if given else _Row({}, self._columns)
        try:
            parts, size = [], 0
            for part in self._template.generate(**self._known, rows=given, first=first, title=title):
                size += len(part)
                if size > _MOST_BYTES:
                    raise self._failed("it makes a page of more than 20 MB", "Let it show less.")
                parts.append(part)
            return "".join(parts)
        except MissingFieldError as missing:
            raise self._lacks(str(missing.args[0])) from None
        except UndefinedError as error:
            raise self._failed((error.message or "something is not there").rstrip(".")) from None
        except SecurityError:
            raise self._failed("it reaches for something that templates may not use") from None
        except (
            TemplateError,
            TypeError,
            ValueError,
            ArithmeticError,
            OverflowError,
            RecursionError,
        ) as error:
            raise self._failed(str(error).rstrip(".") or type(error).__name__) from None

    def _lacks(self, name: str) -> Problem:
        return self._failed(
            f"it asks for a column “{name}”, and the table has none",
            f"{did_you_mean(name, self._columns)}The table has {', '.join(self._columns[:12])}.",
        )

    def _failed(self, why: str, way_out: str = "Mend it.") -> Problem:
        return Problem(self._name, f"{why}.", way_out, field="template", code="bad_template")


class MissingFieldError(Exception):
    """A template asks a row for a column that the table does not have."""


class _Row(dict[str, Any]):
    """A row as a template sees it: `row.Hub` or `row["Full name"]`."""

    def __init__(self, cells: dict[str, Any], columns: Sequence[str]) -> None:
        super().__init__(cells)
        self._columns = columns

    def __missing__(self, name: str) -> Any:
        if name in self._columns:
            return None
        raise MissingFieldError(name)

    def __getattribute__(self, name: str) -> Any:
        if not name.startswith("_") and name in self:  # a column called “items” is the column
            return self[name]
        if name.startswith("_") or name in ("items", "keys", "values", "get"):
            return super().__getattribute__(name)
        raise MissingFieldError(name)


def plain(value: Any) -> str:
    """A value as a reader sees it: nothing for an empty one, whole numbers without a point."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, float):
        return f"{value:,.2f}".rstrip("0").rstrip(".")
    if isinstance(value, datetime):
        return f"{value:%Y-%m-%d %H:%M}"
    return f"{value:,}" if isinstance(value, int) else str(value)


def number(value: Any, digits: int = 0) -> str:
    """A number with thousands separators and so many decimals; nothing for an empty one."""
    return "" if value is None else f"{float(value):,.{min(max(int(digits), 0), 12)}f}"


def day(value: Any, form: str = "DD.MM.YYYY") -> str:
    """A date in one of the forms that dates are read in; nothing for an empty one."""
    if not isinstance(value, date):
        return plain(value)
    return value.strftime(pattern_of(form))


def shade(value: Any, low: float | None, high: float | None, colour: str = "#0f766e") -> str:
    """A style that tints a cell by where its number lies between two others; no tint for an empty one."""
    if not isinstance(value, int | float) or low is None or high is None or high <= low:
        return ""
    share = max(0.0, min((value - low) / (high - low), 1.0))
    mixed = [round(255 - (255 - int(colour[at : at + 2], 16)) * 0.55 * share) for at in (1, 3, 5)]
    return f"background: #{mixed[0]:02x}{mixed[1]:02x}{mixed[2]:02x}"


def _known(table: pl.DataFrame) -> dict[str, Any]:
    """What every page knows of the whole table: its columns, those of numbers, and their ends."""
    figures = [name for name, dtype in table.schema.items() if dtype.is_numeric()]
    lows = {name: table[name].min() for name in figures}
    highs = {name: table[name].max() for name in figures}
    return {"columns": table.columns, "figures": figures, "lows": lows, "highs": highs}
