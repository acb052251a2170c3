"""One company under several names: with and without its legal form."""

from __future__ import annotations

import re
from collections.abc import Iterator

from updraft.core.insight.findings.beside import Beside
from updraft.core.insight.findings.model import Finding, plural
from updraft.core.insight.findings.view import Column, View
from updraft.core.insight.findings.writing import of_other_names, once_written
from updraft.core.similarity.lexicon import FORMS
from updraft.core.similarity.words import word_alikes

_MOST = 20_000  # names of a column that are compared
# With points between the letters or without; it keeps away what is dear from columns without any.
_FORM = r"(?i)\b(?:" + "|".join(r"\.?".join(form) for form in FORMS) + r")\b"
_ROLES = ("category", "name", "identifier")


def legal_forms(view: View) -> Iterator[Finding]:
    """Names of companies with and without their legal form.

    Threshold: see `word_alikes`; nothing but the form is more in one of them, and no other column says that they are two (see
    `Beside`).
    """
    for column in view.texts:
        if column.role not in _ROLES or column.numbers is not None or column.distinct > _MOST:
            continue
        if column.meant["value"].str.contains(_FORM).any() and (changes := _changes(view, column)):
            yield _finding(column, changes)


def _changes(view: View, column: Column) -> dict[str, str]:
    """Rarer names, and the one that each would take."""
    values = once_written(column)
    names, many = values["value"].to_list(), values["n"].to_list()
    pairs = word_alikes(names, many)
    if not pairs:
        return {}
    beside = Beside(view, column, {names[at] for pair in pairs for at in (pair.one, pair.other)})
    changes: dict[str, str] = {}
    for pair in pairs:
        name, value = names[pair.one], names[pair.other]
        if value in changes or name in changes:
            continue
        if pair.sure and _forms(name) != _forms(value) and beside.agrees(value, name) is not False:
            changes[value] = name
    return changes


def _forms(name: str) -> set[str]:
    return {FORMS[word] for word in re.findall(r"[^\W_]+", name.lower().replace(".", "")) if word in FORMS}


def _finding(column: Column, changes: dict[str, str]) -> Finding:
    return of_other_names(
        "legal_forms",
        column,
        changes,
        f"{plural(len(changes), 'name', 'names')} of {column.name} differ{'s' if len(changes) == 1 else ''} from a more frequent one "
        "in the legal form alone",
        "One thing under two names is counted as two. Said of names that differ in a legal form alone (Ltd, GmbH), where no "
        "other column says that they are two.",
    )
