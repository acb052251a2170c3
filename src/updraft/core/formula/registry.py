"""The functions that formulas may call: each declares what it takes, what it gives, and an example."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from importlib import import_module
from typing import Any

from updraft.core.formula.terms import Misfit, Term
from updraft.core.values import TITLES, Kind

# What an argument may be: kinds, or `any`. A `const` argument is written in the formula, not computed.
GROUPS = {
    "text": (Kind.TEXT,),
    "number": (Kind.WHOLE, Kind.NUMBER),
    "whole": (Kind.WHOLE,),
    "yes_no": (Kind.YES_NO,),
    "day": (Kind.DATE, Kind.DATETIME),
    "list": (Kind.LIST,),
    "record": (Kind.RECORD,),
    "any": tuple(Kind),
}
_SAID = {
    "number": "a number",
    "whole": "a whole number",
    "yes_no": "yes or no",
    "day": "a date",
    "text": "text",
    "list": "a list",
    "record": "a record",
}
_FOLDERS = ("text", "parts", "words", "numbers", "measures", "dates", "times", "empties", "lists", "groups")


@dataclass(frozen=True)
class Argument:
    """One argument of a function.

    Args:
        kind: a word of GROUPS.
        const: it must be written in the formula.
        default: what stands in for it when it is left out; `...` when it may not be.
        many: takes all that follow.
        named: is given by name only.
    """

    name: str
    kind: str
    const: bool = False
    default: Any = ...
    many: bool = False
    named: bool = False


@dataclass(frozen=True)
class Function:
    """A function of formulas.

    Args:
        make: the arguments in their order (one of `many` as a list) → the result.
        example: a formula and what it gives, both as text.
    """

    name: str
    group: str
    arguments: tuple[Argument, ...]
    help: str
    example: tuple[str, str]
    make: Callable[..., Term]

    @property
    def signature(self) -> str:
        """How it is written, such as `pad(text, length, sign)`."""
        said = [f"{a.name}, …" if a.many else f"{a.name}=…" if a.named else a.name for a in self.arguments]
        return f"{self.name}({', '.join(said)})"


_registry: dict[str, Function] = {}


def function(
    arguments: str, help: str, example: str, gives: str, name: str = ""
) -> Callable[[Callable[..., Term]], Callable[..., Term]]:
    """Register a function.

    Args:
        arguments: such as `text: text, marks: text!, places: number = 0, *others: any, by: any @`: `!` for
            one that is written in the formula, `@` for one given by name.
        example, gives: a formula without columns, and its result as text; empty where it needs rows.

    Raises:
        ValueError: another function has the name.
    """

    def register(make: Callable[..., Term]) -> Callable[..., Term]:
        called = name or make.__name__.rstrip("_")
        if called in _registry:
            raise ValueError(f"Two functions are called {called}.")
        group = make.__module__.rpartition(".")[2]
        parsed = tuple(_argument(part.strip()) for part in arguments.split(",") if part.strip())
        _registry[called] = Function(called, group, parsed, help, (example, gives), make)
        return make

    return register


def _argument(text: str) -> Argument:
    spec, _, default = text.partition("=")
    name, _, kind = spec.partition(":")
    kind = kind.strip()
    return Argument(
        name.strip().lstrip("*"),
        kind.rstrip("!@ "),
        const="!" in kind,
        default=_literal(default.strip()) if default else None if "@" in kind else ...,
        many=name.strip().startswith("*"),
        named="@" in kind,
    )


def _literal(text: str) -> Any:
    return text.strip("'") if text.startswith("'") else int(text)


@cache
def functions() -> dict[str, Function]:
    """All functions, by name."""
    for folder in _FOLDERS:
        import_module(f"updraft.core.formula.functions.{folder}")
    return dict(sorted(_registry.items()))


def check(argument: Argument, term: Term) -> None:
    """Raise Misfit where a term cannot be this argument."""
    if argument.const and not term.is_constant:
        raise Misfit(f"“{argument.name}” must be written out here.", "Type the value itself, not a column.")
    if term.kind is None or term.kind in GROUPS[argument.kind]:
        return
    raise Misfit(
        f"“{argument.name}” must be {_SAID[argument.kind]}, and this is {_article(TITLES[term.kind])}.",
        {
            "number": "Use number(…) to read one from text.",
            "text": "Use text(…) to turn it into text.",
            "day": "Use date(…) to read one from text.",
        }.get(argument.kind, ""),
    )


def _article(title: str) -> str:
    return title if title in ("text", "yes/no") else f"a {title}"


def of_other_rows(formula: str) -> bool:
    """Whether a formula may look at other rows than its own."""
    return any(one.group == "groups" and f"{one.name}(" in formula for one in functions().values())
