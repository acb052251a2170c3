"""Parts of a text that can be told in a formula: what stands between marks, words, runs of digits, places.

Each part knows its formula and works on one row in plain Python, so that thousands can be tried on a few
rows; what is chosen is computed by its formula.
"""

from __future__ import annotations

import html
import re
import unicodedata
from collections.abc import Callable, Collection, Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import partial

from updraft.core.formula.writing import quoted
from updraft.core.values.text import UNMARKED

Row = Sequence[str | None]
Of = Callable[[Row], str | None]


@dataclass(frozen=True)
class Piece:
    """A text made of a row.

    Args:
        formula: how it is written.
        of: the same in Python, for one row; None where there is none.
        cost: how far-fetched it is; of two that fit, the cheaper is more likely meant.
        words: the same in words.
    """

    formula: str
    of: Of
    cost: float
    words: str

    def made(self, call: str, change: Callable[[str], str | None], cost: float, words: str) -> Piece:
        """The same with one more function around it; `call` holds {} for what stands now."""
        of = self.of

        def changed(row: Row) -> str | None:
            text = of(row)
            return None if text is None else change(text)

        formula = call.replace("{}", self.formula, 1)  # patterns hold other braces
        return Piece(formula, changed, self.cost + cost, words.replace("{}", self.words, 1))


# name, pattern for formulas, the same for Python, cost
RUNS = [
    ("number", "[0-9]+", r"[0-9]+", 2.0),
    ("number", r"[0-9]+[.,][0-9]+", r"[0-9]+[.,][0-9]+", 2.4),
    ("signed number", "[+-][0-9]+", r"[+-][0-9]+", 2.4),
    ("word", r"\p{L}+", r"[^\W\d_]+", 2.1),
    ("run of capitals", "[A-Z]+", r"[A-Z]+", 2.6),
    ("run of capitals and digits", "[A-Z]+[0-9]+", r"[A-Z]+[0-9]+", 2.4),
    ("run of letters and digits", r"[\p{L}\p{N}]+", r"[^\W_]+", 2.2),
]
PAIRS = [("(", ")"), ("[", "]"), ("{", "}"), ("“", "”"), ("<", ">")]
MARKS = re.compile(r"[^\w\s]\s|\s[^\w\s]|[^\w]|_")
_ANCHOR = 0.3  # what a part is cheaper by that is told by a mark which stands once in every row


def marks_of(row: Row) -> set[str]:
    """The signs of a row that are no letters, digits or blanks."""
    return set(re.findall(r"[^\w\s]", " ".join(filter(None, row))))


def column(name: str, written: str, at: int) -> Piece:
    """The whole text of a column."""
    return Piece(written, lambda row: row[at], 1.0, name)


def parts_of(whole: Piece, text: str, anchors: Collection[str] = ()) -> Iterator[Piece]:
    """The parts of a text that can be told by marks and runs. They may give the same for this one.

    Args:
        anchors: marks that stand once in every row, by which a part is told best.
    """
    yield from _by_marks(whole, text, anchors)
    yield from _by_runs(whole, text)
    yield from _by_neighbours(whole, text)
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
    shapes = {_shape(found) for found in re.findall(_RUN, text)}
    exact = [
        ("run such as " + said, pattern, _python(pattern), cost)
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


# Classes of the formula language's patterns; Python has no classes within brackets.
_IN_PYTHON = (
    (r"[\p{L}\p{N}]", r"[^\W_]"),
    (r"[\p{L}'’-]", r"(?:[^\W\d_]|['’-])"),
    (r"[^0-9\p{L}]", r"(?:[\W_])"),
    (r"\p{L}", r"[^\W\d_]"),
)


def _python(pattern: str) -> str:
    """A pattern of the formula language for Python's engine."""
    for own, here in _IN_PYTHON:
        pattern = pattern.replace(own, here)
    return pattern


# What stands beside something: pattern, words, how far-fetched.
_ENDS = [
    (r"(\p{L}+)$", "the letters at the end of {}", 2.3),
    (r"([0-9]+)$", "the digits at the end of {}", 2.3),
    (r"^(\p{L}+)", "the letters at the beginning of {}", 2.3),
    (r"^([0-9]+)", "the digits at the beginning of {}", 2.3),
    (r"^(\p{L}+(?: \p{L}+)+)", "the words at the beginning of {}", 2.3),
    (r"^(?:[a-z]+://)?(?:www[.])?([^/:?#]+[.][^/:?#]+)", "the host in {}, without www", 1.6),
    (r"^(?:[a-z]+://)?([^/:?#]+[.][^/:?#]+)", "the host in {}", 1.8),
    (r"://[^/]+(/[^?#]*)", "the path in {}", 1.9),
    (r"([^/\\]+)$", "the last name in the path {}", 2.2),
    (r"([^/\\]+)[.][^./\\]+$", "the file's name in {}, without its ending", 2.2),
    (r"^([^0-9]*\p{L})[^0-9\p{L}]+[0-9]", "what stands before the first number in {}", 2.4),
    (r"[0-9][^0-9\p{L}]+(\p{L}[^0-9]*)$", "what follows the last number in {}", 2.4),
    (r"[0-9]{4,6} ([^,;0-9]+)", "what follows the postcode in {}, up to a comma", 2.4),
]
_TAKEN = [
    (r"[0-9]+", "digits"),
    (r"[\p{L}\p{N}]+", "letters and digits"),
    (r"\p{L}[\p{L}'’-]*", "letters, apostrophes and hyphens"),
    (r"[^\s,;]+", "signs up to a blank or comma"),
]
_BEFORE = re.compile(r"([^\W\d_]+(?:[^\w\s] ?| )(?=[^\W_])|[^\W\d_]+(?=\d)|[#№=:@/] ?(?=[^\W_]))")


def _by_neighbours(whole: Piece, text: str) -> Iterator[Piece]:
    """What is told by its end of the text, or by the word or sign that stands right before or behind it."""
    for pattern, words, cost in _ENDS:
        if re.search(_python(pattern), text):
            yield _extracted(whole, pattern, cost, words)
    for before in list(dict.fromkeys(_BEFORE.findall(text)))[:8]:
        for pattern, said in _TAKEN:
            if re.search(f"{re.escape(before)}{_python(pattern)}", text):
                words = f"the {said} behind “{before}” in {{}}"
                yield _extracted(
                    whole, f"{_escaped(before)}({pattern})", 2.0 + 0.2 * (said != "digits"), words
                )
    for behind in list(dict.fromkeys(re.findall(r"[0-9]( ?[^\W\d_]+|%)", text)))[:6]:
        pattern = f"([0-9][0-9.,]*){_escaped(behind)}"
        yield _extracted(whole, pattern, 2.1, f"the number before “{behind}” in {{}}")


def _escaped(text: str) -> str:
    return "".join(sign if sign.isalnum() or sign in " =#@/:" else re.escape(sign) for sign in text)


def _extracted(whole: Piece, pattern: str, cost: float, words: str) -> Piece:
    regex = re.compile(_python(pattern))
    return whole.made(f"extract({{}}, {quoted(pattern)})", partial(_group, regex), cost, words)


def _group(regex: re.Pattern[str], text: str) -> str | None:
    found = regex.search(text)
    return found[1] if found else None


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


def fixed_cost(text: str) -> float:
    """How far-fetched a text is that stands in each result; letters and digits seldom do."""
    digits = sum(map(str.isdigit, text))
    return 0.5 + 0.15 * len(text) + 0.9 * sum(map(str.isalnum, text)) + 0.5 * digits


def cheapest(pieces: Iterable[Piece]) -> list[Piece]:
    """Of pieces of one formula, the cheapest."""
    found: dict[str, Piece] = {}
    for piece in pieces:
        known = found.get(piece.formula)
        if known is None or piece.cost < known.cost:
            found[piece.formula] = piece
    return list(found.values())


def form_of(text: str) -> str:
    """The kinds of signs in a row, however many of each."""
    return re.sub(r"(.)\1+", r"\1", re.sub(r"[^\W\d_]", "a", re.sub(r"\d", "9", text)))


def classes_of(text: str) -> tuple[bool, bool]:
    """Whether there are letters, and whether there are digits."""
    return any(map(str.isalpha, text)), any(map(str.isdigit, text))


def plain(text: str) -> str:
    """Without accents, as the function of this name."""
    bare = "".join(c for c in unicodedata.normalize("NFD", text) if unicodedata.category(c) != "Mn")
    return unicodedata.normalize("NFC", bare).translate(_UNMARKED)


_UNMARKED = str.maketrans(UNMARKED)


def shown(mark: str) -> str:
    return {" ": "a blank", "\t": "a tab", "\n": "the end of a line"}.get(mark, f"“{mark}”")
