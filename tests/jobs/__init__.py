"""Pieces of work from start to end, on the example world's material: each delivers something that is worked out
anew in plain Python.

A job is a flow with the files that it reads and a check of what it delivers. It is run by the command line
(`test_jobs.py`) and through the page (`tests/browser/test_jobs.py`).
"""

from __future__ import annotations

import csv
import json
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import openpyxl

from updraft.core import Flow, Step, dump

JOBS: list[Job] = []


@dataclass(frozen=True)
class Job:
    """A piece of work.

    Args:
        made: makes files that the example world lacks; gets the folder.
        files: names of the files that the flow reads.
        check: raises when what was delivered (a folder) is not what the material (a folder) says.
    """

    name: str
    files: tuple[str, ...]
    steps: tuple[Step, ...]
    check: Callable[[Path, Path], None]
    made: Callable[[Path], None] = lambda folder: None
    decisions: dict[str, list[list[str]]] | None = None

    @property
    def document(self) -> str:
        return dump(Flow(name=self.name, steps=self.steps, decisions=self.decisions or {}))


def job(name: str, files: tuple[str, ...], *steps: Step, **more: Any) -> Callable[[Callable[[Path, Path], None]], None]:
    """Register a job; the function it stands above is its check."""

    def register(check: Callable[[Path, Path], None]) -> None:
        JOBS.append(Job(name, files, steps, check, **more))

    return register


def step(id: str, kind: str, settings: dict[str, Any], table: str = "", **inputs: Any) -> Step:
    return Step(id=id, kind=kind, settings=settings, inputs={**({"table": table} if table else {}), **inputs})


def read(id: str, path: str, **settings: Any) -> Step:
    return step(id, "read_file", {"path": path, **settings})


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
