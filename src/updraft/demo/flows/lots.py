"""Lots of a database: the large ones in packets, and all by their first revision against tests and scales."""

from __future__ import annotations

from updraft.core import Flow
from updraft.demo.flows.making import Ready, look_up, read, step, where
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


def first_revisions() -> Ready:
    """Of each lot the earliest revision, in grams, with its first test after harvest, and the scales."""
    flow = Flow(
        name="Lots by their first revision",
        note="The first test after each harvest, and the lots whose weight is another on the scales.",
        steps=(
            step("lots", "read_database", {"connection": "Seed lots", "table": "lots"}, name="All revisions"),
            step(
                "first",
                "take_rows",
                {"by": "smallest", "count": 1, "column": "revision", "within": ["lot"]},
                "lots",
                name="The earliest of each lot",
            ),
            step(
                "grams",
                "convert_units",
                {"columns": {"names": ["amount"]}, "by": "column", "unit_column": "unit", "to": "g"},
                "first",
                name="Amounts in grams",
            ),
            step(
                "days",
                "set_types",
                {"columns": [{"column": "harvested", "type": "date", "formats": ["YYYY-MM-DD"]}]},
                "grams",
            ),
            read(
                "tests",
                "germination.xml",
                "Germination tests",
                records="/laboratory/batch/*/test",
                parent=["@lot"],
            ),
            step(
                "sown",
                "set_types",
                {"columns": [{"column": "sown", "type": "date", "formats": ["DD/MM/YYYY"]}]},
                "tests",
            ),
            step(
                "tested",
                "join",
                {
                    "keys": [{"column": "lot", "reference": "batch.@lot"}],
                    "by": "nearest",
                    "near": "harvested",
                    "near_reference": "sown",
                    "side": "after",
                    "rows": "left",
                    "bring": [{"column": "sown"}, {"column": "germinated"}],
                },
                "days",
                reference="sown",
                name="The first test after the harvest",
            ),
            step("out", "write_file", {"name": "first_revisions.csv"}, "tested"),
            step(
                "by_variety",
                "summarise",
                {
                    "by": ["variety"],
                    "figures": [
                        {"figure": "rows", "name": "Lots"},
                        {"figure": "filled", "column": "germinated", "name": "Tested"},
                        {"figure": "sum", "column": "amount", "name": "Grams"},
                        {
                            "figure": "weighted",
                            "column": "germinated",
                            "weight": "amount",
                            "name": "Germinated, by weight",
                        },
                    ],
                    "totals": "all",
                },
                "tested",
                name="By variety, and of all",
            ),
            step("rounded", "round_numbers", {"places": 1}, "by_variety"),
            step("sums", "write_file", {"name": "lots_by_variety.csv"}, "rounded"),
            read("scales", "scales.txt", "The scales"),
            step(
                "named",
                "rename_columns",
                {
                    "by": "typed",
                    "pairs": [
                        {"old": "Lot", "new": "lot"},
                        {"old": "Variety", "new": "variety"},
                        {"old": "Grams", "new": "amount"},
                    ],
                },
                "scales",
                name="Named as in the register",
            ),
            step(
                "agree",
                "compare_tables",
                {
                    "keys": [{"column": "lot", "reference": "lot"}],
                    "columns": ["amount"],
                    "tolerance": 0.2,
                    "shape": "rows",
                    "order": "largest",
                },
                "grams",
                reference="named",
                name="Do the scales agree",
            ),
            step("apart", "write_file", {"name": "scales_apart.csv"}, "agree"),
            step("alike", "write_file", {"name": "scales_agree.csv"}, "agree.same"),
        ),
    )
    return Ready(flow, ("germination.xml", "scales.txt"))
