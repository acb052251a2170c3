"""Work out what is done to columns from a few results.

In the manner of S. Gulwani, “Automating String Processing in Spreadsheets Using Input-Output Examples” (POPL
2011): a result is a row of pieces, each a part of a column, changed or not, or a fixed text; the ways to lay
the pieces are a graph over the result's characters, of which the cheapest paths are taken. Those that give
all the examples are the readings; where the best of them differ, one more example is asked for.
"""

from __future__ import annotations

import heapq
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import polars as pl

from updraft.core.formula import compile_formula
from updraft.core.formula.writing import written
from updraft.core.problems import Problem
from updraft.core.synthesis.asking import SEEN, question
from updraft.core.synthesis.cases import lines_through, result_of_each
from updraft.core.synthesis.changes import changes_of
from updraft.core.synthesis.doubt import Doubt
from updraft.core.synthesis.gathering import Gathering
from updraft.core.synthesis.mending import mended
from updraft.core.synthesis.pieces import Piece, Row, cheapest, column
from updraft.core.synthesis.search import laid
from updraft.core.synthesis.splitting import split
from updraft.core.values import Kind, kind_of

_LONGEST = 120  # characters of a result
_LOOKED_AT, _TRIED = 1000, 80  # rows that dates are read in, rows that tell readings apart
_SHOWN, _RANKED = 5, 120
_NEAR = 12  # readings of one example that may be mended
_LEFT_OUT = 0.8  # for each column that is not used
_LESS_EXACT = 0.6  # of a number that the file shows with more decimals
_TEXTS = re.compile(r"'(?:\\.|[^'\\])*'")


@dataclass(frozen=True)
class Reading:
    """One way to understand the examples.

    Args:
        values: its result for every row.
        cost: how far-fetched it is.
    """

    sentence: str
    formula: str
    values: list[str | None]
    cost: float = 0.0


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
    # As the file has it: 8.080, where the others have three decimals; this is meant rather.
    exact = {name: places for name in table.columns if (places := _decimals(table[name]))}
    formulas += [f"fixed({written(name)}, {places})" for name, places in exact.items()]
    names = [*table.columns, *(f"{name} with {places} decimals" for name, places in exact.items())]
    texts = table.select(compile_formula(one, kinds).expr.alias(f"{n}") for n, one in enumerate(formulas))
    looked = sorted({*range(0, table.height, max(table.height // _LOOKED_AT, 1)), *examples})
    # Long texts are looked at as far as a person would; what is found is computed from all of them.
    rows = texts[looked].select(pl.all().str.slice(0, SEEN)).rows()
    given = {looked.index(at): wanted for at, wanted in examples.items()}
    pieces = [column(name, formulas[at], at) for at, name in enumerate(names)]
    pieces = [replace(one, cost=one.cost + _LESS_EXACT * (one.words in exact)) for one in pieces]
    programs = _Programs(pieces, rows)
    filled = {at: wanted for at, wanted in given.items() if wanted}
    found = [one for one in programs(filled) if all(not one.of(rows[at]) for at in given if at not in filled)]
    found += mended(programs.near(filled), rows, filled)
    if len(given) == 2 or (len(given) > 2 and not found):  # three that one reading gives are of one kind
        found += split(pieces, rows, given, programs)
    found += lines_through(pieces, rows, given)
    found += result_of_each(pieces, rows, given, alone=not found)
    found = [_with_all(one, table.columns) for one in found if _gives(one, rows, given)]
    readings = _computed(_ranked(_tidied(cheapest(found), rows, given), rows, given), table, kinds, examples)
    return Answer(readings[:_SHOWN], question(readings, examples, table))


def _gives(program: Piece, rows: Sequence[Row], given: Mapping[int, str]) -> bool:
    """Whether a program makes every example; one of two cheap parts may not, and would hide a dearer one."""
    return all((program.of(rows[at]) or "") == wanted for at, wanted in given.items())


def _with_all(program: Piece, columns: Sequence[str]) -> Piece:
    """Dearer by each column that a program leaves out: they were named because they matter."""
    without = _TEXTS.sub("''", program.formula)
    left = sum(not re.search(rf"(?<![\w`]){re.escape(written(one))}(?![\w`(])", without) for one in columns)
    return replace(program, cost=program.cost + _LEFT_OUT * left) if left else program


def _tidied(programs: list[Piece], rows: Sequence[Row], examples: Mapping[int, str]) -> list[Piece]:
    """With what is left without blanks around it, of programs that leave such, as no example has any."""
    if any(wanted != wanted.strip() for wanted in examples.values()):
        return programs
    tried = rows[:: max(len(rows) // _TRIED, 1)][:_TRIED]
    made = []
    for program in heapq.nsmallest(_RANKED, programs, key=lambda one: one.cost):
        made.append(program)
        if any(text and text != text.strip() for text in map(program.of, tried)):
            said = "{}, without blanks around it"
            made.append(program.made("trim({})", lambda text: text.strip() or None, 0.2, said))
    return made


def _decimals(column: pl.Series) -> int:
    """The most decimals of a column of numbers, where some end in zeros that are not shown; else 0."""
    if kind_of(column.dtype) is not Kind.NUMBER or not column.len():
        return 0
    shown = column.drop_nulls().cast(pl.String).str.extract(r"\.(\d+)$", 1).str.strip_suffix("0")
    sizes = shown.str.len_chars()
    most = int(sizes.max() or 0)  # type: ignore[arg-type]
    return most if 0 < most <= 6 and (sizes == most).mean() >= 0.6 and (sizes < most).any() else 0  # type: ignore[operator]


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


class _Programs:
    """The cheap readings of some of the examples; asked for the same ones again, it remembers them."""

    def __init__(self, columns: list[Piece], rows: Sequence[Row]) -> None:
        self._gathering, self._columns, self._rows = Gathering(columns, rows), columns, rows
        self._known: dict[tuple[int, ...], list[Piece]] = {}

    def __call__(self, given: Mapping[int, str]) -> list[Piece]:
        key = tuple(given)
        if key not in self._known:
            self._known[key] = self._found(given) if given else []
        return self._known[key]

    def near(self, given: Mapping[int, str]) -> list[Piece]:
        """Programs that make one of the results, and the columns in one case or another."""
        made = [program for at in given for program in self({at: given[at]})[:_NEAR]]
        for whole in self._columns:
            first = next((text for at in given if (text := whole.of(self._rows[at]))), "")
            made += [whole, *(change.around(whole) for change in changes_of(first, "".join(given.values())))]
        return cheapest(made)

    def _found(self, given: Mapping[int, str]) -> list[Piece]:
        pieces, whole = self._gathering.of(given)
        told = " ".join(cell for at in given for cell in self._rows[at] if cell).lower()
        made = cheapest([*laid(pieces, tuple(given.values()), told), *whole])
        return heapq.nsmallest(_RANKED, made, key=lambda one: one.cost)


def _ranked(programs: list[Piece], rows: Sequence[Row], examples: Mapping[int, str]) -> list[Piece]:
    """The likeliest first: cheap ones, which give a result for most rows, and one of the examples' shape. Of
    those that give the same for the rows tried, the cheapest.
    """
    tried = rows[:: max(len(rows) // _TRIED, 1)][:_TRIED]
    alike: dict[tuple[str | None, ...], Piece] = {}
    for program in heapq.nsmallest(_RANKED, programs, key=lambda one: one.cost):
        alike.setdefault(tuple(program.of(row) for row in tried), program)
    doubt = Doubt(rows, examples)
    alike = _as_exact(alike)
    judged = (replace(one, cost=one.cost + doubt.of(tried, results)) for results, one in alike.items())
    return sorted(judged, key=lambda one: one.cost)


def _as_exact(alike: dict[tuple[str | None, ...], Piece]) -> dict[tuple[str | None, ...], Piece]:
    """Numbers with so many decimals are dearer where that would cut some of few, and those with what decimals
    they have where no more would do.
    """
    by_words = {piece.words: results for results, piece in alike.items()}
    dearer: dict[str, float] = {}
    for piece in alike.values():
        rough = by_words.get(piece.words.replace(", rounded", "", 1), ())
        if ", rounded" in piece.words and max((_places(text) for text in rough if text), default=0) > _KEPT:
            dearer[piece.words.replace(", rounded", "", 1)] = 1.6
        for places in map(int, _WITH.findall(piece.words)):
            exact = _WITH.sub("", piece.words, count=1)
            if exact not in by_words:
                continue
            sizes = [_places(text) for text in by_words[exact] if text]
            most = max(sizes, default=0)
            if places < most <= _KEPT and "divided by 1,000" not in exact:
                dearer[piece.words] = 0.8
            elif places == most and min(sizes) < places:
                same = (exact, _WITH.sub(f", with at most {places} decimals", piece.words, count=1))
                dearer |= dict.fromkeys(same, 0.4)
    return {
        results: replace(one, cost=one.cost + dearer.get(one.words, 0.0)) for results, one in alike.items()
    }


_WITH = re.compile(r", with (\d) decimals")
_KEPT = 3  # decimals that a number has by itself; more come of dividing


def _places(text: str) -> int:
    found = re.findall(r"\d[.,](\d+)", text)
    return len(found[-1]) if found else 0


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
        if any((values[at] or "") != wanted for at, wanted in examples.items()) or tuple(values) in seen:
            continue
        seen.add(tuple(values))
        readings.append(Reading(_sentence(program.words), program.formula, values, program.cost))
        if len(readings) == 2 * _SHOWN:
            break
    return readings


def _sentence(words: str) -> str:
    return words[:1].upper() + words[1:]
