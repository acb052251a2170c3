"""Readings that nearly fit, mended by a replacement of what is left over or written otherwise."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from functools import partial

from updraft.core.formula.writing import quoted
from updraft.core.synthesis.pieces import Piece, Row, shown

_LONGEST = 8  # characters that are replaced
_SIGNS = re.compile(r"[\W_]+|&?#?\w+;")  # no letters but those of an entity: they would be this row's own


def mended(programs: Sequence[Piece], rows: Sequence[Row], given: Mapping[int, str]) -> Iterator[Piece]:
    """Programs with one or two replacements around them, that make all the results.

    Args:
        programs: cheap ones that give something for each of the rows.
        given: row → its result.
    """
    for program in programs:
        made = {at: program.of(rows[at]) or "" for at in given}
        if all(made.values()):
            yield from _mended(program, made, given, depth=2)


def _mended(program: Piece, made: Mapping[int, str], given: Mapping[int, str], depth: int) -> Iterator[Piece]:
    wrong = next((at for at in given if made[at] != given[at]), None)
    if wrong is None:
        yield program
        return
    if not depth:
        return
    for old, new in _differences(made[wrong], given[wrong]):
        then = {at: text.replace(old, new) for at, text in made.items()}
        if any(then[at] != given[at] for at in given if made[at] == given[at]):
            continue  # it would spoil what fits
        said = f"{{}} without {shown(old)}" if not new else f"{{}} with {shown(new)} for {shown(old)}"
        call = f"replace({{}}, {quoted(old)}, {quoted(new)})"
        around = program.made(call, partial(_replace, old, new), 1.3 + 0.1 * len(old), said)
        yield from _mended(around, then, given, depth - 1)


def _differences(made: str, wanted: str) -> Iterator[tuple[str, str]]:
    """What may be replaced by what: a mark that is too many, or the stretch in which both differ."""
    for mark in dict.fromkeys(re.findall(r"[^\w]|_", made)):
        if made.count(mark) > wanted.count(mark):
            yield mark, ""
    begin = next((n for n, (a, b) in enumerate(zip(made, wanted, strict=False)) if a != b), None)
    if begin is None:
        return
    for end in range(begin + 1, min(begin + _LONGEST, len(made)) + 1):
        old = made[begin:end]
        if _SIGNS.fullmatch(old):
            rest = made[end : end + 3]
            at = wanted.find(rest, begin) if rest else len(wanted)
            if 0 <= at - begin <= 2 and not re.search(r"[^\W_]", wanted[begin:at]):
                yield old, wanted[begin:at]


def _replace(old: str, new: str, text: str) -> str | None:
    return text.replace(old, new)
