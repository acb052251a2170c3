"""Work out what is done to columns from a few results.

In the manner of S. Gulwani, “Automating String Processing in Spreadsheets Using Input-Output Examples” (POPL
2011): a result is a row of pieces, each a part of a column, changed or not, or a fixed text; the ways to lay
the pieces are a graph over the result's characters, of which the cheapest paths are taken. Those that give
all the examples are the readings; where the best of them differ, one more example is asked for.
"""

from __future__ import annotations

import heapq
import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

import polars as pl

from updraft.core.formula import compile_formula
from updraft.core.formula.writing import quoted, written
from updraft.core.problems import Problem
from updraft.core.synthesis.cases import lines_through, result_of_each
from updraft.core.synthesis.changes import in_one_case, variants
from updraft.core.synthesis.days import could_be_day, days_in, months_in, times_in
from updraft.core.synthesis.numbers import numbers_in
from updraft.core.synthesis.pieces import Piece, Row, column, fixed_cost, parts_of, places_of
from updraft.core.values import Kind, kind_of

_LONGEST = 120  # characters of a result
_PATHS, _PER_SPAN = 160, 10  # ways kept from each place on, pieces kept for each stretch
_LOOKED_AT, _TRIED = 1000, 80  # rows that dates are read in, rows that tell readings apart
_SHOWN, _RANKED = 5, 120
_FROM_ROW = 1.5
_WORD = re.compile(r"[^\W_]+")
_JOIN = 0.8  # each further piece


@dataclass(frozen=True)
class Reading:
    """One way to understand the examples.

    Args:
        values: its result for every row.
    """

    sentence: str
    formula: str
    values: list[str | None]


@dataclass(frozen=True)
class Answer:
    """The best readings first, and the row whose result would tell them apart; None where they all agree."""

    readings: list[Reading]
    question: int | None


def from_examples(table: pl.DataFrame, examples: Mapping[int, str]) -> Answer:
    """Readings of what is done to the columns so that rows give their results.

    Args:
        table: the columns that the results are made of, and no others.
        examples: row, from 0 → its result.

    Raises:
        Problem: there is no example or column, a row is not there, or a result is longer than 120 characters.
    """
    _check(table, examples)
    kinds = {name: kind_of(dtype) for name, dtype in table.schema.items()}
    formulas = [
        written(name) if kind is Kind.TEXT else f"text({written(name)})" for name, kind in kinds.items()
    ]
    texts = table.select(compile_formula(one, kinds).expr.alias(f"{n}") for n, one in enumerate(formulas))
    looked = sorted({*range(0, table.height, max(table.height // _LOOKED_AT, 1)), *examples})
    rows = texts[looked].rows()
    given = {looked.index(at): wanted for at, wanted in examples.items()}
    pieces = [column(name, formulas[at], at) for at, name in enumerate(table.columns)]
    found: dict[str, Piece] = {}
    for at, wanted in given.items():
        for program in _programs(pieces, rows, at, wanted):
            if all(program.of(rows[other]) == result for other, result in given.items()):
                known = found.get(program.formula)
                if known is None or program.cost < known.cost:
                    found[program.formula] = program
    for program in lines_through(pieces, rows, given):
        found.setdefault(program.formula, program)
    for program in result_of_each(pieces, rows, given, alone=not found):
        found.setdefault(program.formula, program)
    readings = _computed(_ranked(list(found.values()), rows, given), table, kinds, examples)
    return Answer(readings[:_SHOWN], _question(readings, examples, table.height))


def _check(table: pl.DataFrame, examples: Mapping[int, str]) -> None:
    if not table.width or not table.height:
        raise Problem("The table", "there is no row to work on.", "Name a column of a table that has rows.")
    if not examples:
        raise Problem("The examples", "there is none yet.", "Give the result of one row.", code="unfinished")
    for at, wanted in examples.items():
        if not 0 <= at < table.height:
            last = f"the table has rows 0 to {table.height - 1:,}."
            raise Problem(f"Row {at}", last, "Give the result of one of these.")
        if len(wanted) > _LONGEST:
            raise Problem(
                f"The result of row {at}", f"it is longer than {_LONGEST} characters.", "Give a shorter one."
            )


def _programs(columns: list[Piece], rows: Sequence[Row], at: int, wanted: str) -> Iterator[Piece]:
    """Everything cheap that gives the wanted result for one row."""
    row = rows[at]
    if not wanted:
        return
    sources = [(text, piece) for piece in columns if (text := piece.of(row))]
    parts = _distinct(
        [(text, part) for base, piece in sources for part in parts_of(piece, base) if (text := part.of(row))]
    )
    deeper = _distinct(
        [
            (text, replace(inner, cost=inner.cost + 0.5))
            for base, part in parts
            if len(base) > 2 and part.cost < 3.2
            for inner in parts_of(part, base)
            if (text := inner.of(row)) and text != base and (text in wanted or text.lower() in wanted.lower())
        ]
    )
    spans: dict[tuple[int, int], list[Piece]] = {}
    for text, piece in [*sources, *parts, *deeper]:
        for result, made in variants(piece, text, wanted):
            _lay(spans, wanted, result, made)
    dated = [(text, part) for text, part in parts if part.cost < 2.8 and could_be_day(text)][:6]
    for _, piece in [*sources, *dated]:
        texts = [piece.of(one) for one in rows]
        for result, made in days_in(piece, texts, at, wanted):
            _lay(spans, wanted, result, made)
    for _, piece in sources:
        for result, made in months_in(piece, [piece.of(one) for one in rows], at, wanted):
            _lay(spans, wanted, result, made)
    for text, piece in [*sources, *[(t, p) for t, p in parts if ":" in t][:12]]:
        for result, made in times_in(piece, text, wanted):
            _lay(spans, wanted, result, made)
    for text, piece in sources:
        for base, made in [(text, piece), *((c.of(text) or "", c.around(piece)) for c in in_one_case(text))]:
            _lay_places(spans, wanted, base, made)
    figures = [*sources, *[(t, p) for t, p in parts if any(c.isdigit() for c in t)][:40]]
    for found in re.finditer(r"-?\d+(?:\.\d+)?", wanted):
        if found[0] != wanted and not any(found[0] in text for text, _ in sources):
            spans.setdefault(found.span(), []).extend(numbers_in(figures, found[0]))
    yield from _paths(spans, wanted, " ".join(text for text, _ in sources).lower())
    yield from numbers_in(figures, wanted)


def _distinct(pieces: list[tuple[str, Piece]]) -> list[tuple[str, Piece]]:
    return list({piece.formula: (text, piece) for text, piece in pieces}.values())


def _lay(spans: dict[tuple[int, int], list[Piece]], wanted: str, text: str, piece: Piece) -> None:
    """Note a piece at each stretch of the result that it gives."""
    begin = wanted.find(text)
    while begin >= 0:
        spans.setdefault((begin, begin + len(text)), []).append(piece)
        begin = wanted.find(text, begin + 1)


def _lay_places(spans: dict[tuple[int, int], list[Piece]], wanted: str, text: str, piece: Piece) -> None:
    """Note what is told by its place alone: several characters, or the first one."""
    for begin in range(len(wanted)):
        for end in range(begin + 1, len(wanted) + 1):
            stretch = wanted[begin:end]
            if stretch not in text:
                break
            if end - begin > 1 or len(wanted) == 1 or text.startswith(stretch):
                spans.setdefault((begin, end), []).extend(places_of(piece, text, stretch))


def _paths(spans: dict[tuple[int, int], list[Piece]], wanted: str, known: str) -> Iterator[Piece]:
    """The cheapest rows of pieces and fixed texts that make the result, from its end to its beginning.

    Args:
        known: what stands in the row, in small letters.
    """
    size = len(wanted)
    edges: list[list[tuple[float, int, Piece | str]]] = [[] for _ in range(size)]
    for (begin, end), pieces in spans.items():
        for piece in heapq.nsmallest(_PER_SPAN, pieces, key=lambda one: one.cost):
            # A stretch that is cut out of a longer run of letters or digits by chance is far-fetched.
            edges[begin].append((piece.cost + _JOIN + _torn(wanted, begin, end), end, piece))
    for begin in range(size):
        for end in range(begin + 1, size + 1):
            text = wanted[begin:end]
            cost = fixed_cost(text) + _torn(wanted, begin, end)
            # A word that stands in the row is seldom the same in all results.
            cost += _FROM_ROW * any(word in known for word in _WORD.findall(text.lower()))
            edges[begin].append((cost, end, text))
    best: list[list[tuple[float, tuple[Piece | str, ...]]]] = [[] for _ in range(size + 1)]
    best[size] = [(0.0, ())]
    for begin in range(size - 1, -1, -1):
        ways = (
            (cost + rest, (step, *steps))
            for cost, end, step in edges[begin]
            for rest, steps in best[end]
            if not (isinstance(step, str) and steps and isinstance(steps[0], str))
        )
        best[begin] = heapq.nsmallest(_PATHS, ways, key=lambda way: way[0])
    for cost, steps in best[0]:
        if any(isinstance(step, Piece) for step in steps):
            yield _put_together(cost, steps)


def _torn(text: str, begin: int, end: int) -> float:
    def torn(at: int) -> bool:
        pair = text[at - 1 : at + 1] if 0 < at < len(text) else ""
        return len(pair) == 2 and (
            (pair[0].isdigit() and pair[1].isdigit()) or (pair.isalpha() and pair[1].islower())
        )

    return 0.7 * (torn(begin) + torn(end))


def _put_together(cost: float, steps: tuple[Piece | str, ...]) -> Piece:
    if len(steps) == 1 and isinstance(steps[0], Piece):
        only = steps[0]
        return Piece(only.formula, only.of, cost, only.words)

    def of(row: Row) -> str | None:
        made = [step if isinstance(step, str) else step.of(row) for step in steps]
        return None if None in made else "".join(made)  # type: ignore[arg-type]

    formula = " + ".join(quoted(step) if isinstance(step, str) else step.formula for step in steps)
    words = ", ".join(f"“{step}”" if isinstance(step, str) else step.words for step in steps)
    return Piece(formula, of, cost, words)


def _ranked(programs: list[Piece], rows: Sequence[Row], examples: Mapping[int, str]) -> list[Piece]:
    """The likeliest first: cheap ones, which give a result for most rows, and one of the examples' shape. Of
    those that give the same for the rows tried, the cheapest.
    """
    tried = rows[:: max(len(rows) // _TRIED, 1)][:_TRIED]
    alike: dict[tuple[str | None, ...], Piece] = {}
    for program in heapq.nsmallest(_RANKED, programs, key=lambda one: one.cost):
        alike.setdefault(tuple(program.of(row) for row in tried), program)
    shapes = {_shape(wanted) for wanted in examples.values()}

    def far_fetched(results: tuple[str | None, ...]) -> float:
        none = sum(not result for result in results)
        unlike = sum(bool(result) and _shape(result or "") not in shapes for result in results)
        return alike[results].cost + (4 * none + 0.8 * unlike) / len(tried)

    return [alike[results] for results in sorted(alike, key=far_fetched)]


def _shape(text: str) -> str:
    """The kinds of signs in a row, however many of each."""
    return re.sub(r"(.)\1+", r"\1", re.sub(r"[^\W\d_]", "a", re.sub(r"\d", "9", text)))


def _computed(
    ranked: list[Piece], table: pl.DataFrame, kinds: Mapping[str, Kind], examples: Mapping[int, str]
) -> list[Reading]:
    """The first few that give different results, each worked out for every row by its formula."""
    readings: list[Reading] = []
    seen: set[tuple[str | None, ...]] = set()
    for program in ranked:
        try:
            made = table.select(compile_formula(program.formula, kinds).expr.alias("x"))["x"]
        except (Problem, pl.exceptions.PolarsError):
            continue
        values: list[str | None] = made.to_list()
        if any(values[at] != wanted for at, wanted in examples.items()) or tuple(values) in seen:
            continue
        seen.add(tuple(values))
        readings.append(Reading(_sentence(program.words), program.formula, values))
        if len(readings) == 2 * _SHOWN:
            break
    return readings


def _sentence(words: str) -> str:
    return words[:1].upper() + words[1:]


def _question(readings: list[Reading], examples: Mapping[int, str], height: int) -> int | None:
    """The first row for which most of the readings differ, the best ones before all."""
    if len(readings) < 2:
        # What one reading leaves empty may be wanted; where there is none, another example may show one.
        values = readings[0].values if readings else [None] * height
        return next((at for at, value in enumerate(values) if value is None and at not in examples), None)

    def apart(at: int) -> float:
        given = [reading.values[at] for reading in readings]
        first = sum(value != given[0] for value in given[1:3])
        return len(set(given)) + 2 * first

    open_rows = [at for at in range(len(readings[0].values)) if at not in examples]
    best = max(open_rows, key=apart, default=None)
    return best if best is not None and len({r.values[best] for r in readings}) > 1 else None
