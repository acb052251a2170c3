"""Results of several kinds: the examples parted, each part read for itself, and a test that tells which."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import replace
from functools import partial
from itertools import combinations, permutations, product

from updraft.core.formula.writing import quoted
from updraft.core.letters import plain_text as plain
from updraft.core.synthesis.amounts import number_at, number_of
from updraft.core.synthesis.bounds import Test, bounds
from updraft.core.synthesis.pieces import Piece, Row, form_of, shown

_SPLIT = 3.0  # a condition at all
_BEST = 4  # readings of each part that are put together
_FEW_TESTS = 6
_FEW_EXAMPLES, _MOST_PARTS = 4, 8  # of which all parts are tried; parts that are tried of more
_TOKENS = re.compile(r"[^\W\d_]+|[^\w\s]")
_ALONE = re.compile(r"\b[A-Z]\b")
_MARKED = re.compile(r"[.@#/][^\W\d_]+")
Programs = Callable[[Mapping[int, str]], Sequence[Piece]]


def split(
    columns: Sequence[Piece], rows: Sequence[Row], given: Mapping[int, str], programs: Programs
) -> Iterator[Piece]:
    """Programs with a condition, for every way to part the examples in two.

    Args:
        given: row → its result, which may be empty.
        programs: the best readings of some of the examples, none of which is empty.
    """
    for chosen in _parts(columns, rows, given):
        others = [at for at in given if at not in chosen]
        yes, no = ({at: given[at] for at in part} for part in (chosen, others))
        tests = sorted(_apart(columns, rows, list(yes), list(no)), key=lambda test: test.cost)[:_FEW_TESTS]
        for one, other in product(*(_branch(part, columns, rows, programs) for part in (yes, no))):
            if one and other and one.formula == other.formula:
                continue
            yield from (_either(test, one, other) for test in tests)
            if one and other and one.formula[0] not in "'\"":
                yield _else(one, other, [piece.formula for piece in columns])


def _parts(columns: Sequence[Piece], rows: Sequence[Row], given: Mapping[int, str]) -> list[tuple[int, ...]]:
    """The parts that examples may be taken into: all of a few examples, else those that simple tests make."""
    places = list(given)

    def may_be(part: tuple[int, ...]) -> bool:
        one, other = {given[at] for at in part}, {given[at] for at in places if at not in part}
        # An empty result stands behind the condition; and what gives the same belongs together.
        return bool(one and other) and "" not in one and (len(places) == 2 or not one & other)

    if len(places) <= _FEW_EXAMPLES:
        return [part for size in range(1, len(places)) for part in combinations(places, size) if may_be(part)]
    made: dict[tuple[int, ...], float] = {}
    texts = [(piece, piece.of(rows[at]) or "") for piece in columns for at in places]
    for test in (test for piece, text in texts for test in _of_text(piece, text)):
        holds = tuple(at for at in places if test.of(rows[at]))
        for part in filter(may_be, (holds, tuple(at for at in places if at not in holds))):
            made[part] = min(test.cost, made.get(part, test.cost))
    return sorted(made, key=lambda part: made[part])[:_MOST_PARTS]


def _branch(
    part: Mapping[int, str], columns: Sequence[Piece], rows: Sequence[Row], programs: Programs
) -> list[Piece | None]:
    """What a part of the examples may be: always the same text, nothing, made of the row, or of two kinds."""
    results = set(part.values())
    if results == {""}:
        return [None]
    made: list[Piece | None] = list(programs(part)[:_BEST]) if "" not in results else []
    if len(results) > 1 and len(part) < _FEW_EXAMPLES:
        again = split(columns, rows, part, programs)
        made += sorted(again, key=_cost)[:_BEST]
    if len(results) == 1:
        made.append(_always(results.pop(), [rows[at] for at in part]))
    return sorted(made, key=lambda piece: piece.cost if piece else 0)


def _cost(piece: Piece) -> float:
    return piece.cost


def _always(text: str, rows: Sequence[Row]) -> Piece:
    """The same text for all rows of a kind: a word or two that do not stand in the row, and no number."""
    told = plain(" ".join(cell for row in rows for cell in row if cell)).lower()
    words = re.findall(r"[^\W_]+", plain(text).lower())
    numbers = re.findall(r"\d+", text)
    dear = (
        4.0 * taken_from(told, words)
        + (1.5 + 1.5 * len(numbers) if numbers else 0.0)
        + 1.5 * max(len(words) - 2, 0)
        + 4.0 * _are_initials(text, told)
        + 5.5 * sum(re.search(rf"\b{one.lower()}\d", told) is not None for one in _ALONE.findall(text))
    )
    return Piece(quoted(text), lambda row: text, 1.5 + 0.05 * len(text) + dear, f"“{text}”")


def _are_initials(text: str, told: str) -> bool:
    """Whether capitals are what words of the row begin with: EM of Elif Moreau was made of it."""
    letters = Counter(text.lower())
    heads = Counter(word[0] for word in re.findall(r"[^\W\d_]+", told))
    return 1 < len(text) < 5 and text.isalpha() and text.isupper() and letters <= heads


def taken_from(told: str, words: Sequence[str]) -> int:
    """How many words were likely made of what the rows say, both in small letters without accents."""
    taken = sum((len(word) > 1 or word.isdigit()) and word in told for word in words)
    # Friday of “Fri 18:15” was made of it, and so was +49342 of 0342.
    taken += any(word.startswith(short) for word in words for short in re.findall(r"[^\W\d_]{3,}", told))
    return taken + any(run in word and run != word for word in words for run in re.findall(r"\d{4,}", told))


def _either(test: Test, one: Piece | None, other: Piece | None) -> Piece:
    def of(row: Row) -> str | None:
        taken = one if test.of(row) else other
        return taken.of(row) if taken else None

    last = f", {other.formula}" if other else ""
    cost = (one.cost if one else 0.5) + (other.cost if other else 0.5) + test.cost + _SPLIT
    words = f"if {test.words}, {one.words if one else 'nothing'}; else {other.words if other else 'nothing'}"
    return Piece(f"choose({test.formula}, {one.formula if one else 'None'}{last})", of, cost, words)


def _else(one: Piece, other: Piece, order: Sequence[str]) -> Piece:
    """The one where it gives something, else the other; rather a column before one that stands behind it."""

    def of(row: Row) -> str | None:
        text = one.of(row)
        return text if text and text.strip() else other.of(row)

    words = f"{one.words}; where there is none, {other.words}"
    back = {one.formula, other.formula} <= set(order) and order.index(other.formula) < order.index(
        one.formula
    )
    cost = one.cost + other.cost + 1.0 + 0.3 * back
    return Piece(f"if_empty({one.formula}, {other.formula})", of, cost, words)


def _apart(columns: Sequence[Piece], rows: Sequence[Row], yes: list[int], no: list[int]) -> Iterator[Test]:
    """Tests that hold in all rows of one kind and in none of the other; dear where they hold nearly always or
    never, and where they cut across rows of one form.
    """
    tests: dict[str, Test] = {}
    for piece in columns:
        for at in yes:
            for test in _of_text(piece, piece.of(rows[at]) or ""):
                tests.setdefault(test.formula, test)
        for at in no:
            for test in _of_text(piece, piece.of(rows[at]) or ""):
                tests.setdefault(f"not {test.formula}", _not(test))
    for a, b in combinations(columns, 2):
        same = _equal(a, b)
        tests.setdefault(same.formula, same)
        tests.setdefault(f"not {same.formula}", _not(same))
    tried = rows[:: max(len(rows) // 200, 1)][:200]
    forms = [tuple(form_of(cell or "") for cell in row) for row in tried]
    parted = [test for test in tests.values() if _parts_them(test, rows, yes, no)]
    for test in parted:
        doubt = _doubt([test.of(row) for row in tried], forms)
        yield Test(test.formula, test.of, test.cost + doubt, test.words)
    for a, b in permutations(columns, 2):
        for test in (_larger(a, b), _not_smaller(a, b)):
            if not _parts_them(test, rows, yes, no):
                continue
            # Two columns one of which is always the larger were not meant to be compared.
            uneven = abs(1 - 2 * sum(map(test.of, tried)) / len(tried))
            some = [one.of(rows[at]) or "0" for one in (a, b) for at in [*yes, *no]]
            in_words = any(number_of(text) is None for text in some)
            yield replace(test, cost=test.cost + 1.2 * in_words + 1.5 * uneven**2)
    for test in bounds(columns, rows, yes, no):
        if _parts_them(test, rows, yes, no):
            yield test


def _parts_them(test: Test, rows: Sequence[Row], yes: list[int], no: list[int]) -> bool:
    return all(test.of(rows[at]) for at in yes) and not any(test.of(rows[at]) for at in no)


def _doubt(holds: list[bool], forms: Sequence[tuple[str, ...]]) -> float:
    """How badly a test parts the rows: it holds for one alone, or for some of those of one form."""
    rare = min(sum(holds), len(holds) - sum(holds))
    groups: dict[tuple[str, ...], list[bool]] = {}
    for form, yes in zip(forms, holds, strict=True):
        groups.setdefault(form, []).append(yes)
    cut = sum(min(sum(each), len(each) - sum(each)) for each in groups.values())
    uneven = 1 - 2 * rare / len(holds)
    return 1.5 * (rare <= 1) + 0.8 * (rare * 20 < len(holds)) + 0.6 * uneven + 0.8 * cut / max(rare, 1)


def _not(test: Test) -> Test:
    return Test(f"not {test.formula}", lambda row: not test.of(row), test.cost + 0.3, f"not: {test.words}")


def _of_text(piece: Piece, text: str) -> Iterator[Test]:
    """What can be said of a text that others may lack."""
    name, said = piece.formula, piece.words
    if not text.strip():
        yield _test(piece, f"is_empty({name})", lambda t: not t.strip(), 0.4, f"{said} is empty")
        return
    yield _test(piece, f"{name} == {quoted(text)}", partial(_same, text), 2.2, f"{said} is “{text}”")
    tokens = _TOKENS.findall(text)
    tokens += [token[:-1] for token in tokens if len(token) > 3 and token[-1] == "s"]  # of one and of several
    for token in dict.fromkeys(tokens):
        cost = 1.0 if not token.isalpha() else 1.4 + 0.4 * (len(token) < 3)
        words = f"{said} holds {shown(token)}"
        yield _test(piece, f"contains({name}, {quoted(token)})", partial(_holds, token), cost, words)
        if token.isalpha() and len(token) > 2:
            low = token.lower()
            call, said_low = f"contains(lower({name}), {quoted(low)})", f"{words}, large or small"
            yield _test(piece, call, partial(_holds_low, low), cost + 0.2, said_low)
    for marked in dict.fromkeys(_MARKED.findall(text)):  # an ending, a domain, a tag
        words = f"{said} holds “{marked}”"
        yield _test(piece, f"contains({name}, {quoted(marked)})", partial(_holds, marked), 1.3, words)
    yield _test(piece, f"contains({name}, ' ')", partial(_holds, " "), 1.3, f"{said} holds a blank")
    for size in {1, 2, 3, len(re.match(r"\w*", text)[0])}:  # type: ignore[index]
        if 0 < size < len(text):
            head, tail = text[:size], text[-size:]
            cost = 1.2 + 0.15 * size + 0.4 * head.isdigit()
            yield _test(
                piece,
                f"starts({name}, {quoted(head)})",
                partial(_begins, head),
                cost,
                f"{said} begins with “{head}”",
            )
            cost = 1.4 + 0.15 * size + 0.4 * tail.isdigit() + 0.4 * (size == 1)
            yield _test(
                piece,
                f"ends({name}, {quoted(tail)})",
                partial(_stops, tail),
                cost,
                f"{said} ends with “{tail}”",
            )
    for pattern, here, what in _CLASSES:
        if re.fullmatch(here, text, re.DOTALL):
            yield _test(
                piece,
                f"fits({name}, {quoted(pattern)})",
                partial(_fits, re.compile(here, re.DOTALL)),
                1.2,
                f"{said} {what}",
            )
    value = number_of(text)
    if value is not None and value < 0:
        yield _test(piece, f"number({name}) < 0", _negative, 0.9, f"{said} is less than 0")


# Pattern of the formula language, the same for Python, words.
_CLASSES = [
    ("[0-9].*", r"[0-9].*", "begins with a digit"),
    (r"\p{L}.*", r"[^\W\d_].*", "begins with a letter"),
    ("[A-Z].*", r"[A-Z].*", "begins with a large letter"),
    (".*[0-9]", r".*[0-9]", "ends with a digit"),
    (r".*\p{L}", r".*[^\W\d_]", "ends with a letter"),
    ("[0-9]+", r"[0-9]+", "is digits alone"),
    (r".*[0-9].*", r".*[0-9].*", "holds a digit"),
]


def _test(piece: Piece, formula: str, holds: Callable[[str], bool], cost: float, words: str) -> Test:
    return Test(formula, lambda row: holds(piece.of(row) or ""), cost, words)


def _larger(a: Piece, b: Piece) -> Test:
    def of(row: Row) -> bool:
        x, y = number_at(1, a.of(row) or ""), number_at(1, b.of(row) or "")
        return x is not None and y is not None and x > y

    return Test(f"number({a.formula}) > number({b.formula})", of, 0.2, f"{a.words} is larger than {b.words}")


def _not_smaller(a: Piece, b: Piece) -> Test:
    def of(row: Row) -> bool:
        x, y = number_at(1, a.of(row) or ""), number_at(1, b.of(row) or "")
        return x is not None and y is not None and x >= y

    formula = f"number({a.formula}) >= number({b.formula})"
    return Test(formula, of, 0.5, f"{a.words} is at least {b.words}")


def _equal(a: Piece, b: Piece) -> Test:
    def of(row: Row) -> bool:
        return (a.of(row) or "") == (b.of(row) or "")

    formula = f"if_empty({a.formula}, '') == if_empty({b.formula}, '')"
    return Test(formula, of, 0.5, f"{a.words} and {b.words} are the same")


def _same(wanted: str, text: str) -> bool:
    return text == wanted


def _holds(part: str, text: str) -> bool:
    return part in text


def _holds_low(part: str, text: str) -> bool:
    return part in text.lower()


def _begins(part: str, text: str) -> bool:
    return text.startswith(part)


def _stops(part: str, text: str) -> bool:
    return text.endswith(part)


def _fits(pattern: re.Pattern[str], text: str) -> bool:
    return pattern.fullmatch(text) is not None


def _negative(text: str) -> bool:
    value = number_at(1, text)
    return value is not None and value < 0
