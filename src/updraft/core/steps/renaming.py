"""The settings of a step with columns called otherwise: what a rename in an earlier step makes necessary."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, get_args

from pydantic import BaseModel
from pydantic.fields import FieldInfo

from updraft.core.steps.base import StepKind

Names = Mapping[str, str]  # old name → new one
_COLUMNS = {"column", "names", "column_or_new"}  # widgets whose text, or texts, are columns' names
_TEXTS = {"text", "long_text"}


def renamed(kind: StepKind, settings: Mapping[str, Any], names: Mapping[str, Names]) -> dict[str, Any]:
    """Settings in which columns that come in have other names.

    Which settings name columns follows from what the kind declares: widgets that choose columns, columns of
    lists, rules, formulas, and texts with holes. Patterns of names stay as they are.

    Args:
        settings: as they stand in the flow.
        names: port → old name → new name.
    """
    main = kind.main_port.name if kind.main_port else ""
    return _Renaming(names, main).model(kind.Settings, settings, main)


class _Renaming:
    def __init__(self, names: Mapping[str, Names], main: str) -> None:
        self.names, self.main = names, main

    def model(self, model: type[BaseModel], values: Mapping[str, Any], port: str) -> dict[str, Any]:
        fields = model.model_fields
        return {
            name: self._field(fields[name], name, value, port) if name in fields else value
            for name, value in values.items()
        }

    def _field(self, field: FieldInfo, name: str, value: Any, port: str) -> Any:
        extra = field.json_schema_extra
        hints = extra if isinstance(extra, dict) else {}
        widget = str(hints.get("widget", ""))
        own = str(hints.get("port", port))
        known = self.names.get(own, {})
        if widget == "formula":
            return self._formula(value, known)
        if widget in _COLUMNS or hints.get("holds") == "columns":
            return _mapped(value, known)
        if widget in _TEXTS and isinstance(value, str):
            return _filled(value, known)
        if hints.get("of") == "names":  # a list of old names and new ones
            return [{**one, "old": _mapped(one.get("old", ""), known)} for one in value]
        if nested := _models(field.annotation):
            # Of pairs of keys, `column` is the table's own and `reference` the other's.
            inner = self.main if widget == "keys" else own
            return self._nested(nested, value, inner, own)
        if name in ("column", "names", "but"):  # within a list or a choice, where nothing else is said
            return _mapped(value, known)
        return value

    def _nested(self, models: list[type[BaseModel]], value: Any, port: str, other: str) -> Any:
        if isinstance(value, list | tuple):
            return [self._nested(models, one, port, other) for one in value]
        if not isinstance(value, Mapping):
            return value
        model = next((one for one in models if set(value) <= set(one.model_fields)), models[0])
        made = self.model(model, value, port)
        if port != other and isinstance(value.get("reference"), str):
            made["reference"] = _mapped(value["reference"], self.names.get(other, {}))
        return made

    def _formula(self, value: Any, names: Names) -> Any:
        if not names or not isinstance(value, str) or not value:
            return value
        from updraft.core.formula import with_names

        return with_names(value, names)


def _mapped(value: Any, names: Names) -> Any:
    if isinstance(value, str):
        return names.get(value, value)
    return [_mapped(one, names) for one in value] if isinstance(value, list | tuple) else value


def _filled(text: str, names: Names) -> str:
    for old, new in names.items():
        text = text.replace(f"{{{old}}}", f"{{{new}}}")
    return text


def _models(annotation: Any) -> list[type[BaseModel]]:
    if isinstance(annotation, type) and issubclass(annotation, BaseModel):
        return [annotation]
    return [model for one in get_args(annotation) for model in _models(one)]
