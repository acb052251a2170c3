"""The flows that the demo starts with."""

from __future__ import annotations

from updraft.core import Flow, Parameter, Step
from updraft.demo.flows.making import look_up
from updraft.demo.names import HUB_SPELLINGS, HUBS, SPELLINGS


def march_report() -> Flow:
    """Packets by hub and variety, from a month's orders and the growers' workbook."""
    condition = {"column": "Grower", "test": "empty"}
    return Flow(
        name="March packet report",
        note=(
            "Packets and revenue by hub and variety. For another month, run it with another value of “month”."
        ),
        parameters=(Parameter(name="month", value="2026-03", note="the month of the order book"),),
        steps=(
            Step(
                id="orders",
                kind="read_file",
                name="Packet orders",
                settings={"path": "packet_orders_{params.month}.xlsx"},
            ),
            Step(
                id="drop_totals",
                kind="drop_rows",
                name="Drop the totals row",
                inputs={"table": "orders"},
                settings={"by": "rule", "rule": {"match": "all", "of": [condition]}},
                note="It stands at another place every month; its grower is always empty.",
            ),
            Step(
                id="tidy",
                kind="tidy_text",
                inputs={"table": "drop_totals"},
                settings={"columns": {"by": "names", "names": ["Grower", "Variety", "Region"]}},
            ),
            Step(
                id="recode_variety",
                kind="recode_values",
                name="One spelling per variety",
                inputs={"table": "tidy"},
                settings={"column": "Variety", "changes": _changes(SPELLINGS)},
            ),
            Step(
                id="kinds",
                kind="set_types",
                inputs={"table": "recode_variety"},
                settings={
                    "columns": [
                        {
                            "column": "Ordered on",
                            "type": "date",
                            "formats": ["YYYY-MM-DD", "DD.MM.YY", "D Mon YYYY"],
                        }
                    ]
                },
            ),
            Step(id="growers", kind="read_file", settings={"path": "growers.xlsx"}, name="Growers"),
            Step(
                id="recode_hub",
                kind="recode_values",
                name="One spelling per hub",
                inputs={"table": "growers"},
                settings={"column": "Hub", "changes": _changes(HUB_SPELLINGS)},
            ),
            Step(
                id="look_up",
                kind="look_up",
                name="Look up hub and name",
                inputs={"table": "kinds", "reference": "recode_hub"},
                settings={
                    "keys": [{"column": "Grower", "reference": "Code"}],
                    "many": "first",
                    "bring": [{"column": "Full name"}, {"column": "Hub"}],
                },
            ),
            Step(
                id="summarise",
                kind="summarise",
                inputs={"table": "look_up"},
                settings={
                    "by": ["Hub", "Variety"],
                    "figures": [
                        {"figure": "rows", "name": "Orders"},
                        {"figure": "sum", "column": "Packets", "name": "Packets"},
                        {"figure": "sum", "column": "Price", "name": "Revenue"},
                        {"figure": "distinct", "column": "Garden", "name": "Gardens"},
                    ],
                },
            ),
            Step(
                id="write",
                kind="write_file",
                name="Write the report",
                inputs={"table": "summarise"},
                settings={"name": "packet_report_{params.month}.xlsx", "sheet": "Packets"},
            ),
        ),
    )


def stock_report() -> Flow:
    """What was shipped, sold and is left of every variety at every hub: from a database, two web services,
    mail and typed cells.
    """

    def bring(name: str, table: str, reference: str, keys: dict[str, str], column: str) -> Step:
        return look_up(name.lower().replace(" ", "_"), table, reference, keys, column, name=name)

    def by(table: str, columns: list[str], column: str, name: str) -> Step:
        figure = (
            {"figure": "sum", "column": column, "name": name} if column else {"figure": "rows", "name": name}
        )
        return Step(
            id=f"{table}_by",
            kind="summarise",
            inputs={"table": table},
            settings={"by": columns, "figures": [figure]},
        )

    both = {"Hub": "Hub", "Variety": "Variety"}
    return Flow(
        name="Stock and shipments",
        note=(
            "Every source outside a file, in one flow: ledger, garden shop, seed lots, store-room "
            "mail and a typed table."
        ),
        steps=(
            Step(
                id="lines",
                kind="read_odata",
                name="Shipment lines",
                settings={"connection": "Ledger", "entity": "ShipmentLines"},
            ),
            Step(
                id="shipments",
                kind="read_odata",
                name="Shipments",
                settings={"connection": "Ledger", "entity": "Shipments"},
            ),
            bring("Hub of the shipment", "lines", "shipments", {"Shipment": "Shipment"}, "Hub"),
            by("hub_of_the_shipment", ["Hub", "Variety"], "Packets", "Packets shipped"),
            Step(
                id="lots",
                kind="read_database",
                name="Seed lots",
                settings={"connection": "Seed lots", "table": "lots", "columns": ["lot", "variety", "hub"]},
            ),
            Step(
                id="hubs",
                kind="type_in_a_table",
                name="Hub codes",
                settings={"columns": ["Code", "Hub"], "rows": [[hub[:3].lower(), hub] for hub in HUBS]},
            ),
            Step(
                id="one_each",
                kind="remove_duplicates",
                name="One row per lot",
                inputs={"table": "lots"},
                settings={"keys": ["lot"]},
            ),
            bring("Hub of the lot", "one_each", "hubs", {"hub": "Code"}, "Hub"),
            by("hub_of_the_lot", ["Hub", "variety"], "", "Lots"),
            bring(
                "Lots there",
                "hub_of_the_shipment_by",
                "hub_of_the_lot_by",
                {"Hub": "Hub", "Variety": "variety"},
                "Lots",
            ),
            Step(
                id="sales",
                kind="call_web_service",
                name="Garden shop sales",
                settings={
                    "connection": "Garden shop",
                    "path": "api/sales",
                    "paging": "page",
                    "size_name": "per_page",
                    "lists": "expand",
                },
            ),
            by("sales", ["lines.variety"], "lines.packets", "Packets sold in the shop"),
            bring(
                "Sold in the shop",
                "lots_there",
                "sales_by",
                {"Variety": "lines.variety"},
                "Packets sold in the shop",
            ),
            Step(
                id="mail",
                kind="read_mail",
                name="Stock of the day",
                settings={"connection": "Store-room mail"},
            ),
            by("mail", ["Hub", "Variety"], "Kilograms", "Kilograms in store"),
            bring("Kilograms left", "sold_in_the_shop", "mail_by", both, "Kilograms in store"),
            Step(
                id="write",
                kind="write_file",
                name="Write the report",
                inputs={"table": "kilograms_left"},
                settings={"name": "stock_and_shipments.xlsx"},
            ),
        ),
    )


def _changes(spellings: dict[str, list[str]]) -> list[dict[str, str]]:
    return [{"old": old, "new": new} for new, olds in spellings.items() for old in olds]
