from collections.abc import Iterator
from typing import Literal
from urllib.parse import quote

import polars as pl

from updraft.core.connect import WebService
from updraft.core.deliver import Outlet, Sample
from updraft.core.deliver.sending import Request, WebDelivery
from updraft.core.filling import Template
from updraft.core.nested import json_text
from updraft.core.problems import Problem
from updraft.core.steps.base import StepKind
from updraft.core.steps.choice import listed
from updraft.core.steps.given import Context, Result
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.sources.call_web_service import Pair
from updraft.core.steps.tables import Tables

_MOST = 20_000  # requests
_SHOWN, _SHOWN_ROWS = 3, 100  # requests and rows in the sample


class SendSettings(Settings):
    connection: str = setting("Connection", widget="connection", default="", of="web")
    method: Literal["POST", "PUT", "PATCH", "DELETE"] = setting(
        "Method",
        widget="choice",
        default="POST",
        labels={"POST": "POST", "PUT": "PUT", "PATCH": "PATCH", "DELETE": "DELETE"},
    )
    path: str = setting(
        "Path", "after the connection's address; may hold {Column}", widget="text", default=""
    )
    each: Literal["row", "many", "all"] = setting(
        "A request for",
        widget="choice",
        default="row",
        labels={"row": "each row", "many": "so many rows", "all": "all rows"},
    )
    size: int = setting("Rows in a request", widget="number", default=100, minimum=1, when={"each": ["many"]})
    columns: tuple[str, ...] = setting("Columns to send", "none sends all", widget="names", default=())
    inside: str = setting(
        "Rows stand under",
        "a name in the body; empty sends the list itself",
        widget="text",
        default="",
        when={"each": ["many", "all"]},
    )
    headers: tuple[Pair, ...] = setting("Headers", widget="binds", default=())


class SendToWebService(StepKind):
    """Send rows to a web service as JSON: each by itself, or many in one request. Sent one after another when
    all else of the run is ready; what was sent cannot be taken back.
    """

    kind = "send_to_web_service"
    title = "Send to web service"
    summary = "Send rows to a web service as JSON, one by one or many at a time"
    words = ("api", "rest", "http", "post", "put", "push", "update", "upload", "webhook", "deliver")
    icon = "cloud-arrow-up"
    needs = frozenset({"effects"})
    Settings = SendSettings

    def apply(self, tables: Tables, settings: SendSettings, context: Context) -> Result:
        known = tables.main.collect_schema()
        path = Template(settings.path)
        if path.columns:
            path.check(known, field="path")
            if settings.each != "row":
                raise Problem(
                    "The path",
                    f"it holds {listed(path.columns)}, and many rows go in one request.",
                    "Send a request for each row, or leave the column out of the path.",
                    field="path",
                )
        return Result(tables.main, touched=())

    def prepare(self, table: pl.DataFrame, settings: SendSettings, outlet: Outlet) -> Iterator[WebDelivery]:
        connection = outlet.outside.writable(settings.connection, WebService)
        many = {"row": table.height, "many": -(-table.height // settings.size), "all": 1}[settings.each]
        if many > _MOST:
            raise Problem(
                "The requests",
                f"there would be {many:,}; {_MOST:,} are the most.",
                "Send many rows in one request, or take fewer rows before.",
                field="each",
                code="too_many",
            )
        requests = _requests(table, settings)
        headers = {pair.name: pair.value for pair in settings.headers if pair.name}
        yield WebDelivery(outlet, connection, settings.method, requests, headers, table.height)

    def sample(self, table: pl.DataFrame, settings: SendSettings, outlet: Outlet) -> Sample:
        rows = {"row": _SHOWN, "many": _SHOWN * settings.size, "all": _SHOWN_ROWS}[settings.each]
        few = table.head(min(rows, _SHOWN_ROWS))
        shown = _requests(few, settings)[:_SHOWN]
        text = "\n\n".join(f"{settings.method} {one.path or '/'}\n{one.body}" for one in shown)
        part = f"the first {few.height:,} of {table.height:,} rows" if few.height < table.height else ""
        return Sample(text, said=part)

    def sentence(self, settings: SendSettings) -> str:
        where = settings.connection or "no connection yet"
        return " · ".join(filter(None, [where, f"{settings.method} {settings.path}".strip()]))


def _requests(table: pl.DataFrame, settings: SendSettings) -> list[Request]:
    rows = table.select(settings.columns) if settings.columns else table
    if settings.each == "row":
        filled = Template(settings.path).filled(table, lambda text, place: quote(text, safe=""))
        lost = next((place for place, path in enumerate(filled) if path is None), None)
        if lost is not None:
            raise Problem(
                f"Row {lost + 1:,}",
                f"a column of the path “{settings.path}” is empty there.",
                "Drop such rows before, or fill the column.",
                field="path",
            )
        bodies = [json_text(row) for row in rows.iter_rows(named=True)]
        return [Request(path or "", body) for path, body in zip(filled, bodies, strict=True)]
    size = settings.size if settings.each == "many" else max(rows.height, 1)
    made = []
    for part in rows.iter_slices(size) if rows.height else [rows]:
        listed_rows = part.to_dicts()
        body = {settings.inside.strip(): listed_rows} if settings.inside.strip() else listed_rows
        made.append(Request(settings.path, json_text(body)))
    return made
