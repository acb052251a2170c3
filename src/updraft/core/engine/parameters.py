"""Values of a flow's parameters: read as their kinds, and put into settings."""

from __future__ import annotations

import json
import math
import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import date
from typing import Any

from updraft.core.engine.dates import day_of
from updraft.core.flow.model import Flow, Parameter
from updraft.core.problems import Problem, nearest

Value = str | int | float | bool | date | tuple[str, ...]
_USE = re.compile(r"\{params\.([a-z][a-z0-9_]*)\}")
_HOLE = re.compile(_USE.pattern + r"|\{day:([^{}]*)\}")
_YES, _NO = ("yes", "true", "1"), ("no", "false", "0")


@dataclass(frozen=True)
class Parameters:
    """The values of one run, by name; those that could not be read stand in `wrong`, with the reason. The
    clock says what day is today.
    """

    values: Mapping[str, Value]
    wrong: Mapping[str, Problem]
    clock: Callable[[], date]

    def of(self, name: str) -> Value:
        """A value as its kind. Raises Problem where there is none of the name, or it could not be read."""
        if name in self.wrong:
            raise self.wrong[name]
        if name not in self.values:
            raise Problem(
                f"Parameter “{name}”",
                "a setting uses it, but the flow has no such parameter.",
                "Add the parameter to the flow, or take it out of the setting.",
                code="no_parameter",
            )
        return self.values[name]

    def filled(self, setting: Any) -> Any:
        """A setting with every `{params.name}` inside a text replaced, and every `{day: first of last month}`
        by the day that it names.

        Where an item of a list is such a use and nothing else, and the parameter is a list, its values take
        the item's place.
        """
        if isinstance(setting, str):
            return _HOLE.sub(self._put, setting)
        if isinstance(setting, dict):
            return {key: self.filled(item) for key, item in setting.items()}
        if not isinstance(setting, list | tuple):
            return setting
        done: list[Any] = []
        for item in setting:
            use = _USE.fullmatch(item) if isinstance(item, str) else None
            value = self.of(use.group(1)) if use else None
            done += value if isinstance(value, tuple) else [self.filled(item)]
        return done

    def _put(self, hole: re.Match[str]) -> str:
        name, day = hole.groups()
        return as_text(self.of(name)) if name else str(day_of(day.strip(), self.clock))


def parameters_of(
    flow: Flow, given: Mapping[str, str | list[str]] | None, today: Callable[[], date]
) -> Parameters:
    """The values of a run.

    Args:
        given: values for this run, over those of the flow.

    Raises:
        Problem: one is given that the flow does not have, or that is not of its kind.
    """
    known = {parameter.name: parameter for parameter in flow.parameters}
    for name in given or {}:
        if name not in known:
            near = nearest(name, known)
            reason = "the flow has no such parameter" + (f"; did you mean “{near}”?" if near else ".")
            raise Problem(f"Parameter “{name}”", reason, "See the flow's parameters.", code="no_parameter")
    values: dict[str, Value] = {}
    wrong: dict[str, Problem] = {}
    for name, parameter in known.items():
        try:
            values[name] = read_value(parameter, (given or {}).get(name, parameter.value), today)
        except Problem as problem:
            if name in (given or {}):
                raise
            wrong[name] = problem
    return Parameters(values, wrong, today)


def read_value(
    parameter: Parameter, value: str | list[str] | tuple[str, ...], today: Callable[[], date]
) -> Value:
    """A value as the kind of its parameter. Raises Problem, naming the parameter, where it is none."""
    if parameter.kind == "list":
        return _as_list(value)
    text = value.strip() if isinstance(value, str) else ", ".join(value)
    match parameter.kind:
        case "whole":
            if re.fullmatch(r"[+-]?\d{1,18}", text):
                return int(text)
            raise _not(parameter, text, "it is no whole number", "Type digits only, such as 12.")
        case "number":
            return _as_number(parameter, text)
        case "yes_no":
            if text.casefold() in (*_YES, *_NO):
                return text.casefold() in _YES
            raise _not(parameter, text, "it is neither yes nor no", "Type yes or no.")
        case "choice":
            if text in parameter.options:
                return text
            raise _not(
                parameter, text, "it is none of its values", f"Take one of: {', '.join(parameter.options)}."
            )
        case "date":
            try:
                return day_of(text, today)
            except Problem as problem:
                raise _not(parameter, text, problem.reason.rstrip("."), problem.way_out) from None
    return value if isinstance(value, str) else text


def as_text(value: Value) -> str:
    """A value as it stands in a text."""
    if isinstance(value, bool):
        return "yes" if value else "no"
    return ", ".join(value) if isinstance(value, tuple) else str(value)


def _as_list(value: str | list[str] | tuple[str, ...]) -> tuple[str, ...]:
    """Values one below the other, or divided by commas; one that has a comma itself in a JSON list."""
    if not isinstance(value, str):
        return tuple(value)
    if value.lstrip().startswith("["):
        try:
            found = json.loads(value)
            if isinstance(found, list):
                return tuple(str(item) for item in found)
        except ValueError:
            pass
    parts = value.split("\n") if "\n" in value else value.split(",")
    return tuple(part.strip() for part in parts if part.strip())


def _as_number(parameter: Parameter, text: str) -> float:
    try:
        number = float(text)
    except ValueError:
        number = math.nan
    if math.isfinite(number):
        return number
    raise _not(parameter, text, "it is no number", "Type a number with a point, such as 12.5.")


def _not(parameter: Parameter, text: str, reason: str, way_out: str) -> Problem:
    return Problem(
        f"Parameter “{parameter.name}”", f"its value is “{text}”: {reason}.", way_out, code="bad_parameter"
    )
