"""What steps that ask people share: the setting for what comes new, what a question is called, the table of
questions, and their count.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Literal

import polars as pl

from updraft.core.steps.counts import Count, Level
from updraft.core.steps.settings import setting

New = Literal["go_on", "hold", "stop"]
_LEVELS: dict[str, Level] = {"go_on": "info", "hold": "hold", "stop": "stop"}
_BETWEEN, _DOT = " · ", "·"
_FIELD = pl.Struct({"column": pl.String, "other": pl.String, "here": pl.String, "there": pl.String})
_CANDIDATE = pl.Struct({"id": pl.String, "name": pl.String, "score": pl.Float64, "about": pl.String})
QUESTIONS: dict[str, pl.DataType] = {
    "Name": pl.String(),  # the key of its answer
    "Rows": pl.Int64(),
    "Proposal": pl.String(),  # the answer that it is likely; empty or null where there is none
    "Why": pl.String(),
    "Fields": pl.List(_FIELD),  # how its rows are told from others, and what they may meet
    "Candidates": pl.List(_CANDIDATE),  # null where any text may answer
}


def question_key(parts: Sequence[pl.Expr]) -> pl.Expr:
    """What several texts are called together. No two lists of texts have one key, but for empty ones at
    their ends and for null, which is as empty.
    """
    if len(parts) == 1:
        return parts[0]
    texts = [part.fill_null("").str.replace_all(_DOT, _DOT * 2, literal=True) for part in parts]
    return pl.concat_str(texts, separator=_BETWEEN).str.replace(f"(?:{_BETWEEN})+$", "")


def questions(asked: pl.DataFrame) -> pl.DataFrame:
    """A table of questions: the columns of `QUESTIONS` that are given, the others null."""
    return asked.select(
        pl.col(name).cast(dtype) if name in asked.columns else pl.lit(None, dtype).alias(name)
        for name, dtype in QUESTIONS.items()
    )


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
