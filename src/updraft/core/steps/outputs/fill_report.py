from collections.abc import Iterator
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

import polars as pl

from updraft.core.deliver import FileDelivery, Outlet, Sample
from updraft.core.filling import Template
from updraft.core.problems import Problem
from updraft.core.steps.base import StepKind
from updraft.core.steps.choice import listed
from updraft.core.steps.given import Context, Result
from updraft.core.steps.grouping import groups_of
from updraft.core.steps.outputs.naming import made_plain, plain_name
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.tables import Tables

if TYPE_CHECKING:
    from updraft.core.report.fill import Report

_MOST = 2_000  # reports


class FillReportSettings(Settings):
    template: str = setting(
        "Template",
        "an HTML file of the flow",
        widget="flow_file",
        default="",
        ending=".html",
        none="a plain one, of all columns",
    )
    by: tuple[str, ...] = setting(
        "A report for each",
        "group of rows equal in these; no column makes one of all rows",
        widget="names",
        default=(),
    )
    title: str = setting("Title", "may hold {Column}", widget="text", default="Report")
    name: str = setting(
        "File name", "ends in .pdf or .html; may hold {Column}", widget="text", default="report.pdf"
    )
    first: int | None = setting(
        "Only the first", "to try it on a few", widget="number", default=None, minimum=1, open="all"
    )


class FillReport(StepKind):
    """Fill a template of HTML with the rows: one report of all, or one for each group, as PDF or as pages.
    In a template `rows` are the rows and `first` the first of them; it can tint cells and draw charts.
    """

    kind = "fill_report"
    title = "Fill report"
    summary = "Fill a template with rows: a PDF for each group, with colours and charts"
    words = ("pdf", "html", "template", "print", "letter", "certificate", "per person", "chart", "deliver")
    icon = "file-earmark-richtext"
    needs = frozenset({"effects", "files"})
    Settings = FillReportSettings

    def apply(self, tables: Tables, settings: FillReportSettings, context: Context) -> Result:
        known = tables.main.collect_schema()
        for field in ("title", "name"):
            Template(getattr(settings, field)).check(known, field=field, thing=settings.titled(field))
        if settings.template:
            context.file(settings.template)
        return Result(tables.main, touched=())

    def files(self, settings: FillReportSettings) -> tuple[str, ...]:
        return (settings.template,) if settings.template else ()

    def prepare(
        self, table: pl.DataFrame, settings: FillReportSettings, outlet: Outlet
    ) -> Iterator[FileDelivery]:
        groups = _groups(table, settings)
        report = _report(table, settings, outlet)
        taken: set[str] = set()
        for group in groups:
            name = _named(group, settings, taken)
            title = Template(settings.title).of_first(group)
            html = report.filled(group, title)
            yield FileDelivery(outlet, name, outlet.folder / name, partial(_write, html, title), group.height)

    def sample(self, table: pl.DataFrame, settings: FillReportSettings, outlet: Outlet) -> Sample:
        groups = _groups(table, settings) or [table]
        report = _report(table, settings, outlet)
        said = f"the first of {len(groups):,}" if len(groups) > 1 else ""
        return Sample(report.filled(groups[0], Template(settings.title).of_first(groups[0])), "html", said)

    def sentence(self, settings: FillReportSettings) -> str:
        each = f" · one for each {listed(settings.by)}" if settings.by else ""
        return f"{settings.name}{each}"


def _groups(table: pl.DataFrame, settings: FillReportSettings) -> list[pl.DataFrame]:
    return groups_of(table, settings.by, _MOST, thing="The reports", first=settings.first)


def _report(table: pl.DataFrame, settings: FillReportSettings, outlet: Outlet) -> "Report":
    from updraft.core.report.fill import Report

    text = ""
    if settings.template:
        try:
            text = outlet.file(settings.template).read_text(encoding="utf-8-sig")
        except UnicodeDecodeError:
            raise Problem(
                settings.template,
                "it is not text in UTF-8.",
                "Save it so, or choose an HTML file.",
                field="template",
                code="bad_template",
            ) from None
    return Report(text, settings.template, table)


def _named(group: pl.DataFrame, settings: FillReportSettings, taken: set[str]) -> str:
    """The file's name for a group; one that is taken gets a number."""
    parts = Template(settings.name).parts
    name = "".join(
        (made_plain(Template(f"{{{part}}}").of_first(group)) or "empty") if hole else part
        for hole, part in parts
    )
    name = plain_name(name)
    stem, ending = Path(name).stem, Path(name).suffix
    if ending.lower() not in (".pdf", ".html"):
        raise Problem(
            f"File name “{name}”", "it ends in neither .pdf nor .html.", "Let it end so.", field="name"
        )
    number = 2
    while name.casefold() in taken:
        name, number = f"{stem} ({number}){ending}", number + 1
    taken.add(name.casefold())
    return name


def _write(html: str, title: str, path: Path) -> None:
    if path.suffix.lower() == ".html":
        path.write_text(html, encoding="utf-8")
        return
    from updraft.core.report.pdf import write_pdf

    write_pdf(html, path, title)
