"""OData v4 as a client: metadata, entity sets, and collections with all their pages.

Source: OASIS, OData Version 4.01 (Part 1: Protocol; Part 2: URL Conventions; CSDL XML Representation).
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any
from urllib.parse import quote

import polars as pl
from lxml import etree

from updraft.core.connect.service import Service
from updraft.core.problems import Problem, nearest

_EDM = "{http://docs.oasis-open.org/odata/ns/edm}"
_MOST_PAGES = 10_000
_TYPES: dict[str, pl.DataType] = {
    "Edm.Boolean": pl.Boolean(),
    "Edm.Byte": pl.Int64(),
    "Edm.SByte": pl.Int64(),
    "Edm.Int16": pl.Int64(),
    "Edm.Int32": pl.Int64(),
    "Edm.Int64": pl.Int64(),
    "Edm.Single": pl.Float64(),
    "Edm.Double": pl.Float64(),
    "Edm.Decimal": pl.Float64(),
    "Edm.Date": pl.Date(),
    "Edm.DateTimeOffset": pl.Datetime("us"),
}


@dataclass(frozen=True)
class Property:
    """A field of an entity: its type by name (Edm.…), whether it is part of the key, and its label, if it
    has one.
    """

    name: str
    type: str
    key: bool = False
    label: str = ""

    @property
    def dtype(self) -> pl.DataType:
        return _TYPES.get(self.type, pl.String())


@dataclass(frozen=True)
class EntitySet:
    """A table of the service."""

    name: str
    label: str
    properties: dict[str, Property] = field(default_factory=dict)

    def property(self, name: str, *, setting: str = "") -> Property:
        """The field of this name; Problem with the nearest when there is none."""
        if name not in self.properties:
            near = nearest(name, self.properties)
            raise Problem(
                f"Field “{name}”",
                f"{self.name} does not have it" + (f"; the nearest is “{near}”." if near else "."),
                "Choose another one.",
                field=setting,
                code="missing_column",
            )
        return self.properties[name]


def entity_sets(service: Service) -> dict[str, EntitySet]:
    """What the service offers, by its metadata document.

    Raises:
        Problem: it has none, so it is not an OData service.
    """
    answer = service.ask("$metadata", headers={"Accept": "application/xml"})
    parser = etree.XMLParser(resolve_entities=False, no_network=True, load_dtd=False)
    try:
        root = etree.fromstring(answer.path.read_bytes(), parser)
    except etree.XMLSyntaxError:
        raise Problem(
            answer.url,
            "this is not the metadata of an OData service.",
            "See that the address is right.",
            field="connection",
            code="not_odata",
        ) from None
    labels = {(group.get("Target") or ""): _label(group) for group in root.iter(f"{_EDM}Annotations")}
    types = {}
    for schema in root.iter(f"{_EDM}Schema"):
        for kind in schema.iter(f"{_EDM}EntityType"):
            full = f"{schema.get('Namespace')}.{kind.get('Name')}"
            types[full] = _properties(kind, full, labels)
    found = {}
    for item in root.iter(f"{_EDM}EntitySet"):
        of = item.get("EntityType") or ""
        found[str(item.get("Name"))] = EntitySet(
            str(item.get("Name")), _label(item) or labels.get(of, ""), types.get(of, {})
        )
    return found


def entity_set(service: Service, name: str) -> EntitySet:
    """The entity set of this name; Problem with the nearest when there is none."""
    known = entity_sets(service)
    if not name:
        raise Problem(
            "The entity set", "none is chosen yet.", "Choose one.", field="entity", code="unfinished"
        )
    if name not in known:
        near = nearest(name, known)
        raise Problem(
            f"Entity set “{name}”",
            "the service has none of this name" + (f"; the nearest is “{near}”." if near else "."),
            "Choose another one.",
            field="entity",
            code="no_table",
        )
    return known[name]


def collection(
    service: Service, entity: EntitySet, options: dict[str, str], most: int | None = None
) -> list[dict[str, Any]]:
    """All entities of a request, page after page along the next links, at most `most`.

    Args:
        options: system query options without the dollar sign: select, filter, orderby, top, skip.
    """
    found: list[dict[str, Any]] = []
    for page in _pages(service, entity, options):
        found += page
        service.outside.tell(f"{len(found):,} entities of {entity.name} have come")
        if most is not None and len(found) >= most:
            return found[:most]
    return found


def count(service: Service, entity: EntitySet, filter_text: str = "") -> int:
    """How many entities there are."""
    query = [("$filter", filter_text)] if filter_text else []
    answer = service.ask(f"{quote(entity.name)}/$count", query, headers={"Accept": "text/plain"})
    text = answer.path.read_text().strip("\ufeff \n")
    if not text.isdigit():
        raise Problem(
            entity.name,
            "the service does not say how many there are.",
            "Do not split by size.",
            code="no_count",
        )
    return int(text)


def distinct(service: Service, entity: EntitySet, field_name: str, most: int = 1000) -> list[Any]:
    """The values of a field, by grouping in the service where it can, else by reading the field of all
    entities.
    """
    try:
        rows = collection(service, entity, {"apply": f"groupby(({field_name}))"}, most)
    except Problem as problem:
        if problem.code != "web":
            raise
        rows = collection(service, entity, {"select": field_name})
    return list(dict.fromkeys(row.get(field_name) for row in rows))[:most]


def literal(value: str, type_name: str) -> str:
    """A typed text as a literal of the URL conventions; Problem when it is none of the field's type."""
    text = value.strip()
    if type_name == "Edm.String" or type_name not in _TYPES:
        return "'" + value.replace("'", "''") + "'"
    if type_name == "Edm.Boolean":
        if text.lower() in ("yes", "true", "no", "false"):
            return "true" if text.lower() in ("yes", "true") else "false"
    elif type_name in ("Edm.Date", "Edm.DateTimeOffset"):
        if _is_moment(text):
            if type_name == "Edm.Date":
                return text[:10]
            return (
                f"{text}T00:00:00Z"
                if len(text) == 10
                else text.replace(" ", "T") + ("" if text.endswith("Z") else "Z")
            )
    else:
        try:
            number = float(text.replace(",", ""))
            return str(int(number)) if number.is_integer() else str(number)
        except ValueError:
            pass
    raise Problem(
        f"“{value}”",
        f"the field is of type {type_name.removeprefix('Edm.')}, and this is not one.",
        "Type a value of that type, a day as 2026-03-31.",
        field="rule",
    )


def _is_moment(text: str) -> bool:
    try:
        datetime.fromisoformat(text)
    except ValueError:
        return False
    return True


def table_of(entities: list[dict[str, Any]], properties: list[Property]) -> pl.DataFrame:
    """Entities as a table, every field of its type by the metadata."""
    return pl.DataFrame([_column(p, [entity.get(p.name) for entity in entities]) for p in properties])


def _column(of: Property, values: list[Any]) -> pl.Series:
    if isinstance(of.dtype, pl.String):
        texts = [v if v is None or isinstance(v, str) else str(v) for v in values]
        return pl.Series(of.name, texts, dtype=pl.String)
    if isinstance(of.dtype, pl.Date):
        return pl.Series(of.name, values, dtype=pl.String).str.to_date("%Y-%m-%d", strict=False)
    if isinstance(of.dtype, pl.Datetime):
        text = pl.Series(of.name, values, dtype=pl.String)
        return text.str.to_datetime(strict=False, time_zone="UTC", time_unit="us").dt.replace_time_zone(None)
    return pl.Series(
        of.name, [float(v) if isinstance(v, str) else v for v in values], dtype=of.dtype, strict=False
    )


def _pages(service: Service, entity: EntitySet, options: dict[str, str]) -> Iterator[list[dict[str, Any]]]:
    answer = service.ask(quote(entity.name), [(f"${name}", text) for name, text in options.items() if text])
    for _ in range(_MOST_PAGES):
        content = answer.json()
        if not isinstance(content, dict) or not isinstance(content.get("value"), list):
            raise Problem(
                answer.url,
                "its answer is not a collection of OData.",
                "See that the address is right.",
                code="not_odata",
            )
        yield content["value"]
        link = content.get("@odata.nextLink") or content.get("@nextLink")
        if not link:
            return
        answer = service.ask(str(link))
    raise Problem(
        entity.name, f"it has more than {_MOST_PAGES:,} pages.", "Ask for less.", code="too_many_pages"
    )


def _properties(kind: Any, full: str, labels: dict[str, str]) -> dict[str, Property]:
    keys = {ref.get("Name") for ref in kind.iter(f"{_EDM}PropertyRef")}
    return {
        str(p.get("Name")): Property(
            str(p.get("Name")),
            str(p.get("Type")),
            p.get("Name") in keys,
            _label(p) or labels.get(f"{full}/{p.get('Name')}", ""),
        )
        for p in kind.iter(f"{_EDM}Property")
    }


def _label(element: Any) -> str:
    """The annotation that names a thing for people: a term whose last part is Label or Description."""
    found = {
        str(a.get("Term")).rsplit(".", 1)[-1]: a.get("String") or ""
        for a in element.iterchildren(f"{_EDM}Annotation")
    }
    return found.get("Label") or found.get("Description") or ""
