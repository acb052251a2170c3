"""All pieces that may stand in the results: what can be told of the examples' rows, changed or reckoned."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from functools import partial
from itertools import chain

from updraft.core.formula.writing import quoted
from updraft.core.synthesis.changes import all_of, in_groups, in_one_case, padded_to, variants, zeros_of
from updraft.core.synthesis.days import could_be_day, days_in, months_in, times_in
from updraft.core.synthesis.figures import Number
from updraft.core.synthesis.known import known_in
from updraft.core.synthesis.numbers import clocked, numbers_in
from updraft.core.synthesis.parts import MARKS, parts_of, places_of, views_of
from updraft.core.synthesis.pieces import Piece, Row, cheapest, marks_of
from updraft.core.synthesis.search import Results
from updraft.core.synthesis.separators import separators, sides
from updraft.core.synthesis.spans import dated, days_added, spans_between, spans_to_a_day
from updraft.core.synthesis.years import years_in

_ALIKE = 40  # rows on which pieces are compared
_LACKING, _MAY_LACK = 1.5, 0.3
_DATES = 6  # of a row that spans are taken between
_ENOUGH = 5  # texts by which a mark is told to stand in all
_LOOSE = 1.4
_OF_A_DAY = 1.0  # what is told by its place in a date is likelier a part of the date
_MOSTLY, _BETWEEN = 0.6, 4  # of the texts that a word between others stands in; such words
_WORDS = re.compile(r"(?<= )[^\W\d_]{2,}(?= )")
_LAST_WORD = re.compile(r"[^\W_][ ,]+([^\W\d_]{2,}[.]?)$")
_DAYS = re.compile(r"\d{1,5}")
_NO_SIGNS = quoted(r"[^\p{L}\p{N}]+")
_NO_SIGN = re.compile(r"[\W_]+")
_MARKS = re.compile(r"[^\w]{1,3}$")


class Gathering:
    """Pieces by the examples that they were found in; what was worked out for one is kept for others."""

    def __init__(self, columns: list[Piece], rows: Sequence[Row]) -> None:
        self._columns, self._rows = columns, rows
        self._tried = rows[:: max(len(rows) // _ALIKE, 1)][:_ALIKE]
        self._anchors = {
            piece.formula: _anchors([piece.of(row) or "" for row in self._tried]) for piece in columns
        }
        self._ends = {piece.formula: _ends([piece.of(row) or "" for row in self._tried]) for piece in columns}
        self._marks = {
            piece.formula: separators([piece.of(row) or "" for row in self._tried]) for piece in columns
        }
        self._one: dict[tuple[int, str], tuple[list[Piece], list[Piece]]] = {}
        self._given: dict[str, tuple[str | None, ...]] = {}

    def of(self, given: Mapping[int, str]) -> tuple[list[tuple[Results, Piece]], list[Piece]]:
        """Pieces that stand in every result, with what they give for each; and those that give all of it.

        Of pieces that give the same for all rows that are compared, the cheapest.

        Args:
            given: row → its result, none of them empty.
        """
        of_each = [self._for_one(at, wanted) for at, wanted in given.items()]
        found, whole = (cheapest(chain.from_iterable(some)) for some in zip(*of_each, strict=True))
        alike: dict[tuple[str | None, ...], tuple[Results, Piece]] = {}
        # A row without a mark that all examples have may well have nothing.
        common = set.intersection(*(marks_of(self._rows[at]) for at in given))
        weights = [1.0 if common <= marks_of(row) else _MAY_LACK for row in self._tried]
        wants = tuple(given.values())
        for piece in sorted(found, key=lambda one: one.cost):
            results = tuple(piece.of(self._rows[at]) or "" for at in given)
            if not any(results) or not all(map(str.__contains__, wants, results)):
                continue
            for made, gives in _optional(piece, results, wants):
                shown = self._on_tried(made)
                if (key := (*gives, *shown)) not in alike:
                    # What most rows lack is seldom meant.
                    lacks = sum(weight for one, weight in zip(shown, weights, strict=True) if one is None)
                    cost = made.cost + _LACKING * lacks / len(shown)
                    alike[key] = gives, replace(made, cost=cost)
        fits = [p for p in whole if all(p.of(self._rows[at]) == one for at, one in given.items())]
        return list(alike.values()), fits

    def _for_one(self, at: int, wanted: str) -> tuple[list[Piece], list[Piece]]:
        if (at, wanted) not in self._one:
            sources, parts = _parts(self._columns, self._rows[at], wanted, self._anchors, self._ends)
            parts += self._sides(sources, self._rows[at])
            pieces = cheapest(_told(sources, parts, self._rows, at, wanted))
            more = [
                *_between_days(sources, parts, self._rows, at),
                *_to_a_day(sources, self._rows, at, wanted),
            ]
            later = _later_by_column(sources, self._rows, at, wanted)
            figures = _figures(sources, parts)
            numbers = [*numbers_in(figures, wanted, more), *clocked(figures, wanted)]
            self._one[at, wanted] = pieces, cheapest([*later, *numbers])
        return self._one[at, wanted]

    def _sides(self, sources: list[tuple[str, Piece]], row: Row) -> list[tuple[str, Piece]]:
        """The sides of texts that are put together by several signs."""
        made = (part for _, whole in sources for part in sides(whole, self._marks.get(whole.formula, ())))
        return [(text, part) for part in made if (text := part.of(row))]

    def _on_tried(self, piece: Piece) -> tuple[str | None, ...]:
        if piece.formula not in self._given:
            self._given[piece.formula] = tuple(piece.of(row) for row in self._tried)
        return self._given[piece.formula]


def _optional(piece: Piece, results: Results, wanted: Results) -> Iterator[tuple[Piece, Results]]:
    """A piece as it is where all examples have it; else the piece or nothing, with the mark that comes and
    goes with it.
    """
    if all(results):
        yield piece, results
        return
    yield _or_nothing(piece, "", ""), results
    marks = set()
    for part, text in zip(results, wanted, strict=True):
        if part and (before := _MARKS.search(text[: text.find(part)])):
            marks.add((before[0], ""))
        rest = text[text.find(part) + len(part) :] if part else ""
        if rest and (behind := re.match(r"[^\w]{1,3}", rest)):
            marks.add(("", behind[0]))
    for before_it, behind_it in sorted(marks):
        made = tuple(f"{before_it}{part}{behind_it}" if part else "" for part in results)
        if all(part in text for part, text in zip(made, wanted, strict=True)):
            yield _or_nothing(piece, before_it, behind_it), made


def _or_nothing(piece: Piece, before: str, behind: str) -> Piece:
    def of(row: Row) -> str | None:
        text = piece.of(row)
        return f"{before}{text}{behind}" if text else ""

    if not before and not behind:
        return Piece(f"if_empty({piece.formula}, '')", of, piece.cost + 1.0, f"{piece.words} if there is one")
    made = " + ".join(filter(None, [before and quoted(before), piece.formula, behind and quoted(behind)]))
    said = f"“{before}{{}}{behind}”".replace("{}", "…")
    return Piece(
        f"choose(is_empty({piece.formula}), '', {made})",
        of,
        piece.cost + 1.3,
        f"{said} with {piece.words} if there is one",
    )


def _told(
    sources: list[tuple[str, Piece]],
    parts: list[tuple[str, Piece]],
    rows: Sequence[Row],
    at: int,
    wanted: str,
) -> Iterator[Piece]:
    """Everything that can be told of one row and may stand in its result."""
    for text, piece in [*sources, *parts]:
        for result, made in variants(piece, text, wanted):
            if result in wanted:
                yield made
    dated = [(text, part) for text, part in parts if part.cost < 2.8 and could_be_day(text)][:6]
    for _, piece in [*sources, *dated]:
        yield from (made for _, made in days_in(piece, [piece.of(one) for one in rows], at, wanted))
    for _, piece in sources:
        yield from (made for _, made in months_in(piece, [piece.of(one) for one in rows], at, wanted))
    for text, piece in [*sources, *parts]:
        yield from known_in(piece, text, wanted, rows)
        yield from in_groups(piece, text, wanted)
        yield from all_of(piece, text, wanted)
        yield from years_in(piece, text, wanted)
    for text, piece in [*sources, *[(t, p) for t, p in parts if ":" in t][:12]]:
        yield from (made for _, made in times_in(piece, text, wanted))
    for text, piece in sources:
        bases = [(text, piece), *((c.of(text) or "", c.around(piece)) for c in in_one_case(text))]
        if _NO_SIGN.search(text):
            bare = piece.made(
                f"replace_pattern({{}}, {_NO_SIGNS}, '')",
                partial(_NO_SIGN.sub, ""), 0.9, "the letters and digits of {}",
            )  # fmt: skip
            bases.append(
                (_NO_SIGN.sub("", text).upper(), bare.made("upper({})", str.upper, 0.6, "{} in capitals"))
            )
        filled = {len(one) for row in rows if (one := piece.of(row)) and one.isdigit()}
        if text.isdigit() and 1 < len(filled) < 4:
            padded = padded_to(max(filled))
            bases.append((padded.of(text) or "", padded.around(piece)))
        yield from _numbered(piece, text, wanted)
        for base, made in bases:
            # A place says little where texts are of several lengths.
            sizes = {len(one) for row in rows[:_ALIKE] if (one := piece.of(row))}
            for placed in _places(wanted, base, made):
                far = _LOOSE * (len(sizes) > 1) + _OF_A_DAY * could_be_day(text)
                loose = replace(placed, cost=placed.cost + far) if far else placed
                yield loose
                if (said := loose.of(rows[at])) and said.isdigit():
                    yield from (made for _, made in zeros_of(loose, said, wanted))
    between = _between_days(sources, parts, rows, at)
    for found in re.finditer(r"-?\d+(?:\.\d+)?", wanted):
        if found[0] != wanted and not any(found[0] in text for text, _ in sources):
            for made in numbers_in(_figures(sources, parts), found[0], between):
                two = len(found[0]) == 2 and found[0].isdigit()
                if two:
                    two_digits = padded_to(2).around(made)
                    # Minutes and seconds have two digits.
                    clock = wanted[: found.start()].endswith(":")
                    yield replace(two_digits, cost=made.cost) if clock else two_digits
                if not (two and wanted[: found.start()].endswith(":")):
                    yield made


def _numbered(piece: Piece, text: str, wanted: str) -> Iterator[Piece]:
    """The number behind the first signs of a code, without zeros in front: 76 of U20076."""
    for begin in range(1, min(5, len(text))):
        rest = text[begin:]
        if rest.isdigit() and rest[0] == "0" and rest.lstrip("0") in wanted and rest.strip("0"):
            skipped = piece.made(
                f"skip({{}}, {begin})", lambda t, n=begin: t[n:] or None, 2.0 + 0.1 * begin,  # type: ignore[misc]
                f"{{}} without the first {begin}",
            )  # fmt: skip
            yield from (made for _, made in zeros_of(skipped, rest, wanted))


def _between_days(
    sources: list[tuple[str, Piece]], parts: list[tuple[str, Piece]], rows: Sequence[Row], at: int
) -> list[tuple[Number, float]]:
    """Days between the dates that a row holds."""
    some = [piece for text, piece in [*sources, *parts] if could_be_day(text)][:_DATES]
    found = [dated(piece, [piece.of(row) for row in rows], at) for piece in some]
    return list(spans_between([one for one in found if one], rows[at])) if len(some) > 1 else []


def _to_a_day(
    sources: list[tuple[str, Piece]], rows: Sequence[Row], at: int, wanted: str
) -> Iterator[tuple[Number, float]]:
    """Days and years from a date of the row to a day that is the same for all rows."""
    if not _DAYS.fullmatch(wanted):
        return
    for piece in [piece for text, piece in sources if could_be_day(text)][:_DATES]:
        found = dated(piece, [piece.of(row) for row in rows], at)
        if found:
            yield from spans_to_a_day(found, rows[at], int(wanted))


def _later_by_column(
    sources: list[tuple[str, Piece]], rows: Sequence[Row], at: int, wanted: str
) -> Iterator[Piece]:
    """A day that is as many days after another as a column says."""
    counts = [piece for text, piece in sources if _DAYS.fullmatch(text)][:3]
    if not counts or not could_be_day(wanted):
        return
    for piece in [piece for text, piece in sources if could_be_day(text)][:_DATES]:
        found = dated(piece, [piece.of(row) for row in rows], at)
        for many in counts if found else ():
            yield from days_added(found, many, rows[at], wanted)  # type: ignore[arg-type]


def _anchors(texts: list[str]) -> frozenset[str]:
    """Marks that stand in every text as often, and words between blanks that stand in most."""
    filled = [text for text in texts if text]
    if len(filled) < _ENOUGH:
        return frozenset()
    often = Counter(word for text in filled for word in set(_WORDS.findall(text)))
    between = {f" {word} " for word, many in often.items() if many >= _MOSTLY * len(filled)}
    first = filled[0]
    same = (mark for mark in MARKS.findall(first) if all(t.count(mark) == first.count(mark) for t in filled))
    return frozenset({*same, *sorted(between)[:_BETWEEN]})


def _ends(texts: list[str]) -> list[str]:
    """Words that stand at the end of several texts, and not of all of them."""
    # A name that comes again and again has no such end.
    often = Counter(match[1] for text in dict.fromkeys(texts) if (match := _LAST_WORD.search(text)))
    return [word for word, many in often.most_common(3) if 0.1 * len(texts) <= many < len(texts) and many > 2]


def _without_ends(whole: Piece, words: Sequence[str]) -> Iterator[Piece]:
    """A text without a word at its end that others have, too."""
    several = [words] if len(words) > 1 else []
    for some in [*([word] for word in words), *several]:
        pattern = f"[ ,]+(?:{'|'.join(map(re.escape, some))})$"
        call = f"replace_pattern({{}}, {quoted(pattern)}, '')"
        said = " or ".join(f"“{word}”" for word in some)
        cost = 0.9 + 0.2 * len(some)
        yield whole.made(call, partial(re.compile(pattern).sub, ""), cost, f"{{}} without {said} at its end")


def _parts(
    columns: list[Piece],
    row: Row,
    wanted: str,
    anchors: Mapping[str, frozenset[str]],
    ends: Mapping[str, Sequence[str]],
) -> tuple[list[tuple[str, Piece]], list[tuple[str, Piece]]]:
    """The columns that hold something, and their parts and parts of parts, with what each gives."""
    sources = [(text, piece) for piece in columns if (text := piece.of(row))]
    sources += [
        (seen, view)
        for text, piece in sources
        for view in _without_ends(piece, ends.get(piece.formula, ()))
        if (seen := view.of(row)) and seen != text
    ]
    sources += [
        (seen, view) for text, piece in sources for view in views_of(piece, text) if (seen := view.of(row))
    ]
    parts = _distinct(
        [
            (text, part)
            for base, piece in sources
            for part in parts_of(piece, base, anchors.get(piece.formula, ()))
            if (text := part.of(row))
        ]
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
    return sources, [*parts, *deeper]


def _figures(sources: list[tuple[str, Piece]], parts: list[tuple[str, Piece]]) -> list[tuple[str, Piece]]:
    return [*sources, *[(t, p) for t, p in parts if any(c.isdigit() for c in t)][:40]]


def _distinct(pieces: list[tuple[str, Piece]]) -> list[tuple[str, Piece]]:
    return list({piece.formula: (text, piece) for text, piece in pieces}.values())


def _places(wanted: str, text: str, piece: Piece) -> Iterator[Piece]:
    """What is told by its place alone: several characters, or the first one."""
    for begin in range(len(wanted)):
        for end in range(begin + 1, len(wanted) + 1):
            stretch = wanted[begin:end]
            if stretch not in text:
                break
            if end - begin > 1 or len(wanted) == 1 or text.startswith(stretch):
                yield from places_of(piece, text, stretch)
