"""Find a kind of step by its name, by plain words or by words of the trade."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

from updraft.core.steps.base import StepKind
from updraft.core.steps.registry import kinds
from updraft.core.values import Kind

_OFTEN = 5  # kinds offered first where nothing is typed
_LACKING = 60  # what a kind loses that has nothing to work on: less than a title is worth


@dataclass(frozen=True)
class Place:
    """Where the new step would stand.

    Args:
        columns: those of the table it would take, where they are known.
        tables: how many tables it could take.
        used: how often steps of each kind are used in the flows that there are.
    """

    columns: Mapping[str, Kind] | None
    tables: int
    used: Mapping[str, int]

    def lacks(self, kind: StepKind) -> str:
        return kind.lacks(self.columns, self.tables)


def find_kinds(query: str, place: Place | None = None) -> list[StepKind]:
    """Kinds that fit what was typed, best first; all of them for an empty query, by family.

    A word that begins a title counts most, then a trade word, then the summary; a slip of the finger is
    forgiven from four letters on (similarity of at least 84 of 100, Levenshtein-based ratio of rapidfuzz).
    Of kinds that fit alike, those that have something to work on at the place come first, then those that
    are used more.
    """
    wanted = query.casefold().split()
    if not wanted:
        return _by_family(place)
    scored = [
        (min(_score(word, kind) for word in wanted) + _whole(query.casefold().strip(), kind), kind)
        for kind in kinds().values()
    ]
    found = [(score + _here(kind, place), kind) for score, kind in scored if score > 0]
    return [kind for _, kind in sorted(found, key=lambda pair: -pair[0])]


# What is looked for among the steps and stands elsewhere.
_ELSEWHERE = {
    ("schedule", "cron", "daily", "every day", "automate", "timer", "trigger"): (
        "When a flow runs by itself is set on the page of its runs: Run flow, then All runs."
    ),
    ("undo", "history", "version", "revision"): "Each change is a revision: the clock in the bar lists them.",
    ("parameter", "variable"): "Parameters belong to the flow: click its name in the bar.",
    ("export flow", "share"): "A flow is exported from its own page: click its name in the bar.",
}


def elsewhere(query: str) -> str:
    """Where that is, if it is no step; empty where it may be one."""
    asked = query.casefold().strip()
    for words, said in _ELSEWHERE.items():
        if len(asked) > 3 and any(word.startswith(asked) or asked in word.split() for word in words):
            return said
    return ""


def used_most(place: Place) -> list[StepKind]:
    """The few kinds that are used most and have something to work on here; none that brings in a table."""
    fitting = [
        k for k in kinds().values() if k.role != "source" and place.used.get(k.kind) and not place.lacks(k)
    ]
    return sorted(fitting, key=lambda kind: -place.used[kind.kind])[:_OFTEN]


def _by_family(place: Place | None) -> list[StepKind]:
    """All kinds; where there is a table, those that bring one in come last, and so do those of a family that
    have nothing to work on.
    """
    every = list(kinds().values())
    families = {kind.family: n for n, kind in reversed(list(enumerate(every)))}
    there = place is not None and place.tables > 0

    def order(kind: StepKind) -> tuple[bool, int, bool, int]:
        last = there and kind.role == "source"
        lacks = there and bool(place and place.lacks(kind))
        return last, families[kind.family], lacks, 0 if kind.made_for == "file" else kind.way_in[0]

    return sorted(every, key=order)


def _here(kind: StepKind, place: Place | None) -> float:
    if place is None:
        return 0.0
    lost = _LACKING if place.lacks(kind) else 0
    return min(math.log2(1 + place.used.get(kind.kind, 0)), 8.0) - lost


def _score(word: str, kind: StepKind) -> float:
    from rapidfuzz import fuzz

    places = (
        (kind.title.casefold(), 100),
        (" ".join(kind.words).casefold(), 80),
        (kind.family.casefold(), 50),
        (kind.summary.casefold(), 40),
    )
    best = 0.0
    for text, worth in places:
        for part in (*text.replace(",", " ").split(), *text.replace("-", " ").split()):
            if part.startswith(word):
                best = max(best, worth + (5 if part == word else 0))
            elif len(word) >= 4 and (alike := fuzz.ratio(word, part)) >= 84:
                best = max(best, worth * alike / 200)
    return best


def _whole(query: str, kind: StepKind) -> float:
    """A typed phrase that is one of the kind's own beats the same words scattered."""
    title = kind.title.casefold()
    if title.startswith(query):
        return 50
    if query in title.split():
        return 40
    return 30 if any(query == word.casefold() for word in kind.words) else 0
