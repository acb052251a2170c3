"""One country under several names: shortened, in full, in another language, by its code."""

from __future__ import annotations

from collections.abc import Iterator

from updraft.core.insight.findings.beside import Beside
from updraft.core.insight.findings.model import Finding, plural
from updraft.core.insight.findings.view import Column, View
from updraft.core.insight.findings.writing import of_other_names, once_written
from updraft.core.similarity.countries import told_countries

_MOST = 2_000  # a column of countries has no more names of them
_ROLES = ("category", "name")


def one_country(view: View) -> Iterator[Finding]:
    """Names of one country.

    Threshold: most values of the column name a country (see `told_countries`), and no other column says that
    the two are two (see `Beside`). What differs only in writing is told by `variants`.
    """
    for column in view.texts:
        may_be = column.role in _ROLES and column.numbers is None and column.distinct <= _MOST
        if may_be and (changes := _changes(view, column)):
            yield _finding(column, changes)


def _changes(view: View, column: Column) -> dict[str, str]:
    """Rarer names, and the one that each would take."""
    names = once_written(column)["value"]
    told = told_countries(names)
    named = [(name, told[name]) for name in names if name in told]
    first: dict[str, str] = {}
    pairs = {name: first[code] for name, code in named if first.setdefault(code, name) != name}
    beside = Beside(view, column, {*pairs, *pairs.values()})
    return {name: other for name, other in pairs.items() if beside.agrees(name, other) is not False}


def _finding(column: Column, changes: dict[str, str]) -> Finding:
    many = len(changes)
    return of_other_names(
        "one_country",
        column,
        changes,
        f"{plural(many, 'name', 'names')} of {column.name} {'means' if many == 1 else 'mean'} a country that "
        "stands there under another, more often",
        "One country under two names is counted as two. Said of a column most of whose values name countries, "
        "in whatever language, in short, in full or by a code, where no other column says that they are two.",
    )
