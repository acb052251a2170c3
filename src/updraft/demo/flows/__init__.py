"""The ready-made flows of the demo."""

from __future__ import annotations

from updraft.demo.flows.laboratory import laboratory
from updraft.demo.flows.ledger import ledger
from updraft.demo.flows.lots import first_revisions, large_lots
from updraft.demo.flows.making import Ready
from updraft.demo.flows.orders import march_report, stock_report
from updraft.demo.flows.packing import packing
from updraft.demo.flows.requests import requests, requests_in_grams
from updraft.demo.flows.sold_out import sold_out
from updraft.demo.flows.trial import trial
from updraft.demo.flows.varieties import varieties

__all__ = [
    "Ready",
    "first_revisions",
    "laboratory",
    "large_lots",
    "ledger",
    "march_report",
    "packing",
    "ready_made",
    "requests",
    "requests_in_grams",
    "sold_out",
    "stock_report",
    "trial",
    "varieties",
]


def ready_made() -> list[Ready]:
    """All of them, in the order they are made in."""
    months = [f"packet_orders_2026-{month:02d}.xlsx" for month in (2, 3, 4)]
    return [
        *(
            make()
            for make in (
                packing,
                laboratory,
                requests,
                large_lots,
                first_revisions,
                ledger,
                varieties,
                trial,
                sold_out,
                requests_in_grams,
            )
        ),
        Ready(stock_report()),
        Ready(march_report(), (*months, "growers.xlsx")),
    ]
