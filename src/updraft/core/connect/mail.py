"""Mail folders (Maildir): attachments that came, messages that are sent."""

from __future__ import annotations

import mailbox
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from datetime import UTC, datetime
from email import policy
from email.message import EmailMessage
from email.parser import BytesParser
from email.utils import parsedate_to_datetime
from fnmatch import fnmatchcase
from pathlib import Path

from updraft.core.connect.model import MailFolder
from updraft.core.problems import Problem

# Names the flows that led to a message, so that none begins again by what it sent itself.
CHAIN = "X-Updraft-Chain"


@dataclass(frozen=True)
class Attachment:
    """A file that came by mail; `received` is the date its message carries, in UTC."""

    name: str
    sender: str
    subject: str
    received: datetime
    content: bytes


def attachments(connection: MailFolder, sender: str = "", pattern: str = "*") -> list[Attachment]:
    """The attachments whose sender holds a text and whose name fits a pattern with * and ?, the latest first.

    Case does not count. A message without a date counts as the oldest; of equal dates the file name decides.

    Raises:
        Problem: the folder is not there, or is no Maildir.
    """
    folder = _folder(connection)
    found = [
        part
        for message in _messages(folder)
        for part in _parts(message)
        if sender.casefold() in part.sender.casefold()
        and fnmatchcase(part.name.casefold(), (pattern or "*").casefold())
    ]
    return sorted(found, key=lambda part: (part.received, part.name), reverse=True)


@dataclass(frozen=True)
class Message:
    """What came: who sent it, what about, the names of its attachments, and the flows that led to it."""

    sender: str
    subject: str
    names: tuple[str, ...]
    chain: frozenset[str]

    def fits(self, sender: str = "", subject: str = "", name: str = "") -> bool:
        """Whether sender and subject hold these texts, and an attachment's name fits a pattern with * and ?.

        Case does not count; what is empty asks for nothing.
        """
        pattern = name.casefold()
        return (
            sender.casefold() in self.sender.casefold()
            and subject.casefold() in self.subject.casefold()
            and (not name or any(fnmatchcase(one.casefold(), pattern) for one in self.names))
        )


def messages(connection: MailFolder, keys: Iterable[str]) -> list[Message]:
    """The messages of these keys (names in the folder, without flags) that are still there.

    Raises:
        Problem: the folder is not there, or is no Maildir.
    """
    box = mailbox.Maildir(_folder(connection), create=False)
    found = []
    for key in keys:
        try:
            message = BytesParser(policy=policy.default).parsebytes(box.get_bytes(key))
        except (KeyError, FileNotFoundError):
            continue  # moved away meanwhile
        chain = frozenset(filter(None, str(message[CHAIN] or "").replace(" ", "").split(",")))
        names = tuple(part.name for part in _parts(message))
        found.append(Message(str(message["from"] or ""), str(message["subject"] or ""), names, chain))
    return found


def put(connection: MailFolder, message: EmailMessage) -> None:
    """Put a message into the folder, whole or not at all.

    Raises:
        Problem: the folder is not there, is no Maildir, or cannot be written to.
    """
    folder = _folder(connection)
    try:
        mailbox.Maildir(folder, create=False).add(message)
    except OSError as error:
        raise Problem(
            f"Connection “{connection.name}”",
            f"the message could not be put there ({(error.strerror or str(error)).lower()}).",
            "Make room or choose another folder, then run again.",
            field="connection",
            code="cannot_write",
        ) from None


def _folder(connection: MailFolder) -> Path:
    folder = Path(connection.path).expanduser()
    if not (folder / "new").is_dir() or not (folder / "cur").is_dir():
        raise Problem(
            f"Connection “{connection.name}”",
            f"{connection.path} is not a mail folder (Maildir).",
            "Correct its path on the page Connections.",
            field="connection",
            code="no_folder",
        )
    return folder


def _messages(folder: Path) -> Iterator[EmailMessage]:
    box = mailbox.Maildir(folder, create=False)
    for key in box.iterkeys():
        try:
            message = BytesParser(policy=policy.default).parsebytes(box.get_bytes(key))
        except (KeyError, FileNotFoundError):
            continue  # moved away meanwhile
        if isinstance(message, EmailMessage):
            yield message


def _parts(message: EmailMessage) -> Iterator[Attachment]:
    try:
        sent = parsedate_to_datetime(str(message["date"]))
        sent = sent.astimezone(UTC) if sent.tzinfo else sent.replace(tzinfo=UTC)
    except (TypeError, ValueError):
        sent = datetime.min.replace(tzinfo=UTC)
    for part in message.iter_attachments():
        name, content = part.get_filename(), part.get_payload(decode=True)
        if name and isinstance(content, bytes):
            yield Attachment(
                Path(name).name, str(message["from"] or ""), str(message["subject"] or ""), sent, content
            )
