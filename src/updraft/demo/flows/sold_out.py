"""What is sold out before sowing ends, and the orders that are at risk: sales against stock and the road."""

from __future__ import annotations

from updraft.core import Flow, Parameter
from updraft.demo.flows.making import Ready, look_up, read, step, where


def sold_out() -> Ready:
    """Sales of the shop, the stock by mail, what is on the road; growers are asked, the shop is told."""
    stock = Flow(
        name="Stock of the day",
        note="Reads the latest stock file from the store-room's mail.",
        steps=(
            step(
                "mail", "read_mail", {"connection": "Store-room mail", "pattern": "stock_*.csv"}, name="Mail"
            ),
            step(
                "by",
                "summarise",
                {"by": ["Variety"], "figures": [{"figure": "sum", "column": "Packets", "name": "In store"}]},
                "mail",
            ),
        ),
    )
    flow = Flow(
        name="Sold out before sowing ends",
        note="Sales against stock and what is on the road; growers are mailed, the shop is told.",
        parameters=(
            Parameter(name="since", value="2026-03-20", kind="date", note="six weeks before today"),
            Parameter(name="weeks", value="6", kind="whole", note="weeks until sowing ends"),
        ),
        blocks={"Stock of the day": stock},
        steps=(
            step(
                "sales",
                "call_web_service",
                {
                    "connection": "Garden shop",
                    "path": "api/sales",
                    "query": [{"name": "since", "value": "{params.since}"}],
                    "paging": "page",
                    "size_name": "per_page",
                    "records": "/sales/*/lines",
                    "parent": ["sale", "sold_on"],
                },
                name="Six weeks of sales",
            ),
            step(
                "sold",
                "summarise",
                {"by": ["variety"], "figures": [{"figure": "sum", "column": "packets", "name": "Sold"}]},
                "sales",
                name="Packets sold",
            ),
            step(
                "stock",
                "bring_in_a_flow",
                {"flow": "Stock of the day", "block": True},
                name="Stock of the day",
            ),
            look_up("both", "stock", "sold", {"Variety": "variety"}, "Sold", name="Sold of what is in store"),
            read("road", "on_the_road.csv", "On the road"),
            look_up("coming", "both", "road", {"Variety": "Variety"}, "Packets", "Expected"),
            step(
                "weeks",
                "calculate",
                {
                    "columns": [
                        {"name": "There and coming", "formula": "In_store + if_empty(Packets, 0)"},
                        {"name": "Sold a week", "formula": "round(if_empty(Sold, 0) / 6, 1)"},
                        {"name": "Lasts weeks", "formula": "round(There_and_coming / Sold_a_week, 1)"},
                    ]
                },
                "coming",
                name="How long it lasts",
            ),
            step(
                "short",
                "keep_rows",
                {"by": "rule", "rule": where(("Lasts weeks", "less", "{params.weeks}"))},
                "weeks",
                name="Sold out before sowing ends",
            ),
            step("sorted", "sort_rows", {"order": [{"column": "Lasts weeks"}]}, "short"),
            read("orders", "packet_orders_2026-04.xlsx", "Orders that are open"),
            step(
                "spelled",
                "calculate",
                {
                    "columns": [
                        {"name": "Variety", "formula": "tidy(Variety)"},
                        {"name": "Packets", "formula": "number(Packets)"},
                    ]
                },
                "orders",
                name="Varieties without stray blanks",
            ),
            step("once", "remove_duplicates", {"keys": ["Order"]}, "spelled", name="Each order once"),
            step(
                "risk",
                "join",
                {
                    "keys": [{"column": "Variety", "reference": "Variety"}],
                    "rows": "inner",
                    "ignore_case": True,
                    "bring": [{"column": "Variety", "name": "At risk"}, {"column": "There and coming"}],
                },
                "once",
                reference="sorted",
                name="Orders at risk",
            ),
            step(
                "at_risk",
                "summarise",
                {
                    "by": ["At risk"],
                    "figures": [
                        {"figure": "rows", "name": "Orders"},
                        {"figure": "sum", "column": "Packets", "name": "Packets ordered"},
                        {"figure": "first", "column": "There and coming", "name": "There and coming"},
                        {"figure": "share", "column": "Packets", "name": "Share"},
                    ],
                    "order": "first",
                },
                "risk",
                name="At risk, by variety",
            ),
            step("risks", "write_file", {"name": "orders_at_risk.csv"}, "at_risk"),
            step("list", "write_file", {"name": "sold_out.xlsx", "sheet": "Sold out"}, "sorted"),
            step(
                "ask",
                "send_mail",
                {
                    "connection": "Outbox",
                    "sender": "exchange@larkmoor.example",
                    "to": "growers@larkmoor.example",
                    "subject": "More seed needed",
                    "text": "The varieties in the list attached will be sold out before sowing ends.",
                    "name": "sold out",
                },
                "sorted",
                name="Ask the growers for more",
            ),
            step(
                "tell",
                "send_to_web_service",
                {
                    "connection": "Garden shop",
                    "method": "PUT",
                    "path": "api/stock/{Variety}",
                    "columns": ["Variety", "Lasts weeks"],
                },
                "sorted",
                name="Tell the shop",
            ),
        ),
    )
    return Ready(flow, ("on_the_road.csv", "packet_orders_2026-04.xlsx"))
