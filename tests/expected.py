"""The example report, worked out in plain Python from the cells of the workbooks: what every way of making it must equal."""

from pathlib import Path

import openpyxl
import pytest

from updraft.demo.names import HUB_SPELLINGS, SPELLINGS


def expected_report(world: Path, month: str) -> list[tuple]:
    """The March report in plain Python, from the workbook's cells alone."""

    def cells(name: str, skip: int) -> list[tuple]:
        return list(openpyxl.load_workbook(world / name).active.iter_rows(min_row=skip + 2, values_only=True))

    def one(text: str) -> str:
        return " ".join(text.replace("\u00a0", " ").split())

    hubs: dict[str, str] = {}
    for code, _, hub, *_ in cells("growers.xlsx", 1):
        hubs.setdefault(code, next((k for k, v in HUB_SPELLINGS.items() if hub in v), hub))
    groups: dict[tuple, dict] = {}
    for order, _on, grower, variety, _region, garden, packets, price, _ in cells(f"packet_orders_{month}.xlsx", 3):
        if grower is None:
            assert order == "Total"
            continue
        variety = one(variety)
        variety = next((k for k, v in SPELLINGS.items() if variety in v), variety)
        group = groups.setdefault(
            (hubs.get(one(grower)), variety), {"n": 0, "packets": 0, "price": 0.0, "gardens": set()}
        )
        group["n"] += 1
        group["packets"] += int(packets or 0)
        group["price"] += price
        group["gardens"].add(garden)
    return [
        (hub, variety, g["n"], g["packets"], pytest.approx(g["price"]), len(g["gardens"]))
        for (hub, variety), g in sorted(
            groups.items(), key=lambda item: (item[0][0] is None, item[0][0] or "", item[0][1])
        )
    ]
