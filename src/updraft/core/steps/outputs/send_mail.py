import re
import tempfile
from collections.abc import Iterator
from email.message import EmailMessage
from pathlib import Path
from typing import Literal

import polars as pl

from updraft.core.connect import MailFolder
from updraft.core.deliver import Outlet, Sample
from updraft.core.deliver.sending import MailDelivery
from updraft.core.filling import Template
from updraft.core.formats.write import write_csv, write_sheets
from updraft.core.problems import Problem
from updraft.core.steps.base import StepKind
from updraft.core.steps.choice import listed
from updraft.core.steps.given import Context, Result
from updraft.core.steps.grouping import groups_of
from updraft.core.steps.outputs.naming import made_plain
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.tables import Tables

_MOST = 2_000  # messages
_ADDRESS = re.compile(r"[^@\s<>,;\"]+@[^@\s<>,;\"]+\.[^@\s<>,;\"]+|[^@\s<>,;\"]+@localhost")


class SendMailSettings(Settings):
    connection: str = setting("Send by", "a mail folder", widget="connection", default="", of="mail")
    by: tuple[str, ...] = setting(
        "A message for each",
        "group of rows equal in these; no column sends all rows in one message",
        widget="names",
        default=(),
    )
    sender: str = setting("From", widget="text", default="")
    to: str = setting(
        "To", "an address, or {Column}; several with a comma between", widget="text", default=""
    )
    subject: str = setting("Subject", "may hold {Column}", widget="text", default="")
    text: str = setting("Text", "may hold {Column}, of the first row", widget="long_text", default="")
    attach: Literal["none", "xlsx", "csv"] = setting(
        "Attach the rows",
        widget="choice",
        default="xlsx",
        labels={"xlsx": "as a workbook", "csv": "as CSV", "none": "no"},
    )
    name: str = setting(
        "Name of the attachment",
        "without its ending",
        widget="text",
        default="rows",
        when={"attach": ["xlsx", "csv"]},
    )


class SendMail(StepKind):
    """Send a message for each group of rows, with the rows attached. Messages go into a mail folder from
    where they are sent, when all else of the run is ready.
    """

    kind = "send_mail"
    title = "Send mail"
    summary = "Send a message for each group of rows, with the rows attached"
    words = ("email", "message", "notify", "letter", "serial letter", "attachment", "smtp", "deliver")
    icon = "envelope-arrow-up"
    needs = frozenset({"effects"})
    Settings = SendMailSettings

    def apply(self, tables: Tables, settings: SendMailSettings, context: Context) -> Result:
        known = tables.main.collect_schema()
        for field in ("sender", "to", "subject"):
            Template(getattr(settings, field)).check(known, field=field, thing=settings.titled(field))
        if settings.text.strip():
            Template(settings.text).check(known, field="text")
        if settings.attach != "none":
            Template(settings.name).check(known, field="name")
        return Result(tables.main, touched=())

    def prepare(
        self, table: pl.DataFrame, settings: SendMailSettings, outlet: Outlet
    ) -> Iterator[MailDelivery]:
        connection = outlet.outside.writable(settings.connection, MailFolder)
        groups = _groups(table, settings)
        messages = [_message(group, settings) for group in groups]
        yield MailDelivery(outlet, connection, messages, table.height)

    def sample(self, table: pl.DataFrame, settings: SendMailSettings, outlet: Outlet) -> Sample | None:
        groups = _groups(table, settings)
        if not groups:
            return Sample("", said="no rows, so no message")
        message = _message(groups[0], settings)
        body = message.get_body()
        head = "\n".join(f"{name}: {message[name]}" for name in ("From", "To", "Subject"))
        files = [part.get_filename() for part in message.iter_attachments()]
        attached = f"\n\nAttached: {', '.join(map(str, files))}" if files else ""
        text = body.get_content().strip() if body else ""
        said = f"the first of {len(groups):,} messages" if len(groups) > 1 else ""
        return Sample(f"{head}\n\n{text}{attached}", said=said)

    def sentence(self, settings: SendMailSettings) -> str:
        each = f" · one for each {listed(settings.by)}" if settings.by else ""
        return f"to {settings.to or '…'}{each}"


def _groups(table: pl.DataFrame, settings: SendMailSettings) -> list[pl.DataFrame]:
    if not table.height:
        return []
    return groups_of(table, settings.by, _MOST, thing="The messages")


def _message(rows: pl.DataFrame, settings: SendMailSettings) -> EmailMessage:
    def filled(text: str) -> str:
        return " ".join(Template(text).of_first(rows).split())

    message = EmailMessage()
    message["From"] = _addresses(filled(settings.sender), settings.sender, rows, "sender")
    message["To"] = _addresses(filled(settings.to), settings.to, rows, "to")
    message["Subject"] = filled(settings.subject)
    message.set_content(Template(settings.text).of_first(rows) + "\n")
    if settings.attach != "none":
        name = f"{made_plain(filled(settings.name)) or 'rows'}.{settings.attach}"
        kinds = {
            "csv": ("text", "csv"),
            "xlsx": ("application", "vnd.openxmlformats-officedocument.spreadsheetml.sheet"),
        }
        main, sub = kinds[settings.attach]
        message.add_attachment(_file(rows, settings.attach), maintype=main, subtype=sub, filename=name)
    return message


def _addresses(text: str, asked: str, rows: pl.DataFrame, field: str) -> str:
    parts = [part.strip() for part in text.split(",") if part.strip()]
    wrong = next((part for part in parts if not _ADDRESS.fullmatch(part)), None)
    if wrong is None and parts:
        return ", ".join(parts)
    near = ", ".join(str(value) for value in rows.row(0)[:3])
    raise Problem(
        f"“{asked}”",
        f"“{wrong}” is no mail address." if wrong else "it is empty for some rows.",
        f"See the row that begins with {near}.",
        field=field,
        code="bad_address",
    )


def _file(rows: pl.DataFrame, form: str) -> bytes:
    with tempfile.TemporaryDirectory(prefix="updraft-") as folder:
        path = Path(folder) / f"rows.{form}"
        if form == "csv":
            write_csv(rows, path)
        else:
            write_sheets({"Rows": rows}, path)
        return path.read_bytes()
