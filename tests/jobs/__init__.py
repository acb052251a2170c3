"""Pieces of work from start to end, on the example world's material: each delivers something that is worked out
anew in plain Python.

A job is a flow with the files that it reads and a check of what it delivers. It is run by the command line
(`test_jobs.py`) and through the page (`tests/browser/test_jobs.py`).
"""

from __future__ import annotations

import csv
import json
import mailbox
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import httpx
import openpyxl

from updraft.core import Flow, Step, dump
from updraft.demo.flows.making import Ready, read, step
from updraft.standins.shop import TOKEN

__all__ = [
    "JOBS",
    "Job",
    "csv_rows",
    "job",
    "json_rows",
    "keep_sent",
    "one_blank",
    "read",
    "ready_job",
    "sheet_rows",
    "step",
]

JOBS: list[Job] = []


@dataclass(frozen=True)
class Job:
    """A piece of work.

    Args:
        made: makes files that the example world lacks; gets the folder.
        page: whether it is run through the page, too, and not by the command line alone.
        flow: what is run.
        files: places of the files that the flow reads.
        check: raises when what was delivered (a folder) is not what the material (a folder) says. What was sent stands
            there, too: messages in `mail`, what the shop was told in `told.json`.
    """

    name: str
    files: tuple[str, ...]
    flow: Flow
    check: Callable[[Path, Path], None]
    made: Callable[[Path], None] = lambda folder: None
    page: bool = True

    @property
    def document(self) -> str:
        return dump(self.flow)


def job(name: str, files: tuple[str, ...], *steps: Step, **more: Any) -> Callable[[Callable[[Path, Path], None]], None]:
    """Register a job; the function it stands above is its check."""

    decisions = more.pop("decisions", {})

    def register(check: Callable[[Path, Path], None]) -> None:
        JOBS.append(Job(name, files, Flow(name=name, steps=steps, decisions=decisions), check, **more))

    return register


def ready_job(ready: Ready, **more: Any) -> Callable[[Callable[[Path, Path], None]], None]:
    """Register a job whose flow comes with the demo."""

    def register(check: Callable[[Path, Path], None]) -> None:
        flow = ready.flow.model_copy(update=more)
        JOBS.append(Job(flow.name, ready.files, flow, check))

    return register


def keep_sent(out: Path, outbox: Path, shop: str) -> None:
    """Put what was sent beside what was delivered, and empty the outbox."""
    (out / "mail").mkdir(parents=True, exist_ok=True)
    box = mailbox.Maildir(outbox)
    for key in list(box.iterkeys()):
        (out / "mail" / f"{key}.eml").write_bytes(box.get_bytes(key))
        box.remove(key)
    for _ in range(5):  # it has a bad moment now and then
        answer = httpx.get(f"{shop}api/stock/told", headers={"Authorization": f"Bearer {TOKEN}"})
        if answer.is_success:
            break
    (out / "told.json").write_text(answer.text)


def csv_rows(path: Path) -> list[dict[str, str]]:
    with path.open(newline="", encoding="utf-8") as file:
        return list(csv.DictReader(file))


def json_rows(path: Path) -> list[dict[str, Any]]:
    return json.loads(path.read_text())


def sheet_rows(path: Path, skip: int = 0, sheet: str | None = None) -> list[dict[str, Any]]:
    """Rows of a workbook by its header."""
    book = openpyxl.load_workbook(path)
    head, *rows = (book[sheet] if sheet else book.active).iter_rows(min_row=skip + 1, values_only=True)
    return [dict(zip(head, row, strict=True)) for row in rows]


def one_blank(text: str | None) -> str | None:
    return None if text is None else " ".join(text.replace("\u00a0", " ").split())
