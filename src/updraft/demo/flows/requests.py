"""What hubs asked for, pulled out of text, against what was shipped to them."""

from __future__ import annotations

from updraft.core import Flow
from updraft.demo.flows.making import Ready, read, step
from updraft.demo.names import HUBS


def requests() -> Ready:
    """Nested requests unnested; amounts and dates out of text; hubs named alike; joined with shipments."""
    flow = Flow(
        name="Requests against shipments",
        note="Grams asked for by hub and variety, beside the packets that were shipped.",
        steps=(
            read(
                "lines",
                "hub_requests.json",
                "Request lines",
                records="/requests/*/lines",
                parent=["request", "asked", "hub.name"],
            ),
            step(
                "names",
                "rename_columns",
                {"by": "rule", "find": "requests.", "instead": "requests_"},
                "lines",
            ),
            step(
                "amounts",
                "calculate",
                {
                    "columns": [
                        {"name": "packs", "formula": "number(amount, 1)"},
                        {"name": "each_g", "formula": "number(amount, 2)"},
                        {"name": "total_g", "formula": "packs * each_g"},
                        {
                            "name": "day",
                            "formula": "date(replace(after(requests_asked, ', '), ',', ''), 'D Month YYYY')",
                        },
                    ]
                },
                "names",
                name="Amounts and days out of text",
            ),
            step(
                "hubs",
                "type_in_a_table",
                {"columns": ["Hub"], "rows": [[hub] for hub in HUBS]},
                name="Names of the hubs",
            ),
            step(
                "hub",
                "look_up_alike",
                {
                    "column": "requests_hub.name",
                    "reference": "Hub",
                    "least": 55,
                    "bring": [{"column": "Hub"}],
                    "likeness": "",
                },
                "amounts",
                reference="hubs",
                name="One name a hub",
            ),
            step(
                "asked",
                "summarise",
                {
                    "by": ["Hub", "variety"],
                    "figures": [
                        {"figure": "sum", "column": "total_g", "name": "Grams asked for"},
                        {"figure": "max", "column": "day", "name": "Last asked"},
                    ],
                },
                "hub",
                name="Asked for",
            ),
            step(
                "shipments", "read_odata", {"connection": "Ledger", "entity": "Shipments"}, name="Shipments"
            ),
            step("sent", "read_odata", {"connection": "Ledger", "entity": "ShipmentLines"}, name="Lines"),
            step(
                "with_hub",
                "join",
                {
                    "keys": [{"column": "Shipment", "reference": "Shipment"}],
                    "rows": "left",
                    "bring": [{"column": "Hub"}],
                },
                "sent",
                reference="shipments",
            ),
            step(
                "shipped",
                "summarise",
                {
                    "by": ["Hub", "Variety"],
                    "figures": [{"figure": "sum", "column": "Packets", "name": "Packets shipped"}],
                },
                "with_hub",
                name="Shipped",
            ),
            step(
                "against",
                "join",
                {
                    "keys": [
                        {"column": "Hub", "reference": "Hub"},
                        {"column": "variety", "reference": "Variety"},
                    ],
                    "rows": "left",
                    "bring": [{"column": "Packets shipped"}],
                },
                "asked",
                reference="shipped",
                name="Against shipments",
            ),
            step("out", "write_file", {"name": "requests_against_shipments.csv"}, "against"),
        ),
    )
    return Ready(flow, ("hub_requests.json",))
