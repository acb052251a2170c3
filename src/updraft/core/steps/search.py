"""Find a kind of step by its name, by plain words or by words of the trade."""

from __future__ import annotations

from updraft.core.steps.base import StepKind
from updraft.core.steps.registry import kinds


def find_kinds(query: str) -> list[StepKind]:
    """Kinds that fit what was typed, best first; all of them for an empty query.

    A word that begins a title counts most, then a trade word, then the summary; a slip of the finger is
    forgiven from four letters on (similarity of at least 84 of 100, Levenshtein-based ratio of rapidfuzz).
    """
    wanted = query.casefold().split()
    if not wanted:
        return list(kinds().values())
    scored = [
        (min(_score(word, kind) for word in wanted) + _whole(query.casefold().strip(), kind), kind)
        for kind in kinds().values()
    ]
    found = [(score, kind) for score, kind in scored if score > 0]
    return [kind for _, kind in sorted(found, key=lambda pair: -pair[0])]


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
        for part in text.replace(",", " ").split():
            if part.startswith(word):
                best = max(best, worth + (5 if part == word else 0))
            elif len(word) >= 4 and (alike := fuzz.ratio(word, part)) >= 84:
                best = max(best, worth * alike / 200)
    return best


def _whole(query: str, kind: StepKind) -> float:
    """A typed phrase that is one of the kind's own beats the same words scattered."""
    if kind.title.casefold().startswith(query):
        return 50
    return 30 if any(query == word.casefold() for word in kind.words) else 0
