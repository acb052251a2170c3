"""The flow that the demo starts with."""

from __future__ import annotations

from updraft.core import Flow, Parameter, Step
from updraft.demo.names import HUB_SPELLINGS, SPELLINGS


def march_report() -> Flow:
    """Packets by hub and variety, from a month's orders and the growers' workbook."""
    condition = {"column": "Grower", "test": "empty"}
    return Flow(
        name="March packet report",
        note="Packets and revenue by hub and variety. For another month, run it with another value of “month”.",
        parameters=(Parameter(name="month", value="2026-03", note="the month of the order book"),),
        steps=(
            Step(id="orders", kind="read_file", name="Packet orders",
                 settings={"path": "packet_orders_{params.month}.xlsx"}),
            Step(id="drop_totals", kind="drop_rows", name="Drop the totals row", inputs={"table": "orders"},
                 settings={"by": "rule", "rule": {"match": "all", "of": [condition]}},
                 note="It stands at another place every month; its grower is always empty."),
            Step(id="tidy", kind="tidy_text", inputs={"table": "drop_totals"},
                 settings={"columns": {"by": "names", "names": ["Grower", "Variety", "Region"]}}),
            Step(id="recode_variety", kind="recode_values", name="One spelling per variety", inputs={"table": "tidy"},
                 settings={"column": "Variety", "changes": _changes(SPELLINGS)}),
            Step(id="kinds", kind="set_kinds", inputs={"table": "recode_variety"}, settings={"columns": [
                {"column": "Ordered on", "kind": "date", "formats": ["YYYY-MM-DD", "DD.MM.YY", "D Mon YYYY"]}]}),
            Step(id="growers", kind="read_file", settings={"path": "growers.xlsx"}, name="Growers"),
            Step(id="recode_hub", kind="recode_values", name="One spelling per hub", inputs={"table": "growers"},
                 settings={"column": "Hub", "changes": _changes(HUB_SPELLINGS)}),
            Step(id="look_up", kind="look_up", name="Look up hub and name",
                 inputs={"table": "kinds", "reference": "recode_hub"},
                 settings={"keys": [{"column": "Grower", "reference": "Code"}], "many": "first",
                           "bring": [{"column": "Full name"}, {"column": "Hub"}]}),
            Step(id="summarise", kind="summarise", inputs={"table": "look_up"}, settings={
                "by": ["Hub", "Variety"], "figures": [
                    {"figure": "rows", "name": "Orders"},
                    {"figure": "sum", "column": "Packets", "name": "Packets"},
                    {"figure": "sum", "column": "Price", "name": "Revenue"},
                    {"figure": "distinct", "column": "Garden", "name": "Gardens"}]}),
            Step(id="write", kind="write_file", name="Write the report", inputs={"table": "summarise"},
                 settings={"name": "packet_report_{params.month}.xlsx", "sheet": "Packets"}),
        ),
    )


def _changes(spellings: dict[str, list[str]]) -> list[dict[str, str]]:
    return [{"old": old, "new": new} for new, olds in spellings.items() for old in olds]
