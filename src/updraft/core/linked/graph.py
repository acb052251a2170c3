"""A table as a graph of linked data (RDF 1.1), written as Turtle or JSON-LD."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal
from urllib.parse import quote

import polars as pl
from rdflib import Graph
from rdflib import Literal as Value
from rdflib.namespace import RDF, XSD
from rdflib.term import URIRef

from updraft.core.filling import Template
from updraft.core.linked.vocabularies import prefixes

SAFE = "-._~!$'()*,;:@"  # signs that stand in one part of an address as they are (RFC 3986)


@dataclass(frozen=True)
class Statement:
    """What is said of each row's thing: the term (whole), and the value from a column or an address.

    Args:
        language: tag of the text's language; empty for none.
        address: fills an address from columns; then the value is that.
    """

    term: str
    column: str = ""
    language: str = ""
    address: Template | None = None


@dataclass(frozen=True)
class Mapped:
    """How a table becomes a graph: the address of each row's thing, its kinds, and what is said of it."""

    subject: Template
    types: tuple[str, ...]
    statements: tuple[Statement, ...]


def graph_of(table: pl.DataFrame, mapped: Mapped, own: Mapping[str, str]) -> Graph:
    """The graph of a table; a row whose address has an empty part says nothing.

    Args:
        own: prefixes besides the known ones.
    """
    graph = Graph(bind_namespaces="none")
    for prefix, base in {**prefixes(), **own}.items():
        graph.bind(prefix, base)
    subjects = addresses(table, mapped.subject)
    for name in mapped.types:
        for address in subjects:
            if address is not None:
                graph.add((URIRef(address), RDF.type, URIRef(name)))
    for statement in mapped.statements:
        term = URIRef(statement.term)
        for subject, value in zip(subjects, _values(table, statement), strict=True):
            if subject is not None and value is not None:
                graph.add((URIRef(subject), term, value))
    return graph


def addresses(table: pl.DataFrame, template: Template) -> list[str | None]:
    """The address of every row, its parts percent-encoded; None where a part is empty.

    A column that stands at the beginning holds whole addresses and is taken as it is.
    """
    return template.filled(table, lambda text, place: text if place == 0 else quote(text, safe=SAFE))


def written(graph: Graph, form: Literal["turtle", "json-ld"]) -> str:
    """The graph as text, things in the order of their addresses."""
    if form == "turtle":
        return graph.serialize(format="turtle")
    terms = {str(term) for term in _terms(graph)}
    known = {prefix: str(base) for prefix, base in graph.namespaces()}
    used = {prefix: base for prefix, base in known.items() if any(term.startswith(base) for term in terms)}
    return graph.serialize(format="json-ld", context=used, indent=1, ensure_ascii=False, sort_keys=True)


def _terms(graph: Graph) -> Iterator[Any]:
    """What stands in a graph that a prefix can shorten: predicates, kinds of things, types of values."""
    yield from set(graph.predicates())
    yield from set(graph.objects(predicate=RDF.type))
    yield from {value.datatype for value in graph.objects() if isinstance(value, Value) and value.datatype}


def _values(table: pl.DataFrame, statement: Statement) -> Sequence[URIRef | Value | None]:
    if statement.address is not None:
        return [URIRef(text) if text else None for text in addresses(table, statement.address)]
    column = table[statement.column]
    if column.dtype == pl.String:
        tag = statement.language or None
        return [Value(text, lang=tag) if text is not None else None for text in column]
    kinds = {pl.Date: XSD.date, pl.Datetime: XSD.dateTime, pl.Boolean: XSD.boolean, pl.Time: XSD.time}
    kind = XSD.integer if column.dtype.is_integer() else kinds.get(column.dtype.base_type())
    if kind is None and column.dtype.is_numeric():
        kind = XSD.decimal if column.dtype.is_decimal() else XSD.double
    return [None if value is None else Value(value, datatype=kind) for value in column]
