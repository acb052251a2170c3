"""What is in this column: kinds of packing and weights over eight orders of magnitude."""

from __future__ import annotations

from updraft.core import Flow
from updraft.demo.flows.making import Ready, read, step


def packing() -> Ready:
    """One form for each kind of packing, all weights in grams; what is no weight, or none, is put aside."""
    flow = Flow(
        name="How seed is packed",
        note="Kinds of packing by one name, weights over eight orders of magnitude in grams.",
        steps=(
            read("packs", "packing.csv", "Packs"),
            step("tidy", "tidy_text", {"columns": {"by": "names", "names": ["Packing"]}}, "packs"),
            step(
                "merge", "merge_look_alikes", {"column": "Packing"}, "tidy", name="One name for each packing"
            ),
            step(
                "grams",
                "number_and_unit",
                {"column": "Weight", "number": "Grams", "unit": "Written in", "to": "g"},
                "merge",
                name="All weights in grams",
            ),
            step(
                "odd",
                "keep_rows",
                {
                    "by": "rule",
                    "rule": {
                        "match": "any",
                        "of": [
                            {"column": "Grams", "test": "empty"},
                            {"column": "Grams", "test": "at_most", "value": "0"},
                        ],
                    },
                },
                "grams",
                name="What is no weight",
            ),
            step("doubtful", "write_file", {"name": "doubtful_weights.csv"}, "odd"),
            step(
                "good",
                "keep_rows",
                {"by": "rule", "rule": {"of": [{"column": "Grams", "test": "more", "value": "0"}]}},
                "grams",
                name="Weights",
            ),
            step(
                "by",
                "summarise",
                {
                    "by": ["Packing"],
                    "figures": [
                        {"figure": "rows", "name": "Packs"},
                        {"figure": "min", "column": "Grams", "name": "Lightest"},
                        {"figure": "median", "column": "Grams", "name": "Median"},
                        {"figure": "max", "column": "Grams", "name": "Heaviest"},
                    ],
                },
                "good",
                name="By packing",
            ),
            step("out", "write_file", {"name": "packing.xlsx"}, "by"),
        ),
    )
    return Ready(flow, ("packing.csv",))
