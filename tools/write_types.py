"""Write what the server tells the page as types for the page's check: static/js/contract.d.ts."""

from __future__ import annotations

import inspect
import textwrap
from pathlib import Path
from types import NoneType, UnionType
from typing import Any, Literal, get_args, get_origin, get_type_hints, is_typeddict

from updraft.web.shown.contract import SHOWN

WRITTEN = Path(__file__).resolve().parent.parent / "src/updraft/web/static/js/contract.d.ts"
_PLAIN = {str: "string", int: "number", float: "number", bool: "boolean", NoneType: "null", Any: "any"}


def page() -> str:
    """All of them as TypeScript declarations."""
    head = "/** Written by `make docs` from web/shown/contract.py. */\n// biome-ignore-all lint/suspicious/noExplicitAny: settings are as their kinds declare them\n"
    return "\n".join([head, *(declared(one) for one in SHOWN)])


def declared(one: type) -> str:
    said = inspect.cleandoc(one.__doc__) if one.__doc__ and not one.__doc__.startswith("dict(") else ""
    note = (
        "\n".join(textwrap.wrap(said, 110, initial_indent="/** ", subsequent_indent=" * ")) + " */\n"
        if said
        else ""
    )
    optional = one.__optional_keys__  # type: ignore[attr-defined]
    lines = [
        f"  {name}{'?' if name in optional else ''}: {written(kind)};"
        for name, kind in get_type_hints(one).items()
    ]
    return f"{note}export interface {one.__name__} {{\n" + "\n".join(lines) + "\n}\n"


def written(kind: Any) -> str:
    """A Python type as TypeScript writes it."""
    if kind in _PLAIN:
        return _PLAIN[kind]
    if is_typeddict(kind):
        return str(kind.__name__)
    args = get_args(kind)
    match get_origin(kind):
        case origin if origin is list:
            return f"{written(args[0])}[]"
        case origin if origin is dict:
            return f"Record<{written(args[0])}, {written(args[1])}>"
        case origin if origin is Literal:
            return " | ".join(f'"{value}"' for value in args)
        case origin if origin is UnionType:
            return " | ".join(map(written, args))
    raise TypeError(f"{kind} has no TypeScript here")


if __name__ == "__main__":
    WRITTEN.write_text(page(), "utf-8")
