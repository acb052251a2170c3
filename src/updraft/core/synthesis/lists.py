"""The parts and words of a text in another order, with other marks between them, or run together."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator, Sequence
from functools import partial

from updraft.core.formula.writing import quoted
from updraft.core.synthesis.change import Change, title
from updraft.core.synthesis.pieces import shown

# Things that are told one after another: a, b and c.
_IN_PROSE = re.compile(r"[^,]+(?:, [^,]+)*?,? (and|or|&|und|oder|y|et|e|og|och|en) [^,]+")


def reordered(text: str, wanted: str) -> Iterator[Change]:
    """The parts of a text in another order, or each once; only where all of them come again."""
    for mark in sorted({sign for sign in re.findall(r"[^\w\s]\s?|_| ", text) if sign in text}):
        parts, bare = text.split(mark), not any(map(str.isalpha, text))
        if not all(part in wanted for part in parts):
            continue
        news = [mark] if mark in wanted else _marks_between(parts, wanted)
        for name, make, cost, words in (
            ("turned", _turned, 1.0, "the parts of {} at %s, the last one first"),
            ("sorted_parts", sorted, 1.1, "the parts of {} at %s, sorted"),
            ("parts_once", dict.fromkeys, 1.1, "the parts of {} at %s, each once"),
        ):
            for new in news:
                call, said = f"{name}({{}}, {quoted(mark)})", words % shown(mark)
                if new != mark:
                    call = f"replace({call}, {quoted(mark)}, {quoted(new)})"
                    said, cost = f"{said}, with {shown(new)} between them", cost + 0.5 + 1.5 * bare
                change = Change(call, partial(_parts_made, mark, new, make), cost, said)
                if change.of(text) != text:
                    yield change


def _marks_between(parts: Sequence[str], wanted: str) -> list[str]:
    """What stands between parts of a text in a result that has all of them."""
    found = {wanted[wanted.find(part) + len(part) :][:3] for part in parts if part}
    marks = (re.match(r"[^\w]{1,3}", rest) for rest in found)
    return sorted({one[0] for one in marks if one}, key=len)[:2]


def _turned(parts: list[str]) -> Iterable[str]:
    return parts[::-1]


def _parts_made(mark: str, new: str, make: Callable[[list[str]], Iterable[str]], text: str) -> str | None:
    return new.join(make(text.split(mark)))


def rejoined(text: str, wanted: str) -> Iterator[Change]:
    """The words of a text with another mark between them, whatever stood there."""
    listed = _IN_PROSE.fullmatch(text)
    for mark in sorted(set(re.findall(r"[^\w]{1,2}|_", wanted)), key=len):
        if listed:
            between = f",? {listed[1]} |, "
            call = f"replace_pattern({{}}, {quoted(between)}, {quoted(mark)})"
            words = f"what {{}} lists with {shown(mark)} between"
            yield Change(call, partial(replaced_by, re.compile(between), mark), 0.9, words)
        if _LISTED.search(text):
            call = f"trim(replace_pattern({{}}, {quoted(_LISTED.pattern)}, {quoted(mark)}))"
            words = f"the list {{}} with {shown(mark)} between its items"
            yield Change(call, partial(replaced_by, _LISTED, mark), 1.0, words)
        if _NO_WORD.search(text):
            call = f"trim(replace_pattern({{}}, {quoted(_APART)}, ' '))"
            call = call if mark == " " else f"replace({call}, ' ', {quoted(mark)})"
            said = f"the words of {{}} with {shown(mark)} between them"
            # A mark that stood there before was put nowhere.
            cost = 1.0 + 1.2 * (_words_apart(mark, text) == text.strip())
            yield Change(call, partial(_words_apart, mark), cost, said)
        if re.search(r"\w['’]\w", text):
            bare = "replace_pattern({}, \"['’]\", '')"
            call = f"replace(trim(replace_pattern({bare}, {quoted(_APART)}, ' ')), ' ', {quoted(mark)})"
            said = f"the words of {{}} without apostrophes, with {shown(mark)} between them"
            yield Change(call, partial(_slugged, mark), 1.2, said)


def _slugged(mark: str, text: str) -> str | None:
    return _words_apart(mark, re.sub("['’]", "", text))


_APART, _NO_WORD, _LISTED = r"[^\p{L}\p{N}]+", re.compile(r"[\W_]+"), re.compile(r"\s*[,;|/]+\s*")


def _words_apart(mark: str, text: str) -> str:
    """Signs before the first word and behind the last leave no mark."""
    return _NO_WORD.sub(" ", text).strip().replace(" ", mark)


def replaced_by(regex: re.Pattern[str], new: str, text: str) -> str | None:
    return regex.sub(new, text).strip()


_CAMEL = re.compile(r"[^\W\d_]*[a-z][A-Z][^\W_]*")


def run_together(text: str, wanted: str) -> Iterator[Change]:
    """lowerUpper: the words of a text, the first of which begins small."""
    if _CAMEL.fullmatch(wanted) and _NO_WORD.search(text):
        joined = f"replace_pattern(title({{}}), {quoted(_APART)}, '')"
        call = f"lower(first({joined}, 1)) + skip({joined.replace('{}', '{again}')}, 1)"
        yield Change(call, _camel, 1.6, "the words of {} run together, large from the second on")


def _camel(text: str) -> str | None:
    joined = _NO_WORD.sub("", title(text))
    return joined[:1].lower() + joined[1:] or None
