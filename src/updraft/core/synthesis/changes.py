"""What is done to a part of a text: its case, its zeros, its marks."""

from __future__ import annotations

import re
from collections.abc import Iterator
from functools import partial

from updraft.core.formula.functions.text import SMALL_WORDS
from updraft.core.formula.writing import quoted
from updraft.core.letters import plain_text as plain
from updraft.core.synthesis.change import WORD, Change, title
from updraft.core.synthesis.lists import rejoined, reordered, replaced_by, run_together
from updraft.core.synthesis.pieces import Piece, shown


def variants(piece: Piece, text: str, wanted: str) -> Iterator[tuple[str, Piece]]:
    """What a piece gives, as it is and changed in every way that may help, with the changed piece.

    Args:
        text: what the piece gives for the example.
        wanted: the example's result; a replaced mark can only become what stands in it.
    """
    yield text, piece
    for change in [*_case(text), *_zeros(text, wanted), *_kept(text), *reordered(text, wanted)]:
        if result := change.of(text):
            yield result, change.around(piece)
    for change in [*_marks(text, wanted), *rejoined(text, wanted), *_kept(text)[-2:]]:
        between = change.of(text)
        if not between:
            continue
        once = change.around(piece)
        yield between, once
        yield from ((full, c.around(once)) for c in _zeros(between, wanted) if (full := c.of(between)))
        blanks = change.call in ("tidy({})", "trim({})")
        for then in [*_case(between), *(_marks(between, wanted) if blanks else ())]:
            if not (result := then.of(between)):
                continue
            twice = then.around(once)
            yield result, twice
            if blanks:
                yield from ((low, c.around(twice)) for c in in_one_case(result) if (low := c.of(result)))


_FORMS = {
    "digits": ("[^0-9]+", re.compile(r"[^0-9]+")),
    "letters and digits": (r"[^\p{L}\p{N}]+", re.compile(r"[\W_]+")),
}


def in_groups(piece: Piece, text: str, wanted: str) -> Iterator[Piece]:
    """All letters and digits, or the last of them, in groups with marks between, as telephones have; perhaps
    behind a group that stands in every result, such as a country's code.
    """
    yield from _in_groups(piece, text, "", wanted)
    before = re.match(r"\W*\d{1,3}(?=\W)", wanted)
    if before:
        yield from _in_groups(piece, text, before[0], wanted[before.end() :])


def _in_groups(piece: Piece, text: str, before: str, wanted: str) -> Iterator[Piece]:
    groups = re.findall(r"[^\W_]+", wanted)
    signs = "".join(groups)
    if not 2 <= len(groups) <= 6 or len(signs) < 6 or 2 * sum(map(str.isdigit, signs)) < len(signs):
        return
    for words, (pattern, regex) in _FORMS.items():
        signs = regex.sub("", text)
        if not signs.endswith("".join(groups)) or signs == text.strip():
            continue
        bare = f"replace_pattern({piece.formula}, {quoted(pattern)}, '')"
        left, made, at = sum(map(len, groups)), [quoted(before)] if before else [], 0
        for group in groups:
            end = wanted.index(group, at)
            if wanted[at:end]:
                made.append(quoted(wanted[at:end]))
            at = end + len(group)
            tail = f"last({bare}, {left})"
            made.append(tail if len(group) == left else f"first({tail}, {len(group)})")
            left -= len(group)
        if wanted[at:]:
            made.append(quoted(wanted[at:]))
        sizes = ", ".join(str(len(group)) for group in groups)
        marks = re.split(r"[^\W_]+", wanted)
        of = partial(_grouped, regex, [before + marks[0], *marks[1:]], [len(group) for group in groups])
        said = f"the {words} of {piece.words} in groups of {sizes}"
        said = f"“{before}” and {said}" if before else said
        whole = f"choose(length({bare}) >= {len(''.join(groups))}, {' + '.join(made)})"
        cost = 4.0 + 1.0 * bool(before)
        yield Piece(whole, lambda row, of=of: of(piece.of(row) or ""), piece.cost + cost, said)  # type: ignore[misc]


def _grouped(regex: re.Pattern[str], marks: list[str], sizes: list[int], text: str) -> str | None:
    signs = regex.sub("", text)[-sum(sizes) :]
    if len(signs) < sum(sizes):
        return None
    made, at = marks[0], 0
    for size, mark in zip(sizes, marks[1:], strict=True):
        made, at = made + signs[at : at + size] + mark, at + size
    return made


# What a text may hold several of: pattern, the same for Python, what goes then, words.
_SEVERAL = [
    (r"#[\p{L}\p{N}_]+", r"#\w+", "#", "the words of {} that begin with “#”"),
    (r"@[\p{L}\p{N}_]+", r"@\w+", "@", "the words of {} that begin with “@”"),
    ("[0-9]+(?:[.,][0-9]+)?", "[0-9]+(?:[.,][0-9]+)?", "", "the numbers of {}"),
    ("[A-Z]{2,}", "[A-Z]{2,}", "", "the words of {} in capitals"),
    ("[A-Z]+-?[0-9]+", "[A-Z]+-?[0-9]+", "", "the codes of {}"),
]


def all_of(piece: Piece, text: str, wanted: str) -> Iterator[Piece]:
    """All parts of one look, with a mark between them: what is wanted, or more than one of it."""
    for pattern, here, gone, words in _SEVERAL:
        found = re.findall(here, text)
        if not found:
            continue
        bare = [part.removeprefix(gone) for part in found]
        for parts, marked in ((found, False), (bare, True)) if gone else ((found, False),):
            between = wanted[len(parts[0]) : len(parts[0]) + 3]
            marks = [", "] if len(parts) == 1 else [m for m in _BETWEEN if between.startswith(m)]
            for mark in marks:
                if mark.join(parts) not in wanted:
                    continue
                call = f"all_of({{}}, {quoted(pattern)}, {quoted(mark)})"
                call = f"replace({call}, {quoted(gone)}, '')" if marked else call
                of = partial(_all, re.compile(here), gone if marked else "", mark)
                said = words.replace("begin with", "stand behind") if marked else words
                yield piece.made(call, of, 2.6, f"{said}, with {shown(mark)} between them")


_BETWEEN = (", ", "; ", " | ", " / ", ",", ";", "|", "/", " ", "-")


def _all(regex: re.Pattern[str], gone: str, mark: str, text: str) -> str | None:
    return mark.join(part.removeprefix(gone) for part in regex.findall(text)) or None


def changes_of(text: str, wanted: str) -> list[Change]:
    """The changes of a whole text that a replacement may complete."""
    return [*_case(text), *_kept(text), *rejoined(text, wanted), *_marks(text, wanted)]


def in_one_case(text: str) -> list[Change]:
    """Capitals and small letters, where they change the text."""
    made = [
        Change("lower({})", str.lower, 0.6, "{} in small letters"),
        Change("upper({})", str.upper, 0.6, "{} in capitals"),
    ]
    return [change for change in made if change.of(text) != text]


def _case(text: str) -> Iterator[Change]:
    made = [
        *in_one_case(text),
        Change("title({})", title, 0.7, "{} with large first letters"),
        Change("headline({})", headline, 0.9, "{} as a title, small words within small"),
        Change("sentence({})", lambda t: t[:1].upper() + t[1:].lower(), 0.9, "{} with one large letter"),
        Change("plain({})", plain, 0.8, "{} without accents"),
        Change("upper(first({}, 1)) + skip({again}, 1)", _large_first, 1.0, "{} begun with a large letter"),
    ]
    if plain(text) != text:
        made.append(
            Change("upper(plain({}))", lambda t: plain(t).upper(), 1.3, "{} in capitals without accents")
        )
        said = "{} in small letters without accents"
        made.append(Change("lower(plain({}))", lambda t: plain(t).lower(), 1.3, said))
    yield from (change for change in made if change.of(text) != text)
    if len(text) > 1 and text[0].isalpha():
        yield Change("first({}, 1)", lambda t: t[:1], 0.6, "the first letter of {}")
        yield Change("upper(first({}, 1))", lambda t: t[:1].upper(), 1.2, "the first letter of {}, large")
    if len(text) > 1 and WORD.match(text):
        call = r"replace_pattern({}, '(\\p{L})[\\p{L}\'’-]*[.]?', '$1.')"
        yield Change(call, _pointed, 1.1, "each word of {} as its first letter and a point")
    if len(WORD.findall(text)) > 1:
        yield Change("initials({})", _initials, 0.8, "the initials of {}")
        said = "the initials of {}, large"
        yield Change("upper(initials({}))", lambda t: _initials(t).upper(), 0.9, said)


def _large_first(text: str) -> str:
    return text[:1].upper() + text[1:]


def _initials(text: str) -> str:
    return "".join(word[0] for word in WORD.findall(text))


def _pointed(text: str) -> str:
    return re.sub(r"([^\W\d_])(?:[^\W\d_]|['’-])*[.]?", r"\1.", text)


# What is kept of a text: pattern of what goes, the same for Python, words.
_KEPT = [
    ("[^A-Z]+", "[^A-Z]+", "the capitals of {}"),
    ("[^0-9]+", "[^0-9]+", "the digits of {}"),
    (r"[^\p{L}]+", r"[\W\d_]+", "the letters of {}"),
    (r"[^\p{L}\p{N}]+", r"[\W_]+", "the letters and digits of {}"),
]


def _kept(text: str) -> list[Change]:
    made = []
    for pattern, here, words in _KEPT:
        if len(re.findall(here, text)) > 1:
            call = f"replace_pattern({{}}, {quoted(pattern)}, '')"
            made.append(Change(call, partial(replaced_by, re.compile(here), ""), 1.0, words))
    return made


def zeros_of(piece: Piece, text: str, wanted: str) -> Iterator[tuple[str, Piece]]:
    """A number that is cut out, with zeros in front or without."""
    yield from ((change.of(text) or "", change.around(piece)) for change in _zeros(text, wanted))


def padded_to(size: int) -> Change:
    """Filled up with zeros to the size of the longest."""
    return Change(f"pad({{}}, {size})", partial(_pad, size), 0.9, f"{{}} with {size} digits")


def _zeros(text: str, wanted: str) -> Iterator[Change]:
    if not text.isdigit():
        return
    if len(text) > 1 and text[0] == "0":
        yield Change("text(whole({}))", whole, 0.8, "{} without zeros in front")
    if (counted := ordinal(text)) and counted in wanted:
        yield Change("ordinal(whole({}))", ordinal, 0.5, "{} as people count")
    for size in sorted({len(run) for run in re.findall(r"\d+", wanted)}):
        if size > 1:
            yield Change(
                f"pad({{}}, {size})", partial(_pad, size), 0.9 + 0.4 * (size <= len(text)),
                f"{{}} with {size} digits",
            )  # fmt: skip


def _marks(text: str, wanted: str) -> Iterator[Change]:
    for mark in sorted(set(re.findall(r"[^\w]|_", text))):
        # A blank beside a sign that goes, too, is none between words.
        outer = 1.0 * (mark == " " not in re.sub(r"^\W+|\W+$", "", text))
        for new in sorted({"", *re.findall(r"[^\w]+|_", wanted)} - {mark}, key=len):
            said = f"without {shown(mark)}" if not new else f"with {shown(new)} for {shown(mark)}"
            yield Change(
                f"replace({{}}, {quoted(mark)}, {quoted(new)})",
                partial(_replace, mark, new), 0.9 + outer, f"{{}} {said}",
            )  # fmt: skip
    yield from run_together(text, wanted)
    if re.search(r"[a-z][A-Z]", text):
        for new in sorted({" ", *re.findall(r"[^\w]|_", wanted)}):
            yield Change(
                f"replace_pattern({{}}, '([a-z])([A-Z])', {quoted('${1}' + new + '${2}')})",
                partial(_part_words, new), 0.8,
                f"{{}} with {shown(new)} before large letters",
            )  # fmt: skip
    if text != " ".join(text.split()):
        yield Change("tidy({})", lambda t: " ".join(t.split()), 0.4, "{} without needless blanks")
    if (bare := _ENDS.sub("", text)) and bare != text.strip():
        call = f"replace_pattern({{}}, {quoted(_ENDS.pattern)}, '')"
        yield Change(call, partial(_ENDS.sub, ""), 0.8, "{} without marks at the ends")
    if text != text.strip():
        yield Change("trim({})", str.strip, 0.5, "{} without blanks at the ends")


_ENDS = re.compile(r"^[\s.,;:!?]+|[\s.,;:!?]+$")


def _pad(size: int, text: str) -> str | None:
    return text.rjust(size, "0")


def _replace(old: str, new: str, text: str) -> str | None:
    return text.replace(old, new)


def _part_words(mark: str, text: str) -> str | None:
    """A mark before each large letter that follows a small one."""
    return re.sub(r"([a-z])([A-Z])", lambda pair: pair[1] + mark + pair[2], text)


def headline(text: str) -> str:
    """A title whose small words within are small, as the function of this name."""
    made = title(text)
    for word in SMALL_WORDS:
        made = made.replace(f" {word.capitalize()} ", f" {word} ")
    return made


def ordinal(text: str) -> str | None:
    """1st, 2nd, 3rd, 4th, as the function of this name."""
    number = whole(text)
    if number is None:
        return None
    tens, ones = abs(int(number)) % 100, abs(int(number)) % 10
    return number + ("th" if 10 < tens < 14 else {1: "st", 2: "nd", 3: "rd"}.get(ones, "th"))


def whole(text: str) -> str | None:
    """A whole number without zeros in front."""
    stripped = text.strip()
    return str(int(stripped)) if re.fullmatch(r"[+-]?\d{1,15}", stripped) else None
