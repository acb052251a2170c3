from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path
from typing import Literal

from updraft.core.connect import WebService
from updraft.core.formats import Reading, read, stacked
from updraft.core.steps.asking import answers_folder
from updraft.core.steps.base import StepKind
from updraft.core.steps.given import Context, Result
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.sources.reading import ReadingSettings, as_result
from updraft.core.steps.tables import Tables


class Pair(Settings):
    name: str
    value: str = ""


class CallSettings(Settings):
    connection: str = setting("Connection", widget="connection", default="", of="web")
    path: str = setting("Path", "after the connection's address", widget="text", default="")
    method: Literal["GET", "POST"] = setting(
        "Method", widget="choice", default="GET", labels={"GET": "GET", "POST": "POST"}
    )
    query: tuple[Pair, ...] = setting("Query", "may hold {params.name}", widget="binds", default=())
    headers: tuple[Pair, ...] = setting("Headers", widget="binds", default=())
    body: str = setting("Body", widget="long_text", default="", when={"method": ["POST"]})
    paging: Literal["none", "page", "offset", "cursor", "link"] = setting(
        "Pages",
        widget="choice",
        default="none",
        labels={
            "none": "one",
            "page": "by number",
            "offset": "by offset",
            "cursor": "cursor",
            "link": "next link",
        },
    )
    page_name: str = setting(
        "Sent as",
        "name of the parameter",
        widget="text",
        default="page",
        when={"paging": ["page", "offset", "cursor"]},
    )
    first_page: int = setting("First page", widget="number", default=1, minimum=0, when={"paging": ["page"]})
    next_at: str = setting(
        "Stands in the answer at",
        "such as /meta/next; empty: the header Link",
        widget="text",
        default="",
        when={"paging": ["cursor", "link"]},
    )
    size_name: str = setting(
        "Size sent as",
        "empty sends none",
        widget="text",
        default="",
        when={"paging": ["page", "offset", "cursor", "link"]},
    )
    size: int = setting(
        "Records a page",
        widget="number",
        default=100,
        minimum=1,
        when={"paging": ["page", "offset", "cursor", "link"]},
    )
    most: int = setting(
        "Pages at most",
        widget="number",
        default=1000,
        minimum=1,
        when={"paging": ["page", "offset", "cursor", "link"]},
    )


class CallWebServiceSettings(ReadingSettings, CallSettings):
    pass


class CallWebService(StepKind):
    """Ask a web service and read its answer: JSON, CSV or XML, all pages of it. Looking again does not ask
    again.
    """

    kind = "call_web_service"
    title = "Call web service"
    summary = "Bring in the answer of a web service, all pages of it"
    words = ("api", "rest", "http", "get", "post", "json", "endpoint", "request", "url", "download", "source")
    icon = "cloud-arrow-down"
    way_in = (6, "A web service")
    inputs = ()
    needs = frozenset({"outside"})
    Settings = CallWebServiceSettings

    def apply(self, tables: Tables, settings: CallWebServiceSettings, context: Context) -> Result:
        with _answers(settings, context) as found:
            return as_result(_read(list(found), settings), settings, context.wanted)

    def readable(self, settings: CallWebServiceSettings, context: Context) -> list[Path]:
        with _answers(settings, context) as found:
            return [next(found)]

    def sentence(self, settings: CallWebServiceSettings) -> str:
        return " · ".join(
            filter(None, [settings.connection or "no connection yet", settings.path, settings.records])
        )


@contextmanager
def _answers(settings: CallWebServiceSettings, context: Context) -> Iterator[Iterator[Path]]:
    from updraft.core.connect.paging import Paging, pages
    from updraft.core.connect.service import Service

    connection = context.outside.connection(settings.connection, WebService)
    paging = Paging(
        settings.paging,
        settings.page_name,
        settings.size_name,
        settings.size,
        settings.first_page,
        settings.next_at,
        settings.most,
    )
    with answers_folder(context) as keep, Service(connection, context.outside, keep) as service:
        yield (
            answer.path
            for answer in pages(
                service,
                paging,
                settings.path,
                [(pair.name, pair.value) for pair in settings.query if pair.name],
                records=settings.records,
                method=settings.method,
                body=settings.body,
                headers={pair.name: pair.value for pair in settings.headers if pair.name},
            )
        )


def _read(paths: list[Path], settings: CallWebServiceSettings) -> Reading:
    options = settings.options()
    first = read(paths[0], options)
    if len(paths) == 1:
        return first
    if first.detected.format == "json":
        from updraft.core.formats import json_text
        from updraft.core.formats.records import find_records, outline, table_of_all

        values = [json_text.load(path, first.detected.options)[0] for path in paths]
        chosen = options.records if options.records is not None else find_records(outline(values[0]))[0]
        frame, said = table_of_all(
            values, replace(options, records=chosen), name=settings.path or settings.connection
        )
    else:
        parts = [first, *(read(path, options) for path in paths[1:])]
        frame, said = stacked({str(n): part.frame for n, part in enumerate(parts, start=1)}, "\0page", "page")
        frame = frame.drop("\0page")
    return Reading(frame, replace(first.detected, columns=tuple(frame.columns)), tuple(said))
