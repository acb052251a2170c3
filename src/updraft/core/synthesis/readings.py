"""Work out what is done to columns from a few results.

In the manner of S. Gulwani, “Automating String Processing in Spreadsheets Using Input-Output Examples” (POPL
2011): a result is a row of pieces, each a part of a column, changed or not, or a fixed text; the ways to lay
the pieces are a graph over the result's characters, of which the cheapest paths are taken. Those that give
all the examples are the readings; where the best of them differ, one more example is asked for.
"""

from __future__ import annotations

import heapq
import re
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace

import polars as pl

from updraft.core.formula import compile_formula
from updraft.core.formula.writing import written
from updraft.core.problems import Problem
from updraft.core.synthesis.asking import SEEN, question
from updraft.core.synthesis.cases import lines_through, result_of_each
from updraft.core.synthesis.changes import changes_of
from updraft.core.synthesis.gathering import Gathering
from updraft.core.synthesis.mending import mended
from updraft.core.synthesis.pieces import Piece, Row, cheapest, classes_of, column, form_of, marks_of
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
_NUMBER, _DIGIT = re.compile(r"-?(\d+([.]\d+)?|\d{1,3}([.]\d{3})+)"), re.compile(r"\d")


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
    doubt = _Doubt(rows, examples)
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


class _Doubt:
    """How little the results of a program for other rows are like the examples."""

    def __init__(self, rows: Sequence[Row], examples: Mapping[int, str]) -> None:
        results = examples.values()
        self._shapes, self._classes = (
            {_unsigned(one) for one in results},
            {classes_of(one) for one in results},
        )
        self._empty = "" in results
        self._common = _common_marks(rows, [at for at, one in examples.items() if one])
        # Whether all signs of the row come again, each as often; whether none comes more often.
        pairs = [
            (_signs(" ".join(filter(None, rows[at]))), _signs(one)) for at, one in examples.items() if one
        ]
        self._all = all(there == made for there, made in pairs)
        self._letters = any(map(str.isalpha, "".join(results))) and all(
            _letters(one) <= _letters(_text(rows[at])) for at, one in examples.items()
        )
        self._some = all(made <= there for there, made in pairs)
        # Words run together, as in names of columns and addresses: no other mark than theirs is left between.
        self._joined = (
            bool(results)
            and self._all
            and all(_runs_words_together(rows[at], one) for at, one in examples.items())
        )
        self._marks = marks_of(list(results))
        self._numbers = all(_NUMBER.fullmatch(one) for one in results)
        self._whole = any(one in rows[at] for at, one in examples.items() if one)
        # A result that begins as the row has it was made of it: Friday of “Fri 18:15”.
        self._made_of = {
            one
            for at, one in examples.items()
            if len(one) > 3 and one[:3].isalpha() and one[:3].lower() in _text(rows[at])
        }
        # Marks that an example's row has and no result: they are taken out.
        self._gone = set().union(*(marks_of(rows[at]) for at in examples)) - self._marks
        self._large = all(one.isupper() for one in results if one)
        self._bare = all(one == one.strip() for one in results)
        cut = [_beside(rows[at], one) for at, one in examples.items() if one]
        self._beside = set().union(*cut) if all(cut) else set()
        self._torn = any(_is_torn(rows[at], one) for at, one in examples.items() if one)

    def _has_marks(self, row: Row) -> bool:
        """Whether a row has all marks that the examples' rows have: one without them may give nothing."""
        return self._common <= _told_by(row)

    def of(self, rows: Sequence[Row], results: Sequence[str | None]) -> float:
        doubt = 0.0
        for row, result in zip(rows, results, strict=True):
            if not result:
                told = 2.0 if self._numbers and _DIGIT.search(_text(row)) else 0.9
                told = 4.0 if self._has_marks(row) else told
                doubt += 1.5 if self._empty or not any(row) else told
                continue
            doubt += 1.4 * (not self._whole and result in row)
            doubt += 3.0 * (result in self._made_of and result[:3].lower() not in _text(row))
            doubt += 8.0 * (self._numbers and not _NUMBER.fullmatch(result))
            doubt += 3.0 * (self._joined and (" " in result or bool(marks_of([result]) - self._marks)))
            doubt += 1.5 * (self._bare and result != result.strip())
            doubt += 1.0 * (self._large and result != result.upper())
            doubt += 1.0 * bool(marks_of([result]) & self._gone)
            doubt += 1.2 * (_unsigned(result) not in self._shapes)
            doubt += 3.5 * (classes_of(result) not in self._classes)
            if self._beside:
                beside = _beside(row, result)
                doubt += _CUT * bool(beside and not beside & self._beside) + _APART * (
                    not beside and result.isdigit()
                )
            doubt += 1.5 * (not self._torn and _is_torn(row, result))
            if self._letters:
                doubt += 2.0 * (not _letters(result) <= _letters(_text(row)))
            if self._some:
                there, made = _signs(" ".join(filter(None, row))), _signs(result)
                doubt += 2.0 * (there != made if self._all else not made <= there)
        return doubt / len(rows)


def _unsigned(text: str) -> str:
    """Its kinds of signs; a number below zero is no other kind of result, nor are more words than some."""
    form = form_of(text[1:] if text[:1] in "+-" and text[1:2].isdigit() else text)
    return re.sub(r"a(?: a)+", "a a", form)


def _text(row: Row) -> str:
    return " ".join(filter(None, row)).lower()


def _runs_words_together(row: Row, result: str) -> bool:
    blank = any(" " in cell for cell in row if cell)
    return bool(result) and " " not in result and (blank or _JOINED.search(result) is not None)


_JOINED = re.compile(r"[^\W\d_][_-][^\W\d_]")


def _common_marks(rows: Sequence[Row], at: Iterable[int]) -> set[str]:
    """The marks that stand in the row of every example."""
    each = [_told_by(rows[one]) for one in at]
    return set.intersection(*each) if each else set()


def _told_by(row: Row) -> set[str]:
    """The marks of a row, and the names before “=” and “:”, by which a part may be told."""
    return marks_of(row) | set(_NAMED.findall(" ".join(filter(None, row))))


_NAMED = re.compile(r"[^\W\d_]+[=:]")


def _is_torn(row: Row, result: str) -> bool:
    """Whether a result stands in the row, and always within a run of letters and digits."""
    cells = [cell for cell in row if cell and result in cell]
    # 67 is torn out of 67.4, too.
    whole = re.compile(rf"(?<![^\W_])(?<!\d[.,]){re.escape(result)}(?![^\W_])(?![.,]\d)")
    return bool(cells) and not any(whole.search(cell) for cell in cells)


def _beside(row: Row, result: str) -> set[tuple[str, str]]:
    """The kinds of the signs before and after a result, blanks left out, wherever it stands in the row."""
    found, low = set(), result.lower()
    for cell in row:
        at = cell.lower().find(low) if cell else -1
        while cell and at >= 0:
            before, after = cell[:at].rstrip()[-1:], cell[at + len(low) :].lstrip()[:1]
            found.add((_kind(before), _kind(after)))
            at = cell.lower().find(low, at + 1)
    return found


def _kind(sign: str) -> str:
    return "9" if sign.isdigit() else "a" if sign.isalpha() else sign


_CUT, _APART = (
    1.2,
    1.2,
)  # of results that stand among other signs than the examples', or of digits put together


def _letters(text: str) -> Counter[str]:
    return Counter(sign for sign in text.casefold() if sign.isalpha())


def _signs(text: str) -> Counter[str]:
    """The letters and digits of a text, whatever their case."""
    return Counter(sign for sign in text.casefold() if sign.isalnum())


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
