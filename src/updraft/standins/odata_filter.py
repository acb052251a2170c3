"""The part of OData's $filter that the ledger understands: or, and, not, comparisons, and a few functions of
text.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from functools import lru_cache
from typing import Any

Row = dict[str, Any]
Value = Callable[[Row], Any]
_TOKEN = re.compile(
    r"\s*(?:(?P<text>'(?:[^']|'')*')|(?P<moment>\d{4}-\d\d-\d\d(?:T[\d:.]+Z)?)|(?P<number>-?\d+(?:\.\d+)?)"
    r"|(?P<word>[A-Za-z_]\w*)|(?P<sign>[(),]))"
)
_COMPARE: dict[str, Callable[[Any, Any], bool]] = {
    "eq": lambda a, b: a == b,
    "ne": lambda a, b: a != b,
    "lt": lambda a, b: _both(a, b) and a < b,
    "le": lambda a, b: _both(a, b) and a <= b,
    "gt": lambda a, b: _both(a, b) and a > b,
    "ge": lambda a, b: _both(a, b) and a >= b,
}
_CALLS: dict[str, Callable[..., Any]] = {
    "contains": lambda a, b: a is not None and b in a,
    "startswith": lambda a, b: a is not None and a.startswith(b),
    "endswith": lambda a, b: a is not None and a.endswith(b),
    "tolower": lambda a: a and a.lower(),
    "trim": lambda a: a if a is None else a.strip(),
}


class FilterError(Exception):
    """The filter cannot be read."""


@lru_cache(maxsize=500)
def compiled(text: str) -> Value:
    """A function that says whether a row fits."""
    tokens: list[tuple[str, str]] = []
    place = 0
    while place < len(text.rstrip()):
        found = _TOKEN.match(text, place)
        if not found:
            raise FilterError(f"The filter cannot be read at “{text[place : place + 20]}”.")
        tokens.append((str(found.lastgroup), found.group().strip()))
        place = found.end()
    parser = _Parser(tokens)
    whole = parser.either()
    if parser.tokens:
        raise FilterError(f"The filter has “{parser.tokens[0][1]}” too many.")
    return whole


class _Parser:
    def __init__(self, tokens: list[tuple[str, str]]) -> None:
        self.tokens = tokens

    def take(self, text: str = "") -> str:
        if not self.tokens or (text and self.tokens[0][1] != text):
            raise FilterError(f"The filter lacks “{text or 'a value'}”.")
        return self.tokens.pop(0)[1]

    def next(self, text: str) -> bool:
        return bool(self.tokens) and self.tokens[0][1] == text

    def either(self) -> Value:
        left = self.both()
        while self.next("or"):
            self.take()
            left = _joined(left, self.both(), any)
        return left

    def both(self) -> Value:
        left = self.single()
        while self.next("and"):
            self.take()
            left = _joined(left, self.single(), all)
        return left

    def single(self) -> Value:
        if self.next("not"):
            self.take()
            inner = self.single()
            return lambda row: not inner(row)
        left = self.value()
        if self.tokens and self.tokens[0][1] in _COMPARE:
            compare, right = _COMPARE[self.take()], self.value()
            return lambda row: compare(left(row), right(row))
        return left

    def value(self) -> Value:
        if not self.tokens:
            raise FilterError("The filter ends too soon.")
        kind, text = self.tokens.pop(0)
        if text == "(":
            inner = self.either()
            self.take(")")
            return inner
        if kind == "text":
            plain = text[1:-1].replace("''", "'")
            return lambda row: plain
        if kind == "moment":
            return lambda row: text
        if kind == "number":
            number = float(text)
            return lambda row: number
        if text in ("true", "false", "null"):
            constant = {"true": True, "false": False, "null": None}[text]
            return lambda row: constant
        if self.next("("):
            return self.call(text)
        return lambda row: row[text]

    def call(self, name: str) -> Value:
        if name not in _CALLS:
            raise FilterError(f"There is no function {name}.")
        self.take("(")
        arguments = [self.either()]
        while self.next(","):
            self.take()
            arguments.append(self.either())
        self.take(")")
        return lambda row: _CALLS[name](*(argument(row) for argument in arguments))


def _joined(left: Value, right: Value, how: Callable[[list[bool]], bool]) -> Value:
    return lambda row: how([bool(left(row)), bool(right(row))])


def _both(a: Any, b: Any) -> bool:
    return a is not None and b is not None
