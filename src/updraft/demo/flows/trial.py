"""A report for each variety of the tasting trial."""

from __future__ import annotations

from updraft.core import Flow
from updraft.demo.flows.making import Ready, look_up, read, step
from updraft.demo.tasting import CODES, TRIAL


def trial() -> Ready:
    """Each variety's sheet becomes the means of its traits, named by the key, as a PDF with a chart."""
    one = Flow(
        name="Means of a variety",
        steps=(
            read("scores", "tasting_trial.xlsx", "Scores of a variety", sheet=TRIAL[0]),
            step(
                "overall",
                "calculate",
                {"columns": [{"name": "All traits", "formula": f"mean({', '.join(CODES)})"}]},
                "scores",
                name="Mean across the traits",
            ),
            step(
                "down",
                "summarise",
                {
                    "by": [],
                    "figures": [
                        {"figure": "filled", "column": "Visitor", "name": "Visitors"},
                        {"figure": "mean", "like": "T?", "name": "*"},
                        {"figure": "mean", "column": "All traits", "name": "All traits"},
                    ],
                },
                "overall",
                name="Means down the visitors",
            ),
            step("whole", "round_numbers", {"places": 2}, "down"),
            step("turn", "transpose", {"name": "Trait code"}, "whole"),
        ),
    )
    flow = Flow(
        name="A report for each variety",
        note="The tasting trial: means of every trait, named by the key sheet, one PDF for each variety.",
        blocks={"Means of a variety": one},
        steps=(
            read("scores", "tasting_trial.xlsx", "Scores", sheets=list(TRIAL)),
            step(
                "each",
                "for_each",
                {"by": ["Sheet"], "flow": "Means of a variety", "block": True},
                "scores",
                name="For each variety",
            ),
            step(
                "visitors",
                "calculate",
                {
                    "columns": [
                        {"name": "Mean", "formula": "number(Row_1)"},
                        {
                            "name": "Visitors",
                            "formula": 'highest(Mean if Trait_code == "Visitors" else None, by=Sheet)',
                        },
                    ]
                },
                "each",
            ),
            step(
                "traits",
                "drop_rows",
                {
                    "by": "rule",
                    "rule": {"of": [{"column": "Trait code", "test": "equals", "value": "Visitors"}]},
                },
                "visitors",
            ),
            read("key", "tasting_trial.xlsx", "Names of the traits", sheet="Key"),
            look_up("named", "traits", "key", {"Trait code": "Code"}, "Trait", name="Name the traits"),
            step(
                "filled",
                "calculate",
                {"columns": [{"name": "Trait", "formula": "if_empty(Trait, Trait_code)"}]},
                "named",
            ),
            read(
                "marks",
                "tasting_trial.xlsx",
                "What is grown again",
                sheet="Varieties",
                marks=[{"column": "Variety", "what": "fill"}],
            ),
            step(
                "again",
                "calculate",
                {
                    "columns": [
                        {
                            "name": "Marked",
                            "formula": '"no" if is_empty(column("Variety: fill colour")) else "yes"',
                        }
                    ]
                },
                "marks",
            ),
            look_up("marked", "filled", "again", {"Sheet": "Variety"}, "Marked", name="Look up the mark"),
            step(
                "report",
                "fill_report",
                {
                    "template": "trial_report.html",
                    "by": ["Sheet"],
                    "title": "{Sheet}",
                    "name": "trial_{Sheet}.pdf",
                },
                "marked",
                name="A report for each",
            ),
        ),
    )
    return Ready(flow, ("tasting_trial.xlsx", "trial_report.html"))
