from collections.abc import Iterator
from typing import Any, Literal

from updraft.core.connect import WebService
from updraft.core.connect.odata import EntitySet, collection, count, distinct, entity_set, literal, table_of
from updraft.core.connect.service import Service
from updraft.core.problems import Problem
from updraft.core.steps.base import Context, Remote, Result, Settings, Tables, setting
from updraft.core.steps.choice import listed
from updraft.core.steps.conditions import OPPOSITES, Condition, Group, Rule
from updraft.core.steps.sources.call_web_service import answers_folder
from updraft.core.steps.sources.read_database import Order

_MOST_PARTS = 500
_SIGNS = {"equals": "eq", "not_equals": "ne", "less": "lt", "at_most": "le", "more": "gt", "at_least": "ge"}


class ReadODataSettings(Settings):
    connection: str = setting("Connection", widget="connection", default="", of="web")
    entity: str = setting("Entity set", widget="entity", default="")
    columns: tuple[str, ...] = setting("Fields", "none chosen reads all", widget="outside_columns", default=())
    rule: Rule = setting("Only entities where", "the service does the choosing", widget="rule", default=Rule(),
                         optional=True)
    order: tuple[Order, ...] = setting("In the order of", widget="order", default=())
    limit: int | None = setting("At most", "entities", widget="number", default=None, minimum=1, open="all")
    names: Literal["name", "label"] = setting("Columns are called by", widget="choice", default="name",
                                              labels={"name": "field name", "label": "label"})
    split: Literal["none", "field", "size"] = setting(
        "Split the request", "put together again", widget="choice", default="none",
        labels={"none": "no", "field": "by a field", "size": "by size"})
    split_field: str = setting("Field", "one request for each of its values", widget="column", default="",
                               when={"split": ["field"]})
    split_size: int = setting("Entities a request", widget="number", default=1000, minimum=1, when={"split": ["size"]})


class ReadOData(Remote):
    """Read an entity set of an OData v4 service. Fields, conditions, order and limit are worked out by the service."""

    kind = "read_odata"
    title = "Read OData"
    family = "Bring in"
    summary = "Bring in an entity set of an OData service"
    words = ("odata", "api", "entity", "feed", "web service", "erp", "source", "metadata")
    icon = "collection"
    Settings = ReadODataSettings

    def apply(self, tables: Tables, settings: ReadODataSettings, context: Context) -> Result:
        connection = context.outside.connection(settings.connection, WebService)
        with answers_folder(context) as keep, Service(connection, context.outside, keep) as service:
            entity = entity_set(service, settings.entity)
            chosen = [entity.property(name, setting="columns") for name in settings.columns]
            chosen = chosen or list(entity.properties.values())
            options = {"select": ",".join(p.name for p in chosen) if settings.columns else "",
                       "filter": filter_text(settings.rule, entity) if settings.rule.of else "",
                       "orderby": ",".join(f"{entity.property(o.column, setting='order').name}{' desc' if o.down else ''}"
                                           for o in settings.order)}
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
        warnings = ("The order holds within each part only, since the request is split by a field.",) if (
            settings.split == "field" and settings.order) else ()
        return Result(frame.lazy(), warnings=warnings)

    def sentence(self, settings: ReadODataSettings) -> str:
        parts = [settings.connection or "no connection yet", settings.entity or "no entity set yet"]
        if settings.columns:
            parts.append(listed(settings.columns))
        if settings.rule.of:
            parts.append(f"where {settings.rule.words()}")
        return " · ".join(parts)


def _parts(service: Service, entity: EntitySet, settings: ReadODataSettings,
           options: dict[str, str]) -> Iterator[dict[str, str]]:
    """The request, or the several it is split into."""
    if settings.split == "none":
        yield options
    elif settings.split == "field":
        field = entity.property(settings.split_field, setting="split_field")
        found = distinct(service, entity, field.name)
        if len(found) > _MOST_PARTS:
            raise Problem(f"Field “{field.name}”", f"it has more than {_MOST_PARTS} values, each of them a request.",
                          "Split by another field or by size.", field="split_field", code="too_many_parts")
        for value in found:
            one = f"{field.name} eq {'null' if value is None else literal(str(value), field.type)}"
            yield {**options, "filter": f"({options['filter']}) and {one}" if options["filter"] else one}
    else:
        keys = ",".join(p.name for p in entity.properties.values() if p.key)
        for start in range(0, count(service, entity, options["filter"]), settings.split_size):
            yield {**options, "orderby": ",".join(filter(None, [options["orderby"], keys])), "skip": str(start),
                   "top": str(settings.split_size)}


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
            raise Problem("“matches”", "services of OData do not all have patterns.",
                          "Use “contains”, or Keep rows afterwards.", field="rule", code="no_test")
        case _:
            return f"({name} ne null and {left} {_SIGNS[test]} {right(condition.value)})"


def _labels(chosen: list[Any], names: list[str]) -> dict[str, str]:
    """Field name → label, where there is one that no other column has."""
    found = {p.name: p.label for p in chosen if p.label}
    double = {label for label in found.values() if list(found.values()).count(label) > 1 or label in names}
    return {name: label for name, label in found.items() if label not in double}
