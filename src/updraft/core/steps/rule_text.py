"""Rules written as lines of text: “if germination >= 85 and lot is filled then sow; otherwise discard”."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import NamedTuple

from updraft.core.problems import nearest
from updraft.core.steps.conditions import Condition, Group, Rule, Test
from updraft.core.values import Kind

# How people say a test, the longer first; “is” alone comes last.
_SAID: list[tuple[str, Test]] = [
    (r"is not one of|is none of|(?:is )?not in", "none_of"),
    (r"is one of|is either|(?:is )?in", "one_of"),
    (r"is not empty|is filled|is not blank|is there|is present", "filled"),
    (r"is empty|is blank|is missing|is not filled", "empty"),
    (r"(?:is )?between|lies between|is from", "between"),
    (r">=|≥|is at least|at least|is not below|not below|not less than|is not less than|from", "at_least"),
    (r"<=|≤|is at most|at most|is not above|not above|not more than|is not more than|up to", "at_most"),
    (r"<>|!=|≠|is not equal to|does not equal|is not|isn't", "not_equals"),
    (r">|(?:is )?(?:more than|above|over|greater than|after)", "more"),
    (r"<|(?:is )?(?:less than|below|under|before)", "less"),
    (r"does not match", "not_matches"),
    (r"matches|fits", "matches"),
    (r"contains|holds|includes|has", "contains"),
    (r"starts with|begins with", "starts"),
    (r"ends with", "ends"),
    (r"==|=|equals|is equal to|is", "equals"),
]  # fmt: skip
_TESTS = [
    (re.compile(rf"(?:{said})(?=[\s\d\"'“(-]|$)" if said[0].isalpha() else rf"(?:{said})(?=.|$)", re.I), test)
    for said, test in _SAID
]
_WORD = r"\"[^\"]*\"|“[^”]*”|'[^']*'"
_NUMBER = r"-?\d[\d,]*(?:\.\d+)?%?|\d{4}-\d\d-\d\d"
_THEN = re.compile(r"\s*(?:\bthen\b|→|->|=>|:)\s*", re.I)
_OTHERWISE = re.compile(
    r"(?:otherwise|else|all others?|the rest)\b(?!\s+if\b)\s*(?:then\b|→|->|=>|:|=)?\s*(.*)$", re.I
)
_NUMBERED = re.compile(r"^\s*(?:\(?\d{1,3}[.)]|\(?[a-z]\)|[-*•–])\s+", re.I)  # 1. 2) (3) a) - •
_BRACKETS = re.compile(r"\(([^()]*)\)")
_JOIN = re.compile(r"\s*\b(and|or)\s+", re.I)


class ReadRule(NamedTuple):
    """A rule as it was understood: its condition, and what it gives."""

    when: Rule
    then: str


class Missed(NamedTuple):
    """What was not understood, and why."""

    text: str
    reason: str


class RulesRead(NamedTuple):
    """What a text of rules says.

    Args:
        otherwise: what rows get that no rule takes; None where the text does not say.
    """

    rules: list[ReadRule]
    otherwise: str | None
    missed: list[Missed]


class _NotRead(Exception):  # noqa: N818
    pass


def read_rules(text: str, columns: Mapping[str, Kind]) -> RulesRead:
    """Rules from text, one a line or parted by semicolons, each “if … then …”, the last “otherwise …”.

    A condition may leave its column out: it is the one tested before it, of those that have a size where it
    is tested by size. “and” binds more than “or”. Without “then”
    what follows the last number, or the last text in quotes, is what the rule gives.

    Args:
        columns: those of the table, which conditions may name in any case.
    """
    found = RulesRead([], None, [])
    used: list[str] = []
    otherwise: str | None = None
    for line in re.split(r"[;\n]+", text):
        said = _NUMBERED.sub("", line).strip().rstrip(".").strip()
        if not said:
            continue
        other = _OTHERWISE.match(said)
        if other:
            otherwise = _bare(other[1])
            continue
        said = re.sub(r"^(?:else |otherwise |and )?(?:if|when|where)\b\s*", "", said, flags=re.I)
        try:
            found.rules.append(_rule(said, used, columns))
        except _NotRead as reason:
            found.missed.append(Missed(line.strip(), str(reason)))
    return found._replace(otherwise=otherwise)


def _rule(said: str, used: list[str], columns: Mapping[str, Kind]) -> ReadRule:
    parts = _THEN.split(said, maxsplit=1)
    told = parts[0] = _unbracketed(parts[0])
    ors: list[list[Condition]] = [[]]
    rest = told
    while True:
        condition, rest = _condition(rest, used, columns, len(parts) == 2)
        used.append(condition.column)
        ors[-1].append(condition)
        join = _JOIN.match(rest) if rest.strip() else None
        if not join:
            break
        if join[1].lower() == "or":
            ors.append([])
        rest = rest[join.end() :]
    if len(parts) == 2 and rest.strip():
        raise _NotRead(f"“{rest.strip()}” is left over.")
    then = parts[1] if len(parts) == 2 else rest
    if len(parts) == 1 and not then.strip():
        raise _NotRead("it does not say what the rule gives: write “then …”.")
    return ReadRule(_joined(ors), _bare(then))


def _unbracketed(said: str) -> str:
    """A condition without brackets that change nothing, since “and” binds more than “or”; those of a column's
    name (they hold no test) stay.
    """
    while True:
        for found in _BRACKETS.finditer(said):
            inner, around = found[1], said[: found.start()] + said[found.end() :]
            if not any(test.search(inner) for test, _ in _TESTS):
                continue
            if re.search(r"\sor\s", inner, re.I) and re.search(r"\sand\s", around, re.I):
                raise _NotRead("“or” stands in brackets beside “and”: write it as a rule for each.")
            said = f"{said[: found.start()]} {inner} {said[found.end() :]}".strip()
            break
        else:
            return said


def _joined(ors: list[list[Condition]]) -> Rule:
    if len(ors) == 1:
        return Rule(match="all", of=tuple(ors[0]))
    groups = [part[0] if len(part) == 1 else Group(match="all", of=tuple(part)) for part in ors]
    return Rule(match="any", of=tuple(groups))


def _condition(text: str, used: list[str], columns: Mapping[str, Kind], ends: bool) -> tuple[Condition, str]:
    """The condition that a text begins with, and what follows it.

    Args:
        ends: a value goes on to the next “and” or “or”; else it is a number or stands in quotes.
    """
    text = text.strip()
    found = _column(text, columns)
    if found is not None:
        text = text[found[1] :].strip()
    test, rest = _test(text)
    if test is None and found is None:
        if not text:
            raise _NotRead("it says no condition.")
        word = text.split()[0]
        near = nearest(word, columns)
        raise _NotRead(f"“{word}” is no column of the table." + (f" Did you mean “{near}”?" if near else ""))
    if test is None:
        raise _NotRead(f"behind “{found[0] if found else ''}” stands no test, such as >= 85 or is filled.")
    column = found[0] if found else _meant(test, used, columns)
    if not column:
        raise _NotRead("it does not say which column is tested.")
    if test in ("empty", "filled"):
        return Condition(column=column, test=test), rest
    if test == "between":
        low, rest = _value(rest, columns, column, ends)
        join = re.match(r"\s*(?:and|to|-|–)\s+", rest, re.I)
        if not join:
            raise _NotRead("“between” needs two values: between 60 and 84.")
        high, rest = _value(rest[join.end() :], columns, column, ends)
        return Condition(column=column, test=test, value=low, to=high), rest
    if test in ("one_of", "none_of"):
        values, rest = _list(rest, ends)
        return Condition(column=column, test=test, values=tuple(values)), rest
    value, rest = _value(rest, columns, column, ends)
    return Condition(column=column, test=test, value=value), rest


def _meant(test: Test, used: list[str], columns: Mapping[str, Kind]) -> str:
    """The column of a test that names none: the last that was tested; by size, the last that has one."""
    by_size = test in ("between", "at_least", "at_most", "more", "less")
    fits = [name for name in used if not by_size or columns[name] is not Kind.TEXT] or used
    return fits[-1] if fits else ""


def _column(text: str, columns: Mapping[str, Kind]) -> tuple[str, int] | None:
    """The longest name of a column that a text begins with, and how much of it that takes."""
    quoted = re.match(r"[`“\"']([^`”\"']+)[`”\"']", text)
    if quoted and quoted[1].lower() in {name.lower() for name in columns}:
        return next(name for name in columns if name.lower() == quoted[1].lower()), quoted.end()
    for name in sorted(columns, key=len, reverse=True):
        for written in {name, name.replace("_", " ")}:
            head, tail = text[: len(written)], text[len(written) :]
            if head.lower() == written.lower() and not re.match(r"\w", tail):
                return name, len(written)
    return None


def _test(text: str) -> tuple[Test | None, str]:
    """The longest way of saying a test that a text begins with."""
    found = [(match.end(), -n) for n, (said, _) in enumerate(_TESTS) if (match := said.match(text))]
    if not found:
        return None, text
    size, place = max(found)
    return _TESTS[-place][1], text[size:].lstrip()


def _value(text: str, columns: Mapping[str, Kind], column: str, ends: bool) -> tuple[str, str]:
    text = text.lstrip()
    quoted = re.match(_WORD, text)
    if quoted:
        return _bare(quoted[0]), text[quoted.end() :]
    number = re.match(rf"(?:{_NUMBER})(?=\s|$|,)", text)
    if number and (not ends or columns[column] is not Kind.TEXT or not text[number.end() :].strip()):
        return _number(number[0]), text[number.end() :]
    if not ends:
        raise _NotRead(f"it is not clear where the value “{text}” ends: write “then” behind it, or quotes.")
    join = _JOIN.search(text)
    value = text[: join.start()] if join else text
    if not value.strip():
        raise _NotRead("a value is missing behind the test.")
    return _bare(value), text[len(value) :]


def _list(text: str, ends: bool) -> tuple[list[str], str]:
    text = text.lstrip()
    if text.startswith(("(", "[")):
        close = text.find(")" if text[0] == "(" else "]")
        if close < 0:
            raise _NotRead("a bracket is not closed.")
        return _items(text[1:close]), text[close + 1 :]
    if not ends:
        raise _NotRead("it is not clear where the list ends: write it in brackets.")
    join = re.search(r"\s+and\s+", text, re.I)
    inner = text[: join.start()] if join else text
    return _items(inner), text[len(inner) :]


def _items(text: str) -> list[str]:
    return [_bare(one) for one in re.split(r"\s*,\s*|\s+or\s+", text.strip()) if _bare(one)]


def _number(text: str) -> str:
    return text.replace(",", "").removesuffix("%")


def _bare(text: str) -> str:
    text = text.strip()
    return text[1:-1] if re.fullmatch(_WORD, text) else text
