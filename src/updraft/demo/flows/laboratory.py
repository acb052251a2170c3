"""Forty weekly files of the germination laboratory in one go, and what becomes of each lot by rules."""

from __future__ import annotations

from typing import Any

from updraft.core import Flow
from updraft.demo.flows.making import Ready, read, step, where
from updraft.demo.stores import WEEKS

SOW: list[dict[str, Any]] = [
    {"when": where(("germinated", "at_least", "85")), "then": "sow"},
    {"when": where(("germinated", "at_least", "70")), "then": "test again"},
]


def laboratory() -> Ready:
    """All weeks below each other, empty fields left out, days written anew, lots to sow or to discard."""
    flow = Flow(
        name="Forty weeks of germination tests",
        note="Forty weekly files in one table; lots to sow, to test again or to discard, by rules.",
        steps=(
            read("tests", "week_*.xml", "Weekly tests", records="/week/test", parent=["@number"]),
            step("full", "remove_empty_columns", {}, "tests"),
            step(
                "kinds",
                "set_types",
                {"columns": [{"column": "sown", "type": "date", "formats": ["DD/MM/YYYY"]}]},
                "full",
            ),
            step(
                "fate",
                "apply_rules",
                {"column": "What becomes of it", "rules": SOW, "value": "discard"},
                "kinds",
                name="Sow, test again or discard",
            ),
            step(
                "dates",
                "format_dates",
                {"columns": {"by": "names", "names": ["sown"]}, "format": "DD.MM.YYYY"},
                "fate",
            ),
            step("out", "write_file", {"name": "germination.xlsx", "sheets": "What becomes of it"}, "dates"),
            step("lines", "write_file", {"name": "germination.jsonl"}, "dates"),
        ),
    )
    return Ready(flow, tuple(f"laboratory/week_{number:02d}.xml" for number in range(1, WEEKS + 1)))
