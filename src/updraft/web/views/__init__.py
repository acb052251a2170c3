"""The addresses of the app: a module a noun, each with its `blueprint`. A module put here is served."""

from __future__ import annotations

from collections.abc import Iterator
from importlib import import_module
from pkgutil import iter_modules

from flask import Blueprint


def blueprints() -> Iterator[Blueprint]:
    """Those of all modules here, by name."""
    for module in iter_modules(__path__):
        yield import_module(f"{__name__}.{module.name}").blueprint
