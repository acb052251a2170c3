"""Parts of a text that are told by what stands beside them, or by what they look like."""

from __future__ import annotations

import re
from collections.abc import Iterator
from functools import partial

from updraft.core.formula.writing import quoted
from updraft.core.synthesis.pieces import Piece

# Classes of the formula language's patterns; Python has no classes within brackets.
_IN_PYTHON = (
    (r"[\p{L}\p{N}]", r"[^\W_]"),
    (r"[\p{L}'’-]", r"(?:[^\W\d_]|['’-])"),
    (r"[^0-9\p{L}.,-]", r"(?:(?![.,-])[\W_])"),
    (r"[^0-9\p{L}.,]", r"(?:(?![.,])[\W_])"),
    (r"[^0-9\p{L}]", r"(?:[\W_])"),
    (r"[^\p{L}]", r"(?:[\W\d_])"),
    (r"[\p{L}%°]", r"(?:[^\W\d_]|[%°])"),
    (r"\p{L}", r"[^\W\d_]"),
)


def in_python(pattern: str) -> str:
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
    (r"^([^0-9]*\p{L})[^0-9\p{L}]+[0-9]", "what stands before the first number in {}", 1.8),
    (r"[0-9][^0-9\p{L}]+(\p{L}[^0-9]*)$", "what follows the last number in {}", 2.4),
    # A number is told by what stands before it, which its sign is part of; it may have decimals or not.
    (r"(?:^|[^0-9\p{L}.,-])(-?[0-9]+(?:[.,][0-9]+)?)", "the first number of {}, with its sign", 2.25),
    (
        r"(?:^|[^0-9\p{L}.,])([0-9]+(?:[.,][0-9]+)? ?[\p{L}%°]{1,4}(?:/\p{L}+)?)(?:[^\p{L}]|$)",
        "the first amount of {}",
        2.4,
    ),
    (r"(?:^|[ ,(])([0-9][^\s,;)]*)", "the first word of {} that begins with a digit", 2.2),
    (r"([0-9]{4}-[0-9]{2}-[0-9]{2})", "the date in {}", 1.7),
    (r"(?:^|[^0-9])([0-9]{1,2}/\p{L}{3}/[0-9]{4})", "the date in {}", 1.7),
    (r"(?:^|[^0-9:])([0-9]{1,2}:[0-9]{2})(?::[0-9]{2}|[^0-9:]|$)", "the time in {}", 1.9),
    (r"[^0-9][0-9]{4}:([0-9]{2}:[0-9]{2}):", "the time behind the date in {}", 1.9),
    (r"(?:^|[^0-9])([0-9]{1,2} \p{L}{3,9}[.]? [0-9]{4})", "the date in {}", 1.7),
    (r"(?:^|[^\p{L}])(\p{L}{3,9}[.]? [0-9]{1,2}, [0-9]{4})", "the date in {}", 1.7),
    (r"(?:^|[^0-9])([0-9]{1,2}[./][0-9]{1,2}[./][0-9]{4})", "the date in {}", 1.7),
    (r"[0-9]{4,6} ([^,;0-9]+)", "what follows the postcode in {}, up to a comma", 2.4),
]
_TAKEN = [
    (r"-?[0-9]+(?:[.,][0-9]+)?", "number"),
    (r"[0-9]+", "digits"),
    (r"[\p{L}\p{N}]+", "letters and digits"),
    (r"\p{L}[\p{L}'’-]*", "letters, apostrophes and hyphens"),
    (r"[^\s,;]+", "signs up to a blank or comma"),
]
_BEFORE = re.compile(r"([^\W\d_]+(?:[^\w\s] ?| )(?=[^\W_])|[^\W\d_]+(?=\d)|[#№=:@/] ?(?=[^\W_]))")


def by_neighbours(whole: Piece, text: str) -> Iterator[Piece]:
    """What is told by its end of the text, or by the word or sign that stands right before or behind it."""
    for pattern, words, cost in _ENDS:
        if re.search(in_python(pattern), text):
            yield _extracted(whole, pattern, cost, words)
    for before in list(dict.fromkeys(_BEFORE.findall(text)))[:8]:
        for pattern, said in _TAKEN:
            if re.search(f"{re.escape(before)}{in_python(pattern)}", text):
                words = f"the {said} behind “{before}” in {{}}"
                named = before[-1] in "=:" and len(before) > 1
                yield _extracted(
                    whole,
                    f"{_escaped(before)}({pattern})",
                    2.0 + 0.2 * (said not in ("digits", "number")) - 0.2 * named,
                    words,
                )
    for behind in list(dict.fromkeys(re.findall(r"[0-9]( ?[^\W\d_]+|%)", text)))[:6]:
        pattern = f"([0-9][0-9.,]*){_escaped(behind)}"
        yield _extracted(whole, pattern, 2.1, f"the number before “{behind}” in {{}}")


def _escaped(text: str) -> str:
    return "".join(sign if sign.isalnum() or sign in " =#@/:" else re.escape(sign) for sign in text)


def _extracted(whole: Piece, pattern: str, cost: float, words: str) -> Piece:
    regex = re.compile(in_python(pattern))
    return whole.made(f"extract({{}}, {quoted(pattern)})", partial(_group, regex), cost, words)


def _group(regex: re.Pattern[str], text: str) -> str | None:
    found = regex.search(text)
    return found[1] if found else None
