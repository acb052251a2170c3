"""The store-room mailbox: a Maildir that receives a stock file a day."""

from __future__ import annotations

import mailbox
import random
from datetime import date, timedelta
from email.message import EmailMessage
from pathlib import Path

from updraft.demo.names import HUBS, VARIETIES

FIRST, DAYS = date(2026, 3, 20), 14
SENDER = "storeroom@larkmoor.example"


def fill_mailbox(folder: Path, days: int = DAYS) -> Path:
    """Make the mailbox and deliver the first days' files; days that are there already are left alone."""
    folder.parent.mkdir(parents=True, exist_ok=True)
    mailbox.Maildir(folder, create=True)
    for number in range(days):
        deliver(folder, FIRST + timedelta(days=number))
    return folder


def make_outbox(folder: Path) -> Path:
    """Make the folder that mail which is sent is put into, where it is not there."""
    folder.parent.mkdir(parents=True, exist_ok=True)
    mailbox.Maildir(folder, create=True)
    return folder


def deliver(folder: Path, day: date) -> None:
    """One day's mail: the stock file, and now and then another message that has none."""
    box = mailbox.Maildir(folder, create=False)
    here = {message["Message-ID"] for message in box}
    for message in (_stock(day), *([_chatter(day)] if day.day % 3 == 0 else [])):
        if message["Message-ID"] not in here:
            box.add(message)


def _stock(day: date) -> EmailMessage:
    pick = random.Random(f"stock {day}")
    rows = [
        f"{name};{pick.choice(HUBS)};{pick.randint(0, 140)};{pick.randint(1, 30):,}.{pick.randint(0, 99):02d}"
        for name in VARIETIES
    ]
    message = _message(day, f"Stock on {day:%d.%m.%Y}", SENDER, "stock")
    content = "\n".join(["Variety;Hub;Packets;Kilograms", *rows, ""])
    message.add_attachment(content.encode(), maintype="text", subtype="csv", filename=f"stock_{day}.csv")
    return message


def _chatter(day: date) -> EmailMessage:
    message = _message(day, "Plan of the cold room", "office@larkmoor.example", "plan")
    message.add_attachment(b"Bay A is full.\n", maintype="text", subtype="plain", filename="plan.txt")
    return message


def _message(day: date, subject: str, sender: str, word: str) -> EmailMessage:
    message = EmailMessage()
    message["From"], message["To"], message["Subject"] = sender, "exchange@larkmoor.example", subject
    message["Date"] = f"{day:%a, %d %b %Y} 06:30:00 +0000"
    message["Message-ID"] = f"<{word}.{day}@larkmoor.example>"
    message.set_content("Please find the file attached.")
    return message
