"""Rows of pieces and fixed texts that make all the results at once.

In the manner of S. Gulwani, “Automating String Processing in Spreadsheets Using Input-Output Examples” (POPL
2011), with the version spaces of the examples met while they are built, as in J. Cambronero et al., “Scaling
Programming by Example by Cutting to the Chase” (POPL 2023): a state is one place in the result of every
example; a way from one state to another is a piece whose value stands there in each of them, or a text that
they have in common. Of the ways from all beginnings to all ends the cheapest are taken.
"""

from __future__ import annotations

import heapq
import re
from collections.abc import Iterable, Iterator, Sequence

from updraft.core.formula.writing import quoted
from updraft.core.synthesis.pieces import Piece, Row, fixed_cost

_WAYS, _PER_STRETCH = 40, 6  # ways kept from each state on, pieces kept for each stretch
_STATES = 1500
_DEAREST = 24.0  # a fixed text
_ALONE, _INITIAL = re.compile(r"\b[A-Z]\b"), 2.5
_FROM_ROW, _ENDED = 1.5, 2.2
_JOIN = 0.8  # each further piece
_LETTERS = re.compile(r"[^\W\d_]*")
_RUNS = re.compile(r"[^\W\d_]+|\d+")

State = tuple[int, ...]
Step = Piece | str
Results = tuple[str, ...]


def laid(pieces: Iterable[tuple[Results, Piece]], wanted: Results, known: str) -> Iterator[Piece]:
    """The cheapest rows of pieces and fixed texts that make every result.

    Args:
        pieces: with what each gives for every example.
        wanted: the results, none of them empty.
        known: what stands in the rows, in small letters: its words are seldom the same in all results.
    """
    steps = _steps(pieces, wanted, known)
    end: State = tuple(map(len, wanted))
    best: dict[State, list[tuple[float, tuple[Step, ...]]]] = {end: [(0.0, ())]}
    for state in sorted(steps, key=sum, reverse=True):
        ways = (
            (cost + rest, (step, *after))
            for target, each in steps[state].items()
            if (afters := best.get(target))
            for n, (cost, step) in enumerate(each)
            # Of the sums of two sorted lists the k smallest lie where the product of the places is at most k.
            for rest, after in afters[: max(_WAYS // (n + 1), 1)]
            if not (isinstance(step, str) and after and isinstance(after[0], str))
        )
        if found := heapq.nsmallest(_WAYS, ways, key=lambda way: way[0]):
            best[state] = found
    for cost, way in best.get((0,) * len(wanted), ()):
        if any(isinstance(step, Piece) for step in way):
            yield put_together(cost, way)


def _steps(
    pieces: Iterable[tuple[Results, Piece]], wanted: Results, known: str
) -> dict[State, dict[State, list[tuple[float, Step]]]]:
    """From every state that can be reached: those that come next, with the steps there, cheap ones first."""
    by: dict[str, dict[Results, list[Piece]]] = {}
    for results, piece in pieces:
        by.setdefault(results[0][:1], {}).setdefault(results, []).append(piece)
    for group in by.values():
        for results, each in group.items():
            group[results] = heapq.nsmallest(_PER_STRETCH, each, key=lambda piece: piece.cost)
    steps: dict[State, dict[State, list[tuple[float, Step]]]] = {}
    waiting = [(0,) * len(wanted)]
    while waiting and len(steps) < _STATES:
        state = waiting.pop()
        if state in steps:
            continue
        nexts = steps[state] = _from(state, by, wanted, known)
        waiting += nexts
    return steps


def _from(
    state: State, by: dict[str, dict[Results, list[Piece]]], wanted: Results, known: str
) -> dict[State, list[tuple[float, Step]]]:
    nexts: dict[State, list[tuple[float, Step]]] = {}
    here = wanted[0][state[0] : state[0] + 1]
    for results, each in [*(by.get(here, {}).items() if here else ()), *by.get("", {}).items()]:
        if all(text.startswith(part, at) for text, part, at in zip(wanted, results, state, strict=True)):
            target = tuple(at + len(part) for at, part in zip(state, results, strict=True))
            # A stretch that is cut out of a longer run of letters or digits by chance is far-fetched.
            more = _JOIN + _torn(wanted, state, target)
            nexts.setdefault(target, []).extend((piece.cost + more, piece) for piece in each)
    size = 1
    while all(at + size <= len(text) for text, at in zip(wanted, state, strict=True)):
        text = wanted[0][state[0] : state[0] + size]
        if any(not one.startswith(text, at) for one, at in zip(wanted, state, strict=True)):
            break
        target = tuple(at + size for at in state)
        cost = fixed_cost(text) + _torn(wanted, state, target)
        cost += sum(_FROM_ROW * _taken(word, known) for word in _RUNS.findall(text.lower()))
        # A word is seldom begun by the row and ended by what is typed in.
        cost += _ENDED * (len(_LETTERS.match(text)[0]) > 1 and _torn(wanted, state, state) > 0)  # type: ignore[index]
        # The L. of David L. Smith was made of Lewis.
        cost += sum(_INITIAL for one in _ALONE.findall(text) if re.search(rf"\b{one.lower()}\w", known))
        if cost > _DEAREST:
            break
        nexts.setdefault(target, []).append((cost, text))
        size += 1
    for each in nexts.values():
        each.sort(key=lambda step: step[0])
        del each[_PER_STRETCH + 1 :]
    return nexts


def _taken(word: str, known: str) -> float:
    """How much a word or number that is typed in was likely taken from the row: all of it, two parts of
    it, or a year of which the row has the end.
    """
    if word in known:
        return 1.0 + word.isdigit()
    if word.isdigit():
        if word[0] == "0" and (bare := word.lstrip("0")) and re.search(rf"(?<!\d){bare}", known):
            return 1.0
        return 2.0 * (len(word) == 4 and re.search(rf"(?<!\d){word[2:]}(?!\d)", known) is not None)
    return 1.2 * any(word[:at] in known and word[at:] in known for at in range(2, len(word) - 1))


def _torn(wanted: Sequence[str], begins: State, ends: State) -> float:
    """How much a stretch is torn out of runs of letters or digits, on average."""
    torn = sum(
        _is_torn(text, begin) + _is_torn(text, end)
        for text, begin, end in zip(wanted, begins, ends, strict=True)
    )
    return 0.7 * torn / len(wanted)


def _is_torn(text: str, at: int) -> bool:
    pair = text[at - 1 : at + 1] if 0 < at < len(text) else ""
    return len(pair) == 2 and (
        (pair[0].isdigit() and pair[1].isdigit()) or (pair.isalpha() and pair[1].islower())
    )


def put_together(cost: float, steps: Sequence[Step]) -> Piece:
    """One piece of several and of fixed texts; empty where one of them is."""
    if len(steps) == 1 and isinstance(steps[0], Piece):
        only = steps[0]
        return Piece(only.formula, only.of, cost, only.words)

    def of(row: Row) -> str | None:
        made = [step if isinstance(step, str) else step.of(row) for step in steps]
        return None if None in made else "".join(made)  # type: ignore[arg-type]

    formula = " + ".join(quoted(step) if isinstance(step, str) else step.formula for step in steps)
    words = ", ".join(f"“{step}”" if isinstance(step, str) else step.words for step in steps)
    return Piece(formula, of, cost, words)
