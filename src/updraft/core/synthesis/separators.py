"""Parts of texts that are put together by several signs: “A to B”, “A – B” and “A > B” in one column."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator, Sequence
from functools import partial

from updraft.core.formula.writing import quoted
from updraft.core.synthesis.pieces import Piece, shown

_BETWEEN = re.compile(r"(?<=\s)(?:[^\w\s]{1,2}|[^\W\d_]{1,4})(?=\s)")
_SOME, _NEARLY_ALL = 0.08, 0.95  # of the texts that have a separator, and that have just one of them
_MOST = 4
_COST = 1.6


def separators(texts: Sequence[str]) -> tuple[str, ...]:
    """Signs and short words between blanks of which nearly every text has just one; none where one sign is
    enough, which is told by its own.
    """
    each = [_BETWEEN.findall(text) for text in texts if text]
    often = Counter(token for tokens in each for token in set(tokens))
    likely = [token for token, many in often.most_common() if many >= _SOME * len(each)]
    chosen: list[str] = []
    for token in sorted(likely, key=lambda one: (one.isalpha(), -often[one])):
        if len(chosen) < _MOST and all(sum(map(tokens.count, [*chosen, token])) <= 1 for tokens in each):
            chosen.append(token)
    one_each = sum(sum(map(tokens.count, chosen)) == 1 for tokens in each)
    return tuple(chosen) if len(chosen) > 1 and one_each >= _NEARLY_ALL * len(each) else ()


def sides(whole: Piece, marks: Sequence[str]) -> Iterator[Piece]:
    """What stands before and behind whichever of the marks a text has."""
    if not marks:
        return
    between = rf"\s(?:{'|'.join(map(re.escape, marks))})\s"
    said = f"{', '.join(map(shown, marks[:-1]))} or {shown(marks[-1])}"
    for pattern, words in (
        (f"^(.*?){between}", f"what stands before {said} in {{}}"),
        (f"{between}(.*)$", f"what follows {said} in {{}}"),
    ):
        call = f"extract({{}}, {quoted(pattern)})"
        yield whole.made(call, partial(_extracted, re.compile(pattern)), _COST, words)


def _extracted(pattern: re.Pattern[str], text: str) -> str | None:
    found = pattern.search(text)
    return found[1] if found else None
