"""Large lots of a database, with packets and the full names of their hubs."""

from __future__ import annotations

from updraft.core import Flow
from updraft.demo.flows.making import Ready, look_up, step, where
from updraft.demo.names import HUBS


def large_lots() -> Ready:
    """Lots above 2 kg and not 2 itself; packets a kilogram; hub codes in one case, so that they meet."""
    flow = Flow(
        name="Large seed lots",
        note="Lots above 2 kg, chosen in the database, in packets, with the names of their hubs.",
        steps=(
            step(
                "lots",
                "read_database",
                {
                    "connection": "Seed lots",
                    "table": "lots",
                    "columns": ["lot", "revision", "variety", "hub", "amount", "unit"],
                    "rule": where(("unit", "equals", "kg"), ("amount", "more", "2")),
                },
                name="Lots above 2 kg",
            ),
            step(
                "packets",
                "read_database",
                {"connection": "Seed lots", "table": "packets"},
                name="Grams of a packet",
            ),
            look_up("sized", "lots", "packets", {"variety": "variety"}, "grams"),
            step(
                "calculated",
                "calculate",
                {
                    "columns": [
                        {"name": "packets_per_kg", "formula": "round(1000 / grams, 1)"},
                        {"name": "packets", "formula": "down(amount * 1000 / grams)"},
                        {"name": "hub", "formula": "upper(hub)"},
                    ]
                },
                "sized",
                name="Packets, and hub codes in one case",
            ),
            step(
                "hubs",
                "type_in_a_table",
                {"columns": ["Code", "Hub"], "rows": [[hub[:3].upper(), hub] for hub in HUBS]},
                name="Hub codes",
            ),
            look_up("named", "calculated", "hubs", {"hub": "Code"}, "Hub"),
            step(
                "merged",
                "combine_columns",
                {"columns": ["hub", "Hub"], "into": "From", "mark": " · ", "keep": False},
                "named",
                name="Code and name together",
            ),
            step("out", "write_file", {"name": "large_lots.csv"}, "merged"),
        ),
    )
    return Ready(flow)
