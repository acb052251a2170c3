"""What hubs asked for, pulled out of text, against what was shipped to them."""

from __future__ import annotations

from updraft.core import Flow
from updraft.demo.flows.making import Ready, look_up, read, step
from updraft.demo.names import HUB_SPELLINGS, HUBS

PACKS = "number(amount, 1) if fits(amount, '.*[xX×].*') else 1"
UNIT = "lower(extract(amount, '[a-zA-Z]+$'))"
IN_GRAMS = "choose(unit in ('g', 'gr', 'grams'), 1, unit in ('kg', 'kilo'), 1000, unit == 'mg', 0.001)"


def requests() -> Ready:
    """Nested requests unnested; amounts and dates out of text; hubs named alike; joined with shipments."""
    flow = Flow(
        name="Requests against shipments",
        note="Grams asked for by hub and variety, beside those shipped; what differs by over a tenth.",
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
                        {"name": "packs", "formula": PACKS},
                        {"name": "unit", "formula": UNIT},
                        {"name": "each_g", "formula": f"number(amount, -1) * ({IN_GRAMS})"},
                        {"name": "total_g", "formula": "packs * each_g"},
                        {"name": "day", "formula": "date(requests_asked)"},
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
                    "fields": [{"column": "requests_hub.name", "reference": "Hub"}],
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
            step("sizes", "read_database", {"connection": "Seed lots", "table": "packets"}, name="Packets"),
            look_up("sized", "with_hub", "sizes", {"Variety": "variety"}, "grams", name="Grams of a packet"),
            step(
                "in_grams",
                "calculate",
                {"columns": [{"name": "Shipped", "formula": "Packets * grams"}]},
                "sized",
                name="Shipped in grams",
            ),
            step(
                "shipped",
                "summarise",
                {
                    "by": ["Hub", "Variety"],
                    "figures": [
                        {"figure": "sum", "column": "Packets", "name": "Packets shipped"},
                        {"figure": "sum", "column": "Shipped", "name": "Grams shipped"},
                    ],
                },
                "in_grams",
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
                    "bring": [{"column": "Packets shipped"}, {"column": "Grams shipped"}],
                },
                "asked",
                reference="shipped",
                name="Against shipments",
            ),
            step("out", "write_file", {"name": "requests_against_shipments.csv"}, "against"),
            step(
                "differ",
                "compare_tables",
                {
                    "keys": [
                        {"column": "Hub", "reference": "Hub"},
                        {"column": "variety", "reference": "Variety"},
                    ],
                    "columns": ["Grams asked for"],
                    "allowed": [
                        {
                            "column": "Grams asked for",
                            "reference": "Grams shipped",
                            "within": 10.0,
                            "unit": "percent",
                        }
                    ],
                    "shape": "rows",
                    "order": "largest",
                },
                "asked",
                reference="shipped",
                name="What differs by more than a tenth",
            ),
            step("discrepancies", "write_file", {"name": "requests_that_differ.csv"}, "differ"),
        ),
    )
    return Ready(flow, ("hub_requests.json",))


def requests_in_grams() -> Ready:
    """Every request line in grams, hubs by one name, what says no weight put aside, and the sums a hub."""
    meant = [[spelling, hub, "", ""] for hub, ways in HUB_SPELLINGS.items() for spelling in ways]
    flow = Flow(
        name="Requests in grams",
        note="Amounts such as “12 x 5 g”, “1.5 kg” and “6 × 250 mg”, all in grams, for each hub and variety.",
        decisions={"hub": meant},
        steps=(
            read(
                "lines",
                "hub_requests.json",
                "Request lines",
                records="/requests/*/lines",
                parent=["request", "asked", "hub.name"],
            ),
            step(
                "parts",
                "calculate",
                {
                    "columns": [
                        {"name": "packs", "formula": PACKS},
                        {"name": "each", "formula": "number(amount, -1)"},
                        {"name": "unit", "formula": UNIT},
                        {"name": "day", "formula": "`requests.asked`"},
                    ]
                },
                "lines",
                name="Amounts taken apart",
            ),
            step(
                "grams",
                "convert_units",
                {"columns": {"names": ["each"]}, "by": "column", "unit_column": "unit", "to": "g"},
                "parts",
                name="Each pack in grams",
            ),
            step(
                "total",
                "calculate",
                {"columns": [{"name": "total_g", "formula": "packs * each if unit == 'g' else None"}]},
                "grams",
                name="Grams of each line",
            ),
            step(
                "hub",
                "merge_look_alikes",
                {"column": "requests.hub.name", "close": True},
                "total",
                name="One name a hub",
            ),
            step(
                "check",
                "check",
                {
                    "rules": [
                        {"must": "filled", "columns": ["total_g"], "then": "reject"},
                        {"must": "one_of", "columns": ["requests.hub.name"], "values": list(HUBS)},
                    ]
                },
                "hub",
                name="Only lines that say a weight",
            ),
            step(
                "sums",
                "summarise",
                {
                    "by": ["requests.hub.name", "variety"],
                    "figures": [
                        {"figure": "sum", "column": "total_g", "name": "Grams"},
                        {"figure": "rows", "name": "Lines"},
                        {"figure": "max", "column": "day", "name": "Last asked"},
                    ],
                },
                "check",
                name="Grams a hub and variety",
            ),
            step("out", "write_file", {"name": "requests_in_grams.csv"}, "sums"),
            step("aside", "write_file", {"name": "requests_without_weight.csv"}, "check.rejected"),
        ),
    )
    return Ready(flow, ("hub_requests.json",))
