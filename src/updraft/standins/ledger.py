"""The ledger: an OData v4 service with shipment headers and their lines in separate entity sets."""

from __future__ import annotations

import random
from datetime import date, timedelta
from typing import Any
from urllib.parse import quote

from flask import Flask, Response, jsonify, request

from updraft.demo.names import HUBS, VARIETIES
from updraft.standins.odata_filter import FilterError, compiled

USER, PASSWORD = "exchange", "ledger-reader"
PAGE = 100  # entities an answer; the rest by its next link
SHIPMENTS = 420

_FIELDS = {
    "Shipments": [
        ("Shipment", "Edm.String", "Shipment number"),
        ("ShippedOn", "Edm.Date", "Date of shipment"),
        ("Hub", "Edm.String", "Receiving hub"),
        ("Carrier", "Edm.String", "Carrier"),
        ("Weight", "Edm.Decimal", "Weight in kg"),
        ("Closed", "Edm.Boolean", "Closed"),
    ],
    "ShipmentLines": [
        ("Line", "Edm.Int32", "Line number"),
        ("Shipment", "Edm.String", "Shipment number"),
        ("Variety", "Edm.String", "Variety"),
        ("Packets", "Edm.Int32", "Packets"),
        ("BookedAt", "Edm.DateTimeOffset", "Booked at"),
    ],
    "Hubs": [("Hub", "Edm.String", "Hub"), ("Plots", "Edm.Int32", "Plots")],
}
_KEYS = {"Shipments": "Shipment", "ShipmentLines": "Line", "Hubs": "Hub"}


def make_ledger() -> Flask:
    """The service, at /odata/. It understands $select, $filter, $orderby, $top, $skip, $count and groupby."""
    app = Flask(__name__)
    app.json.sort_keys = False  # type: ignore[attr-defined]
    data = make_entities()

    @app.before_request
    def sign_in() -> Any:
        given = request.authorization
        if given is None or (given.username, given.password) != (USER, PASSWORD):
            return Response("Sign in.", 401, {"WWW-Authenticate": "Basic"})
        return None

    @app.get("/odata/")
    def root() -> Any:
        return jsonify({"value": [{"name": name, "kind": "EntitySet", "url": name} for name in _FIELDS]})

    @app.get("/odata/$metadata")
    def metadata() -> Response:
        return Response(_metadata(), mimetype="application/xml")

    @app.get("/odata/<name>/$count")
    def how_many(name: str) -> Any:
        return Response(str(len(_chosen(data[name]))), mimetype="text/plain") if name in data else ("", 404)

    @app.get("/odata/<name>")
    def entities(name: str) -> Any:
        if name not in data:
            return jsonify(error={"message": f"There is no {name}."}), 404
        rows = _chosen(data[name])
        if (group := request.args.get("$apply", "")).startswith("groupby(("):
            field = group[len("groupby((") :].rstrip(")")
            rows = [{field: value} for value in dict.fromkeys(row[field] for row in rows)]
        for part in reversed([p for p in request.args.get("$orderby", "").split(",") if p]):
            field, _, way = part.strip().partition(" ")
            rows = sorted(rows, key=lambda row: (row[field] is not None, row[field]), reverse=way == "desc")
        skip, top = request.args.get("$skip", 0, int), request.args.get("$top", len(rows), int)
        rows = rows[skip : skip + top]
        start = request.args.get("$skiptoken", 0, int)
        body: dict[str, Any] = {"@odata.context": f"{request.url_root}odata/$metadata#{name}"}
        if select := [field for field in request.args.get("$select", "").split(",") if field]:
            rows = [{field: row[field] for field in select} for row in rows]
        body["value"] = rows[start : start + PAGE]
        if start + PAGE < len(rows):
            again = {**request.args, "$skiptoken": str(start + PAGE)}
            body["@odata.nextLink"] = f"{name}?" + "&".join(f"{k}={v}" for k, v in _quoted(again).items())
        return jsonify(body)

    app.register_error_handler(FilterError, lambda error: (jsonify(error={"message": str(error)}), 400))
    app.register_error_handler(
        KeyError, lambda error: (jsonify(error={"message": f"There is no field {error}."}), 400)
    )
    return app


def make_entities() -> dict[str, list[dict[str, Any]]]:
    """All entities, the same every time."""
    pick = random.Random("ledger")
    headers, lines = [], []
    for number in range(SHIPMENTS):
        day = date(2026, 1, 5) + timedelta(days=number * 110 // SHIPMENTS)
        headers.append(
            {
                "Shipment": f"SH-{7000 + number}",
                "ShippedOn": f"{day}",
                "Hub": pick.choice(HUBS),
                "Carrier": pick.choice(["Fenline", "O'Dell & Roe", "Saltway", None, ""]),
                "Weight": round(pick.uniform(0.4, 38), 1),
                "Closed": pick.random() > 0.1,
            }
        )
        for _ in range(pick.randint(1, 4)):
            lines.append(
                {
                    "Line": len(lines) + 1,
                    "Shipment": f"SH-{7000 + number}",
                    "Variety": pick.choice(VARIETIES),
                    "Packets": pick.choice([None, *range(5, 120, 5)]),
                    "BookedAt": f"{day}T{pick.randint(6, 17):02d}:{pick.randint(0, 59):02d}:00Z",
                }
            )
    hubs = [{"Hub": hub, "Plots": 4 + 3 * n} for n, hub in enumerate(HUBS)]
    return {"Shipments": headers, "ShipmentLines": lines, "Hubs": hubs}


def _chosen(rows: list[dict[str, Any]]) -> list[dict[str, Any]]:
    text = request.args.get("$filter", "")
    return [row for row in rows if compiled(text)(row)] if text else list(rows)


def _quoted(arguments: dict[str, str]) -> dict[str, str]:
    return {quote(name, safe="$"): quote(value) for name, value in arguments.items()}


def _metadata() -> str:
    types = "".join(
        f'<EntityType Name="{name[:-1]}"><Key><PropertyRef Name="{_KEYS[name]}"/></Key>'
        + "".join(
            f'<Property Name="{field}" Type="{type_}">'
            f'<Annotation Term="Org.OData.Core.V1.Description" String="{label}"/></Property>'
            for field, type_, label in fields
        )
        + "</EntityType>"
        for name, fields in _FIELDS.items()
    )
    sets = "".join(f'<EntitySet Name="{name}" EntityType="Larkmoor.{name[:-1]}"/>' for name in _FIELDS)
    return (
        '<?xml version="1.0" encoding="utf-8"?><edmx:Edmx '
        'xmlns:edmx="http://docs.oasis-open.org/odata/ns/edmx" '
        'Version="4.0"><edmx:DataServices><Schema xmlns="http://docs.oasis-open.org/odata/ns/edm" '
        'Namespace="Larkmoor">'
        f"{types}<EntityContainer "
        f'Name="Ledger">{sets}</EntityContainer></Schema></edmx:DataServices></edmx:Edmx>'
    )
