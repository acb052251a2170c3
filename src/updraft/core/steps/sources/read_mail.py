from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from updraft.core.connect import MailFolder
from updraft.core.formats import read
from updraft.core.problems import Problem
from updraft.core.steps.asking import answers_folder
from updraft.core.steps.base import StepKind
from updraft.core.steps.given import Context, Result
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.sources.reading import ReadingSettings, as_result
from updraft.core.steps.tables import Tables


class MailSettings(Settings):
    connection: str = setting("Connection", widget="connection", default="", of="mail")
    sender: str = setting("Sender", "holds this text; empty takes any", widget="text", default="")
    pattern: str = setting("File name", "may hold * and ?", widget="text", default="*")


class ReadMailSettings(ReadingSettings, MailSettings):
    pass


class ReadMail(StepKind):
    """Read the latest attachment that fits a sender and a file name, from a mail folder."""

    kind = "read_mail"
    title = "Read mail"
    summary = "Bring in the latest attachment from a mail folder"
    words = ("email", "e-mail", "attachment", "mailbox", "inbox", "maildir", "imap", "source")
    icon = "envelope-paper"
    way_in = (8, "Mail")
    inputs = ()
    needs = frozenset({"outside"})
    Settings = ReadMailSettings

    def apply(self, tables: Tables, settings: ReadMailSettings, context: Context) -> Result:
        with _latest(settings, context) as path:
            return as_result(read(path, settings.options()), settings, context.wanted)

    def readable(self, settings: ReadMailSettings, context: Context) -> list[Path]:
        with _latest(settings, context) as path:
            return [path]

    def sentence(self, settings: ReadMailSettings) -> str:
        return " · ".join(
            filter(None, [settings.connection or "no connection yet", settings.sender, settings.pattern])
        )


@contextmanager
def _latest(settings: ReadMailSettings, context: Context) -> Iterator[Path]:
    from updraft.core.connect.mail import attachments

    connection = context.outside.connection(settings.connection, MailFolder)
    found = attachments(connection, settings.sender, settings.pattern)
    if not found:
        who = f" from “{settings.sender}”" if settings.sender else ""
        raise Problem(
            f"Connection “{connection.name}”",
            f"no attachment{who} fits “{settings.pattern or '*'}”.",
            "Change the sender or the file name, or wait for the mail.",
            field="pattern",
            code="no_file",
        )
    with answers_folder(context) as keep:
        keep.mkdir(parents=True, exist_ok=True)
        path = keep / found[0].name
        path.write_bytes(found[0].content)
        yield path
