"""Heads of shipments from the ledger, then for each head its lines."""

from __future__ import annotations

from updraft.core import Flow, Parameter
from updraft.demo.flows.making import Ready, step


def ledger() -> Ready:
    """Open shipments since a day, the lines asked for head by head, and both joined."""
    lines = Flow(
        name="Lines of a shipment",
        parameters=(Parameter(name="shipment", value="SH-7000"),),
        steps=(
            step("head", "type_in_a_table", {"columns": ["Shipment"], "rows": [["SH-7000"]]}),
            step(
                "lines",
                "read_odata",
                {
                    "connection": "Ledger",
                    "entity": "ShipmentLines",
                    "columns": ["Line", "Variety", "Packets"],
                    "rule": {"of": [{"column": "Shipment", "test": "equals", "value": "{params.shipment}"}]},
                },
            ),
        ),
    )
    flow = Flow(
        name="Open shipments with their lines",
        note="Heads since a day from the ledger, then for each its lines. “since” may be “today”.",
        parameters=(Parameter(name="since", value="2026-03-01", kind="date", note="shipped on or after"),),
        blocks={"Lines of a shipment": lines},
        steps=(
            step(
                "heads",
                "read_odata",
                {
                    "connection": "Ledger",
                    "entity": "Shipments",
                    "columns": ["Shipment", "ShippedOn", "Hub", "Weight"],
                    "rule": {
                        "match": "all",
                        "of": [
                            {"column": "Closed", "test": "equals", "value": "no"},
                            {"column": "ShippedOn", "test": "at_least", "value": "{params.since}"},
                            {
                                "column": "Hub",
                                "test": "one_of",
                                "values": ["Aldermere", "Coldwater", "Saltmarsh"],
                            },
                        ],
                    },
                    "split": "field",
                    "split_field": "Hub",
                },
                name="Open shipments",
            ),
            step(
                "each",
                "for_each",
                {
                    "by": ["Shipment"],
                    "flow": "Lines of a shipment",
                    "block": True,
                    "source": "head",
                    "output": "lines",
                    "parameters": [{"name": "shipment", "column": "Shipment"}],
                },
                "heads",
                name="For each, its lines",
            ),
            step(
                "joined",
                "join",
                {"keys": [{"column": "Shipment", "reference": "Shipment"}], "rows": "left"},
                "heads",
                reference="each",
                name="Heads with their lines",
            ),
            step("out", "write_file", {"name": "open_shipments.csv"}, "joined"),
        ),
    )
    return Ready(flow)
