"""What steps that ask people share: the setting for what comes new, and the count of open questions."""

from __future__ import annotations

from typing import Any, Literal

import polars as pl

from updraft.core.steps.counts import Count, Level
from updraft.core.steps.settings import setting

New = Literal["go_on", "hold", "stop"]
_LEVELS: dict[str, Level] = {"go_on": "info", "hold": "hold", "stop": "stop"}


def new_setting(what: str) -> Any:
    """The setting for what a run does with questions that come once something is decided."""
    labels = {"go_on": "go on", "hold": "hold the run", "stop": "stop it"}
    title = f"Once something is decided, new {what}"
    return setting(title, widget="choice", default="go_on", labels=labels)


def open_questions(many: int, new: New, decided: bool, text: str, one: str) -> Count:
    """How many questions are open; before anything is decided they hold nothing up."""
    return Count(
        "open_questions",
        pl.LazyFrame({"n": [many]}),
        text,
        _LEVELS[new] if decided else "info",
        "Say in the panel what each becomes.",
        one,
        side="open",
        once=True,
    )
