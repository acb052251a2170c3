"""Varieties matched to the botanical reference, and written as linked data."""

from __future__ import annotations

from updraft.core import Flow
from updraft.demo.flows.making import Ready, read, step

LANDING = "https://larkmoor.example/variety/"


def varieties() -> Ready:
    """The plants' names are matched by their address; what is sure is taken, the rest waits on the desk."""
    connection = "Botanical reference"
    said = [
        {"term": "schema:name", "column": "Variety", "language": "en"},
        {"term": "dwc:scientificName", "column": "Species"},
        {"term": "dwc:family", "column": "Family (reference)"},
        {"term": "dwc:cultivarEpithet", "column": "Variety"},
        {"term": "dcterms:created", "column": "Introduced"},
        {
            "term": "dwc:taxonID",
            "value": "address",
            "address": "https://botany.larkmoor.example/{Species id}",
        },
    ]
    flow = Flow(
        name="Varieties as linked data",
        note="Names of plants matched to the botanical reference; its family added; written as a graph.",
        steps=(
            read("varieties", "varieties.csv", "Varieties"),
            step("plant", "combine_columns", {"columns": ["Genus", "Epithet"], "into": "Plant"}, "varieties"),
            step(
                "match",
                "match_to_reference",
                {
                    "connection": connection,
                    "column": "Plant",
                    "type": "species",
                    "evidence": [{"property": "family", "column": "Family"}],
                    "name": "Species",
                    "identity": "Species id",
                },
                "plant",
                name="Match the species",
            ),
            step(
                "fields",
                "add_reference_fields",
                {
                    "connection": connection,
                    "column": "Species id",
                    "fields": [
                        {"property": "family", "name": "Family (reference)"},
                        {"property": "origin", "name": "Origin (reference)"},
                    ],
                },
                "match",
                name="Add family and origin",
            ),
            step("table", "write_file", {"name": "varieties_matched.csv"}, "fields", name="Write the table"),
            step(
                "graph",
                "write_linked_data",
                {
                    "name": "varieties.ttl",
                    "subject": LANDING + "{Variety}",
                    "type": "dwc:Taxon",
                    "statements": said,
                },
                "fields",
                name="Write the graph",
            ),
        ),
    )
    return Ready(flow, ("varieties.csv",))
