"""What Read OData asks of a service: its settings as query options that mean just what they mean
elsewhere.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING, Any

import polars as pl

from updraft.core.connect import WebService
from updraft.core.connect.odata import EntitySet, collection, count, distinct, entity_set, literal, table_of
from updraft.core.connect.service import Service
from updraft.core.problems import Problem
from updraft.core.steps.asking import answers_folder
from updraft.core.steps.conditions import OPPOSITES, OURS_ALONE, Condition, Group, Rule, only_here
from updraft.core.steps.given import Context

if TYPE_CHECKING:
    from updraft.core.steps.sources.read_odata import ReadODataSettings

_MOST_PARTS = 500
_SIGNS = {"equals": "eq", "not_equals": "ne", "less": "lt", "at_most": "le", "more": "gt", "at_least": "ge"}


def fetched(connection: WebService, settings: ReadODataSettings, context: Context) -> pl.DataFrame:
    """The entities that the settings ask for. Raises Problem where they cannot be had."""
    with answers_folder(context) as keep, Service(connection, context.outside, keep) as service:
        entity = entity_set(service, settings.entity)
        chosen = [entity.property(name, setting="columns") for name in settings.columns]
        chosen = chosen or list(entity.properties.values())
        options = {
            "select": ",".join(p.name for p in chosen) if settings.columns else "",
            "filter": filter_text(settings.rule, entity) if settings.rule.of else "",
            "orderby": ",".join(
                f"{entity.property(o.column, setting='order').name}{' desc' if o.down else ''}"
                for o in settings.order
            ),
        }
        rows: list[dict[str, Any]] = []
        for part in _parts(service, entity, settings, options):
            left = None if settings.limit is None else settings.limit - len(rows)
            if left == 0:
                break
            few = {"top": str(left)} if left and "top" not in part else {}
            rows += collection(service, entity, {**part, **few}, left)
        frame = table_of(rows, chosen)
    if settings.names == "label":
        frame = frame.rename(_labels(chosen, frame.columns))
    return frame


def _parts(
    service: Service, entity: EntitySet, settings: ReadODataSettings, options: dict[str, str]
) -> Iterator[dict[str, str]]:
    """The request, or the several it is split into."""
    if settings.split == "none":
        yield options
    elif settings.split == "field":
        field = entity.property(settings.split_field, setting="split_field")
        found = distinct(service, entity, field.name)
        if len(found) > _MOST_PARTS:
            raise Problem(
                f"Field “{field.name}”",
                f"it has more than {_MOST_PARTS} values, each of them a request.",
                "Split by another field or by size.",
                field="split_field",
                code="too_many_parts",
            )
        for value in found:
            one = f"{field.name} eq {'null' if value is None else literal(str(value), field.type)}"
            yield {**options, "filter": f"({options['filter']}) and {one}" if options["filter"] else one}
    else:
        keys = ",".join(p.name for p in entity.properties.values() if p.key)
        for start in range(0, count(service, entity, options["filter"]), settings.split_size):
            yield {
                **options,
                "orderby": ",".join(filter(None, [options["orderby"], keys])),
                "skip": str(start),
                "top": str(settings.split_size),
            }


def filter_text(item: Rule | Group | Condition, entity: EntitySet) -> str:
    """A rule as a $filter expression that means just what it means in Keep rows.

    Raises:
        Problem: a test that OData does not have.
    """
    if isinstance(item, Condition):
        return _test(item, entity)
    parts = [filter_text(inner, entity) for inner in item.of]
    if not parts:
        return "true" if item.match == "all" else "false"
    return f"({(' and ' if item.match == 'all' else ' or ').join(parts)})"


def _test(condition: Condition, entity: EntitySet) -> str:
    if not condition.column:
        raise Problem("A condition", "it has no field yet.", "Choose one.", field="rule", code="unfinished")
    of = entity.property(condition.column, setting="rule")
    name, text, test = of.name, of.type == "Edm.String", condition.test
    if test in OURS_ALONE:
        raise only_here(condition, "services of OData")
    if test in OPPOSITES:
        return f"not ({_test(condition.model_copy(update={'test': OPPOSITES[test]}), entity)})"
    if test in ("empty", "filled"):
        blank = f"({name} eq null or trim({name}) eq '')" if text else f"{name} eq null"
        return blank if test == "empty" else f"not ({blank})"
    fold = condition.ignore_case and text
    left = f"tolower({name})" if fold else name

    def right(value: str) -> str:
        return literal(value.lower() if fold else value, of.type)

    match test:
        case "one_of":
            return f"({' or '.join(f'{left} eq {right(v)}' for v in condition.values) or 'false'})"
        case "between":
            return f"({left} ge {right(condition.value)} and {left} le {right(condition.to)})"
        case "not_equals":
            return f"({name} eq null or {left} ne {right(condition.value)})"
        case "contains" | "starts" | "ends":
            call = {"contains": "contains", "starts": "startswith", "ends": "endswith"}[test]
            return f"({name} ne null and {call}({left},{right(condition.value)}))"
        case "matches":
            raise Problem(
                "“matches”",
                "services of OData do not all have patterns.",
                "Use “contains”, or Keep rows afterwards.",
                field="rule",
                code="no_test",
            )
        case _:
            return f"({name} ne null and {left} {_SIGNS[test]} {right(condition.value)})"


def _labels(chosen: list[Any], names: list[str]) -> dict[str, str]:
    """Field name → label, where there is one that no other column has."""
    found = {p.name: p.label for p in chosen if p.label}
    double = {label for label in found.values() if list(found.values()).count(label) > 1 or label in names}
    return {name: label for name, label in found.items() if label not in double}
