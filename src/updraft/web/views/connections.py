"""Connections as JSON: save, test, delete, and what can be found through them. A secret never leaves."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Any

from flask import Blueprint, jsonify, request
from pydantic import ConfigDict

from updraft.core import Problem
from updraft.core.connect import Cluster, Connection, Database, MailFolder, Outside, WebService
from updraft.web.asked import Asked, Text, body_of
from updraft.web.live.studio import remembered, studio

if TYPE_CHECKING:
    from updraft.core.connect.reconciling import Reference
    from updraft.core.connect.service import Service

# What asks databases and services is imported where it is used: their libraries are large.
blueprint = Blueprint("connections", __name__, url_prefix="/api/connections")


class Saved(Asked):
    """The fields of a connection are its own; which they are depends on its kind."""

    model_config = ConfigDict(extra="allow", frozen=True)
    old: Text = ""
    untested: bool = False


class Propose(Asked):
    texts: tuple[Text, ...] = ()
    type: Text = ""


class Searched(Asked):
    text: Text = ""
    type: Text = ""


@blueprint.get("")
def list_connections() -> Any:
    """Name, kind and place of each; `kind` narrows it."""
    kind = request.args.get("kind", "")
    known = studio().connections.all().values()
    return jsonify(
        connections=[
            {"name": c.name, "kind": c.kind, "where": where(c)} for c in known if kind in ("", c.kind)
        ]
    )


@blueprint.post("")
def save() -> Any:
    """Save a connection once it has been reached. Body: its fields; `old` the name it had; `untested` saves
    it anyway.
    """
    body = body_of(Saved)
    fields = dict(body.model_extra or {})
    connection = studio().connections.read(fields, old=body.old)
    said = "" if body.untested else _tested(connection)
    studio().connections.save(fields, old=body.old)
    return jsonify(name=connection.name, said=said), 201


@blueprint.delete("/<name>")
def delete(name: str) -> Any:
    studio().connections.delete(name)
    return jsonify(ok=True)


@blueprint.get("/<name>/tables")
def tables(name: str) -> Any:
    """Tables of a database, or entity sets of an OData service, that fit what is typed (`search`)."""
    connection, search = studio().connections.get(name), request.args.get("search", "")
    if isinstance(connection, Database):
        from updraft.core.connect import database as databases

        return jsonify(tables=databases.tables(connection, search))
    words = search.casefold().split()
    found = [
        {"name": entity.name, "what": entity.label or "entity set"}
        for entity in _metadata(_web(connection)).values()
    ]
    return jsonify(
        tables=[t for t in found if all(w in f"{t['name']} {t['what']}".casefold() for w in words)]
    )


@blueprint.get("/<name>/columns")
def columns(name: str) -> Any:
    """Columns of a `table`: name, type, kind, label, and whether they are a key."""
    connection, table = studio().connections.get(name), request.args.get("table", "")
    if isinstance(connection, Database):
        from updraft.core.connect import database as databases

        return jsonify(
            columns=[
                {**column, "kind": _kind(column["type"]), "label": ""}
                for column in databases.columns(connection, table)
            ]
        )
    known = _metadata(_web(connection))
    if table not in known:
        raise Problem(
            f"Entity set “{table}”",
            "the service has none of this name.",
            "Choose another one.",
            code="no_table",
        )
    return jsonify(
        columns=[
            {
                "name": p.name,
                "type": p.type.removeprefix("Edm.").lower(),
                "key": "key" if p.key else "",
                "label": p.label,
                "kind": _kind(p.type),
            }
            for p in known[table].properties.values()
        ]
    )


@blueprint.get("/<name>/values")
def values(name: str) -> Any:
    """Distinct values of a `column` of a `table`, with counts where they are known; `search` narrows them."""
    connection = studio().connections.get(name)
    table, column, search = (request.args.get(key, "") for key in ("table", "column", "search"))
    if isinstance(connection, Database):
        from updraft.core.connect import database as databases

        found: list[tuple[Any, int | None]] = list(databases.values(connection, table, column, search))
    else:
        from updraft.core.connect.odata import distinct, entity_set

        with _asking(_web(connection)) as service:
            found = [
                (None if v is None else str(v), None)
                for v in distinct(service, entity_set(service, table), column)
            ]
        found = [pair for pair in found if search.casefold() in str(pair[0]).casefold()][:200]
    return jsonify(values=found, distinct=len(found), found=len(found))


@blueprint.post("/<name>/terms")
def terms(name: str) -> Any:
    """The kinds of things that names (`texts`) are likely of, and the properties of a kind (`type`)."""
    body, connection = body_of(Propose), _web(studio().connections.get(name))
    texts = body.texts[:20]

    def make() -> Any:
        with _referring(connection) as reference:
            types = reference.types(texts)
            properties = reference.properties(body.type)
        return {
            "types": [{**term._asdict(), "names": names, "of": len(texts)} for term, names in types],
            "properties": [term._asdict() for term in properties],
        }

    key = ("terms", connection.model_dump_json(), texts, body.type)
    return jsonify(remembered(key, make))


@blueprint.post("/<name>/search")
def search(name: str) -> Any:
    """What a reference knows that is like a `text`, of a kind (`type`): the likeliest first."""
    from updraft.core.connect.reconciling import Query

    body = body_of(Searched)
    with _referring(_web(studio().connections.get(name))) as reference:
        query = Query(body.text, body.type)
        (found,) = reference.candidates([query], most=10)
    if isinstance(found, Problem):
        raise found
    return jsonify(candidates=[vars(one) for one in found])


def where(connection: Connection) -> str:
    """The place of a connection in a few words."""
    match connection:
        case Database(dialect="sqlite"):
            return connection.database
        case Database(dialect="other"):
            return connection.url
        case Database():
            return (
                f"{connection.host}{f':{connection.port}' if connection.port else ''}/{connection.database}"
            )
        case WebService():
            return connection.url
        case Cluster():
            return connection.place
        case _:
            return connection.path


def _tested(connection: Connection) -> str:
    """Reach the connection and say what is there; Problem when it cannot be reached."""
    match connection:
        case Database():
            from updraft.core.connect import database as databases

            many = len(databases.tables(connection))
            return f"Reached: {many} {'table' if many == 1 else 'tables'}."
        case MailFolder():
            from updraft.core.connect.mail import attachments

            many = len(attachments(connection))
            return f"Reached: {many} {'attachment' if many == 1 else 'attachments'}."
        case Cluster():
            from updraft.core.engine.spark_session import reach

            reach(connection.place)
            if not Path(connection.folder).is_dir():
                raise Problem(
                    connection.folder,
                    "there is no such folder on this machine.",
                    "Name one that this machine and the cluster's all see.",
                    code="no_folder",
                )
            return "Reached." if connection.place.startswith("spark://") else ""
        case _:
            with _asking(connection) as service:
                try:
                    service.ask()
                except Problem as problem:
                    if problem.code != "web":  # an address may well have nothing of its own to say
                        raise
            return "Reached."


@contextmanager
def _asking(connection: WebService) -> Iterator[Service]:
    """A service asked now, with nothing kept."""
    from updraft.core.connect.service import Service

    with (
        tempfile.TemporaryDirectory(prefix="updraft-") as folder,
        Service(connection, Outside(allow=studio().allow), Path(folder)) as service,
    ):
        yield service


@contextmanager
def _referring(connection: WebService) -> Iterator[Reference]:
    from updraft.core.connect.reconciling import Reference

    with _asking(connection) as service:
        yield Reference(service)


def _web(connection: Connection) -> WebService:
    if not isinstance(connection, WebService):
        raise Problem(
            f"Connection “{connection.name}”",
            "it is not one to a database or a web service.",
            "Choose another one.",
            code="bad_connection",
        )
    return connection


def _metadata(connection: WebService) -> Any:
    def make() -> Any:
        with _asking(connection) as service:
            from updraft.core.connect.odata import entity_sets

            return entity_sets(service)

    return remembered(("metadata", connection.model_dump_json()), make)


def _kind(type_name: str) -> str:
    """The kind that a column of a database or service type is read as."""
    text = type_name.lower()
    for parts, kind in (
        (("bool",), "yes_no"),
        (("timestamp", "datetime"), "datetime"),
        (("date",), "date"),
        (("int", "serial", "byte"), "whole"),
        (("num", "dec", "real", "float", "double", "single", "money"), "number"),
    ):
        if any(part in text for part in parts):
            return kind
    return "text"
