"""The one error a person gets to read: it names the thing, the reason and the way out."""

from __future__ import annotations

import errno
import os
import re
from collections.abc import Iterable
from functools import partial
from typing import Any


class Problem(Exception):  # noqa: N818
    """Something that stops work, said so that the reader can act on it.

    Args:
        thing: what it is about, as the person knows it ("packet_orders.xlsx", "Step “Tidy text”").
        reason: one sentence, no blame.
        way_out: one sentence that says what to do next.
        step: id of the step it belongs to, where there is one.
        field: name of the setting it belongs to, where there is one.
        code: a stable word for programs.
    """

    def __init__(
        self,
        thing: str,
        reason: str,
        way_out: str = "",
        *,
        step: str = "",
        field: str = "",
        code: str = "problem",
    ) -> None:
        self.thing, self.reason, self.way_out = thing, reason, way_out
        self.step, self.field, self.code = step, field, code
        super().__init__(str(self))

    def __reduce__(self) -> tuple[Any, ...]:
        more = {"step": self.step, "field": self.field, "code": self.code}
        return partial(Problem, **more), (self.thing, self.reason, self.way_out)

    def __str__(self) -> str:
        return " ".join(part for part in (f"{self.thing}: {self.reason}", self.way_out) if part)

    def at(self, step: str) -> Problem:
        """The same problem, tied to a step."""
        return Problem(self.thing, self.reason, self.way_out, step=step, field=self.field, code=self.code)

    def as_dict(self) -> dict[str, Any]:
        return {
            "thing": self.thing,
            "reason": self.reason,
            "way_out": self.way_out,
            "step": self.step,
            "field": self.field,
            "code": self.code,
            "text": str(self),
        }


def nearest(name: str, known: Iterable[str]) -> str | None:
    """The known name most like `name`, or None when nothing is close (under 60 of 100)."""
    from rapidfuzz import process

    found = process.extractOne(name, list(known), score_cutoff=60, processor=str.casefold)
    return found[0] if found else None


_PATTERNS = {
    "missing )": "a ( is not closed",
    "unbalanced parenthesis": "there is a ) too many",
    "unterminated character set": "a [ is not closed",
    "nothing to repeat": "nothing stands before a *, + or ?",
    "multiple repeat": "two signs of repeating follow each other",
    "bad character range": "a range runs backwards",
    "bad escape": "a \\ stands before a letter that means nothing there",
    "min repeat greater": "the least number of a repeat is larger than the most",
}


def wrong_pattern(text: str) -> str:
    """Why a text is no regular expression, in words; for one that only Polars refuses, that."""
    try:
        re.compile(text)
    except re.error as error:
        said = next(
            (words for begins, words in _PATTERNS.items() if error.msg.startswith(begins)),
            "it cannot be read",
        )
        return f"{said}, at character {error.pos + 1}" if error.pos is not None else said
    except (RecursionError, OverflowError):
        return "it is too large"
    return "it uses what patterns do not know here, such as looking ahead, or is too large"


def did_you_mean(name: str, known: Iterable[str]) -> str:
    """A question that names the nearest, with a blank behind it; empty where nothing is close."""
    near = nearest(name, known)
    return f"Did you mean “{near}”? " if near else ""


def missing_column(name: str, known: Iterable[str], *, field: str = "") -> Problem:
    """The problem of a column that a step needs and the table lacks."""
    return Problem(
        f"Column “{name}”",
        "it is not in the table that comes in.",
        f"{did_you_mean(name, known)}Choose another column here, or bring it back in an earlier step.",
        field=field,
        code="missing_column",
    )


def of_the_system(error: BaseException) -> OSError | None:
    """What the system said (the disk is full, no such place), however a library wrapped it; None where it
    said nothing, or where a Problem says it already.
    """
    caused: BaseException | None = error
    while caused is not None and not isinstance(caused, Problem):
        if isinstance(caused, OSError):
            return caused
        if "No space left on device" in str(caused):  # libraries that are not Python say it in words alone
            return OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))
        caused = caused.__cause__ or (None if caused.__suppress_context__ else caused.__context__)
    return None


def reason_of(error: OSError) -> str:
    """The system's reason as the end of a sentence."""
    return "the disk is full" if error.errno == errno.ENOSPC else (error.strerror or str(error)).lower()
