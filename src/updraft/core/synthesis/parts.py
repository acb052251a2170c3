"""Parts of a text that can be told in a formula: what stands between marks, words, runs of digits, places."""

from __future__ import annotations

import html
import re
from collections.abc import Collection, Iterator
from dataclasses import replace
from functools import partial
from itertools import pairwise

from updraft.core.formula.writing import quoted
from updraft.core.synthesis.neighbours import by_neighbours, in_python
from updraft.core.synthesis.pieces import Of, Piece, Row, shown

# name, pattern for formulas, the same for Python, cost
RUNS = [
    ("number", "[0-9]+", r"[0-9]+", 2.0),
    ("number", r"[0-9]+(?:[.,][0-9]+)?", r"[0-9]+(?:[.,][0-9]+)?", 2.25),
    ("signed number", "[+-][0-9]+", r"[+-][0-9]+", 2.4),
    ("word", r"\p{L}+", r"[^\W\d_]+", 2.1),
    ("run of capitals", "[A-Z]+", r"[A-Z]+", 2.6),
    ("run of capitals and digits", "[A-Z]+[0-9]+", r"[A-Z]+[0-9]+", 2.4),
    ("sign of a currency", "[€$£¥₹]", "[€$£¥₹]", 1.9),
    ("run of letters and digits", r"[\p{L}\p{N}]+", r"[^\W_]+", 2.2),
]
PAIRS = [("(", ")"), ("[", "]"), ("{", "}"), ("“", "”"), ("<", ">")]
MARKS = re.compile(r"\s[^\w\s]\s|[^\w\s]\s|\s[^\w\s]|[^\w]|_")
_ANCHOR = 0.4  # what a part is cheaper by that is told by a mark which stands once in every row


def parts_of(whole: Piece, text: str, anchors: Collection[str] = ()) -> Iterator[Piece]:
    """The parts of a text that can be told by marks and runs. They may give the same for this one.

    Args:
        anchors: marks that stand once in every row, by which a part is told best.
    """
    yield from _by_marks(whole, text, anchors)
    yield from _by_runs(whole, text)
    yield from by_neighbours(whole, text)
    yield from _between_anchors(whole, text, anchors)
    for name in dict.fromkeys(re.findall(r"<(\w+)>", text)):
        opening, closing = f"<{name}>", f"</{name}>"
        if closing in text:
            yield whole.made(
                f"between({{}}, {quoted(opening)}, {quoted(closing)})",
                partial(_between, opening, closing),
                1.6,
                f"what stands in the tag {opening} of {{}}",
            )
    for opening, closing in PAIRS:
        if opening in text and closing in text[text.index(opening) :]:
            yield whole.made(
                f"between({{}}, {quoted(opening)}, {quoted(closing)})",
                partial(_between, opening, closing),
                1.8,
                f"what stands between {opening} and {closing} in {{}}",
            )


def _between_anchors(whole: Piece, text: str, anchors: Collection[str]) -> Iterator[Piece]:
    """What stands between two different marks that follow each other and stand in every row."""
    places = sorted((text.index(mark), mark) for mark in anchors if text.count(mark) == 1)
    for (at, opening), (then, closing) in pairwise(places[:6]):
        if then > at + len(opening) and opening != closing:
            call = f"between({{}}, {quoted(opening)}, {quoted(closing)})"
            words = f"what stands between {shown(opening)} and {shown(closing)} in {{}}"
            yield whole.made(call, partial(_between, opening, closing), 1.7, words)


def _by_marks(base: Piece, text: str, anchors: Collection[str]) -> Iterator[Piece]:
    between = {mark for mark in anchors if mark in text and mark.strip().isalpha()}
    found = MARKS.findall(text)
    bare = {mark.strip() for mark in found} - {""}  # what stands beside a blank here may do without elsewhere
    for mark in sorted({*found, *bare, *between}, key=lambda mark: (len(mark), mark)):
        whole = replace(base, cost=base.cost - _ANCHOR) if mark in anchors else base
        sign, said, called = quoted(mark), shown(mark), shown(mark).removeprefix("a ")
        count = text.count(mark) + 1
        for place in range(1, min(count, 6) + 1):
            yield (whole if place > 1 else base).made(
                f"part({{}}, {sign}, {place})", partial(_part, mark, place),
                1.5 + 0.15 * place + 0.3 * (len(mark) > 1), f"part {place} of {{}} at {said}",
            )  # fmt: skip
        for back in range(1, min(count, 3) + 1):
            yield whole.made(
                f"part({{}}, {sign}, -{back})", partial(_part, mark, -back),
                1.55 + 0.2 * back + 0.3 * (len(mark) > 1), f"part {back} from the end of {{}} at {said}",
            )  # fmt: skip
        yield whole.made(
            f"after({{}}, {sign})", partial(_after, mark), 1.9,
            f"what follows the first {called} in {{}}",
        )  # fmt: skip
        if count > 2 and len(mark) == 1:
            last = f"part({whole.formula}, {sign}, -2) + {sign} + part({whole.formula}, {sign}, -1)"
            of = partial(_last_two, whole.of, mark)
            yield Piece(last, of, whole.cost + 3.0, f"the last two parts of {whole.words} at {said}")
            yield whole.made(
                f"after(after({{}}, {sign}), {sign})", partial(_after_second, mark), 2.3,
                f"what follows the second {called} in {{}}",
            )  # fmt: skip
        yield whole.made(
            f"before_last({{}}, {sign})", partial(_before_last, mark), 1.9,
            f"{{}} up to the last {called}",
        )  # fmt: skip


def _by_runs(whole: Piece, text: str) -> Iterator[Piece]:
    shapes = {_shape(found) for found in [*re.findall(_RUN, text), *_VERSION.findall(text)]}
    exact = [
        ("run such as " + said, pattern, in_python(pattern), cost)
        for said, *patterns in shapes
        for pattern, cost in zip(patterns, (2.9, 2.2, 2.1), strict=True)
    ]
    for name, pattern, here, cost in [*RUNS, *exact]:
        count = len(re.findall(here, text))
        regex = re.compile(here)
        for place in [*range(1, min(count, 4) + 1), *([-1] if count else [])]:
            which = "last" if place == -1 else _ORDER[place - 1]
            yield whole.made(
                f"nth({{}}, {quoted(pattern)}, {place})",
                partial(_nth, regex, place),
                cost + 0.15 * abs(place) - 0.1 * (place == -1),
                f"the {which} {name} of {{}}",
            )


# Parts with marks between, digits with letters between, and two that both hold digits: “YO15 1DD”.
_RUN = r"\w+(?:[^\w\s]\w+)+|\d+(?:[a-zA-Z]\d+)+|[A-Z]+\d\w* \d+[A-Z]+"
_VERSION = re.compile(r"\d+(?:\.\d+){2,}")  # also within such a part: mailer-3.19.14-r7
_ORDER = ("first", "second", "third", "fourth")


def places_of(whole: Piece, text: str, wanted: str) -> Iterator[Piece]:
    """Parts told by their place alone, for each time that `wanted` stands in a text."""
    size, begin = len(wanted), text.find(wanted)
    while begin >= 0 and size:
        left = len(text) - begin - size
        if begin == 0:
            yield whole.made(
                f"first({{}}, {size})",
                partial(_slice, 0, size),
                2.3 + 0.08 * size,
                f"the first {size} of {{}}",
            )
            if left:
                yield whole.made(
                    f"cut({{}}, {left})", partial(_slice, 0, -left), 2.6 + 0.08 * left,
                    f"{{}} without the last {left}",
                )  # fmt: skip
        if left == 0:
            yield whole.made(
                f"last({{}}, {size})",
                partial(_slice, -size, None),
                2.3 + 0.08 * size,
                f"the last {size} of {{}}",
            )
            if begin:
                yield whole.made(
                    f"skip({{}}, {begin})", partial(_slice, begin, None), 2.4 + 0.08 * begin,
                    f"{{}} without the first {begin}",
                )  # fmt: skip
        if begin and left:
            yield whole.made(
                f"middle({{}}, {begin + 1}, {size})", partial(_slice, begin, begin + size),
                2.8 + 0.06 * (begin + size), f"{size} of {{}} from place {begin + 1}",
            )  # fmt: skip
        begin = text.find(wanted, begin + 1)


def _shape(text: str) -> tuple[str, str, str, str]:
    """A run in words and as a pattern: so many digits; any number of them; the last part any times."""
    said = re.sub(r"[^\W\d_]+", "a", re.sub(r"\d", "9", text))
    parts = re.findall(r"\d+|[^\W\d_]+|_|[^\w]", text)
    exact, loose = (
        [
            f"[0-9]{{{len(part)}}}" if part.isdigit() and counted else "[0-9]+" if part.isdigit()
            else r"\p{L}+" if part.isalpha() and (len(part) > 1 or counted) else re.escape(part)
            for part in parts
        ]
        for counted in (True, False)
    )  # fmt: skip
    repeated = "".join([loose[0], f"(?:{''.join(loose[1:3])})+"]) if len(loose) > 2 else "".join(loose)
    return said, "".join(exact), "".join(loose), repeated


def views_of(whole: Piece, text: str) -> Iterator[Piece]:
    """A text without what is seldom meant: tags, what stands in brackets."""
    for pattern, here, said in (
        ("<[^>]*>", "<[^>]*>", "tags"),
        ("[ _]*[(][^)]*[)]", r"[ _]*[(][^)]*[)]", "what stands in ( )"),
        (
            r"[ ,]+[0-9][0-9.,]* ?\p{L}{1,3}[.]?$",
            r"[ ,]+[0-9][0-9.,]* ?[^\W\d_]{1,3}[.]?$",
            "the amount at its end",
        ),
        (r"[ _]*[(\[][^)\]]*[)\]]", r"[ _]*[(\[][^)\]]*[)\]]", "what stands in brackets"),
        (r" *[\[][^\]]*[\]]", r" *\[[^\]]*\]", "what stands in [ ]"),
    ):
        if re.search(here, text):
            bare = whole.made(
                f"trim(replace_pattern({{}}, {quoted(pattern)}, ''))",
                partial(_without, re.compile(here)), 0.9, f"{{}} without {said}",
            )  # fmt: skip
            yield bare
            if _ENTITY.search(text):
                yield bare.made("unescaped({})", html.unescape, 0.5, "{} with its signs as they are meant")
    if _ENTITY.search(text):
        yield whole.made("unescaped({})", html.unescape, 0.5, "{} with its signs as they are meant")


_ENTITY = re.compile("&[#a-zA-Z0-9]+;")


def _without(regex: re.Pattern[str], text: str) -> str | None:
    return regex.sub("", text).strip()


def _part(mark: str, place: int, text: str) -> str | None:
    return _at(text.split(mark), place)


def _nth(regex: re.Pattern[str], place: int, text: str) -> str | None:
    return _at(regex.findall(text), place)


def _after(mark: str, text: str) -> str | None:
    return text.split(mark, 1)[1] if mark in text else None


def _after_second(mark: str, text: str) -> str | None:
    return text.split(mark, 2)[2] if text.count(mark) > 1 else None


def _last_two(of: Of, mark: str, row: Row) -> str | None:
    parts = (of(row) or "").split(mark)
    return mark.join(parts[-2:]) if len(parts) > 1 else None


def _before_last(mark: str, text: str) -> str | None:
    return text.rsplit(mark, 1)[0]


def _slice(begin: int, end: int | None, text: str) -> str | None:
    return text[begin:end]


def _at(parts: list[str], place: int) -> str | None:
    at = place - 1 if place > 0 else len(parts) + place
    return parts[at] if 0 <= at < len(parts) else None


def _between(opening: str, closing: str, text: str) -> str | None:
    _, found, rest = text.partition(opening)
    inner, ended, _ = rest.partition(closing)
    return inner if found and ended else None
